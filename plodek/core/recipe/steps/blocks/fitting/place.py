"""The step that moves blocks, or copies of them."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.operations import copies
from plodek.core.budget import need
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, Length
from plodek.core.recipe.moving import Moving
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.units import length


class Place(Moving, BlockStep):
    """Shift, turn, mirror or scale blocks, or copies of them; corners that meet are joined."""

    kind: Literal["place"] = "place"
    verb: ClassVar[str] = "Place"
    key: ClassVar[str] = "Y"
    order: ClassVar[int] = 240
    family: ClassVar[str] = "Lift and copy"
    known_as: ClassVar[tuple[str, ...]] = ("translate", "rotate", "mirror", "copy", "transform", "pattern")
    sentence: ClassVar[str] = "Place {blocks} by {by} {shift}{angle}{scale}, copies: {copies}"
    blocks: BlockSelector = Field(title="Blocks")
    copies: int = Field(default=1, title="Copies", ge=0, le=100, description="0 moves the blocks themselves")
    gap: Length | None = Field(
        default=None, title="Join corners within", description="only those at the same place, where left out"
    )

    def apply(self, model: Model, context: Context) -> Model:
        chosen = selectors.blocks(model, self.blocks)
        need("blocks", len(model.layout.blocks) + self.copies * len(chosen))
        one = whole = self.move_of(model)
        gap = None if self.gap is None else length(self.gap, model.unit)
        for number in range(max(1, self.copies)):
            change = copies.moved(
                f"{self.id}.{number}",
                model.layout,
                model.guides,
                chosen,
                whole,
                keep=self.copies > 0,
                gap=gap,
            )
            model = model.changed(change)
            whole = whole.then(one)
        return model

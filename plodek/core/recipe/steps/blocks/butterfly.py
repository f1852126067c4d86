"""The step that puts a butterfly core into blocks."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.operations.wedges.butterfly import butterfly, walls_of
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, SideSelector
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, in_turn


class Butterfly(BlockStep):
    """Put a butterfly core into a round section, a box end or a sphere, or in place of a pole."""

    kind: Literal["butterfly"] = "butterfly"
    verb: ClassVar[str] = "Butterfly"
    key: ClassVar[str] = "U"
    order: ClassVar[int] = 120
    family: ClassVar[str] = "Wrap"
    known_as: ClassVar[tuple[str, ...]] = ("O-grid", "core", "pipe")
    sentence: ClassVar[str] = "Butterfly in {blocks}, its core {core} as large, away from {walls}"
    blocks: BlockSelector = Field(title="Blocks")
    core: float = Field(
        default=0.5, title="Core", gt=0, lt=1, description="its size, as a share of the way to the walls"
    )
    bow: float = Field(
        default=0.35, title="Bow of the core's sides", ge=0, le=1,
        description="0 straight; 1 as round as the wall; along a pole they run as the wall does",
    )  # fmt: skip
    walls: SideSelector | None = Field(
        default=None,
        title="Walls",
        description="the sides the core keeps away from; the curved ones where left out, all if none is",
    )

    def apply(self, model: Model, context: Context) -> Model:
        layout = model.layout
        chosen = selectors.blocks(model, self.blocks)
        walls = set(selectors.sides(model, self.walls) if self.walls else walls_of(layout, chosen))
        own = dict.fromkeys(side for name in chosen for side in layout.sides_of(name))
        outer = [side for side in own if len(layout.sides[side]) == 1 and side not in walls]
        guides = model.guides
        return in_turn(
            model, butterfly(self.id, layout, guides, chosen, self.core, open_sides=outer, bow=self.bow)
        )

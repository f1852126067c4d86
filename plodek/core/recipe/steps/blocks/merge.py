"""The step that makes one block of two."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.operations.merge import merge
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep


class Merge(BlockStep):
    """Merge two neighbouring blocks into one, all along the cut between them."""

    kind: Literal["merge"] = "merge"
    verb: ClassVar[str] = "Merge"
    key: ClassVar[str] = "M"
    order: ClassVar[int] = 50
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("unite", "join blocks")
    sentence: ClassVar[str] = "Merge {blocks}"
    blocks: BlockSelector = Field(title="Two neighbouring blocks")

    def apply(self, model: Model, context: Context) -> Model:
        chosen = selectors.blocks(model, self.blocks)
        if len(chosen) != 2:
            raise BadValue(f"{len(chosen)} blocks are chosen", remedy="choose two, side by side")
        return model.changed(merge(self.id, model.layout, model.guides, *chosen))

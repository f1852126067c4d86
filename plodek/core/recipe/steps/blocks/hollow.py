"""Steps that take blocks out of the flow domain, and bring them back."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.operations.twins import carried
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep


class Hollow(BlockStep):
    """Take blocks out of the flow domain."""

    kind: Literal["hollow"] = "hollow"
    verb: ClassVar[str] = "Hollow"
    key: ClassVar[str] = "H"
    order: ClassVar[int] = 60
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("delete a block", "remove", "body", "solid")
    sentence: ClassVar[str] = "Hollow {blocks}"
    blocks: BlockSelector = Field(title="Blocks")

    def apply(self, model: Model, context: Context) -> Model:
        chosen = selectors.blocks(model, self.blocks)
        return _with_hollow(model, chosen, True)


class BringBack(BlockStep):
    """Bring hollow blocks back into the flow domain."""

    kind: Literal["bring-back"] = "bring-back"
    verb: ClassVar[str] = "Bring back"
    key: ClassVar[str] = "B"
    order: ClassVar[int] = 70
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("restore",)
    sentence: ClassVar[str] = "Bring back {blocks}"
    blocks: BlockSelector = Field(title="Blocks")

    def apply(self, model: Model, context: Context) -> Model:
        chosen = selectors.blocks(model, self.blocks)
        filled = [b for b in chosen if not model.layout.blocks[b].hollow]
        if len(filled) == len(chosen):
            raise NothingFound("none of these blocks is hollow", remedy="choose a hollow block")
        return _with_hollow(model, chosen, False)


def _with_hollow(model: Model, blocks: list[str], hollow: bool) -> Model:
    """Give the model with blocks taken out or back; twin sides at them go with both of their blocks only."""
    layout = model.layout.with_hollow(blocks, hollow)
    return replace(model, layout=carried(model.layout, layout, {}, {}))

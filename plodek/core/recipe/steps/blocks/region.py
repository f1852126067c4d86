"""The step that names the region of blocks."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, RegionName
from plodek.core.recipe.step import Changes, Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep


class Region(BlockStep):
    """Name the region (fluid zone) that blocks belong to; what is cut, ringed or copied of them keeps it."""

    kind: Literal["region"] = "region"
    verb: ClassVar[str] = "Region"
    key: ClassVar[str] = "⇧R"
    changes: ClassVar[Changes] = "names"
    order: ClassVar[int] = 95
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("zone", "volume")
    sentence: ClassVar[str] = "Region of {blocks}: {name}"
    blocks: BlockSelector = Field(title="Blocks")
    name: RegionName = Field(title="Name", description="letters, digits, _ and -; at most 32")

    def apply(self, model: Model, context: Context) -> Model:
        layout = model.layout
        chosen = [name for name in selectors.blocks(model, self.blocks) if not layout.blocks[name].hollow]
        if not chosen:
            raise NothingFound(
                "all of these blocks are hollow, which is no region", remedy="choose filled blocks"
            )
        blocks = dict(layout.blocks) | {
            name: replace(layout.blocks[name], region=self.name) for name in chosen
        }
        return replace(model, layout=replace(layout, blocks=blocks), known=model.facts)

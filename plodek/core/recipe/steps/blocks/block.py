"""Steps that add blocks: from their corners, or from the layout of another recipe."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.operations.copies import brought_in
from plodek.core.blocks.operations.from_corners import block_from
from plodek.core.budget import need
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import CornerPlaces, Ids, Length, RecipeFile
from plodek.core.recipe.moving import Moving
from plodek.core.recipe.places import place_of
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.shape.move import scaled
from plodek.core.units import factor, length


class BlockFrom(BlockStep):
    """Add a block from its corners: 4 in the plane, 8 in space, in any order that makes sense."""

    kind: Literal["block"] = "block"
    verb: ClassVar[str] = "Block"
    key: ClassVar[str] = "K"
    order: ClassVar[int] = 20
    family: ClassVar[str] = "Lay down"
    known_as: ClassVar[tuple[str, ...]] = ("corners",)
    sentence: ClassVar[str] = "Lay a block between {corners}"
    corners: CornerPlaces = Field(
        title="Corners",
        min_length=4,
        max_length=8,
        description="coordinates, places on guides, or corners that are there; 4 in the plane, 8 in space",
    )

    def apply(self, model: Model, context: Context) -> Model:
        places = [
            selectors.corner(model, c) if isinstance(c, Ids) else np.array(place_of(model, c))
            for c in self.corners
        ]
        return model.changed(block_from(self.id, model.layout, places))


class BringLayout(Moving, BlockStep):
    """Bring in the layout of another recipe as a part of this one; corners that meet are joined."""

    kind: Literal["bring-layout"] = "bring-layout"
    verb: ClassVar[str] = "Bring in"
    key: ClassVar[str] = "T"
    order: ClassVar[int] = 30
    family: ClassVar[str] = "Lay down"
    known_as: ClassVar[tuple[str, ...]] = ("import a layout", "template")
    sentence: ClassVar[str] = "Bring in the blocks of {file}, moved by {by} {shift}{angle}{scale}"
    file: RecipeFile = Field(title="Recipe file")
    gap: Length | None = Field(
        default=None, title="Join corners within", description="only those at the same place, where left out"
    )

    def apply(self, model: Model, context: Context) -> Model:
        other = context.evaluate(self.file)
        other.need_blocks()
        shift = (
            self
            if self.by != "shift" or self.shift is not None
            else self.model_copy(update={"shift": [0, 0, 0]})
        )
        need("blocks", len(model.layout.blocks) + len(other.layout.blocks))
        gap = None if self.gap is None else length(self.gap, model.unit)
        # The other recipe has a unit of its own: its lengths come in as what they are.
        move = scaled(np.zeros(3), factor(other.unit, model.unit)).then(shift.move_of(model))
        change = brought_in(self.id, model.layout, model.guides, other.layout, other.guides, move, gap)
        return model.changed(change)

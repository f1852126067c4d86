"""The step that adds a layer of blocks on outer sides."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Side
from plodek.core.blocks.operations.grow import grow
from plodek.core.blocks.operations.layer import Layer, Offset, shifted
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.model.named import Patch
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import Direction, GuideRef, Length, SideSelector, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import unit
from plodek.core.shape.guide import unknown_guide
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.units import length


class Grow(BlockStep):
    """Add a layer of blocks on outer sides."""

    kind: Literal["grow"] = "grow"
    verb: ClassVar[str] = "Grow"
    key: ClassVar[str] = "G"
    order: ClassVar[int] = 140
    family: ClassVar[str] = "Wrap"
    known_as: ClassVar[tuple[str, ...]] = ("inflate", "far field", "add a layer", "normals")
    sentence: ClassVar[str] = "Grow {sides} {by} {distance}{direction}{guide}{plane}{value}"
    sides: SideSelector = Field(title="Outer sides")
    by: Literal["along normals", "along a direction", "up to a plane", "onto a guide"] = Field(
        default="along normals", title="Grow"
    )
    distance: Length | None = Field(
        default=None, title="Distance", json_schema_extra=when(by=("along normals", "along a direction"))
    )
    direction: Direction | None = Field(
        default=None, title="Direction", json_schema_extra=when(by="along a direction")
    )
    plane: Literal["x", "y", "z"] = Field(
        default="x", title="Plane of constant", json_schema_extra=when(by="up to a plane")
    )
    value: Length | None = Field(default=None, title="At", json_schema_extra=when(by="up to a plane"))
    guide: GuideRef | None = Field(default=None, title="Guide", json_schema_extra=when(by="onto a guide"))
    convex: Literal["go round", "mitre"] = Field(
        default="go round",
        title="At convex corners",
        description="go round: with a block of its own where sides turn by 60° to 150°; "
        "mitre: the two layers meet in the middle",
        json_schema_extra=when(by="along normals"),
    )
    patches: Literal["move out", "stay"] = Field(
        default="move out",
        title="Patches on them",
        description="move out: to the new outer sides; stay: lost, but between two regions",
    )

    def apply(self, model: Model, context: Context) -> Model:
        sides = selectors.outer_sides(model, self.sides)
        layout = model.layout
        guide = None
        if self.by == "along normals":
            distance, wished = self._distance(model), self.convex == "go round"
            layer = Offset(self.id, layout, model.guides, sides, distance, round_corners=wished).layer()
        elif self.by == "along a direction":
            if self.direction is None:
                raise BadValue("no direction is given", remedy="give a direction, such as 1, 0, 0")
            way = self._distance(model) * unit(np.array(self.direction))
            layer = shifted(self.id, layout, sides, lambda xyz: xyz + way)
        elif self.by == "up to a plane":
            layer = self._up_to(model, sides)
        else:
            guide = self.guide or ""
            on = model.guides.get(guide)
            if not isinstance(on, Curve | Surface):
                raise unknown_guide(model.guides, guide)
            layer = shifted(self.id, layout, sides, lambda xyz: on.at(on.nearest(xyz)))
        after = model.changed(grow(self.id, layout, model.guides, sides, layer, guide))
        owners = {side: model.patch_of[side] for side in sides if side in model.patch_of}
        if self.patches == "move out":
            moved = tuple(_moved(model, patch, owners, layer) for patch in after.patches)
            return replace(after, patches=moved)
        lost = [side for side in owners if side not in after.patch_of]
        if not lost:
            return after
        names = ", ".join(dict.fromkeys(owners[side].name for side in lost))
        return after.reporting(
            self.id, f"{len(lost)} sides of {names} lie inside now, and belong to no patch"
        )

    def _distance(self, model: Model) -> float:
        if self.distance is None:
            raise BadValue("no distance is given", remedy="give a distance above 0")
        return self.sizes(model, self.distance, "distance")

    def _up_to(self, model: Model, sides: list[Side]) -> Layer:
        if self.value is None:
            raise BadValue("no coordinate is given", remedy=f"give the {self.plane} of the plane")
        axis, value = "xyz".index(self.plane), length(self.value, model.unit)

        def put(xyz: Floats) -> Floats:
            there = xyz.copy()
            there[:, axis] = value
            return there

        return shifted(self.id, model.layout, sides, put)


def _moved(model: Model, patch: Patch, owners: Mapping[Side, Patch], layer: Layer) -> Patch:
    """Give a patch with the sides that have grown replaced by the new outer ones."""
    if all(owner is not patch for owner in owners.values()):
        return patch
    own = [piece for side in patch.sides for piece in model.sides_named(side)]
    new = [layer.outward(side) if owners.get(side) is patch else (side,) for side in own]
    return replace(patch, sides=tuple(side for sides in new for side in sides))

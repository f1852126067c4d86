"""The step that lays the first block or blocks around the domain."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.layout import Layout
from plodek.core.blocks.operations.frame import box, round_frame
from plodek.core.errors import BadValue, Refused
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import (
    ORIGIN,
    Z_AXIS,
    Coordinates,
    Degrees,
    Direction,
    GuideRefs,
    Length,
    PlaceOf,
    when,
)
from plodek.core.recipe.places import coordinates, place_of
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.shape.measure import places_of
from plodek.core.units import length


def _need_empty(model: Model) -> None:
    if model.layout.blocks:
        raise Refused(
            "the domain is already framed", remedy="change or take out the first frame, or add a block"
        )


class Frame(BlockStep):
    """Lay the first block or blocks around the domain: a rectangle, a box, a ring or disk, a cylinder."""

    kind: Literal["frame"] = "frame"
    verb: ClassVar[str] = "Frame"
    key: ClassVar[str] = "F"
    order: ClassVar[int] = 10
    family: ClassVar[str] = "Lay down"
    known_as: ClassVar[tuple[str, ...]] = ("bounding box", "first block", "domain", "2-D", "3-D")
    sentence: ClassVar[str] = (
        "Frame a {shape}{guides} {width} by {height} by {depth} from {corner}, radii {inner} to {outer}, "
        "sectors {sectors}"
    )
    shape: Literal["rectangle", "box", "polar", "cylinder", "around guides"] = Field(
        default="rectangle", title="Shape"
    )
    corner: Coordinates = Field(
        default=[0.0, 0.0], title="Low corner", json_schema_extra=when(shape=("rectangle", "box"))
    )
    width: Length | None = Field(
        default=None, title="Width (x)", json_schema_extra=when(shape=("rectangle", "box"))
    )
    height: Length | None = Field(
        default=None, title="Height (y)", json_schema_extra=when(shape=("rectangle", "box"))
    )
    depth: Length | None = Field(
        default=None,
        title="Depth (z), or length of the cylinder",
        json_schema_extra=when(shape=("box", "cylinder")),
    )
    guides: GuideRefs | None = Field(
        default=None, title="Guides", json_schema_extra=when(shape="around guides")
    )
    margin: Length = Field(default=0.0, title="Margin", json_schema_extra=when(shape="around guides"))
    centre: PlaceOf = Field(
        default=ORIGIN, title="Centre", json_schema_extra=when(shape=("polar", "cylinder"))
    )
    outer: Length | None = Field(
        default=None, title="Outer radius", json_schema_extra=when(shape=("polar", "cylinder"))
    )
    inner: Length = Field(
        default=0.0,
        title="Inner radius",
        description="0 gives a disk of one block, for a butterfly core",
        json_schema_extra=when(shape=("polar", "cylinder")),
    )
    start: Degrees = Field(
        default=0.0, title="From angle", json_schema_extra=when(shape=("polar", "cylinder"))
    )
    end: Degrees = Field(default=360.0, title="To angle", json_schema_extra=when(shape=("polar", "cylinder")))
    sectors: int = Field(
        default=4, title="Sectors", ge=1, le=360, json_schema_extra=when(shape=("polar", "cylinder"))
    )
    axis: Direction = Field(default=Z_AXIS, title="Axis", json_schema_extra=when(shape="cylinder"))

    def apply(self, model: Model, context: Context) -> Model:
        _need_empty(model)
        if self.shape in ("rectangle", "box"):
            wanted = {"width": self.width, "height": self.height}
            wanted |= {"depth": self.depth} if self.shape == "box" else {}
            sizes = tuple(self._size(model, value, name) for name, value in wanted.items())
            return replace(model, layout=box(self.id, coordinates(self.corner, model.unit), sizes))
        if self.shape == "around guides":
            return replace(model, layout=self._around(model))
        radii = length(self.inner, model.unit), self._size(model, self.outer, "outer radius")
        angles = math.radians(self.start), math.radians(self.end)
        solid = self.shape == "cylinder"
        layout = round_frame(
            self.id,
            place_of(model, self.centre),
            radii,
            angles,
            self.sectors,
            axis=np.array(self.axis) if solid else None,
            height=self._size(model, self.depth, "length") if solid else None,
        )
        return replace(model, layout=layout)

    def _size(self, model: Model, value: Length | None, name: str) -> float:
        if value is None:
            raise BadValue(f"no {name} is given", remedy=f"give a {name} above 0")
        return self.sizes(model, value, name)

    def _around(self, model: Model) -> Layout:
        names = selectors.guides(model, self.guides or [])
        if not names:
            raise BadValue("no guide is named", remedy="name the guides to be framed")
        places = np.concatenate([places_of(model.guides[name]) for name in names])
        margin = length(self.margin, model.unit)
        low, high = places.min(axis=0), places.max(axis=0)
        flat = high[2] - low[2] <= 1e-9 * float(np.linalg.norm(high - low))
        grown = np.array([margin, margin, 0.0 if flat else margin])
        low, sizes = low - grown, high - low + 2 * grown
        if np.any(sizes[: 2 if flat else 3] <= 0):
            raise BadValue("the guides have no extent in x or y", remedy="give a margin above 0")
        corner = (float(low[0]), float(low[1]), float(low[2]))
        return box(self.id, corner, tuple(float(v) for v in sizes[: 2 if flat else 3]))

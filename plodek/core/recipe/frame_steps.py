"""Steps of the Blocks stage that lay down the first blocks: frame, block, and a layout brought in."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.layout import Layout
from plodek.core.blocks.operations.copies import brought_in
from plodek.core.blocks.operations.frame import box, round_frame
from plodek.core.blocks.operations.from_corners import block_from
from plodek.core.errors import BadValue, Refused
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import DEGREES, DIRECTION, GUIDES, LENGTH, ORIGIN, PLACE, Z_AXIS
from plodek.core.recipe.moving import Moving
from plodek.core.recipe.selectors import (
    Coordinates,
    Direction,
    Ids,
    Length,
    OnGuide,
    PlaceOf,
    coordinates,
    place_of,
)
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.shape.measure import places_of
from plodek.core.units import length


class BlockStep(Step):
    """What all steps of the Blocks stage share."""

    stage: ClassVar[Stage] = "Blocks"


class _LayStep(BlockStep):
    family: ClassVar[str] = "Lay down"


def _need_empty(model: Model) -> None:
    if model.layout.blocks:
        raise Refused(
            "the domain is already framed", remedy="change or take out the first frame, or add a block"
        )


class Frame(_LayStep):
    """Lay the first block or blocks around the domain: a rectangle, a box, a ring or disk, a cylinder."""

    kind: Literal["frame"] = "frame"
    verb: ClassVar[str] = "Frame"
    key: ClassVar[str] = "F"
    sentence: ClassVar[str] = (
        "Frame a {shape}{guides} {width} by {height} by {depth} from {corner}, radii {inner} to {outer}, "
        "sectors {sectors}"
    )
    shape: Literal["rectangle", "box", "polar", "cylinder", "around guides"] = Field(
        default="rectangle", title="Shape"
    )
    corner: Coordinates = Field(
        default=[0.0, 0.0], title="Low corner",
        json_schema_extra={"widget": "place", "when": {"shape": ["rectangle", "box"]}},
    )  # fmt: skip
    width: Length | None = Field(
        default=None, title="Width (x)", json_schema_extra=LENGTH | {"when": {"shape": ["rectangle", "box"]}}
    )
    height: Length | None = Field(
        default=None, title="Height (y)", json_schema_extra=LENGTH | {"when": {"shape": ["rectangle", "box"]}}
    )
    depth: Length | None = Field(
        default=None, title="Depth (z), or length of the cylinder",
        json_schema_extra=LENGTH | {"when": {"shape": ["box", "cylinder"]}},
    )  # fmt: skip
    guides: list[str] | None = Field(
        default=None, title="Guides", json_schema_extra=GUIDES | {"when": {"shape": ["around guides"]}}
    )
    margin: Length = Field(
        default=0.0, title="Margin", json_schema_extra=LENGTH | {"when": {"shape": ["around guides"]}}
    )
    centre: PlaceOf = Field(
        default=ORIGIN, title="Centre", json_schema_extra=PLACE | {"when": {"shape": ["polar", "cylinder"]}}
    )
    outer: Length | None = Field(
        default=None, title="Outer radius",
        json_schema_extra=LENGTH | {"when": {"shape": ["polar", "cylinder"]}},
    )  # fmt: skip
    inner: Length = Field(
        default=0.0, title="Inner radius", description="0 gives a disk of one block, for a butterfly core",
        json_schema_extra=LENGTH | {"when": {"shape": ["polar", "cylinder"]}},
    )  # fmt: skip
    start: float = Field(
        default=0.0,
        title="From angle",
        json_schema_extra=DEGREES | {"when": {"shape": ["polar", "cylinder"]}},
    )
    end: float = Field(
        default=360.0,
        title="To angle",
        json_schema_extra=DEGREES | {"when": {"shape": ["polar", "cylinder"]}},
    )
    sectors: int = Field(
        default=4, title="Sectors", ge=1, le=360, json_schema_extra={"when": {"shape": ["polar", "cylinder"]}}
    )
    axis: Direction = Field(
        default=Z_AXIS, title="Axis", json_schema_extra=DIRECTION | {"when": {"shape": ["cylinder"]}}
    )

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


class BlockFrom(_LayStep):
    """Add a block from its corners: 4 in the plane, 8 in space, in any order that makes sense."""

    kind: Literal["block"] = "block"
    verb: ClassVar[str] = "Block"
    key: ClassVar[str] = "K"
    sentence: ClassVar[str] = "Lay a block between {corners}"
    corners: list[Coordinates | OnGuide | Ids] = Field(
        title="Corners", min_length=4, max_length=8, json_schema_extra={"widget": "corner-places"},
        description="coordinates, places on guides, or corners that are there; 4 in the plane, 8 in space",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        places = [
            selectors.corner(model, c) if isinstance(c, Ids) else np.array(place_of(model, c))
            for c in self.corners
        ]
        return model.changed(block_from(self.id, model.layout, places))


class BringLayout(Moving, _LayStep):
    """Bring in the layout of another recipe as a part of this one; corners that meet are joined."""

    kind: Literal["bring-layout"] = "bring-layout"
    verb: ClassVar[str] = "Bring in"
    key: ClassVar[str] = "T"
    sentence: ClassVar[str] = "Bring in the blocks of {file}, moved by {by} {shift}{angle}{scale}"
    file: str = Field(title="Recipe file", json_schema_extra={"widget": "file", "of": "recipe"})
    gap: Length | None = Field(
        default=None, title="Join corners within", json_schema_extra=LENGTH,
        description="only those at the same place, where left out",
    )  # fmt: skip

    def files(self) -> list[str]:
        """Give the name of the file."""
        return [self.file]

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        other = context.evaluate(self.file)
        other.need_blocks()
        shift = (
            self
            if self.by != "shift" or self.shift is not None
            else self.model_copy(update={"shift": [0, 0, 0]})
        )
        gap = None if self.gap is None else length(self.gap, model.unit)
        change = brought_in(
            self.id, model.layout, model.guides, other.layout, other.guides, shift.move_of(model), gap
        )
        return model.changed(change)

"""Steps of the Shape stage: the unit, files read, and points."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats, place
from plodek.core.errors import BadValue
from plodek.core.model.model import Group, Model
from plodek.core.recipe.fields import (
    CURVE,
    GUIDE,
    PLACE,
)
from plodek.core.recipe.selectors import Coordinates, PlaceOf, coordinates, place_of
from plodek.core.recipe.step import Context, GuideName, Stage, Step
from plodek.core.shape.crossing import curve_crossings, refuse_self_crossing
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.files import point_file
from plodek.core.shape.files.contents import guides_of
from plodek.core.shape.files.packed import unpack
from plodek.core.shape.guide import Guide, Point, unknown_guide
from plodek.core.shape.measure import onto
from plodek.core.tolerances import SAME_PLACE
from plodek.core.units import LengthUnit, factor


class ShapeStep(Step):
    """What all steps of the Shape stage share."""

    stage: ClassVar[Stage] = "Shape"

    def place(self, model: Model, where: PlaceOf) -> Floats:
        """Give the place (3,) that coordinates or a guide name."""
        return np.array(place_of(model, where))


def with_guide(model: Model, name: str, guide: Guide) -> Model:
    """Add a guide. Raises BadValue where the name is taken."""
    return with_guides(model, {name: guide})


def with_guides(model: Model, guides: Mapping[str, Guide]) -> Model:
    """Add guides. Raises BadValue where a name is taken, by a guide or a group."""
    for name in guides:
        if name in model.guides or name in model.groups:
            what = "guide" if name in model.guides else "group"
            raise BadValue(f"a {what} is already called “{name}”", remedy="give this one another name")
    return replace(model, guides=dict(model.guides) | dict(guides))


def numbered(name: str, guides: Sequence[Guide]) -> dict[str, Guide]:
    """Name guides: one by the name itself, several by it and a number."""
    if len(guides) == 1:
        return {name: guides[0]}
    return {f"{name}.{n}": guide for n, guide in enumerate(guides, 1)}


class Unit(ShapeStep):
    """Set the project's length unit; numbers without a unit are in it."""

    kind: Literal["unit"] = "unit"
    verb: ClassVar[str] = "Unit"
    key: ClassVar[str] = "U"
    family: ClassVar[str] = "Files"
    sentence: ClassVar[str] = "Measure in {unit}"
    unit: LengthUnit = Field(default="m", title="Length unit")

    def apply(self, model: Model, context: Context) -> Model:
        if model.guides or model.layout.blocks:
            raise BadValue("lengths have already been read", remedy="put the unit before all other steps")
        return replace(model, unit=self.unit)


class Read(ShapeStep):
    """Read outlines from a point file as guide curves; sections in it become one curve each."""

    kind: Literal["read"] = "read"
    verb: ClassVar[str] = "Read points"
    key: ClassVar[str] = "R"
    family: ClassVar[str] = "Files"
    sentence: ClassVar[str] = "Read outline {file} as {shape} {name}"
    file: str = Field(title="Point file", json_schema_extra={"widget": "file", "of": "points"})
    name: GuideName = Field(title="Name")
    shape: Literal["auto", "closed", "open"] = Field(
        default="auto", title="Ends", description="auto: closed where the last point repeats the first"
    )
    pieces: Literal["smooth", "straight"] = Field(default="smooth", title="Pieces")
    corner_angle: float = Field(
        default=40.0, title="Sharp where it turns by more than", ge=0, le=180,
        json_schema_extra={"unit": "°", "when": {"pieces": "smooth"}},
    )  # fmt: skip
    file_unit: LengthUnit | None = Field(
        default=None, title="Unit of the file", description="the project's unit where left out"
    )

    def files(self) -> list[str]:
        """Give the name of the file."""
        return [self.file]

    def apply(self, model: Model, context: Context) -> Model:
        sections = point_file.read(context.read_file(self.file), self.file)
        scale = factor(self.file_unit, model.unit) if self.file_unit else 1.0
        curves = [self._curve(section, scale) for section in sections]
        names = [re.sub(r"[^A-Za-z0-9_-]+", "-", section.title).strip("-") for section in sections]
        named = numbered(self.name, curves)
        if len(sections) > 1 and all(names) and len(set(names)) == len(names):
            named = {f"{self.name}.{title}": curve for title, curve in zip(names, curves, strict=True)}
        for name, curve in named.items():
            assert isinstance(curve, Curve)
            refuse_self_crossing(curve, name)
        return with_guides(model, named)

    def _curve(self, section: point_file.Section, scale: float) -> Curve:
        closed = section.closed if self.shape == "auto" else self.shape == "closed"
        points = section.points * scale
        if section.closed and not closed:
            points = np.vstack([points, points[:1]])
        if self.pieces == "straight" or len(points) == 2:
            return Polyline(points, closed=closed)
        return Spline(points, closed=closed, corner_angle=self.corner_angle)


class BringIn(ShapeStep):
    """Bring in a CAD file (STEP, IGES), triangles (STL, OBJ) or a drawing (DXF) as guides."""

    kind: Literal["bring-in"] = "bring-in"
    verb: ClassVar[str] = "Bring in"
    key: ClassVar[str] = "I"
    family: ClassVar[str] = "Files"
    sentence: ClassVar[str] = "Bring in {file} as {name}"
    file: str = Field(title="Geometry file", json_schema_extra={"widget": "file", "of": "geometry"})
    name: GuideName = Field(title="Name", description="its parts are called by it and their own name")
    file_unit: LengthUnit | None = Field(
        default=None, title="Unit of the file", description="needed where the file does not say it"
    )
    edges: Literal["yes", "no"] = Field(default="yes", title="Edges as curves too")
    angle: float = Field(
        default=30.0, title="Edges of triangles from", ge=1, le=180,
        json_schema_extra={"unit": "°", "when": {"edges": "yes"}},
    )  # fmt: skip

    def files(self) -> list[str]:
        """Give the name of the file."""
        return [self.file]

    def apply(self, model: Model, context: Context) -> Model:
        packed = context.read_geometry(self.file)
        told = unpack(packed)["unit"]
        # The kernel has turned CAD files to millimetres: what they say of their unit holds.
        cad = bool(told) and self.file.rsplit(".", 1)[-1].lower() in ("step", "stp", "iges", "igs")
        unit = told if cad or not self.file_unit else self.file_unit
        if not unit:
            raise BadValue("the file does not say its unit", where=self.file, remedy="choose its unit")
        parts = guides_of(
            packed, factor(unit, model.unit), self.id, edges=self.edges == "yes", angle=self.angle
        )
        named: dict[str, Guide] = {}
        groups: dict[str, list[str]] = {}
        for part in parts:
            kind = "curve" if isinstance(part.guide, Curve) else "face"
            name = self._name(part.name, kind, named) if len(parts) > 1 else self.name
            named[name] = part.guide
            if part.group:
                groups.setdefault(self._clean(part.group), []).append(name)
        after = with_guides(model, named)
        found = dict(model.groups)
        if len(named) > 1:
            found[self.name] = Group(tuple(named))
        for group, members in groups.items():
            if len(groups) > 1 and group:
                found[f"{self.name}.{group}"] = Group(tuple(members))
        left_out = tuple(unpack(packed)["flat"])
        said = (f"left out, without an area or of no use: {', '.join(left_out)}",) if left_out else ()
        return replace(after, groups=found, reports=dict(model.reports) | ({self.id: said} if said else {}))

    def _name(self, own: str, kind: str, taken: Mapping[str, Guide]) -> str:
        clean = self._clean(own)
        if clean and f"{self.name}.{clean}" not in taken:
            return f"{self.name}.{clean}"
        stem = f"{self.name}.{clean or kind}"
        count = 1
        while f"{stem}-{count}" in taken:
            count += 1
        return f"{stem}-{count}"

    @staticmethod
    def _clean(name: str) -> str:
        return re.sub(r"[^A-Za-z0-9_-]+", "-", name).strip("-")[:40]


class PointStep(ShapeStep):
    """Place a guide point: by coordinates, on a curve, where curves cross, beside another, or projected."""

    kind: Literal["point"] = "point"
    verb: ClassVar[str] = "Point"
    key: ClassVar[str] = "P"
    family: ClassVar[str] = "Points and curves"
    sentence: ClassVar[str] = "Point {name} {by} {at}{guide}{second}"
    name: GuideName = Field(title="Name")
    by: Literal["at", "on curve", "crossing", "beside", "projected"] = Field(default="at", title="How")
    at: PlaceOf | None = Field(
        default=None, title="Place", json_schema_extra=PLACE | {"when": {"by": ["at", "beside", "projected"]}}
    )
    shift: Coordinates | None = Field(
        default=None, title="Shifted by", json_schema_extra={"widget": "place", "when": {"by": ["beside"]}}
    )
    guide: str | None = Field(
        default=None, title="Guide",
        json_schema_extra=GUIDE | {"when": {"by": ["on curve", "crossing", "projected"]}},
    )  # fmt: skip
    fraction: float = Field(
        default=1.0, title="Fraction of its length", ge=0, le=1,
        json_schema_extra={"widget": "fraction", "when": {"by": ["on curve"]}},
    )  # fmt: skip
    second: str | None = Field(
        default=None, title="Second curve", json_schema_extra=CURVE | {"when": {"by": ["crossing"]}}
    )
    near: PlaceOf | None = Field(
        default=None, title="Nearest to", json_schema_extra=PLACE | {"when": {"by": ["crossing"]}},
        description="which crossing is meant where there are several",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        return with_guide(model, self.name, Point(place(self._found(model))))

    def _found(self, model: Model) -> Floats:
        if self.by in ("at", "beside", "projected"):
            return self._from_place(model)
        if self.guide is None:
            raise BadValue("no curve is named", remedy="choose a curve")
        curve = model.curve(self.guide)
        if self.by == "on curve":
            return np.asarray(curve.at(np.array([self.fraction]))[0])
        if self.second is None:
            raise BadValue("no second curve is named", remedy="choose the curve that crosses the first")
        return self._crossing(model, curve, model.curve(self.second))

    def _from_place(self, model: Model) -> Floats:
        if self.at is None:
            raise BadValue("no place is given", remedy="give coordinates or a guide point")
        at = self.place(model, self.at)
        if self.by == "beside":
            if self.shift is None:
                raise BadValue("no shift is given", remedy="give how far it lies in x, y and z")
            return np.asarray(at + np.array(coordinates(self.shift, model.unit)))
        if self.by == "projected":
            guide = model.guides.get(self.guide or "")
            if guide is None:
                raise unknown_guide(model.guides, self.guide or "")
            return onto(guide, at)
        return at

    def _crossing(self, model: Model, first: Curve, second: Curve) -> Floats:
        near = SAME_PLACE * max(first.length, second.length)
        places = first.at(curve_crossings(first, second, near)[0])
        if self.near is None:
            if len(places) > 1:
                shown = "; ".join(", ".join(f"{v:.4g}" for v in xyz) for xyz in places[:4])
                raise BadValue(
                    f"“{self.guide}” and “{self.second}” cross {len(places)} times",
                    remedy=f"say near which of {shown}",
                )
            return np.asarray(places[0])
        wish = self.place(model, self.near)
        return np.asarray(places[np.argmin(np.linalg.norm(places - wish, axis=1))])

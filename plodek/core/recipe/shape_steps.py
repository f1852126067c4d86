"""Steps of the Shape stage: the unit, and guides."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.recipe.model import Model
from plodek.core.recipe.selectors import Coordinates, Length, coordinates
from plodek.core.recipe.step import Context, GuideName, Stage, Step
from plodek.core.shape import point_file
from plodek.core.shape.arc import Arc, arc_through
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.polyline import Polyline, line
from plodek.core.shape.spline import Spline
from plodek.core.units import LengthUnit


class _ShapeStep(Step):
    stage: ClassVar[Stage] = "Shape"


def _with_guide(model: Model, name: str, guide: Guide) -> Model:
    if name in model.guides:
        raise BadValue(f"a guide is already called “{name}”", remedy="give this one another name")
    return replace(model, guides=dict(model.guides) | {name: guide})


class Unit(_ShapeStep):
    """Set the project's length unit; numbers without a unit are in it."""

    kind: Literal["unit"] = "unit"
    verb: ClassVar[str] = "Unit"
    key: ClassVar[str] = "U"
    sentence: ClassVar[str] = "Measure in {unit}"
    unit: LengthUnit = Field(default="m", title="Length unit")

    def apply(self, model: Model, context: Context) -> Model:
        if model.guides or model.layout.blocks:
            raise BadValue("lengths have already been read", remedy="put the unit before all other steps")
        return replace(model, unit=self.unit)


class Read(_ShapeStep):
    """Read an outline from a point file as a guide curve."""

    kind: Literal["read"] = "read"
    verb: ClassVar[str] = "Read"
    key: ClassVar[str] = "R"
    sentence: ClassVar[str] = "Read outline {file} as {shape} {name}"
    file: str = Field(title="Point file", json_schema_extra={"widget": "file"})
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

    def apply(self, model: Model, context: Context) -> Model:
        text = point_file.read(context.read_file(self.file), self.file)
        closed = text.closed if self.shape == "auto" else self.shape == "closed"
        points = text.points
        if text.closed and not closed:
            points = np.vstack([points, points[:1]])
        if self.file_unit is not None:
            from_unit = self.sizes(model, f"1 {self.file_unit}", "unit of the file")
            points = points * from_unit
        if self.pieces == "straight" or len(points) == 2:
            return _with_guide(model, self.name, Polyline(points, closed=closed))
        spline = Spline(points, closed=closed, corner_angle=self.corner_angle)
        return _with_guide(model, self.name, spline)


class PointStep(_ShapeStep):
    """Place a guide point by exact coordinates."""

    kind: Literal["point"] = "point"
    verb: ClassVar[str] = "Point"
    key: ClassVar[str] = "P"
    sentence: ClassVar[str] = "Point {name} at {at}"
    name: GuideName = Field(title="Name")
    at: Coordinates = Field(title="Place", json_schema_extra={"widget": "place"})

    def apply(self, model: Model, context: Context) -> Model:
        return _with_guide(model, self.name, Point(coordinates(self.at, model.unit)))


class LineStep(_ShapeStep):
    """Draw a straight line between two places."""

    kind: Literal["line"] = "line"
    verb: ClassVar[str] = "Line"
    key: ClassVar[str] = "L"
    sentence: ClassVar[str] = "Line {name} from {start} to {end}"
    name: GuideName = Field(title="Name")
    start: Coordinates = Field(title="From", json_schema_extra={"widget": "place"})
    end: Coordinates = Field(title="To", json_schema_extra={"widget": "place"})

    def apply(self, model: Model, context: Context) -> Model:
        ends = [np.array(coordinates(p, model.unit)) for p in (self.start, self.end)]
        return _with_guide(model, self.name, line(*ends))


class ArcStep(_ShapeStep):
    """Draw the arc through three places."""

    kind: Literal["arc"] = "arc"
    verb: ClassVar[str] = "Arc"
    key: ClassVar[str] = "A"
    sentence: ClassVar[str] = "Arc {name} from {start} through {through} to {end}"
    name: GuideName = Field(title="Name")
    start: Coordinates = Field(title="From", json_schema_extra={"widget": "place"})
    through: Coordinates = Field(title="Through", json_schema_extra={"widget": "place"})
    end: Coordinates = Field(title="To", json_schema_extra={"widget": "place"})

    def apply(self, model: Model, context: Context) -> Model:
        three = [coordinates(p, model.unit) for p in (self.start, self.through, self.end)]
        return _with_guide(model, self.name, arc_through(*three))


class CircleStep(_ShapeStep):
    """Draw a circle, or a part of it between two angles."""

    kind: Literal["circle"] = "circle"
    verb: ClassVar[str] = "Circle"
    key: ClassVar[str] = "C"
    sentence: ClassVar[str] = "Circle {name} around {centre} with radius {radius}"
    name: GuideName = Field(title="Name")
    centre: Coordinates = Field(title="Centre", json_schema_extra={"widget": "place"})
    radius: Length = Field(title="Radius", json_schema_extra={"widget": "length"})
    from_angle: float = Field(default=0.0, title="From angle", json_schema_extra={"unit": "°"})
    to_angle: float = Field(default=360.0, title="To angle", json_schema_extra={"unit": "°"})

    def apply(self, model: Model, context: Context) -> Model:
        radius = self.sizes(model, self.radius, "radius")
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        arc = Arc(coordinates(self.centre, model.unit), radius, *angles)
        return _with_guide(model, self.name, arc)

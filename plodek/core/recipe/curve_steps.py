"""Steps of the Shape stage that make guide curves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats, place
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import CURVE, DEGREES, DIRECTION, LENGTH, ORIGIN, PLACE, Z_AXIS
from plodek.core.recipe.selectors import Direction, Length, PlaceOf
from plodek.core.recipe.shape_steps import ShapeStep, with_guide
from plodek.core.recipe.step import Context, GuideName
from plodek.core.shape.crossing import (
    refuse_self_crossing,
)
from plodek.core.shape.curves.arc import Arc, arc_of_radius, arc_tangent, arc_through
from plodek.core.shape.curves.compound import MovedCurve
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.curves.polyline import Polyline, line
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.curves.wing_section import measured, section
from plodek.core.shape.files import point_file
from plodek.core.shape.frame import frame_of
from plodek.core.shape.move import Move


class CurveStep(ShapeStep):
    """A step of the Shape stage that makes curves."""

    family: ClassVar[str] = "Points and curves"
    name: GuideName = Field(title="Name")

    def places(self, model: Model, given: Sequence[PlaceOf]) -> Floats:
        """Give the places (n, 3) of coordinates and guide points."""
        return np.array([self.place(model, one) for one in given])


class LineStep(CurveStep):
    """Draw a straight line between two places."""

    kind: Literal["line"] = "line"
    verb: ClassVar[str] = "Line"
    key: ClassVar[str] = "L"
    sentence: ClassVar[str] = "Line {name} from {start} to {end}"
    start: PlaceOf = Field(title="From", json_schema_extra=PLACE)
    end: PlaceOf = Field(title="To", json_schema_extra=PLACE)

    def apply(self, model: Model, context: Context) -> Model:
        return with_guide(model, self.name, line(self.place(model, self.start), self.place(model, self.end)))


class PolylineStep(CurveStep):
    """Draw straight pieces from place to place."""

    kind: Literal["polyline"] = "polyline"
    verb: ClassVar[str] = "Polyline"
    key: ClassVar[str] = "⇧L"
    sentence: ClassVar[str] = "Polyline {name} through {points}"
    points: list[PlaceOf] = Field(
        title="Points", min_length=2, max_length=5000, json_schema_extra={"widget": "places"}
    )
    closed: Literal["no", "yes"] = Field(default="no", title="Closed")

    def apply(self, model: Model, context: Context) -> Model:
        curve = Polyline(self.places(model, self.points), closed=self.closed == "yes")
        refuse_self_crossing(curve, self.name)
        return with_guide(model, self.name, curve)


class ArcStep(CurveStep):
    """Draw an arc: through three places, by centre, radius and angles, by ends and radius, or going on."""

    kind: Literal["arc"] = "arc"
    verb: ClassVar[str] = "Arc"
    key: ClassVar[str] = "A"
    sentence: ClassVar[str] = "Arc {name} {by} {start} {through} {end}{centre}{after}"
    by: Literal["through", "centre", "radius", "tangent"] = Field(default="through", title="How")
    start: PlaceOf | None = Field(
        default=None, title="From", json_schema_extra=PLACE | {"when": {"by": ["through", "radius"]}}
    )
    through: PlaceOf | None = Field(
        default=None, title="Through", json_schema_extra=PLACE | {"when": {"by": ["through"]}}
    )
    end: PlaceOf | None = Field(
        default=None, title="To", json_schema_extra=PLACE | {"when": {"by": ["through", "radius"]}}
    )
    centre: PlaceOf | None = Field(
        default=None, title="Centre", json_schema_extra=PLACE | {"when": {"by": ["centre"]}}
    )
    after: str | None = Field(
        default=None, title="Going on from the end of",
        json_schema_extra=CURVE | {"when": {"by": ["tangent"]}},
    )  # fmt: skip
    radius: Length | None = Field(
        default=None, title="Radius",
        json_schema_extra=LENGTH | {"when": {"by": ["centre", "radius", "tangent"]}},
    )  # fmt: skip
    from_angle: float = Field(
        default=0.0, title="From angle", json_schema_extra=DEGREES | {"when": {"by": ["centre"]}}
    )
    to_angle: float = Field(
        default=90.0, title="To angle", json_schema_extra=DEGREES | {"when": {"by": ["centre"]}}
    )
    angle: float = Field(
        default=90.0, title="Turning by", ge=-360, le=360,
        json_schema_extra=DEGREES | {"when": {"by": ["tangent"]}},
        description="to the left, seen with the normal up",
    )  # fmt: skip
    side: Literal["left", "right"] = Field(
        default="left", title="Bulging to", json_schema_extra={"when": {"by": ["radius"]}}
    )
    normal: Direction = Field(
        default=Z_AXIS, title="Normal of its plane",
        json_schema_extra=DIRECTION | {"when": {"by": ["centre", "radius", "tangent"]}},
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        return with_guide(model, self.name, self._arc(model))

    def _arc(self, model: Model) -> Arc:
        normal = np.array(self.normal)
        if self.by == "through":
            three = [place(self._needed(model, wish)) for wish in ("start", "through", "end")]
            return arc_through(three[0], three[1], three[2])
        if self.radius is None:
            raise BadValue("no radius is given", remedy="give a radius")
        radius = self.sizes(model, self.radius, "radius")
        if self.by == "radius":
            ends = self._needed(model, "start"), self._needed(model, "end")
            return arc_of_radius(*ends, radius, left=self.side == "left", normal=normal)
        if self.by == "tangent":
            if self.after is None:
                raise BadValue("no curve is named to go on from", remedy="choose a curve")
            curve = model.curve(self.after)
            way = curve.tangent(np.array([1.0]))[0]
            if curve.closed:
                raise BadValue(f"“{self.after}” is closed and has no end", remedy="choose an open curve")
            return arc_tangent(curve.end(), way, radius, math.radians(self.angle), normal)
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        return Arc(self._needed(model, "centre"), radius, *angles, frame_of(normal))

    def _needed(self, model: Model, name: str) -> Floats:
        given = getattr(self, name)
        if given is None:
            title = str(type(self).model_fields[name].title).lower()
            raise BadValue(f"the place “{title}” is not given", remedy="give coordinates or a guide point")
        return self.place(model, given)


class CircleStep(CurveStep):
    """Draw a circle, or a part of it between two angles."""

    kind: Literal["circle"] = "circle"
    verb: ClassVar[str] = "Circle"
    key: ClassVar[str] = "C"
    sentence: ClassVar[str] = "Circle {name} around {centre} with radius {radius}"
    centre: PlaceOf = Field(title="Centre", json_schema_extra=PLACE)
    radius: Length = Field(title="Radius", json_schema_extra=LENGTH)
    from_angle: float = Field(default=0.0, title="From angle", json_schema_extra=DEGREES)
    to_angle: float = Field(default=360.0, title="To angle", json_schema_extra=DEGREES)
    normal: Direction = Field(default=Z_AXIS, title="Normal of its plane", json_schema_extra=DIRECTION)

    def apply(self, model: Model, context: Context) -> Model:
        radius = self.sizes(model, self.radius, "radius")
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        arc = Arc(self.place(model, self.centre), radius, *angles, frame_of(np.array(self.normal)))
        return with_guide(model, self.name, arc)


class EllipseStep(CurveStep):
    """Draw an ellipse, or a part of it between two eccentric angles."""

    kind: Literal["ellipse"] = "ellipse"
    verb: ClassVar[str] = "Ellipse"
    key: ClassVar[str] = "E"
    sentence: ClassVar[str] = "Ellipse {name} around {centre}, {first} by {second}"
    centre: PlaceOf = Field(title="Centre", json_schema_extra=PLACE)
    first: Length = Field(title="First semi-axis", json_schema_extra=LENGTH)
    second: Length = Field(title="Second semi-axis", json_schema_extra=LENGTH)
    along: Direction = Field(default=[1.0, 0.0, 0.0], title="First axis along", json_schema_extra=DIRECTION)
    normal: Direction = Field(default=Z_AXIS, title="Normal of its plane", json_schema_extra=DIRECTION)
    from_angle: float = Field(default=0.0, title="From angle", json_schema_extra=DEGREES)
    to_angle: float = Field(default=360.0, title="To angle", json_schema_extra=DEGREES)

    def apply(self, model: Model, context: Context) -> Model:
        axes = self.sizes(model, self.first, "semi-axis"), self.sizes(model, self.second, "semi-axis")
        frame = frame_of(np.array(self.normal), np.array(self.along))
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        return with_guide(model, self.name, Ellipse(self.place(model, self.centre), axes, frame, *angles))


class SplineStep(CurveStep):
    """Draw a smooth curve through points, open or closed, perhaps with directions at its ends."""

    kind: Literal["spline"] = "spline"
    verb: ClassVar[str] = "Spline"
    key: ClassVar[str] = "S"
    sentence: ClassVar[str] = "Spline {name} through {points}"
    points: list[PlaceOf] = Field(
        title="Points", min_length=3, max_length=5000, json_schema_extra={"widget": "places"}
    )
    closed: Literal["no", "yes"] = Field(default="no", title="Closed")
    corner_angle: float = Field(
        default=180.0, title="Sharp where it turns by more than", ge=0, le=180, json_schema_extra=DEGREES
    )
    start_tangent: Direction | None = Field(
        default=None,
        title="Direction at the start",
        json_schema_extra=DIRECTION | {"when": {"closed": ["no"]}},
    )
    end_tangent: Direction | None = Field(
        default=None, title="Direction at the end",
        json_schema_extra=DIRECTION | {"when": {"closed": ["no"]}},
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        ways = [None if way is None else np.array(way) for way in (self.start_tangent, self.end_tangent)]
        curve = Spline(
            self.places(model, self.points),
            closed=self.closed == "yes",
            corner_angle=self.corner_angle,
            start_tangent=ways[0],
            end_tangent=ways[1],
        )
        refuse_self_crossing(curve, self.name)
        return with_guide(model, self.name, curve)


class WingSectionStep(CurveStep):
    """Draw a wing or vane section of the four-digit family, its trailing edge sharp or blunt."""

    kind: Literal["wing-section"] = "wing-section"
    verb: ClassVar[str] = "Wing section"
    key: ClassVar[str] = "W"
    sentence: ClassVar[str] = "Wing section {name} {digits} with chord {chord}"
    digits: str = Field(
        title="Four digits, or a point file",
        description="camber and its place in hundredths and tenths, then thickness; or the name of a file "
        "with points once around from the trailing edge, which is brought to the chord",
    )
    chord: Length = Field(default=1.0, title="Chord", json_schema_extra=LENGTH)
    at: PlaceOf = Field(default=ORIGIN, title="Leading edge at", json_schema_extra=PLACE)
    angle: float = Field(
        default=0.0, title="Chord turned by", json_schema_extra=DEGREES, description="anticlockwise from x"
    )
    trailing_edge: Literal["sharp", "blunt"] = Field(default="sharp", title="Trailing edge")
    count: int = Field(default=61, title="Points on each side", ge=9, le=2001)

    def files(self) -> list[str]:
        """Give the name of the point file, where the section comes from one."""
        return [self.digits] if "." in self.digits else []

    def apply(self, model: Model, context: Context) -> Model:
        sharp = self.trailing_edge == "sharp"
        if self.files():
            (first, *_) = point_file.read(context.read_file(self.digits), self.digits)
            points = measured(first.points, sharp=sharp)
        else:
            points = section(self.digits, self.count, sharp=sharp)
        curve = Spline(points, closed=True, corner_angle=35.0)
        a = math.radians(self.angle)
        turn = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
        chord = self.sizes(model, self.chord, "chord")
        move = Move(turn, self.place(model, self.at), chord)
        return with_guide(model, self.name, MovedCurve(curve, move))

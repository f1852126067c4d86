"""Steps of the Shape stage that make guide curves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats, place
from plodek.core.errors import BadValue
from plodek.core.recipe.fields import CURVE, CURVES, DEGREES, DIRECTION, LENGTH, ORIGIN, PLACE, SURFACE
from plodek.core.recipe.model import Model
from plodek.core.recipe.selectors import Direction, Length, PlaceOf, guides
from plodek.core.recipe.shape_steps import ShapeStep, numbered, with_guide, with_guides
from plodek.core.recipe.step import Context, GuideName
from plodek.core.shape import point_file
from plodek.core.shape.arc import Arc, arc_of_radius, arc_tangent, arc_through
from plodek.core.shape.compound import Joined, MovedCurve, Part
from plodek.core.shape.crossing import (
    curve_crossings,
    plane_section,
    refuse_self_crossing,
    surface_crossings,
)
from plodek.core.shape.curve import Curve
from plodek.core.shape.ellipse import Ellipse
from plodek.core.shape.frame import frame_of
from plodek.core.shape.move import Move
from plodek.core.shape.offset import offset
from plodek.core.shape.polyline import Polyline, line
from plodek.core.shape.spline import Spline
from plodek.core.shape.surface import SmoothSurface
from plodek.core.shape.triangulated import Triangulated
from plodek.core.shape.wing_section import measured, section
from plodek.core.tolerances import SAME_PLACE
from plodek.core.units import length

_Z: list[float] = [0.0, 0.0, 1.0]


class _CurveStep(ShapeStep):
    family: ClassVar[str] = "Points and curves"
    name: GuideName = Field(title="Name")

    def places(self, model: Model, given: Sequence[PlaceOf]) -> Floats:
        """Give the places (n, 3) of coordinates and guide points."""
        return np.array([self.place(model, one) for one in given])


class LineStep(_CurveStep):
    """Draw a straight line between two places."""

    kind: Literal["line"] = "line"
    verb: ClassVar[str] = "Line"
    key: ClassVar[str] = "L"
    sentence: ClassVar[str] = "Line {name} from {start} to {end}"
    start: PlaceOf = Field(title="From", json_schema_extra=PLACE)
    end: PlaceOf = Field(title="To", json_schema_extra=PLACE)

    def apply(self, model: Model, context: Context) -> Model:
        return with_guide(model, self.name, line(self.place(model, self.start), self.place(model, self.end)))


class PolylineStep(_CurveStep):
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


class ArcStep(_CurveStep):
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
        default=_Z, title="Normal of its plane",
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


class CircleStep(_CurveStep):
    """Draw a circle, or a part of it between two angles."""

    kind: Literal["circle"] = "circle"
    verb: ClassVar[str] = "Circle"
    key: ClassVar[str] = "C"
    sentence: ClassVar[str] = "Circle {name} around {centre} with radius {radius}"
    centre: PlaceOf = Field(title="Centre", json_schema_extra=PLACE)
    radius: Length = Field(title="Radius", json_schema_extra=LENGTH)
    from_angle: float = Field(default=0.0, title="From angle", json_schema_extra=DEGREES)
    to_angle: float = Field(default=360.0, title="To angle", json_schema_extra=DEGREES)
    normal: Direction = Field(default=_Z, title="Normal of its plane", json_schema_extra=DIRECTION)

    def apply(self, model: Model, context: Context) -> Model:
        radius = self.sizes(model, self.radius, "radius")
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        arc = Arc(self.place(model, self.centre), radius, *angles, frame_of(np.array(self.normal)))
        return with_guide(model, self.name, arc)


class EllipseStep(_CurveStep):
    """Draw an ellipse, or a part of it between two eccentric angles."""

    kind: Literal["ellipse"] = "ellipse"
    verb: ClassVar[str] = "Ellipse"
    key: ClassVar[str] = "E"
    sentence: ClassVar[str] = "Ellipse {name} around {centre}, {first} by {second}"
    centre: PlaceOf = Field(title="Centre", json_schema_extra=PLACE)
    first: Length = Field(title="First semi-axis", json_schema_extra=LENGTH)
    second: Length = Field(title="Second semi-axis", json_schema_extra=LENGTH)
    along: Direction = Field(default=[1.0, 0.0, 0.0], title="First axis along", json_schema_extra=DIRECTION)
    normal: Direction = Field(default=_Z, title="Normal of its plane", json_schema_extra=DIRECTION)
    from_angle: float = Field(default=0.0, title="From angle", json_schema_extra=DEGREES)
    to_angle: float = Field(default=360.0, title="To angle", json_schema_extra=DEGREES)

    def apply(self, model: Model, context: Context) -> Model:
        axes = self.sizes(model, self.first, "semi-axis"), self.sizes(model, self.second, "semi-axis")
        frame = frame_of(np.array(self.normal), np.array(self.along))
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        return with_guide(model, self.name, Ellipse(self.place(model, self.centre), axes, frame, *angles))


class SplineStep(_CurveStep):
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


class WingSectionStep(_CurveStep):
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


class OffsetStep(_CurveStep):
    """Draw the curve at a distance from another, in its plane."""

    kind: Literal["offset"] = "offset"
    verb: ClassVar[str] = "Offset"
    key: ClassVar[str] = "O"
    sentence: ClassVar[str] = "Offset {guide} by {distance} as {name}"
    guide: str = Field(title="Curve", json_schema_extra=CURVE)
    distance: Length = Field(
        title="Distance",
        json_schema_extra=LENGTH,
        description="to the left of the curve; negative to the right",
    )
    normal: Direction = Field(default=_Z, title="Normal of its plane", json_schema_extra=DIRECTION)

    def apply(self, model: Model, context: Context) -> Model:
        distance = length(self.distance, model.unit)
        if distance == 0:
            raise BadValue("the distance is 0", remedy="give a distance to either side")
        return with_guide(model, self.name, offset(model.curve(self.guide), distance, np.array(self.normal)))


class JoinStep(_CurveStep):
    """Join curves that meet end to end into one."""

    kind: Literal["join"] = "join"
    verb: ClassVar[str] = "Join"
    key: ClassVar[str] = "J"
    sentence: ClassVar[str] = "Join {guides} as {name}"
    guides: list[str] = Field(title="Curves, in order", min_length=1, json_schema_extra=CURVES)
    gap: Length | None = Field(
        default=None, title="Gap allowed", json_schema_extra=LENGTH,
        description="between ends that count as meeting; a millionth of the length where left out",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        pieces = [model.curve(name) for name in guides(model, self.guides)]
        gap = 1e-6 * sum(piece.length for piece in pieces)
        if self.gap is not None:
            gap = length(self.gap, model.unit)
        return with_guide(model, self.name, Joined(pieces, gap))


class DivideStep(_CurveStep):
    """Divide a curve at fractions, at places, or where others cross it; the whole stays too."""

    kind: Literal["divide"] = "divide"
    verb: ClassVar[str] = "Divide"
    key: ClassVar[str] = "D"
    sentence: ClassVar[str] = "Divide {guide} at {fractions}{points}{across} as {name}"
    guide: str = Field(title="Curve", json_schema_extra=CURVE)
    by: Literal["fractions", "points", "crossing"] = Field(default="fractions", title="Where")
    fractions: list[float] = Field(
        default=[], title="Fractions of its length", max_length=200,
        json_schema_extra={"widget": "numbers", "when": {"by": ["fractions"]}},
    )  # fmt: skip
    points: list[PlaceOf] = Field(
        default=[], title="Nearest to the places", max_length=200,
        json_schema_extra={"widget": "places", "when": {"by": ["points"]}},
    )  # fmt: skip
    across: list[str] = Field(
        default=[], title="Curves that cross it", json_schema_extra=CURVES | {"when": {"by": ["crossing"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        curve = model.curve(self.guide)
        cuts = np.unique(np.mod(self._cuts(model, curve), 1.0) if curve.closed else self._cuts(model, curve))
        if not curve.closed:
            cuts = cuts[(cuts > 1e-9) & (cuts < 1 - 1e-9)]
        if not len(cuts):
            raise BadValue("nothing says where to divide it", remedy="give a fraction between 0 and 1")
        ends = np.append(cuts, cuts[0] + 1) if curve.closed else np.concatenate([[0.0], cuts, [1.0]])
        parts = [Part(curve, float(a), float(b)) for a, b in pairwise(ends)]
        return with_guides(model, numbered(self.name, parts))

    def _cuts(self, model: Model, curve: Curve) -> Floats:
        if self.by == "fractions":
            found = np.array(self.fractions, dtype=float)
            if np.any((found < 0) | (found > 1)):
                raise BadValue("a fraction is outside 0 to 1", remedy="give fractions of the curve's length")
            return found
        if self.by == "points":
            return curve.nearest(self.places(model, self.points)) if self.points else np.empty(0)
        others = [model.curve(name) for name in guides(model, self.across)]
        near = [SAME_PLACE * max(curve.length, other.length) for other in others]
        crossed = [curve_crossings(curve, other, gap)[0] for other, gap in zip(others, near, strict=True)]
        return np.concatenate([*crossed, np.empty(0)])


class BorderStep(_CurveStep):
    """Take the boundary of a surface as curves."""

    kind: Literal["border"] = "border"
    verb: ClassVar[str] = "Border"
    key: ClassVar[str] = "B"
    sentence: ClassVar[str] = "Border of {surface} as {name}"
    surface: str = Field(title="Surface", json_schema_extra=SURFACE)
    joined: Literal["pieces", "joined"] = Field(default="pieces", title="As")

    def apply(self, model: Model, context: Context) -> Model:
        surface = model.surface(self.surface)
        curves: list[Curve] = [border.curve for border in surface.borders]
        if not curves:
            raise BadValue(f"“{self.surface}” is closed and has no border", remedy="cut it by a plane")
        if self.joined == "joined":
            curves = _loops(curves)
        return with_guides(model, numbered(self.name, curves))


def _loops(curves: list[Curve]) -> list[Curve]:
    """Join curves into chains where ends meet."""
    left, done = list(curves), []
    reach = 1e-6 * sum(curve.length for curve in curves)
    while left:
        chain = [left.pop(0)]
        end = chain[0].end()
        while not chain[0].closed:
            near = [n for n, c in enumerate(left) if not c.closed and min(
                float(np.linalg.norm(p - end)) for p in (c.start(), c.end())) <= reach]  # fmt: skip
            if not near:
                break
            after = left.pop(near[0])
            end = after.end() if np.linalg.norm(after.start() - end) <= reach else after.start()
            chain.append(after)
        done.append(Joined(chain, reach) if len(chain) > 1 else chain[0])
    return done


class CrossingStep(_CurveStep):
    """Take the curves in which two surfaces cross; the longest first where there are several."""

    kind: Literal["crossing"] = "crossing"
    verb: ClassVar[str] = "Crossing"
    key: ClassVar[str] = "X"
    sentence: ClassVar[str] = "Crossing of {surface} and {second} as {name}"
    surface: str = Field(title="Surface", json_schema_extra=SURFACE)
    second: str = Field(title="Second surface", json_schema_extra=SURFACE)

    def apply(self, model: Model, context: Context) -> Model:
        both = [smooth(model, name) for name in (self.surface, self.second)]
        return with_guides(model, numbered(self.name, surface_crossings(both[0], both[1])))


class SectionStep(_CurveStep):
    """Cut a surface by a plane and take the curves."""

    kind: Literal["section"] = "section"
    verb: ClassVar[str] = "Section"
    key: ClassVar[str] = "⇧X"
    sentence: ClassVar[str] = "Section of {surface} at {at} as {name}"
    surface: str = Field(title="Surface", json_schema_extra=SURFACE)
    at: PlaceOf = Field(default=ORIGIN, title="Plane through", json_schema_extra=PLACE)
    normal: Direction = Field(default=_Z, title="Normal of the plane", json_schema_extra=DIRECTION)

    def apply(self, model: Model, context: Context) -> Model:
        at, normal = self.place(model, self.at), np.array(self.normal)
        surface = model.surface(self.surface)
        if isinstance(surface, Triangulated):
            return with_guides(model, numbered(self.name, surface.section(at, normal)))
        curves = plane_section(smooth(model, self.surface), at, normal)
        return with_guides(model, numbered(self.name, curves))


def smooth(model: Model, name: str) -> SmoothSurface:
    """Find a surface that is no triangulated one. Raises BadValue."""
    surface = model.surface(name)
    if not isinstance(surface, SmoothSurface):
        raise BadValue(
            f"“{name}” is triangulated, and its crossing would only be as good as its triangles",
            remedy="cut it by planes (Section), or bring it in as STEP",
        )
    return surface

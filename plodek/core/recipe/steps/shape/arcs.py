"""Steps that draw arcs, circles and ellipses."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats, place
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import Z_AXIS, CurveRef, Degrees, Direction, Length, PlaceOf, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import CurveStep, with_guide
from plodek.core.shape.curves.arc import Arc, arc_of_radius, arc_tangent, arc_through
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.frame import frame_of


class ArcStep(CurveStep):
    """Draw an arc: through three places, by centre, radius and angles, by ends and radius, or going on."""

    kind: Literal["arc"] = "arc"
    verb: ClassVar[str] = "Arc"
    key: ClassVar[str] = "A"
    order: ClassVar[int] = 70
    sentence: ClassVar[str] = "Arc {name} {by} {start} {through} {end}{centre}{after}"
    by: Literal["through", "centre", "radius", "tangent"] = Field(default="through", title="How")
    start: PlaceOf | None = Field(
        default=None, title="From", json_schema_extra=when(by=("through", "radius"))
    )
    through: PlaceOf | None = Field(default=None, title="Through", json_schema_extra=when(by="through"))
    end: PlaceOf | None = Field(default=None, title="To", json_schema_extra=when(by=("through", "radius")))
    centre: PlaceOf | None = Field(default=None, title="Centre", json_schema_extra=when(by="centre"))
    after: CurveRef | None = Field(
        default=None, title="Going on from the end of", json_schema_extra=when(by="tangent")
    )
    radius: Length | None = Field(
        default=None, title="Radius", json_schema_extra=when(by=("centre", "radius", "tangent"))
    )
    from_angle: Degrees = Field(default=0.0, title="From angle", json_schema_extra=when(by="centre"))
    to_angle: Degrees = Field(default=90.0, title="To angle", json_schema_extra=when(by="centre"))
    angle: Degrees = Field(
        default=90.0,
        title="Turning by",
        ge=-360,
        le=360,
        json_schema_extra=when(by="tangent"),
        description="to the left, seen with the normal up",
    )
    side: Literal["left", "right"] = Field(
        default="left", title="Bulging to", json_schema_extra=when(by="radius")
    )
    normal: Direction = Field(
        default=Z_AXIS,
        title="Normal of its plane",
        json_schema_extra=when(by=("centre", "radius", "tangent")),
    )

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
    order: ClassVar[int] = 80
    sentence: ClassVar[str] = "Circle {name} around {centre} with radius {radius}"
    centre: PlaceOf = Field(title="Centre")
    radius: Length = Field(title="Radius")
    from_angle: Degrees = Field(default=0.0, title="From angle")
    to_angle: Degrees = Field(default=360.0, title="To angle")
    normal: Direction = Field(default=Z_AXIS, title="Normal of its plane")

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
    order: ClassVar[int] = 90
    sentence: ClassVar[str] = "Ellipse {name} around {centre}, {first} by {second}"
    centre: PlaceOf = Field(title="Centre")
    first: Length = Field(title="First semi-axis")
    second: Length = Field(title="Second semi-axis")
    along: Direction = Field(default=[1.0, 0.0, 0.0], title="First axis along")
    normal: Direction = Field(default=Z_AXIS, title="Normal of its plane")
    from_angle: Degrees = Field(default=0.0, title="From angle")
    to_angle: Degrees = Field(default=360.0, title="To angle")

    def apply(self, model: Model, context: Context) -> Model:
        axes = self.sizes(model, self.first, "semi-axis"), self.sizes(model, self.second, "semi-axis")
        frame = frame_of(np.array(self.normal), np.array(self.along))
        angles = math.radians(self.from_angle), math.radians(self.to_angle)
        return with_guide(model, self.name, Ellipse(self.place(model, self.centre), axes, frame, *angles))

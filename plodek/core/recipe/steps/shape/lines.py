"""Steps that draw through places: line, polyline, spline."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.fields import Degrees, Direction, PlaceOf, Places, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import CurveStep, with_guide
from plodek.core.shape.crossing import (
    refuse_self_crossing,
)
from plodek.core.shape.curves.polyline import Polyline, line
from plodek.core.shape.curves.spline import Spline


class LineStep(CurveStep):
    """Draw a straight line between two places."""

    kind: Literal["line"] = "line"
    verb: ClassVar[str] = "Line"
    key: ClassVar[str] = "L"
    order: ClassVar[int] = 50
    known_as: ClassVar[tuple[str, ...]] = ("segment",)
    sentence: ClassVar[str] = "Line {name} from {start} to {end}"
    start: PlaceOf = Field(title="From")
    end: PlaceOf = Field(title="To")

    def apply(self, model: Model, context: Context) -> Model:
        return with_guide(model, self.name, line(self.place(model, self.start), self.place(model, self.end)))


class PolylineStep(CurveStep):
    """Draw straight pieces from place to place."""

    kind: Literal["polyline"] = "polyline"
    verb: ClassVar[str] = "Polyline"
    key: ClassVar[str] = "⇧L"
    order: ClassVar[int] = 60
    sentence: ClassVar[str] = "Polyline {name} through {points}"
    points: Places = Field(title="Points", min_length=2, max_length=5000)
    closed: Literal["no", "yes"] = Field(default="no", title="Closed")

    def apply(self, model: Model, context: Context) -> Model:
        curve = Polyline(self.places(model, self.points), closed=self.closed == "yes")
        refuse_self_crossing(curve, self.name)
        return with_guide(model, self.name, curve)


class SplineStep(CurveStep):
    """Draw a smooth curve through points, open or closed, perhaps with directions at its ends."""

    kind: Literal["spline"] = "spline"
    verb: ClassVar[str] = "Spline"
    key: ClassVar[str] = "S"
    order: ClassVar[int] = 100
    known_as: ClassVar[tuple[str, ...]] = ("curve through points", "interpolate")
    sentence: ClassVar[str] = "Spline {name} through {points}"
    points: Places = Field(title="Points", min_length=3, max_length=5000)
    closed: Literal["no", "yes"] = Field(default="no", title="Closed")
    corner_angle: Degrees = Field(default=180.0, title="Sharp where it turns by more than", ge=0, le=180)
    start_tangent: Direction | None = Field(
        default=None, title="Direction at the start", json_schema_extra=when(closed="no")
    )
    end_tangent: Direction | None = Field(
        default=None, title="Direction at the end", json_schema_extra=when(closed="no")
    )

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

"""The step that places a guide point."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats, place
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import Coordinates, CurveRef, Fraction, GuideName, GuideRef, PlaceOf, when
from plodek.core.recipe.places import coordinates
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep, with_guide
from plodek.core.shape.crossing import curve_crossings
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Point, unknown_guide
from plodek.core.shape.measure import onto
from plodek.core.tolerances import SAME_PLACE


class PointStep(ShapeStep):
    """Place a guide point: by coordinates, on a curve, where curves cross, beside another, or projected."""

    kind: Literal["point"] = "point"
    verb: ClassVar[str] = "Point"
    key: ClassVar[str] = "P"
    order: ClassVar[int] = 40
    family: ClassVar[str] = "Points and curves"
    known_as: ClassVar[tuple[str, ...]] = ("vertex",)
    sentence: ClassVar[str] = "Point {name} {by} {at}{guide}{second}"
    name: GuideName = Field(title="Name")
    by: Literal["at", "on curve", "crossing", "beside", "projected"] = Field(default="at", title="How")
    at: PlaceOf | None = Field(
        default=None, title="Place", json_schema_extra=when(by=("at", "beside", "projected"))
    )
    shift: Coordinates | None = Field(default=None, title="Shifted by", json_schema_extra=when(by="beside"))
    guide: GuideRef | None = Field(
        default=None, title="Guide", json_schema_extra=when(by=("on curve", "crossing", "projected"))
    )
    fraction: Fraction = Field(
        default=1.0, title="Fraction of its length", json_schema_extra=when(by="on curve")
    )
    second: CurveRef | None = Field(default=None, title="Second curve", json_schema_extra=when(by="crossing"))
    near: PlaceOf | None = Field(
        default=None,
        title="Nearest to",
        json_schema_extra=when(by="crossing"),
        description="which crossing is meant where there are several",
    )

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

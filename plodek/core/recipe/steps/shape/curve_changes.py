"""Steps that make curves from curves: offset, join, divide."""

from __future__ import annotations

from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import Z_AXIS, CurveRef, CurveRefs, Direction, Length, Numbers, Places, when
from plodek.core.recipe.selectors import guides
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import CurveStep, numbered, with_guide, with_guides
from plodek.core.shape.crossing import curve_crossings
from plodek.core.shape.curves.compound import Joined, Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.offset import offset
from plodek.core.tolerances import SAME_PLACE
from plodek.core.units import length


class OffsetStep(CurveStep):
    """Draw the curve at a distance from another, in its plane."""

    kind: Literal["offset"] = "offset"
    verb: ClassVar[str] = "Offset"
    key: ClassVar[str] = "O"
    order: ClassVar[int] = 120
    known_as: ClassVar[tuple[str, ...]] = ("parallel curve",)
    sentence: ClassVar[str] = "Offset {guide} by {distance} as {name}"
    guide: CurveRef = Field(title="Curve")
    distance: Length = Field(title="Distance", description="to the left of the curve; negative to the right")
    normal: Direction = Field(default=Z_AXIS, title="Normal of its plane")

    def apply(self, model: Model, context: Context) -> Model:
        distance = length(self.distance, model.unit)
        if distance == 0:
            raise BadValue("the distance is 0", remedy="give a distance to either side")
        return with_guide(model, self.name, offset(model.curve(self.guide), distance, np.array(self.normal)))


class JoinStep(CurveStep):
    """Join curves that meet end to end into one."""

    kind: Literal["join"] = "join"
    verb: ClassVar[str] = "Join"
    key: ClassVar[str] = "J"
    order: ClassVar[int] = 130
    known_as: ClassVar[tuple[str, ...]] = ("connect", "composite curve")
    sentence: ClassVar[str] = "Join {guides} as {name}"
    guides: CurveRefs = Field(title="Curves, in order", min_length=1)
    gap: Length | None = Field(
        default=None,
        title="Gap allowed",
        description="between ends that count as meeting; a millionth of the length where left out",
    )

    def apply(self, model: Model, context: Context) -> Model:
        pieces = [model.curve(name) for name in guides(model, self.guides)]
        gap = 1e-6 * sum(piece.length for piece in pieces)
        if self.gap is not None:
            gap = length(self.gap, model.unit)
        return with_guide(model, self.name, Joined(pieces, gap))


class DivideStep(CurveStep):
    """Divide a curve at fractions, at places, or where others cross it; the whole stays too."""

    kind: Literal["divide"] = "divide"
    verb: ClassVar[str] = "Divide"
    key: ClassVar[str] = "D"
    order: ClassVar[int] = 140
    known_as: ClassVar[tuple[str, ...]] = ("split a curve", "trim")
    sentence: ClassVar[str] = "Divide {guide} at {fractions}{points}{across} as {name}"
    guide: CurveRef = Field(title="Curve")
    by: Literal["fractions", "points", "crossing"] = Field(default="fractions", title="Where")
    fractions: Numbers = Field(
        default=[], title="Fractions of its length", max_length=200, json_schema_extra=when(by="fractions")
    )
    points: Places = Field(
        default=[], title="Nearest to the places", max_length=200, json_schema_extra=when(by="points")
    )
    across: CurveRefs = Field(default=[], title="Curves that cross it", json_schema_extra=when(by="crossing"))

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

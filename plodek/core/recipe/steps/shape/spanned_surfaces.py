"""Steps that make surfaces of curves: extruded, revolved, swept, lofted, filled."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import (
    ORIGIN,
    Coordinates,
    CurveRef,
    CurveRefs,
    Degrees,
    Direction,
    Length,
    PlaceOf,
)
from plodek.core.recipe.places import coordinates
from plodek.core.recipe.selectors import guides
from plodek.core.recipe.steps.shape.shape_step import SurfaceStep
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.spanned import Filled, Lofted
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.swept import Extruded, PathFrame, Revolved, Swept
from plodek.core.units import length


class ExtrudeCurveStep(SurfaceStep):
    """Carry a curve along a straight way."""

    kind: Literal["extrude-curve"] = "extrude-curve"
    verb: ClassVar[str] = "Extrude curve"
    key: ClassVar[str] = "⇧E"
    order: ClassVar[int] = 230
    known_as: ClassVar[tuple[str, ...]] = ("translate",)
    sentence: ClassVar[str] = "Extrude curve {guide} by {by} as {name}"
    guide: CurveRef = Field(title="Curve")
    by: Coordinates = Field(title="By x, y, z", min_length=3, max_length=3)

    def surface(self, model: Model) -> Surface:
        return Extruded(model.curve(self.guide), np.array(coordinates(self.by, model.unit)))


class RevolveCurveStep(SurfaceStep):
    """Turn a curve about an axis."""

    kind: Literal["revolve-curve"] = "revolve-curve"
    verb: ClassVar[str] = "Revolve curve"
    key: ClassVar[str] = "⇧R"
    order: ClassVar[int] = 240
    known_as: ClassVar[tuple[str, ...]] = ("rotate", "surface of revolution")
    sentence: ClassVar[str] = "Revolve curve {guide} about {at} by {turn} as {name}"
    guide: CurveRef = Field(title="Curve")
    at: PlaceOf = Field(default=ORIGIN, title="Axis through")
    along: Direction = Field(default=[1.0, 0.0, 0.0], title="Axis along")
    turn: Degrees = Field(default=360.0, title="Turning by", ge=-360, le=360)

    def surface(self, model: Model) -> Surface:
        axis = self.place(model, self.at), np.array(self.along)
        return Revolved(model.curve(self.guide), *axis, math.radians(self.turn))


class SweepCurveStep(SurfaceStep):
    """Carry a section along a path without twist, perhaps growing or narrowing to a scale at its end."""

    kind: Literal["sweep-curve"] = "sweep-curve"
    verb: ClassVar[str] = "Sweep curve"
    key: ClassVar[str] = "⇧W"
    order: ClassVar[int] = 250
    sentence: ClassVar[str] = "Sweep curve {guide} along {path} as {name}"
    guide: CurveRef = Field(title="Section")
    path: CurveRef = Field(title="Path")
    scale: float = Field(default=1.0, title="Scale at the end", gt=0, le=1000)

    def surface(self, model: Model) -> Surface:
        return Swept(model.curve(self.guide), PathFrame(model.curve(self.path), self.scale))


class LoftStep(SurfaceStep):
    """Span a surface through sections: ruled between two, smooth through more."""

    kind: Literal["loft"] = "loft"
    verb: ClassVar[str] = "Loft"
    key: ClassVar[str] = "⇧O"
    order: ClassVar[int] = 260
    known_as: ClassVar[tuple[str, ...]] = ("skin",)
    sentence: ClassVar[str] = "Loft {name} through {guides}"
    guides: CurveRefs = Field(title="Sections, in order", min_length=1)
    starts: Literal["facing", "as drawn"] = Field(
        default="facing", title="Sections begin", description="facing: turned and begun to face each other"
    )

    def surface(self, model: Model) -> Surface:
        sections: list[Curve] = [model.curve(name) for name in guides(model, self.guides)]
        found = Lofted(sections, as_drawn=self.starts == "as drawn")
        fold = found.fold()
        if fold is not None:
            where = ", ".join(f"{x:.6g}" for x in fold)
            raise BadValue(
                f"the loft folds over itself near ({where})",
                remedy="check the order of the sections, and where they begin and which way they run",
            )
        return found


class FillStep(SurfaceStep):
    """Fill a surface between two, three or four boundary curves."""

    kind: Literal["fill"] = "fill"
    verb: ClassVar[str] = "Fill"
    key: ClassVar[str] = "F"
    order: ClassVar[int] = 270
    known_as: ClassVar[tuple[str, ...]] = ("span", "Coons")
    sentence: ClassVar[str] = "Fill {name} between {guides}"
    guides: CurveRefs = Field(title="Boundary curves", min_length=1)
    gap: Length | None = Field(
        default=None,
        title="Gap allowed",
        description="between ends that count as meeting; a millionth of the length where left out",
    )

    def surface(self, model: Model) -> Surface:
        curves = [model.curve(name) for name in guides(model, self.guides)]
        gap = 1e-6 * sum(curve.length for curve in curves)
        return Filled(curves, gap if self.gap is None else length(self.gap, model.unit))

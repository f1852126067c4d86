"""Steps of the Shape stage that make guide surfaces."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import CURVE, CURVES, DEGREES, DIRECTION, LENGTH, ORIGIN, PLACE, Z_AXIS
from plodek.core.recipe.selectors import (
    Direction,
    Length,
    PlaceOf,
    coordinates,
    guides,
)
from plodek.core.recipe.shape_steps import ShapeStep, with_guide
from plodek.core.recipe.step import Context, GuideName
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import frame_of
from plodek.core.shape.surfaces import analytic
from plodek.core.shape.surfaces.spanned import Filled, Lofted
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.swept import Extruded, Revolved, Swept
from plodek.core.units import length


class _SurfaceStep(ShapeStep):
    family: ClassVar[str] = "Surfaces"
    name: GuideName = Field(title="Name")

    def surface(self, model: Model) -> Surface:
        """Make the surface. Raises BadValue."""
        raise NotImplementedError

    def apply(self, model: Model, context: Context) -> Model:
        surface = self.surface(model)
        size = float(np.linalg.norm(np.ptp(surface.facets.xyz, axis=0)))
        if not surface.area > 1e-12 * size**2:
            raise BadValue("the surface has no area", remedy="choose curves and ways that span one")
        return with_guide(model, self.name, surface)


class PlaneStep(_SurfaceStep):
    """Lay a rectangle of a plane."""

    kind: Literal["plane"] = "plane"
    verb: ClassVar[str] = "Plane"
    key: ClassVar[str] = "⇧P"
    sentence: ClassVar[str] = "Plane {name} around {centre}, {width} by {height}"
    centre: PlaceOf = Field(default=ORIGIN, title="Centre", json_schema_extra=PLACE)
    width: Length = Field(title="Width", json_schema_extra=LENGTH)
    height: Length = Field(title="Height", json_schema_extra=LENGTH)
    normal: Direction = Field(default=Z_AXIS, title="Normal", json_schema_extra=DIRECTION)
    along: Direction | None = Field(
        default=None, title="Width along", json_schema_extra=DIRECTION,
        description="the coordinate axis most across the normal where left out",
    )  # fmt: skip

    def surface(self, model: Model) -> Surface:
        frame = frame_of(np.array(self.normal), None if self.along is None else np.array(self.along))
        size = self.sizes(model, self.width, "width"), self.sizes(model, self.height, "height")
        corner = self.place(model, self.centre) - 0.5 * (size[0] * frame[0] + size[1] * frame[1])
        return analytic.Plane(corner, frame, *size)


class _RoundStep(_SurfaceStep):
    along: Direction = Field(default=Z_AXIS, title="Axis along", json_schema_extra=DIRECTION)
    turn: float = Field(
        default=360.0, title="Turning by", gt=0, le=360, json_schema_extra=DEGREES,
        description="from the coordinate axis most across its axis",
    )  # fmt: skip

    def frame(self) -> Floats:
        """Give the frame whose z is the axis."""
        return frame_of(np.array(self.along))


class CylinderStep(_RoundStep):
    """Stand up a cylinder, or a part of one."""

    kind: Literal["cylinder"] = "cylinder"
    verb: ClassVar[str] = "Cylinder"
    key: ClassVar[str] = "⇧C"
    sentence: ClassVar[str] = "Cylinder {name} from {base}, radius {radius}, {height} high"
    base: PlaceOf = Field(default=ORIGIN, title="Centre of its base", json_schema_extra=PLACE)
    radius: Length = Field(title="Radius", json_schema_extra=LENGTH)
    height: Length = Field(title="Height", json_schema_extra=LENGTH)

    def surface(self, model: Model) -> Surface:
        size = self.sizes(model, self.radius, "radius"), self.sizes(model, self.height, "height")
        return analytic.cylinder(self.place(model, self.base), self.frame(), *size, math.radians(self.turn))


class ConeStep(_RoundStep):
    """Stand up a cone between two radii, or a flat disc where its height is 0."""

    kind: Literal["cone"] = "cone"
    verb: ClassVar[str] = "Cone"
    key: ClassVar[str] = "⇧N"
    sentence: ClassVar[str] = "Cone {name} from {base}, radius {radius} to {end_radius}, {height} high"
    base: PlaceOf = Field(default=ORIGIN, title="Centre of its base", json_schema_extra=PLACE)
    radius: Length = Field(title="Radius at the base", json_schema_extra=LENGTH)
    end_radius: Length = Field(default=0.0, title="Radius at the end", json_schema_extra=LENGTH)
    height: Length = Field(title="Height", json_schema_extra=LENGTH)

    def surface(self, model: Model) -> Surface:
        radii, height = [length(v, model.unit) for v in (self.radius, self.end_radius)], self.height
        return analytic.cone(
            self.place(model, self.base), self.frame(), (radii[0], radii[1]), length(height, model.unit),
            math.radians(self.turn),
        )  # fmt: skip


class SphereStep(_RoundStep):
    """Make a sphere, or a part of one between two latitudes."""

    kind: Literal["sphere"] = "sphere"
    verb: ClassVar[str] = "Sphere"
    key: ClassVar[str] = "⇧S"
    sentence: ClassVar[str] = "Sphere {name} around {centre} with radius {radius}"
    centre: PlaceOf = Field(default=ORIGIN, title="Centre", json_schema_extra=PLACE)
    radius: Length = Field(title="Radius", json_schema_extra=LENGTH)
    from_latitude: float = Field(
        default=-90.0, title="From latitude", ge=-90, le=90, json_schema_extra=DEGREES
    )
    to_latitude: float = Field(default=90.0, title="To latitude", ge=-90, le=90, json_schema_extra=DEGREES)

    def surface(self, model: Model) -> Surface:
        latitudes = math.radians(self.from_latitude), math.radians(self.to_latitude)
        radius = self.sizes(model, self.radius, "radius")
        return analytic.sphere(
            self.place(model, self.centre), self.frame(), radius, latitudes, math.radians(self.turn)
        )


class TorusStep(_RoundStep):
    """Make a torus, or a bend of a tube."""

    kind: Literal["torus"] = "torus"
    verb: ClassVar[str] = "Torus"
    key: ClassVar[str] = "⇧T"
    sentence: ClassVar[str] = "Torus {name} around {centre}, radius {radius}, tube {tube}"
    centre: PlaceOf = Field(default=ORIGIN, title="Centre", json_schema_extra=PLACE)
    radius: Length = Field(title="Radius of the ring", json_schema_extra=LENGTH)
    tube: Length = Field(title="Radius of the tube", json_schema_extra=LENGTH)

    def surface(self, model: Model) -> Surface:
        size = self.sizes(model, self.radius, "radius"), self.sizes(model, self.tube, "radius of the tube")
        return analytic.torus(self.place(model, self.centre), self.frame(), *size, math.radians(self.turn))


class ExtrudeCurveStep(_SurfaceStep):
    """Carry a curve along a straight way."""

    kind: Literal["extrude-curve"] = "extrude-curve"
    verb: ClassVar[str] = "Extrude curve"
    key: ClassVar[str] = "⇧E"
    sentence: ClassVar[str] = "Extrude curve {guide} by {by} as {name}"
    guide: str = Field(title="Curve", json_schema_extra=CURVE)
    by: list[Length] = Field(
        title="By x, y, z", min_length=3, max_length=3, json_schema_extra={"widget": "place"}
    )

    def surface(self, model: Model) -> Surface:
        return Extruded(model.curve(self.guide), np.array(coordinates(self.by, model.unit)))


class RevolveCurveStep(_SurfaceStep):
    """Turn a curve about an axis."""

    kind: Literal["revolve-curve"] = "revolve-curve"
    verb: ClassVar[str] = "Revolve curve"
    key: ClassVar[str] = "⇧R"
    sentence: ClassVar[str] = "Revolve curve {guide} about {at} by {turn} as {name}"
    guide: str = Field(title="Curve", json_schema_extra=CURVE)
    at: PlaceOf = Field(default=ORIGIN, title="Axis through", json_schema_extra=PLACE)
    along: Direction = Field(default=[1.0, 0.0, 0.0], title="Axis along", json_schema_extra=DIRECTION)
    turn: float = Field(default=360.0, title="Turning by", ge=-360, le=360, json_schema_extra=DEGREES)

    def surface(self, model: Model) -> Surface:
        axis = self.place(model, self.at), np.array(self.along)
        return Revolved(model.curve(self.guide), *axis, math.radians(self.turn))


class SweepCurveStep(_SurfaceStep):
    """Carry a section along a path without twist, perhaps growing or narrowing to a scale at its end."""

    kind: Literal["sweep-curve"] = "sweep-curve"
    verb: ClassVar[str] = "Sweep curve"
    key: ClassVar[str] = "⇧W"
    sentence: ClassVar[str] = "Sweep curve {guide} along {path} as {name}"
    guide: str = Field(title="Section", json_schema_extra=CURVE)
    path: str = Field(title="Path", json_schema_extra=CURVE)
    scale: float = Field(default=1.0, title="Scale at the end", gt=0, le=1000)

    def surface(self, model: Model) -> Surface:
        return Swept(model.curve(self.guide), model.curve(self.path), self.scale)


class LoftStep(_SurfaceStep):
    """Span a surface through sections: ruled between two, smooth through more."""

    kind: Literal["loft"] = "loft"
    verb: ClassVar[str] = "Loft"
    key: ClassVar[str] = "⇧O"
    sentence: ClassVar[str] = "Loft {name} through {guides}"
    guides: list[str] = Field(title="Sections, in order", min_length=1, json_schema_extra=CURVES)
    starts: Literal["facing", "as drawn"] = Field(
        default="facing", title="Sections begin", description="facing: turned and begun to face each other"
    )

    def surface(self, model: Model) -> Surface:
        sections: list[Curve] = [model.curve(name) for name in guides(model, self.guides)]
        return Lofted(sections, as_drawn=self.starts == "as drawn")


class FillStep(_SurfaceStep):
    """Fill a surface between two, three or four boundary curves."""

    kind: Literal["fill"] = "fill"
    verb: ClassVar[str] = "Fill"
    key: ClassVar[str] = "F"
    sentence: ClassVar[str] = "Fill {name} between {guides}"
    guides: list[str] = Field(title="Boundary curves", min_length=1, json_schema_extra=CURVES)
    gap: Length | None = Field(
        default=None, title="Gap allowed", json_schema_extra=LENGTH,
        description="between ends that count as meeting; a millionth of the length where left out",
    )  # fmt: skip

    def surface(self, model: Model) -> Surface:
        curves = [model.curve(name) for name in guides(model, self.guides)]
        gap = 1e-6 * sum(curve.length for curve in curves)
        return Filled(curves, gap if self.gap is None else length(self.gap, model.unit))

"""Steps that make planes, cylinders, cones, spheres and tori."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.model.model import Model
from plodek.core.recipe.fields import ORIGIN, Z_AXIS, Degrees, Direction, Length, PlaceOf
from plodek.core.recipe.steps.shape.shape_step import SurfaceStep
from plodek.core.shape.frame import frame_of
from plodek.core.shape.surfaces import analytic
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.units import length


class PlaneStep(SurfaceStep):
    """Lay a rectangle of a plane."""

    kind: Literal["plane"] = "plane"
    verb: ClassVar[str] = "Plane"
    key: ClassVar[str] = "⇧P"
    order: ClassVar[int] = 180
    sentence: ClassVar[str] = "Plane {name} around {centre}, {width} by {height}"
    centre: PlaceOf = Field(default=ORIGIN, title="Centre")
    width: Length = Field(title="Width")
    height: Length = Field(title="Height")
    normal: Direction = Field(default=Z_AXIS, title="Normal")
    along: Direction | None = Field(
        default=None,
        title="Width along",
        description="the coordinate axis most across the normal where left out",
    )

    def surface(self, model: Model) -> Surface:
        frame = frame_of(np.array(self.normal), None if self.along is None else np.array(self.along))
        size = self.sizes(model, self.width, "width"), self.sizes(model, self.height, "height")
        corner = self.place(model, self.centre) - 0.5 * (size[0] * frame[0] + size[1] * frame[1])
        return analytic.Plane(corner, frame, *size)


class _RoundStep(SurfaceStep):
    along: Direction = Field(default=Z_AXIS, title="Axis along")
    turn: Degrees = Field(
        default=360.0,
        title="Turning by",
        gt=0,
        le=360,
        description="from the coordinate axis most across its axis",
    )

    def frame(self) -> Floats:
        """Give the frame whose z is the axis."""
        return frame_of(np.array(self.along))


class CylinderStep(_RoundStep):
    """Stand up a cylinder, or a part of one."""

    kind: Literal["cylinder"] = "cylinder"
    verb: ClassVar[str] = "Cylinder"
    key: ClassVar[str] = "⇧C"
    order: ClassVar[int] = 190
    sentence: ClassVar[str] = "Cylinder {name} from {base}, radius {radius}, {height} high"
    base: PlaceOf = Field(default=ORIGIN, title="Centre of its base")
    radius: Length = Field(title="Radius")
    height: Length = Field(title="Height")

    def surface(self, model: Model) -> Surface:
        size = self.sizes(model, self.radius, "radius"), self.sizes(model, self.height, "height")
        return analytic.cylinder(self.place(model, self.base), self.frame(), *size, math.radians(self.turn))


class ConeStep(_RoundStep):
    """Stand up a cone between two radii, or a flat disc where its height is 0."""

    kind: Literal["cone"] = "cone"
    verb: ClassVar[str] = "Cone"
    key: ClassVar[str] = "⇧N"
    order: ClassVar[int] = 200
    sentence: ClassVar[str] = "Cone {name} from {base}, radius {radius} to {end_radius}, {height} high"
    base: PlaceOf = Field(default=ORIGIN, title="Centre of its base")
    radius: Length = Field(title="Radius at the base")
    end_radius: Length = Field(default=0.0, title="Radius at the end")
    height: Length = Field(title="Height")

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
    order: ClassVar[int] = 210
    sentence: ClassVar[str] = "Sphere {name} around {centre} with radius {radius}"
    centre: PlaceOf = Field(default=ORIGIN, title="Centre")
    radius: Length = Field(title="Radius")
    from_latitude: Degrees = Field(default=-90.0, title="From latitude", ge=-90, le=90)
    to_latitude: Degrees = Field(default=90.0, title="To latitude", ge=-90, le=90)

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
    order: ClassVar[int] = 220
    sentence: ClassVar[str] = "Torus {name} around {centre}, radius {radius}, tube {tube}"
    centre: PlaceOf = Field(default=ORIGIN, title="Centre")
    radius: Length = Field(title="Radius of the ring")
    tube: Length = Field(title="Radius of the tube")

    def surface(self, model: Model) -> Surface:
        size = self.sizes(model, self.radius, "radius"), self.sizes(model, self.tube, "radius of the tube")
        return analytic.torus(self.place(model, self.centre), self.frame(), *size, math.radians(self.turn))

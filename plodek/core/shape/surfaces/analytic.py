"""Planes, and lines and arcs turned about an axis: cylinders, cones, discs, spheres and tori.

Closest places in closed form: the meridian through a point holds its nearest place, and in the plane of
the meridian a line or an arc has an elementary one.
"""

from __future__ import annotations

import math

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.errors import BadValue
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.surfaces.generated import GeneratedSurface


class Plane(GeneratedSurface):
    """The rectangle from ``corner`` (3,) along x and y of ``frame``, ``width`` by ``height``."""

    kind = "plane"

    def __init__(self, corner: Floats, frame: Floats, width: float, height: float) -> None:
        if not min(width, height) > 0:
            raise BadValue("the plane has no size", remedy="give a width and a height above 0")
        self._corner = corner
        self._u, self._v = width * frame[0], height * frame[1]
        self._back = np.stack([frame[0] / width, frame[1] / height])

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        n = len(uv)
        place = self._corner + uv[:, :1] * self._u + uv[:, 1:] * self._v
        none = np.zeros((n, 3))
        return place, np.tile(self._u, (n, 1)), np.tile(self._v, (n, 1)), none, none.copy(), none.copy()

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places, in closed form."""
        return np.asarray(np.clip((xyz - self._corner) @ self._back.T, 0.0, 1.0))


class Turned(GeneratedSurface):
    """A profile in the half plane of radius and height, turned about the z of ``frame`` by ``turn``.

    u runs round from the x of the frame, v along the profile. The profile is a line between two (r, z),
    or an arc: its centre, radius, and two angles from the outward direction. ``turn`` is in radians, up
    to a full one. Raises BadValue where the profile crosses the axis (on ``check``), or there is no turn.
    """

    def __init__(
        self,
        kind: str,
        origin: Floats,
        frame: Floats,
        profile: Line2 | Arc2,
        turn: float = math.tau,
        *,
        check: bool = True,
    ) -> None:
        if not 0 < turn <= math.tau * (1 + 1e-12):
            raise BadValue(
                f"the surface turns by {math.degrees(turn):g}°", remedy="turn by more than 0° and up to 360°"
            )
        radii = profile.at(np.linspace(0.0, 1.0, 181))[0]
        if check and np.min(radii) < -1e-9 * np.max(np.abs(radii)):
            raise BadValue("the surface would cross its own axis", remedy="keep all radii at 0 or above")
        self.kind = kind
        self.origin, self.frame, self._profile, self.turn = origin, frame, profile, turn
        self._full = turn >= math.tau * (1 - 1e-12)
        self.wraps = (self._full, profile.closed)

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        angle = self.turn * uv[:, 0]
        x, y, z = self.frame
        cosine, sine = np.cos(angle)[:, None], np.sin(angle)[:, None]
        out, round_ = cosine * x + sine * y, cosine * y - sine * x
        (r, h), (r1, h1), (r2, h2) = (
            (a[:, None], b[:, None]) for a, b in self._profile.derivatives(uv[:, 1])
        )
        t = self.turn
        return (
            self.origin + r * out + h * z,
            r * t * round_,
            r1 * out + h1 * z,
            -r * t * t * out,
            r1 * t * round_,
            r2 * out + h2 * z,
        )

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places, in closed form."""
        away = (xyz - self.origin) @ self.frame.T
        angle = np.mod(np.arctan2(away[:, 1], away[:, 0]), math.tau)
        across = np.hypot(away[:, 0], away[:, 1])
        if not self._full:
            # Outside the turn the nearer end's meridian plane counts, and the place as seen in it.
            beyond = angle > self.turn
            last = angle - self.turn < math.tau - angle
            turned = np.where(beyond, np.where(last, angle - self.turn, math.tau - angle), 0.0)
            angle = np.where(beyond, np.where(last, self.turn, 0.0), angle)
            across = across * np.cos(turned)
        return np.stack([angle / self.turn, self._profile.nearest(across, away[:, 2])], axis=1)

    def whole(self, xyz: Floats) -> Turned:
        """Give the surface all round, as far along its profile as places (n, 3) on it reach."""
        away = (xyz - self.origin) @ self.frame.T
        profile = self._profile.reaching(np.hypot(away[:, 0], away[:, 1]), away[:, 2])
        return Turned(self.kind, self.origin, self.frame, profile, check=False)

    def meridian(self) -> Curve:
        """Give the profile in space, where u is 0."""
        return self._profile.in_space(self.origin, self.frame)


class Line2:
    """A straight profile from (r, z) to (r, z)."""

    closed = False

    def __init__(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        self._start, self._step = start, (end[0] - start[0], end[1] - start[1])
        self._square = self._step[0] ** 2 + self._step[1] ** 2
        if not self._square > 0:
            raise BadValue("the profile has no length", remedy="give ends that differ")

    def in_space(self, origin: Floats, frame: Floats) -> Curve:
        """Give the profile in the x and z of a frame."""
        ends = (self._start, (self._start[0] + self._step[0], self._start[1] + self._step[1]))
        return Polyline(np.array([origin + r * frame[0] + z * frame[2] for r, z in ends]))

    def at(self, v: Floats) -> tuple[Floats, Floats]:
        """Give radius and height (n,) at the fractions ``v``."""
        return self._start[0] + v * self._step[0], self._start[1] + v * self._step[1]

    def derivatives(self, v: Floats) -> list[tuple[Floats, Floats]]:
        """Give radius and height, and their first and second derivatives."""
        ones = np.ones_like(v)
        return [self.at(v), (self._step[0] * ones, self._step[1] * ones), (0 * ones, 0 * ones)]

    def nearest(self, r: Floats, z: Floats) -> Floats:
        """Give the fractions (n,) nearest to (r, z)."""
        return np.clip(self._feet(r, z), 0.0, 1.0)

    def _feet(self, r: Floats, z: Floats) -> Floats:
        part = (r - self._start[0]) * self._step[0] + (z - self._start[1]) * self._step[1]
        return np.asarray(part / self._square)

    def reaching(self, r: Floats, z: Floats) -> Line2:
        """Give the part of the line on which the feet of places lie."""
        feet = self._feet(r, z)
        (r0, r1), (z0, z1) = self.at(np.array([feet.min(), feet.max()]))
        return Line2((float(r0), float(z0)), (float(r1), float(z1)))


class Arc2:
    """A profile on a circle around (r, z), between two angles in radians from the outward direction."""

    def __init__(self, centre: tuple[float, float], radius: float, start: float, end: float) -> None:
        if not (radius > 0 and 0 < end - start <= math.tau * (1 + 1e-12)):
            raise BadValue("the profile has no size", remedy="give a radius above 0 and rising angles")
        self._centre, self._radius, self._first, self._turn = centre, radius, start, end - start
        self.closed = self._turn >= math.tau * (1 - 1e-12)

    def in_space(self, origin: Floats, frame: Floats) -> Curve:
        """Give the profile in the x and z of a frame."""
        centre = origin + self._centre[0] * frame[0] + self._centre[1] * frame[2]
        axes = np.stack([frame[0], frame[2], -frame[1]])
        return Arc(centre, self._radius, self._first, self._first + self._turn, axes)

    def at(self, v: Floats) -> tuple[Floats, Floats]:
        """Give radius and height (n,) at the fractions ``v``."""
        angle = self._first + v * self._turn
        return (
            self._centre[0] + self._radius * np.cos(angle),
            self._centre[1] + self._radius * np.sin(angle),
        )

    def derivatives(self, v: Floats) -> list[tuple[Floats, Floats]]:
        """Give radius and height, and their first and second derivatives."""
        angle = self._first + v * self._turn
        c, s = self._radius * np.cos(angle), self._radius * np.sin(angle)
        t = self._turn
        return [(self._centre[0] + c, self._centre[1] + s), (-t * s, t * c), (-t * t * c, -t * t * s)]

    def reaching(self, r: Floats, z: Floats) -> Arc2:
        """Give all of the circle, or the half of one around the axis that lies on one side of it."""
        half = math.pi if self._centre[0] else math.pi / 2
        return Arc2(self._centre, self._radius, -half, half)

    def nearest(self, r: Floats, z: Floats) -> Floats:
        """Give the fractions (n,) nearest to (r, z)."""
        angle = np.mod(np.arctan2(z - self._centre[1], r - self._centre[0]) - self._first, math.tau)
        beyond: Bools = angle > self._turn
        nearer = np.where(angle - self._turn < math.tau - angle, self._turn, 0.0)
        return np.asarray(np.where(beyond, nearer, angle) / self._turn)


def cylinder(base: Floats, frame: Floats, radius: float, height: float, turn: float) -> Turned:
    """Make the cylinder that stands on ``base`` along z of ``frame``."""
    _positive(radius, "radius")
    return Turned("cylinder", base, frame, Line2((radius, 0.0), (radius, height)), turn)


def cone(base: Floats, frame: Floats, radii: tuple[float, float], height: float, turn: float) -> Turned:
    """Make the cone, or disc where ``height`` is 0, between two radii."""
    if min(radii) < 0 or max(radii) <= 0:
        raise BadValue("a radius of the cone is below 0", remedy="give radii of 0 and above, not both 0")
    return Turned("cone" if height else "disc", base, frame, Line2((radii[0], 0.0), (radii[1], height)), turn)


def sphere(
    centre: Floats, frame: Floats, radius: float, latitudes: tuple[float, float], turn: float
) -> Turned:
    """Make the sphere between two latitudes in radians from the equator."""
    _positive(radius, "radius")
    low, high = latitudes
    if not -math.pi / 2 <= low < high <= math.pi / 2:
        raise BadValue("the latitudes do not rise within −90° to 90°", remedy="give the lower one first")
    return Turned("sphere", centre, frame, Arc2((0.0, 0.0), radius, low, high), turn)


def torus(centre: Floats, frame: Floats, radius: float, tube: float, turn: float) -> Turned:
    """Make the torus of a tube round a circle."""
    _positive(tube, "radius of the tube")
    if not radius > tube:
        raise BadValue(
            f"the tube of radius {tube:g} would cross the axis", remedy=f"give a ring radius above {tube:g}"
        )
    return Turned("torus", centre, frame, Arc2((radius, 0.0), tube, -math.pi, math.pi), turn)


def _positive(value: float, name: str) -> None:
    if not value > 0:
        raise BadValue(f"the {name} is {value:g}", remedy=f"give a {name} above 0")

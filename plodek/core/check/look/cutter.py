"""What sections are made with: planes, cylinders and spheres, each by the signed distance to it."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numba as nb
import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue

PLANE, CYLINDER, SPHERE = 0, 1, 2


@dataclass(frozen=True)
class Cutter:
    """A plane through ``point`` square to ``axis``, a cylinder about it, or a sphere round ``point``.

    ``axis`` (3,) has length 1. The distance is positive on its side of a plane, and outside the others.
    """

    kind: int
    point: Floats
    axis: Floats
    radius: float = 0.0

    def moved(self, by: float) -> Cutter:
        """Give it moved along its normal: a plane along its axis, the others by their radius.

        Raises BadValue where a radius would be none.
        """
        if self.kind == PLANE:
            return Cutter(PLANE, self.point + by * self.axis, self.axis)
        return Cutter(self.kind, self.point, self.axis, _radius(self.radius + by))

    def distances(self, xyz: Floats) -> Floats:
        """Give the signed distance of places (n, 3)."""
        found = np.empty(len(xyz))
        _distances(np.ascontiguousarray(xyz), self.kind, self.point, self.axis, self.radius, found)
        return found


def plane(point: npt.ArrayLike, normal: npt.ArrayLike) -> Cutter:
    """Make a plane. Raises BadValue for a normal without a direction."""
    return Cutter(PLANE, _numbers(point), _direction(normal, "the plane's normal"))


def plane_through(places: npt.ArrayLike) -> Cutter:
    """Make the plane through three places (3, 3). Raises BadValue where they lie on a line."""
    a, b, c = (_numbers(one) for one in np.asarray(places, dtype=float))
    normal = np.cross(b - a, c - a)
    if np.linalg.norm(normal) <= 1e-12 * np.linalg.norm(b - a) * np.linalg.norm(c - a):
        raise BadValue("the three places lie on a line", remedy="take places that span a plane")
    return plane(a, normal)


def cylinder(point: npt.ArrayLike, axis: npt.ArrayLike, radius: float) -> Cutter:
    """Make a cylinder. Raises BadValue for an axis or a radius that is none."""
    return Cutter(CYLINDER, _numbers(point), _direction(axis, "the cylinder's axis"), _radius(radius))


def sphere(centre: npt.ArrayLike, radius: float) -> Cutter:
    """Make a sphere. Raises BadValue for a radius that is none."""
    return Cutter(SPHERE, _numbers(centre), np.array([0.0, 0.0, 1.0]), _radius(radius))


def _numbers(values: npt.ArrayLike) -> Floats:
    return np.ascontiguousarray(np.asarray(values, dtype=np.float64).reshape(3))


def _direction(values: npt.ArrayLike, what: str) -> Floats:
    found = _numbers(values)
    length = np.linalg.norm(found)
    if not 0 < length < inf:
        raise BadValue(f"{what} has no direction", remedy="give it a length")
    return np.asarray(found / length)


def _radius(value: float) -> float:
    if not 0 < value < inf:
        raise BadValue(f"the section's radius is {value:g}", remedy="make it larger than 0")
    return value


@nb.njit(cache=True, inline="always")
def distance(kind: int, point: Floats, axis: Floats, radius: float, x: float, y: float, z: float) -> float:
    """Give the signed distance of a place: never more than the way to the surface, and linear for a plane."""
    dx, dy, dz = x - point[0], y - point[1], z - point[2]
    along = dx * axis[0] + dy * axis[1] + dz * axis[2]
    if kind == 0:
        return float(along)
    if kind == 1:
        dx, dy, dz = dx - along * axis[0], dy - along * axis[1], dz - along * axis[2]
    return float(np.sqrt(dx * dx + dy * dy + dz * dz) - radius)


@nb.njit(cache=True, parallel=True, nogil=True)
def _distances(xyz: Floats, kind: int, point: Floats, axis: Floats, radius: float, found: Floats) -> None:
    for n in nb.prange(len(xyz)):
        found[n] = distance(kind, point, axis, radius, xyz[n, 0], xyz[n, 1], xyz[n, 2])


@nb.njit(cache=True, inline="always")
def crossing(
    kind: int, point: Floats, axis: Floats, radius: float, a: Floats, b: Floats, fa: float, fb: float
) -> float:
    """Give where the straight way from ``a`` to ``b`` (3,) meets the surface, as a share.

    Their distances ``fa`` and ``fb`` differ in sign.

    On the way to a plane the distance is linear; for the others |p + t d| = r without the part along the
    axis is a quadratic equation, of which the one root between 0 and 1 is taken.
    """
    if kind == 0 or fa == 0.0 or fb == 0.0:
        return fa / (fa - fb)
    px, py, pz = a[0] - point[0], a[1] - point[1], a[2] - point[2]
    dx, dy, dz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    if kind == 1:
        p, d = px * axis[0] + py * axis[1] + pz * axis[2], dx * axis[0] + dy * axis[1] + dz * axis[2]
        px, py, pz = px - p * axis[0], py - p * axis[1], pz - p * axis[2]
        dx, dy, dz = dx - d * axis[0], dy - d * axis[1], dz - d * axis[2]
    dd = dx * dx + dy * dy + dz * dz
    half = px * dx + py * dy + pz * dz
    rest = fa * (fa + 2.0 * radius)  # |p|² - r², without its cancellation
    root = np.sqrt(max(half * half - dd * rest, 0.0))
    # From inside outwards the larger root, from outside inwards the smaller one, each without cancellation.
    if fa < 0.0:
        t = (root - half) / dd if half <= 0.0 else -rest / (root + half)
    else:
        t = rest / (root - half) if half <= 0.0 else -(root + half) / dd
    return float(min(max(t, 0.0), 1.0))

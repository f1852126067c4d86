"""Compiled loops that tell which faces lie on others, and which places lie within a block."""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.check.kernels.vectors import det

#: A place lies on a face whose triangles with each edge have this share of its doubled area at least.
_WITHIN = 0.005


@nb.njit(cache=True, nogil=True)
def faces_on(
    centres: Floats, normals: Floats, sizes: Floats,
    quads: Floats, middles: Floats, outs: Floats, own: Floats, near: float,
) -> tuple[int, int, float]:  # fmt: skip
    """Count the faces whose centres lie on others, against which they look.

    ``centres`` and unit ``normals`` (n, 3) and ``sizes`` (n,) are those of the faces; ``quads`` (m, 4, 3) the
    others in order around each, with ``middles`` and unit normals ``outs`` (m, 3) and ``own`` sizes (m,).
    Faces count within ``near`` of the smaller size. Gives how many, the first, and how far off at most.
    """
    count, first, most = 0, -1, 0.0
    reach = np.empty(len(quads))
    for m in range(len(quads)):
        reach[m] = ((quads[m] - middles[m]) ** 2).sum()
    for n in range(len(centres)):
        x, y, z = centres[n, 0], centres[n, 1], centres[n, 2]
        best = np.inf
        for m in range(len(quads)):
            dx, dy, dz = x - middles[m, 0], y - middles[m, 1], z - middles[m, 2]
            if dx * dx + dy * dy + dz * dz > reach[m]:
                continue
            a, b, c = outs[m, 0], outs[m, 1], outs[m, 2]
            off = abs(dx * a + dy * b + dz * c)
            against = a * normals[n, 0] + b * normals[n, 1] + c * normals[n, 2]
            if against < -0.5 and off <= near * min(own[m], sizes[n]) and _inside(centres[n], quads[m]):
                best = min(best, off)
        if best < np.inf:
            most = max(most, best)
            first = n if count == 0 else first
            count += 1
    return count, first, most


@nb.njit(cache=True, nogil=True)
def _inside(x: Floats, quad: Floats) -> bool:
    """Tell whether a place, seen along the normal of a face (4, 3), lies within its edges."""
    one, other = quad[2] - quad[0], quad[3] - quad[1]
    raw = np.cross(one, other)
    least = _WITHIN * (raw**2).sum()
    smallest = np.inf
    for c in range(4):
        smallest = min(smallest, det(raw, quad[(c + 1) % 4] - quad[c], x - quad[c]))
    return bool(smallest >= least)


@nb.njit(cache=True, nogil=True)
def within_surface(places: Floats, triangles: Floats) -> Bools:
    """Tell which places (n, 3) lie within closed triangles (m, 3, 3): a ray along x crosses an odd number.

    No edge may lie along x, or pass exactly before a place: turn all of it first.
    """
    found = np.zeros(len(places), dtype=np.bool_)
    for n in range(len(places)):
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        odd = False
        for m in range(len(triangles)):
            ay, az = triangles[m, 0, 1] - y, triangles[m, 0, 2] - z
            by, bz = triangles[m, 1, 1] - y, triangles[m, 1, 2] - z
            cy, cz = triangles[m, 2, 1] - y, triangles[m, 2, 2] - z
            u, v, w = by * cz - bz * cy, cy * az - cz * ay, ay * bz - az * by
            if (u >= 0.0) == (v >= 0.0) and (v >= 0.0) == (w >= 0.0):
                depth = u * triangles[m, 0, 0] + v * triangles[m, 1, 0] + w * triangles[m, 2, 0]
                if depth / (u + v + w) > x:
                    odd = not odd
        found[n] = odd
    return found


@nb.njit(cache=True, nogil=True)
def within_polygon(places: Floats, rim: Floats) -> Bools:
    """Tell which places (n, 3) lie within a polygon (m, 3) of the plane, as `within_surface` does."""
    found = np.zeros(len(places), dtype=np.bool_)
    for n in range(len(places)):
        x, y = places[n, 0], places[n, 1]
        odd = False
        for m in range(len(rim)):
            ax, ay = rim[m - 1, 0], rim[m - 1, 1]
            bx, by = rim[m, 0], rim[m, 1]
            if (ay > y) != (by > y) and x < (bx - ax) * (y - ay) / (by - ay) + ax:
                odd = not odd
        found[n] = odd
    return found

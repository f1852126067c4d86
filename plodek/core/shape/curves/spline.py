"""A smooth cubic spline through points, with sharp corners kept where they are wished.

Cubic interpolation by chord length (de Boor, A Practical Guide to Splines, 1978, ch. IV): periodic
on a closed curve without corners, not-a-knot, natural or clamped between corners.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numba
import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Jet
from plodek.core.shape.curves.parametric import ParametricCurve
from plodek.core.shape.curves.polyline import turns
from plodek.core.shape.frame import unit


class Spline(ParametricCurve):
    """The spline through ``points`` (n, 3), sharp where chords turn by more than ``corner_angle`` degrees.

    ``start_tangent`` and ``end_tangent`` (3,) set the directions at the ends of an open one.
    Raises BadValue for fewer than 3 points, or neighbouring points at one place.
    """

    def __init__(
        self,
        points: Floats,
        *,
        closed: bool,
        corner_angle: float,
        start_tangent: Floats | None = None,
        end_tangent: Floats | None = None,
    ) -> None:
        if len(points) < 3:
            raise BadValue(f"a spline needs 3 points and got {len(points)}", remedy="use straight pieces")
        angle, has_turn = turns(points, closed=closed)
        sharp = np.flatnonzero(has_turn & (angle > corner_angle))
        # A closed curve with corners starts at its first corner, so that every smooth stretch is whole.
        start = int(sharp[0]) if closed and len(sharp) else 0
        ring = np.roll(points, -start, axis=0)
        if closed:
            ring = np.vstack([ring, ring[:1]])
        chords = np.linalg.norm(np.diff(ring, axis=0), axis=1)
        if not np.all(chords > 0):
            raise BadValue(
                "two neighbouring points of the curve are the same place",
                remedy="take out one of them",
            )
        knots = np.concatenate([[0.0], np.cumsum(chords)])
        breaks = sharp - start
        ends = np.union1d(breaks, [0, len(ring) - 1])
        if closed and len(sharp) == 0:
            stretches: list[scipy.interpolate.PPoly] = [
                scipy.interpolate.CubicSpline(knots, ring, bc_type="periodic")
            ]
        else:
            wishes = [None] * (len(ends) - 2)
            firsts = [start_tangent, *wishes]
            lasts = [*wishes, end_tangent]
            stretches = [
                _stretch(knots[a : b + 1], ring[a : b + 1], *ways)
                for (a, b), *ways in zip(pairwise(ends), firsts, lasts, strict=True)
            ]
        self.pieces = scipy.interpolate.PPoly(np.concatenate([p.c for p in stretches], axis=1), knots)
        self._factors = np.ascontiguousarray(np.moveaxis(self.pieces.c, 0, 1))
        corners = knots[breaks] if closed else knots[ends]
        super().__init__(knots, closed=closed, sharp=corners, points=np.array(points))

    def _jet(self, u: Floats) -> Jet:
        return cubics_at(self._factors, self.pieces.x, u)


def cubics_at(factors: Floats, knots: Floats, u: Floats) -> Jet:
    """Give places and derivatives at ``u`` (n,) of cubics with factors (m, 4, 3), the highest power first."""
    place, first, second = (np.empty((len(u), 3)) for _ in range(3))
    _cubics(factors, knots, np.ascontiguousarray(u), place, first, second)
    return place, first, second


@numba.njit(cache=True, nogil=True)
def _cubics(c: Floats, knots: Floats, us: Floats, place: Floats, first: Floats, second: Floats) -> None:
    """Give places and derivatives (n, 3) of cubic pieces with factors (m, 4, 3), the highest power first."""
    k = 0
    for n in range(len(us)):
        u = us[n]
        if not (knots[k] <= u and (u < knots[k + 1] or k == len(c) - 1)):
            k = min(max(np.searchsorted(knots, u, side="right") - 1, 0), len(c) - 1)
        t = u - knots[k]
        for d in range(3):
            a, b, e, f = c[k, 0, d], c[k, 1, d], c[k, 2, d], c[k, 3, d]
            place[n, d] = ((a * t + b) * t + e) * t + f
            first[n, d] = (3.0 * a * t + 2.0 * b) * t + e
            second[n, d] = 6.0 * a * t + 2.0 * b


def _stretch(
    knots: Floats, points: Floats, first: Floats | None, last: Floats | None
) -> scipy.interpolate.PPoly:
    """Interpolate one smooth stretch between corners; too few points for not-a-knot give natural ends."""
    if first is None and last is None:
        return scipy.interpolate.CubicSpline(
            knots, points, bc_type="not-a-knot" if len(points) > 3 else "natural"
        )
    return scipy.interpolate.CubicSpline(knots, points, bc_type=(_end(first), _end(last)))


def _end(way: Floats | None) -> tuple[Literal[1, 2], Floats]:
    """Give an end's condition: no bend, or the direction by the chord length."""
    return (2, np.zeros(3)) if way is None else (1, unit(way, "tangent"))

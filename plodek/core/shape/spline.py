"""A smooth cubic spline through points, with sharp corners kept where they are wished.

Cubic interpolation by chord length (de Boor, A Practical Guide to Splines, 1978, ch. IV): periodic
on a closed curve without corners, natural or not-a-knot between corners. Arc length by Gauss-Legendre
quadrature, inverted by Newton steps, so that fractions are fractions of the true arc length.
"""

from __future__ import annotations

from functools import cached_property
from itertools import pairwise

import numpy as np
from scipy.interpolate import CubicSpline, PPoly
from scipy.spatial import cKDTree

from plodek.core.arrays import Floats, Ints
from plodek.core.errors import BadValue
from plodek.core.shape.guide import wrapped
from plodek.core.shape.polyline import turns
from plodek.core.tolerances import NEWTON

_GAUSS_X, _GAUSS_W = np.polynomial.legendre.leggauss(16)
_SAMPLES = 24  # per piece, to find the neighbourhood of the nearest place
_STEPS = 60


class Spline:
    """The spline through ``points`` (n, 3), sharp where chords turn by more than ``corner_angle`` degrees.

    Raises BadValue for fewer than 3 points, or neighbouring points at one place.
    """

    def __init__(self, points: Floats, *, closed: bool, corner_angle: float) -> None:
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
            stretches: list[PPoly] = [CubicSpline(knots, ring, bc_type="periodic")]
        else:
            stretches = [_stretch(knots[a : b + 1], ring[a : b + 1]) for a, b in pairwise(ends)]
        self.points = np.array(points)
        self.closed = closed
        self._curve = PPoly(np.concatenate([p.c for p in stretches], axis=1), knots)
        self._slope = self._curve.derivative()
        self._bend = self._slope.derivative()
        self._knots = knots
        self._ends = np.concatenate([[0.0], np.cumsum(self._lengths(knots[:-1], knots[1:]))])
        self.length = float(self._ends[-1])
        self._sharp = breaks if closed else ends

    @cached_property
    def corners(self) -> Floats:
        """Fractions of the sharp corners and, on an open curve, of both ends."""
        return self._ends[self._sharp] / self.length

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return np.asarray(self._curve(self._parameter(s)), dtype=np.float64)

    def tangent(self, s: Floats) -> Floats:
        """Give the unit tangents (n, 3) at the fractions ``s`` (n,)."""
        slope = np.asarray(self._slope(self._parameter(s)))
        return np.asarray(slope / np.linalg.norm(slope, axis=1)[:, None])

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places: nearest sample, then safeguarded Newton steps."""
        parameters, tree = self._samples
        _, index = tree.query(xyz)
        last = len(parameters) - 1
        # Look on both sides of the nearest sample by itself: the slope may jump there.
        before, after = np.maximum(index - 1, 0), np.minimum(index + 1, last)
        ends = index, index
        if self.closed:  # the first and the last sample are one place
            before, after = np.where(index == 0, last - 1, before), np.where(index == last, 1, after)
            ends = np.where(index == 0, last, index), np.where(index == last, 0, index)
        low = self._refined(xyz, parameters[before], parameters[ends[0]])
        high = self._refined(xyz, parameters[ends[1]], parameters[after])
        gaps = [np.linalg.norm(self._curve(u) - xyz, axis=1) for u in (low, high)]
        u = np.where(gaps[0] < gaps[1], low, high)
        piece = self._piece(u)
        along = self._ends[piece] + self._lengths(self._knots[piece], u)
        return np.asarray(along / self.length)

    @cached_property
    def _samples(self) -> tuple[Floats, cKDTree]:
        part = np.arange(_SAMPLES) / _SAMPLES
        steps = np.diff(self._knots)
        inner = (self._knots[:-1, None] + part * steps[:, None]).ravel()
        parameters = np.append(inner, self._knots[-1])
        return parameters, cKDTree(self._curve(parameters))

    def _refined(self, xyz: Floats, lower: Floats, upper: Floats) -> Floats:
        """Find the nearest parameter between two bounds (n,), by Newton steps or halving."""
        u = 0.5 * (lower + upper)
        for _ in range(_STEPS):
            gap = self._curve(u) - xyz
            slope = self._slope(u)
            value = np.einsum("nk,nk->n", gap, slope)
            rate = np.einsum("nk,nk->n", slope, slope) + np.einsum("nk,nk->n", gap, self._bend(u))
            lower = np.where(value < 0, u, lower)
            upper = np.where(value > 0, u, upper)
            newton = u - value / np.where(rate > 0, rate, np.inf)
            inside = (rate > 0) & (newton >= lower) & (newton <= upper)
            after = np.where(inside, newton, 0.5 * (lower + upper))
            after = np.where(value == 0, u, after)
            done = np.max(np.abs(after - u), initial=0.0) <= NEWTON * self._knots[-1]
            u = after
            if done:
                break
        return u

    def _parameter(self, s: Floats) -> Floats:
        """Invert the arc length by Newton steps within each piece."""
        along = wrapped(np.asarray(s, dtype=float), self.closed) * self.length
        piece = np.clip(np.searchsorted(self._ends, along, side="right") - 1, 0, len(self._knots) - 2)
        low, high = self._knots[piece], self._knots[piece + 1]
        wanted = along - self._ends[piece]
        u = low + (high - low) * wanted / (self._ends[piece + 1] - self._ends[piece])
        for _ in range(_STEPS):
            speed = np.linalg.norm(self._slope(u), axis=1)
            step = (self._lengths(low, u) - wanted) / speed
            u = np.clip(u - step, low, high)
            if np.max(np.abs(step), initial=0.0) <= NEWTON * self._knots[-1]:
                break
        return np.asarray(u)

    def _piece(self, u: Floats) -> Ints:
        return np.clip(np.searchsorted(self._knots, u, side="right") - 1, 0, len(self._knots) - 2)

    def _lengths(self, low: Floats, high: Floats) -> Floats:
        half = 0.5 * (high - low)
        u = (0.5 * (high + low))[:, None] + half[:, None] * _GAUSS_X
        # A sum over the last axis in a fixed order: the same for one place as for many.
        return np.asarray(half * np.sum(np.linalg.norm(self._slope(u), axis=-1) * _GAUSS_W, axis=1))


def _stretch(knots: Floats, points: Floats) -> PPoly:
    """Interpolate one smooth stretch between corners; too few points for not-a-knot give natural ends."""
    return CubicSpline(knots, points, bc_type="not-a-knot" if len(points) > 3 else "natural")

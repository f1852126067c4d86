"""A curve that is given over a parameter of its own: its arc length, and closest places on it.

Arc length by Gauss-Legendre quadrature on pieces that are halved until it no longer changes, inverted
to round-off, so that fractions are fractions of the true arc length.
"""

from __future__ import annotations

from abc import abstractmethod

import numpy as np
import scipy
from propcache.api import cached_property

from plodek.core.arrays import Floats, Ints
from plodek.core.errors import BadValue
from plodek.core.shape.closest import CurveSearch
from plodek.core.shape.curves.curve import Curve, Jet, wrapped
from plodek.core.shape.curves.integral import PiecewiseIntegral
from plodek.core.tolerances import NEWTON

_GAUSS_X, _GAUSS_W = np.polynomial.legendre.leggauss(8)
_HALVINGS = 14
_STEPS = 60


class ParametricCurve(Curve):
    """A curve over a parameter that is smooth between ``knots`` (n,); ``sharp`` knots are corners."""

    #: How well the arc length settles, in shares of the whole.
    settled = 1e-13

    def __init__(self, knots: Floats, *, closed: bool, sharp: Floats, points: Floats) -> None:
        self.closed = closed
        self.points = points
        self._knots = self._settled(np.asarray(knots, dtype=float))
        self._ends = np.concatenate([[0.0], np.cumsum(self._lengths(self._knots[:-1], self._knots[1:]))])
        self.length = float(self._ends[-1])
        if not self.length > 0:
            raise BadValue("the curve has no length", remedy="give places apart from each other")
        self._sharp = self._ends[np.searchsorted(self._knots, sharp)] / self.length

    @abstractmethod
    def _jet(self, u: Floats) -> Jet:
        """Give place, first and second derivative (n, 3) by the parameter ``u`` (n,)."""

    def _slope(self, u: Floats) -> Floats:
        return self._jet(u)[1]

    @property
    def corners(self) -> Floats:
        """Fractions of the sharp corners and, on an open curve, of both ends."""
        return self._sharp

    @property
    def joints(self) -> Floats:
        """The knots, as fractions."""
        return np.append(np.clip(self._ends[:-1] / self.length, 0.0, 1.0), 1.0)

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return self._jet(self.parameter(s))[0]

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction of the arc length."""
        place, first, second = self._jet(self.parameter(s))
        speed = np.linalg.norm(first, axis=1)[:, None]
        unit = first / speed
        bend = (second - np.sum(second * unit, axis=1)[:, None] * unit) / speed**2
        return place, self.length * unit, self.length**2 * bend

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places: nearest sample, then safeguarded Newton steps."""
        return self._arc.at(self._search.nearest(xyz)) / self.length

    def parameter(self, s: Floats) -> Floats:
        """Invert the arc length: the parameters (n,) at the fractions ``s`` (n,)."""
        return self._arc.parameters(wrapped(np.asarray(s, dtype=float), self.closed) * self.length)

    @cached_property
    def _arc(self) -> PiecewiseIntegral:
        return PiecewiseIntegral(
            self._knots,
            self._ends,
            lambda u: np.linalg.norm(self._slope(u), axis=1),
            lambda piece, u: self._lengths(self._knots[piece], u),
            self._solved,
        )

    def _solved(self, along: Floats, piece: Ints) -> Floats:
        """Give the parameters (n,) at arc lengths (n,) on pieces (n,), by Newton steps."""
        low, high = self._knots[piece], self._knots[piece + 1]
        wanted = along - self._ends[piece]
        u = np.clip(self._guess(along), low, high)
        for _ in range(_STEPS):
            speed = np.linalg.norm(self._slope(u), axis=1)
            step = (self._lengths(low, u) - wanted) / speed
            u = np.clip(u - step, low, high)
            if np.max(np.abs(step), initial=0.0) <= NEWTON * (self._knots[-1] - self._knots[0]):
                break
        return np.asarray(u)

    @cached_property
    def _guess(self) -> scipy.interpolate.CubicHermiteSpline:
        """The parameter over the arc length, near enough to start from."""
        speed = np.linalg.norm(self._slope(self._knots), axis=1)
        rate = 1 / np.maximum(speed, 1e-6 * np.max(speed))
        return scipy.interpolate.CubicHermiteSpline(self._ends, self._knots, rate)

    @cached_property
    def _search(self) -> CurveSearch:
        return CurveSearch(self._jet, self._knots, closed=self.closed)

    def _piece(self, u: Floats) -> Ints:
        return np.clip(np.searchsorted(self._knots, u, side="right") - 1, 0, len(self._knots) - 2)

    def _lengths(self, low: Floats, high: Floats) -> Floats:
        half = 0.5 * (high - low)
        u = (0.5 * (high + low))[:, None] + half[:, None] * _GAUSS_X
        speed = np.linalg.norm(self._slope(u.ravel()), axis=-1).reshape(u.shape)
        # A sum over the last axis in a fixed order: the same for one place as for many.
        return np.asarray(half * np.sum(speed * _GAUSS_W, axis=1))

    def _settled(self, knots: Floats) -> Floats:
        """Halve pieces until the quadrature of each agrees with that of its halves."""
        for _ in range(_HALVINGS):
            low, high = knots[:-1], knots[1:]
            middle = 0.5 * (low + high)
            whole = self._lengths(low, high)
            halves = self._lengths(low, middle) + self._lengths(middle, high)
            rough = np.abs(halves - whole) > self.settled * np.sum(whole)
            if not np.any(rough):
                break
            knots = np.sort(np.concatenate([knots, middle[rough]]))
        return knots

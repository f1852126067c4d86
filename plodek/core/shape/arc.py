"""Circular arcs and circles in a plane of constant z, by exact coordinates."""

from __future__ import annotations

import math

import numpy as np

from plodek.core.arrays import Floats, Place
from plodek.core.errors import BadValue
from plodek.core.shape.guide import wrapped


class Arc:
    """The arc around ``centre`` from angle ``start`` to ``end``, in radians; a full turn is a circle.

    It runs anticlockwise where ``end`` is the larger. Raises BadValue for a radius that is not
    positive, no turn at all, or more than a full one.
    """

    def __init__(self, centre: Place, radius: float, start: float = 0.0, end: float = math.tau) -> None:
        if not radius > 0:
            raise BadValue(f"the radius is {radius:g}", remedy="give a radius above 0")
        turn = end - start
        if not 0 < abs(turn) <= math.tau * (1 + 1e-12):
            raise BadValue(
                f"the arc turns by {math.degrees(turn):g}°",
                remedy="give angles that differ by more than 0° and at most 360°",
            )
        self.centre = np.array(centre)
        self.radius = radius
        self.start = start
        self.turn = turn
        self.closed = abs(turn) >= math.tau * (1 - 1e-12)
        self.length = radius * abs(turn)
        self.corners = np.empty(0) if self.closed else np.array([0.0, 1.0])
        self.points = self.at(np.array([0.0, 0.5] if self.closed else [0.0, 0.5, 1.0]))

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        angle = self.start + wrapped(s, self.closed) * self.turn
        return self.centre + self.radius * np.stack(
            [np.cos(angle), np.sin(angle), np.zeros_like(angle)], axis=-1
        )

    def tangent(self, s: Floats) -> Floats:
        """Give the unit tangents (n, 3) at the fractions ``s`` (n,)."""
        angle = self.start + wrapped(s, self.closed) * self.turn
        sense = math.copysign(1.0, self.turn)
        return sense * np.stack([-np.sin(angle), np.cos(angle), np.zeros_like(angle)], axis=-1)

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places; beyond an open end the nearer end."""
        away = xyz - self.centre
        angle = np.arctan2(away[:, 1], away[:, 0]) - self.start
        fraction = np.mod(angle * math.copysign(1.0, self.turn), math.tau) / abs(self.turn)
        if self.closed:
            return wrapped(fraction, closed=True)
        gap = math.tau / abs(self.turn)
        beyond = fraction > 1.0
        return np.where(beyond, np.where(fraction - 1.0 < gap - fraction, 1.0, 0.0), fraction)


def arc_through(first: Place, second: Place, third: Place) -> Arc:
    """Make the arc from ``first`` through ``second`` to ``third`` (elementary plane geometry).

    Raises BadValue for three places on one line or at different z.
    """
    a, b, c = (complex(p[0], p[1]) for p in (first, second, third))
    if first[2] != second[2] or first[2] != third[2]:
        raise BadValue("the three places differ in z", remedy="give all three the same z")
    if len({a, b, c}) < 3 or abs(((c - a) / (b - a)).imag) < 1e-12:
        raise BadValue("the three places lie on one line", remedy="move the middle one off the line")
    w = (c - a) / (b - a)
    centre = a + (b - a) * (w * w.conjugate() - w) / (w.conjugate() - w)
    start, middle, end = (np.angle(p - centre) for p in (a, b, c))
    turn = np.mod(end - start, math.tau)
    if np.mod(middle - start, math.tau) > turn:
        turn -= math.tau
    return Arc((centre.real, centre.imag, first[2]), abs(a - centre), float(start), float(start + turn))

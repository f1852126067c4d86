"""Circular arcs and circles in any plane, by exact coordinates."""

from __future__ import annotations

import math

import numpy as np

from plodek.core.arrays import Floats, Place
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Curve, Jet, wrapped
from plodek.core.shape.frame import Z, frame_of


class Arc(Curve):
    """The arc around ``centre`` from angle ``start`` to ``end``, in radians; a full turn is a circle.

    It runs anticlockwise about the z of ``frame`` (rows x, y, z) where ``end`` is the larger. Raises
    BadValue for a radius that is not positive, no turn at all, or more than a full one.
    """

    def __init__(
        self,
        centre: Place | Floats,
        radius: float,
        start: float = 0.0,
        end: float = math.tau,
        frame: Floats | None = None,
    ) -> None:
        if not radius > 0:
            raise BadValue(f"the radius is {radius:g}", remedy="give a radius above 0")
        turn = end - start
        if not 0 < abs(turn) <= math.tau * (1 + 1e-12):
            raise BadValue(
                f"the arc turns by {math.degrees(turn):g}°",
                remedy="give angles that differ by more than 0° and at most 360°",
            )
        self.centre = np.array(centre, dtype=float)
        self.radius = radius
        self.first = start
        self.turn = turn
        self.frame = frame_of(Z) if frame is None else frame
        self.closed = abs(turn) >= math.tau * (1 - 1e-12)
        self.length = radius * abs(turn)
        self.points = self.at(np.array([0.0, 0.5] if self.closed else [0.0, 0.5, 1.0]))

    @property
    def corners(self) -> Floats:
        """Both ends of an arc; a circle has no corner."""
        return np.empty(0) if self.closed else np.array([0.0, 1.0])

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return self.derivatives(s)[0]

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction ``s``."""
        angle = self.first + wrapped(s, self.closed) * self.turn
        out = np.cos(angle)[:, None] * self.frame[0] + np.sin(angle)[:, None] * self.frame[1]
        round_ = np.cos(angle)[:, None] * self.frame[1] - np.sin(angle)[:, None] * self.frame[0]
        return (
            self.centre + self.radius * out,
            self.radius * self.turn * round_,
            -self.radius * self.turn**2 * out,
        )

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places; beyond an open end the nearer end."""
        away = (xyz - self.centre) @ self.frame[:2].T
        angle = np.arctan2(away[:, 1], away[:, 0]) - self.first
        fraction = np.mod(angle * math.copysign(1.0, self.turn), math.tau) / abs(self.turn)
        if self.closed:
            return wrapped(fraction, closed=True)
        gap = math.tau / abs(self.turn)
        beyond = fraction > 1.0
        return np.where(beyond, np.where(fraction - 1.0 < gap - fraction, 1.0, 0.0), fraction)


def arc_through(first: Place, second: Place, third: Place) -> Arc:
    """Make the arc from ``first`` through ``second`` to ``third`` (elementary geometry).

    Raises BadValue for three places on one line.
    """
    a, b, c = (np.array(p, dtype=float) for p in (first, second, third))
    u, v = b - a, c - a
    normal = np.cross(u, v)
    square = float(normal @ normal)
    if not square > 1e-24 * float(u @ u) * float(v @ v):
        raise BadValue("the three places lie on one line", remedy="move the middle one off the line")
    # The centre is where the mid planes of both chords meet the plane of the places.
    centre = a + (np.cross(normal, u) * (v @ v) + np.cross(v, normal) * (u @ u)) / (2 * square)
    frame = frame_of(_flat(normal), a - centre)
    end = frame[:2] @ (c - centre)
    turn = float(np.mod(np.arctan2(end[1], end[0]), math.tau))
    return _arc_from(centre, a, turn, frame)


def arc_of_radius(first: Floats, last: Floats, radius: float, *, left: bool, normal: Floats = Z) -> Arc:
    """Make the arc of at most half a turn from ``first`` to ``last`` with its bulge to one side.

    ``left`` is seen going from first to last with ``normal`` towards the eye. Raises BadValue where the
    radius is less than half the chord.
    """
    chord = last - first
    half = 0.5 * float(np.linalg.norm(chord))
    if not half > 0:
        raise BadValue("both ends are one place", remedy="give two places")
    if radius < half * (1 - 1e-12):
        raise BadValue(
            f"the radius {radius:g} is less than half the distance of the ends",
            remedy=f"give a radius of {half:.6g} or more",
        )
    side = np.cross(frame_of(normal)[2], chord / (2 * half))
    size = float(np.linalg.norm(side))
    if not size > 1e-9:
        raise BadValue("the arc's normal runs along its chord", remedy="give another normal")
    bulge = side / size if left else -side / size
    centre = 0.5 * (first + last) - bulge * math.sqrt(max(radius**2 - half**2, 0.0))
    frame = frame_of(np.cross(chord, -bulge), first - centre)
    turn = 2 * math.asin(min(half / radius, 1.0))
    return _arc_from(centre, first, turn, frame)


def arc_tangent(start: Floats, tangent: Floats, radius: float, angle: float, normal: Floats = Z) -> Arc:
    """Make the arc that goes on from ``start`` along ``tangent``, turning by ``angle`` radians.

    It turns left for a positive angle, with ``normal`` towards the eye. Raises BadValue where the normal
    runs along the tangent.
    """
    ahead = frame_of(tangent)[2]
    side = np.cross(normal, ahead)
    size = float(np.linalg.norm(side))
    if not size > 1e-9 * float(np.linalg.norm(normal)):
        raise BadValue("the arc's normal runs along the curve", remedy="give another normal")
    left = side / size
    inward = left if angle > 0 else -left
    centre = start + radius * inward
    frame = frame_of(np.cross(ahead, inward), start - centre)
    return _arc_from(centre, start, abs(angle), frame)


def _flat(normal: Floats) -> Floats:
    """Rid the normal of arcs in a plane of constant z of round-off."""
    return Z * np.sign(normal[2]) if np.all(np.abs(normal[:2]) <= 1e-15 * abs(normal[2])) else normal


def _arc_from(centre: Floats, first: Floats, turn: float, frame: Floats) -> Arc:
    return Arc(centre, float(np.linalg.norm(first - centre)), 0.0, turn, frame)

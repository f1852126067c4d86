"""The curve at a constant distance from another, in a plane."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.compound import Joined, Part
from plodek.core.shape.curves.curve import Curve, Jet
from plodek.core.shape.curves.parametric import ParametricCurve
from plodek.core.shape.frame import frame_of, unit


def offset(curve: Curve, distance: float, normal: Floats) -> Curve:
    """Give the curve at ``distance`` to the left of another, seen with ``normal`` towards the eye.

    Round a corner that opens outwards it runs on an arc; a corner that opens inwards is refused, and so
    is a distance beyond the radius of curvature. Raises BadValue.
    """
    z = unit(normal, "normal")
    corners = curve.corners
    if curve.closed:
        cuts = np.append(corners, corners[:1] + 1.0) if len(corners) else np.array([])
    else:
        cuts = corners
    if not len(cuts):
        return OffsetPiece(curve, distance, z)
    if curve.closed or len(cuts) > 2:
        parts: list[Curve] = [Part(curve, a, b) for a, b in pairwise(cuts)]
    else:
        parts = [curve]
    pieces: list[Curve] = []
    last = len(parts) - 1
    for number, part in enumerate(parts):
        pieces.append(OffsetPiece(part, distance, z))
        if number < last or curve.closed:
            after = parts[(number + 1) % len(parts)]
            bridge = _round_corner(part, after, distance, z)
            pieces += [bridge] if bridge is not None else []
    if len(pieces) == 1:
        return pieces[0]
    return Joined(pieces, 1e-9 * curve.length)


class OffsetPiece(ParametricCurve):
    """The offset of a smooth curve; see `offset`."""

    def __init__(self, base: Curve, distance: float, normal: Floats) -> None:
        self._base, self._distance, self._normal = base, distance, normal
        s = np.linspace(0.0, 1.0, 201)
        place, first, second = base.derivatives(s)
        along = first / base.length
        if np.max(np.abs(along @ normal)) > 1e-6:
            raise BadValue("the curve leaves the plane of the offset", remedy="give the plane's normal")
        inward = np.einsum("nk,nk->n", second / base.length**2, np.cross(normal, along))
        if np.any(inward * distance >= 1):
            radius = 1 / float(np.max(inward * math.copysign(1.0, distance)))
            raise BadValue(
                f"the offset {abs(distance):.6g} is larger than the radius of curvature {radius:.4g}",
                remedy=f"stay below {radius:.4g}, or offset to the other side",
            )
        ends = np.empty(0) if base.closed else np.array([0.0, 1.0])
        knots = np.linspace(0.0, 1.0, 9)
        places = place + distance * np.cross(normal, along)
        super().__init__(knots, closed=base.closed, sharp=ends, points=places[::25])

    def _jet(self, u: Floats) -> Jet:
        first, second = self._slopes(u)
        return self._place(u), first, second

    def _place(self, u: Floats) -> Floats:
        place, first, _ = self._base.derivatives(u)
        return np.asarray(place + self._distance / self._base.length * np.cross(self._normal, first))

    def _slopes(self, u: Floats) -> tuple[Floats, Floats]:
        """Take the first derivative from the base's second, and the second by a central difference."""
        step = 1e-5
        low, high = np.clip(u - step, 0, 1), np.clip(u + step, 0, 1)
        if self._base.closed:
            low, high = u - step, u + step
        return self._slope(u), (self._slope(high) - self._slope(low)) / (high - low)[:, None]

    def _slope(self, u: Floats) -> Floats:
        _, first, second = self._base.derivatives(u)
        return np.asarray(first + self._distance / self._base.length * np.cross(self._normal, second))


def _round_corner(before: Curve, after: Curve, distance: float, z: Floats) -> Curve | None:
    """Give the arc round a corner, None where the curve does not turn there."""
    at = before.end()
    ways = before.tangent(np.array([1.0]))[0], after.tangent(np.array([0.0]))[0]
    turn = math.atan2(float(z @ np.cross(*ways)), float(ways[0] @ ways[1]))
    if abs(turn) < 1e-9:
        return None
    if turn * distance > 0:
        place = ", ".join(f"{v:.4g}" for v in at)
        raise BadValue(
            f"the offset would cross itself at the inner corner ({place})",
            remedy="offset to the other side, or divide the curve there",
        )
    out = distance * np.cross(z, ways[0])
    frame = frame_of(z * math.copysign(1.0, turn), out)
    return Arc(at, abs(distance), 0.0, abs(turn), frame)

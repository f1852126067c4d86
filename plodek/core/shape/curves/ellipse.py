"""Ellipses and parts of them, in any plane."""

from __future__ import annotations

import math

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Jet
from plodek.core.shape.curves.parametric import ParametricCurve


class Ellipse(ParametricCurve):
    """The ellipse around ``centre`` (3,) with semi-axes along x and y of ``frame``, or a part of it.

    ``start`` and ``end`` are the eccentric angles in radians: the place is a cos t along x and b sin t
    along y. Raises BadValue for a semi-axis that is not positive, no turn, or more than a full one.
    """

    def __init__(
        self,
        centre: Floats,
        semi_axes: tuple[float, float],
        frame: Floats,
        start: float = 0.0,
        end: float = math.tau,
    ) -> None:
        if not min(semi_axes) > 0:
            raise BadValue(f"a semi-axis is {min(semi_axes):g}", remedy="give semi-axes above 0")
        turn = end - start
        if not 0 < abs(turn) <= math.tau * (1 + 1e-12):
            raise BadValue(
                f"the ellipse turns by {math.degrees(turn):g}°",
                remedy="give angles that differ by more than 0° and at most 360°",
            )
        self.centre, self.semi_axes, self.frame = centre, semi_axes, frame
        self.first, self.turn = start, turn
        closed = abs(turn) >= math.tau * (1 - 1e-12)
        knots = np.linspace(0.0, 1.0, 9)
        ends = np.empty(0) if closed else knots[[0, -1]]
        places = self._jet(knots)[0]
        super().__init__(knots, closed=closed, sharp=ends, points=places[:-1] if closed else places)

    def _jet(self, u: Floats) -> Jet:
        angle = self.first + u * self.turn
        a, b = self.semi_axes[0] * self.frame[0], self.semi_axes[1] * self.frame[1]
        cosine, sine = np.cos(angle)[:, None], np.sin(angle)[:, None]
        out = cosine * a + sine * b
        return self.centre + out, self.turn * (cosine * b - sine * a), -(self.turn**2) * out

"""The curve through a lattice from one of its places to another, straight in its indices."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.shape.curves.curve import Jet
from plodek.core.shape.curves.parametric import ParametricCurve
from plodek.core.shape.curves.spline import cubics_at
from plodek.core.shape.lattice import Lattice, cubics, snapped

#: Fractions that differ by less are one: what is left of counting from either end.
_SAME = 1e-15


class LatticeLine(ParametricCurve):
    """The line between indices ``start`` and ``end`` (3,) of a lattice, which goes through its nodes.

    Along an axis it is the lattice's own shape to round-off; else it is that at even steps of the index, of
    which there are as many as it runs along the axis where it runs most. Raises BadValue for no length.
    """

    def __init__(self, lattice: Lattice, start: Floats, end: Floats) -> None:
        axis = int(np.argmax(np.abs(end - start)))
        if np.count_nonzero(end - start) == 1:
            along = np.tile(start, (lattice.nodes.shape[axis], 1))
            along[:, axis] = np.arange(len(along))
            creases = lattice.creases[axis]
            first, last = float(start[axis]), float(end[axis])
        else:
            steps = max(round(float(np.abs(end - start)[axis])), 1)
            along = start + np.linspace(0.0, 1.0, steps + 1)[:, None] * (end - start)
            creases = np.array([0, steps])
            first, last = 0.0, float(steps)
        places = lattice.at(along)
        self._factors, self._last = cubics(places, creases), places[-1]
        self._nodes = np.arange(float(len(places)))
        self._first, self._way = first, 1.0 if last > first else -1.0
        self.count = abs(last - first)
        inner = self._nodes[(self._nodes > min(first, last)) & (self._nodes < max(first, last))]
        ends = np.array([0.0, self.count])
        knots = np.union1d(np.abs(inner - first), ends)
        sharp = np.union1d(np.abs(inner[np.isin(inner, creases)] - first), ends)
        super().__init__(knots, closed=False, sharp=sharp, points=lattice.at(np.stack([start, end])))

    def parameter(self, s: Floats) -> Floats:
        """Invert the arc length; at nodes, which are most of what is asked for, that is known."""
        known = self._ends / self.length
        near = np.clip(np.searchsorted(known, s - _SAME), 0, len(known) - 1)
        found = self._knots[near]
        others = np.abs(known[near] - s) > _SAME
        if np.any(others):
            found[others] = super().parameter(s[others])
        return np.asarray(found)

    def start(self) -> Floats:
        """Give the place (3,) where the line begins."""
        return np.array(self.points[0])

    def end(self) -> Floats:
        """Give the place (3,) where the line ends."""
        return np.array(self.points[1])

    def steps(self, s: Floats) -> Floats:
        """Give how many steps of the lattice (n,) lie before the fractions ``s`` (n,)."""
        return np.asarray(self._way * (self._along(self.parameter(s)) - self._first))

    def fractions(self, shares: Floats) -> Floats:
        """Give the fractions (n,) at which such shares (n,) of the steps lie before; of nodes their own."""
        steps = np.clip(self._way * (self._along(shares * self.count) - self._first), 0.0, self.count)
        piece = self._piece(steps)
        along = self._ends[piece] + self._lengths(self._knots[piece], steps)
        found = along / self.length
        found[steps == self.count] = 1.0
        return np.asarray(found)

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,): nodes are those of the lattice to the bit."""
        return self._jet(self.parameter(s))[0]

    def _along(self, u: Floats) -> Floats:
        return snapped(self._first + self._way * u)

    def _jet(self, u: Floats) -> Jet:
        at = self._along(u)
        place, first, second = cubics_at(self._factors, self._nodes, at)
        place[at == self._nodes[-1]] = self._last
        return place, self._way * first, second

    def _settled(self, knots: Floats) -> Floats:
        """Leave the knots as they are: eight places on a cubic tell its length well enough."""
        return knots

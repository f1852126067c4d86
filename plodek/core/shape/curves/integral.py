"""An integral and its inverse, piece by piece, as Chebyshev series made once.

Interpolation in the Chebyshev points of the first kind (Trefethen, Approximation Theory and Approximation
Practice, 2013, ch. 2 to 4), summed after Clenshaw 1955 (Math. Tables Aids Comput. 9, 118). Pieces where the
series does not reach round-off, such as those round a cusp, are left to the caller's own steps each time.
"""

from __future__ import annotations

from collections.abc import Callable

import numba
import numpy as np
from numpy.polynomial.chebyshev import chebint, chebval

from plodek.core.arrays import Floats, Ints
from plodek.core.tolerances import NEWTON

_COUNT = 26
_STEPS = 12
#: How far the integral at a parameter found may be off, in shares of the whole.
_ROUND_OFF = 2e-14
#: Places of a piece, from -1 to 1, at which it is tried.
_TRIALS = np.array([-0.994, -0.74, -0.16, 0.42, 0.936])

_ANGLES = np.pi * (np.arange(_COUNT) + 0.5) / _COUNT
_POINTS = np.cos(_ANGLES)
#: Gives the series of a function from its values in the points.
_WAVES = 2.0 / _COUNT * np.cos(np.arange(_COUNT)[:, None] * _ANGLES)
_WAVES[0] *= 0.5


class PiecewiseIntegral:
    """The integral of a ``rate`` above 0, which is ``ends`` (n,) at the parameters ``knots`` (n,).

    ``rate`` gives it at parameters (n,); ``integral`` that from the beginning of pieces (n,) on; ``solve``
    the parameters at values (n,) of the integral on pieces (n,). The last two work to round-off.
    """

    def __init__(
        self,
        knots: Floats,
        ends: Floats,
        rate: Callable[[Floats], Floats],
        integral: Callable[[Ints, Floats], Floats],
        solve: Callable[[Floats, Ints], Floats],
    ) -> None:
        self._knots, self._ends, self._integral, self._solve = knots, ends, integral, solve
        half = 0.5 * np.diff(knots)
        middle = 0.5 * (knots[1:] + knots[:-1])
        rates = rate((middle[:, None] + half[:, None] * _POINTS).ravel()).reshape(len(half), -1)
        slope = half * (_WAVES @ rates.T)  # by x, which runs from -1 to 1 over a piece
        whole = chebint(slope, lbnd=-1)
        total = chebval(1.0, whole)
        shares = np.concatenate([_POINTS, _TRIALS])
        wanted = 0.5 * (1.0 + shares)[:, None] * total
        x = np.broadcast_to(shares[:, None], wanted.shape)
        for _ in range(_STEPS):
            speed = np.maximum(chebval(x, slope[:, None], tensor=False), 1e-3 * total)
            before = x
            x = np.clip(x - (chebval(x, whole[:, None], tensor=False) - wanted) / speed, -1.0, 1.0)
            if np.abs(x - before).max() <= NEWTON:
                break
        # Both as series from -1 to 1, in which a piece and the integral over it are told as shares.
        self._back = np.ascontiguousarray((_WAVES @ x[:_COUNT]).T)
        self._forth = np.ascontiguousarray((2.0 * whole / np.where(total > 0, total, 1.0)).T)
        self._forth[:, 0] -= 1.0
        pieces = np.repeat(np.arange(len(half)), len(_TRIALS))
        values = (ends[:-1, None] + 0.5 * (1.0 + _TRIALS) * np.diff(ends)[:, None]).ravel()
        tried = self._summed(self._back, self._ends, self._knots, values, pieces)
        true = self._ends[pieces] + integral(pieces, tried)
        again = self._summed(self._forth, self._knots, self._ends, tried, pieces)
        off = np.maximum(np.abs(true - values), np.abs(true - again))
        self._rough = np.max(off.reshape(len(half), -1), axis=1) > _ROUND_OFF * ends[-1]

    def at(self, u: Floats) -> Floats:
        """Give the values (n,) of the integral at parameters (n,)."""
        pieces = np.clip(np.searchsorted(self._knots, u, side="right") - 1, 0, len(self._knots) - 2)
        found = self._summed(self._forth, self._knots, self._ends, u, pieces)
        rough = self._rough[pieces]
        if np.any(rough):
            found[rough] = self._ends[pieces[rough]] + self._integral(pieces[rough], u[rough])
        return found

    def parameters(self, values: Floats) -> Floats:
        """Give the parameters (n,) at values (n,) of the integral."""
        pieces = np.clip(np.searchsorted(self._ends, values, side="right") - 1, 0, len(self._knots) - 2)
        found = self._summed(self._back, self._ends, self._knots, values, pieces)
        rough = self._rough[pieces]
        if np.any(rough):
            found[rough] = self._solve(values[rough], pieces[rough])
        return found

    @staticmethod
    def _summed(series: Floats, of: Floats, to: Floats, values: Floats, pieces: Ints) -> Floats:
        found = np.empty(len(values))
        _sum(series, of, to, np.ascontiguousarray(values), pieces, found)
        return found


@numba.njit(cache=True, nogil=True)
def _sum(series: Floats, of: Floats, to: Floats, values: Floats, pieces: Ints, found: Floats) -> None:
    """Sum the series of pieces (n,) at values (n,): from pieces between ``of`` to those between ``to``."""
    for n in range(len(values)):
        k = pieces[n]
        width = of[k + 1] - of[k]
        x = 2.0 * (values[n] - of[k]) / width - 1.0 if width > 0 else -1.0
        x = min(max(x, -1.0), 1.0)
        ahead = after = 0.0
        for j in range(series.shape[1] - 1, 0, -1):
            ahead, after = series[k, j] + 2.0 * x * ahead - after, ahead
        y = series[k, 0] + x * ahead - after
        y = x if abs(x) == 1.0 else min(max(y, -1.0), 1.0)
        found[n] = 0.5 * ((1.0 - y) * to[k] + (1.0 + y) * to[k + 1])

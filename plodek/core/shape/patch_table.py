"""A surface as Chebyshev series over a grid of patches: places and derivatives at the cost of a short sum.

Series in the Chebyshev points of the first kind (Trefethen, Approximation Theory and Approximation Practice,
2013, ch. 3 and 4), their grid refined until the last terms are round-off.
"""

from __future__ import annotations

from collections.abc import Callable

import numba
import numpy as np

from plodek.core.arrays import Floats

_COUNT = 11
_ANGLES = np.pi * (np.arange(_COUNT) + 0.5) / _COUNT
_POINTS = np.cos(_ANGLES)
_WAVES = 2.0 / _COUNT * np.cos(np.arange(_COUNT)[:, None] * _ANGLES)
_WAVES[0] *= 0.5
_ROUNDS = 6
#: The last terms of a series below this share of the extent are round-off.
_ROUND_OFF = 1e-14
#: A surface that takes more patches has no table.
_MOST = 6000
#: The error of a table, in shares of the extent, that counts as none.
_EXACT = 1e-12
_TRIALS = np.array([-0.93, -0.27, 0.58])


class PatchTable:
    """The table of a surface over (u, v); ``at`` gives its places (n, 3), smooth between ``joints``.

    ``error`` is how far places by the table were off at most where it was tried, in shares of the extent;
    infinite where the surface would take too many patches. A table is ``exact`` where that is round-off.
    """

    def __init__(self, at: Callable[[Floats], Floats], joints: tuple[Floats, Floats]) -> None:
        self._at = at
        lines = [np.unique(part) for part in joints]
        self.error = np.inf
        for _ in range(_ROUNDS):
            if (len(lines[0]) - 1) * (len(lines[1]) - 1) > _MOST:
                return
            series, size = self._series(lines)
            rough = [
                np.abs(series[..., -2:, :, :]).max(axis=(1, 2, 3, 4)) > _ROUND_OFF * size,
                np.abs(series[..., -2:, :]).max(axis=(0, 2, 3, 4)) > _ROUND_OFF * size,
            ]
            if not any(np.any(part) for part in rough):
                break
            lines = [
                np.sort(np.concatenate([line, 0.5 * (line[1:] + line[:-1])[part]]))
                for line, part in zip(lines, rough, strict=True)
            ]
        else:
            series, size = self._series(lines)
        terms = [int(np.max(np.nonzero(np.abs(series).max(axis=axes) > _ROUND_OFF * size)[0], initial=2)) + 1
                 for axes in ((0, 1, 3, 4), (0, 1, 2, 4))]  # fmt: skip
        self.lines = lines[0], lines[1]
        kept = series[:, :, : terms[0], : terms[1]]
        #: The factors (m, k, p, 3 q) of the terms in v, and of each the places' three parts.
        self.series = np.ascontiguousarray(kept).reshape(*kept.shape[:3], -1)
        tried = self._grid(lines, _TRIALS)
        self.error = float(np.abs(self.jet(tried)[0] - at(tried)).max()) / size

    @property
    def exact(self) -> bool:
        """Whether the table says what the surface does, to round-off."""
        return self.error <= _EXACT

    def jet(self, uv: Floats, high: Floats | None = None) -> Floats:
        """Give place and derivatives by u, v, uu, uv, vv (6, n, 3) at parameters (n, 2).

        On the lines of the upper bounds ``high`` (n, 2) they are those below them.
        """
        found = np.empty((6, len(uv), 3))
        bounds = np.full_like(uv, np.inf) if high is None else high
        _jets(self.series, *self.lines, np.ascontiguousarray(uv), np.ascontiguousarray(bounds), found)
        return found

    def _series(self, lines: list[Floats]) -> tuple[Floats, float]:
        """Give the series (m, k, p, q, 3) over the patches between lines, and the surface's extent."""
        m, k = len(lines[0]) - 1, len(lines[1]) - 1
        values = self._at(self._grid(lines, _POINTS)).reshape(m, k, _COUNT, _COUNT, 3)
        series = np.einsum("pi,qj,mkijd->mkpqd", _WAVES, _WAVES, values, optimize=True)
        return series, float(np.max(np.ptp(values.reshape(-1, 3), axis=0))) + 1e-300

    @staticmethod
    def _grid(lines: list[Floats], points: Floats) -> Floats:
        """Give the parameters (n, 2) of the same points, from -1 to 1, in every patch."""
        u, v = (0.5 * (a[1:] + a[:-1])[:, None] + 0.5 * np.diff(a)[:, None] * points for a in lines)
        shape = (len(u), len(v), len(points), len(points))
        both = np.broadcast_to(u[:, None, :, None], shape), np.broadcast_to(v[None, :, None, :], shape)
        return np.stack(both, axis=-1).reshape(-1, 2)


@numba.njit(inline="always")
def _after(
    x: float, t: float, t1: float, t2: float, b: float, b1: float, b2: float
) -> tuple[float, float, float, float, float, float]:
    """Go on by one term, with its derivatives: from t and b to b and the one after it."""
    return b, b1, b2, 2.0 * x * b - t, 2.0 * b + 2.0 * x * b1 - t1, 4.0 * b1 + 2.0 * x * b2 - t2


@numba.njit(cache=True, nogil=True)
def _patch(lines: Floats, at: float, high: float) -> int:
    """Give the number of the patch that a parameter lies in; below the bound ``high`` on its line."""
    low = 0
    above = len(lines) - 1
    while above - low > 1:
        middle = (low + above) // 2
        if lines[middle] <= at and lines[middle] < high:
            low = middle
        else:
            above = middle
    return low


@numba.njit(cache=True, nogil=True)
def patch_jet(
    series: Floats, us: Floats, vs: Floats, u: float, v: float, high: Floats, jet: Floats, sums: Floats
) -> None:
    """Give place and derivatives by u, v, uu, uv, vv (6, 3) at one place of a table.

    On the line of an upper bound (2,) they are those of the patch below it. ``sums`` (3, 3 q) is there
    to work in.
    """
    i, j = _patch(us, u, high[0]), _patch(vs, v, high[1])
    rate_u, rate_v = 2.0 / (us[i + 1] - us[i]), 2.0 / (vs[j + 1] - vs[j])
    x, y = (u - us[i]) * rate_u - 1.0, (v - vs[j]) * rate_v - 1.0
    # First over the terms in x, for all factors in a row.
    sums[:] = 0.0
    t, t1, t2, b, b1, b2 = 1.0, 0.0, 0.0, x, 1.0, 0.0  # the term in x, and the one after it
    for p in range(series.shape[2]):
        for k in range(series.shape[3]):
            factor = series[i, j, p, k]
            sums[0, k] += t * factor
            sums[1, k] += t1 * factor
            sums[2, k] += t2 * factor
        t, t1, t2, b, b1, b2 = _after(x, t, t1, t2, b, b1, b2)
    for d in range(3):
        place = du = dv = duu = duv = dvv = 0.0
        t, t1, t2, b, b1, b2 = 1.0, 0.0, 0.0, y, 1.0, 0.0
        for k in range(d, series.shape[3], 3):
            f, f1, f2 = sums[0, k], sums[1, k], sums[2, k]
            place += t * f
            du += t * f1
            dv += t1 * f
            duu += t * f2
            duv += t1 * f1
            dvv += t2 * f
            t, t1, t2, b, b1, b2 = _after(y, t, t1, t2, b, b1, b2)
        jet[0, d], jet[1, d], jet[2, d] = place, rate_u * du, rate_v * dv
        jet[3, d], jet[4, d], jet[5, d] = rate_u * rate_u * duu, rate_u * rate_v * duv, rate_v * rate_v * dvv


@numba.njit(cache=True, nogil=True)
def _jets(series: Floats, us: Floats, vs: Floats, uv: Floats, high: Floats, found: Floats) -> None:
    jet, sums = np.empty((6, 3)), np.empty((3, series.shape[3]))
    for n in range(len(uv)):
        patch_jet(series, us, vs, uv[n, 0], uv[n, 1], high[n], jet, sums)
        found[:, n] = jet

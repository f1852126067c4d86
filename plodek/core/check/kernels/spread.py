"""Values spread over bars, compiled: one pass over all of them."""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Floats, Ints

#: Parts that the values are shared out in, for all threads to have some.
_PARTS = 16


@nb.njit(cache=True, parallel=True, nogil=True)
def _ends(values: Floats) -> Floats:
    """Give the least and the largest value (parts, 2) that is finite, by parts."""
    found = np.empty((_PARTS, 2))
    for part in nb.prange(_PARTS):
        low, high = np.inf, -np.inf
        for n in range(part * len(values) // _PARTS, (part + 1) * len(values) // _PARTS):
            if np.isfinite(values[n]):
                low, high = min(low, values[n]), max(high, values[n])
        found[part] = low, high
    return found


def range_of(values: Floats) -> tuple[float, float] | None:
    """Give the least and the largest of values (n,) that are finite; None where none is."""
    low, high = _ends(values).T
    return (float(low.min()), float(high.max())) if low.min() <= high.max() else None


@nb.njit(cache=True, parallel=True, nogil=True)
def _by_parts(values: Floats, weights: Floats, bounds: Floats) -> tuple[Ints, Floats]:
    """Count values, and sum the sizes of their weights, between bounds, by parts: (parts, bars) each."""
    bars = len(bounds) - 1
    counts, sums = np.zeros((_PARTS, bars), dtype=np.int64), np.zeros((_PARTS, bars))
    for part in nb.prange(_PARTS):
        for n in range(part * len(values) // _PARTS, (part + 1) * len(values) // _PARTS):
            value = values[n]
            if not bounds[0] <= value <= bounds[bars]:
                continue
            low, high = 0, bars
            while high - low > 1:
                middle = (low + high) // 2
                if value >= bounds[middle]:
                    low = middle
                else:
                    high = middle
            counts[part, low] += 1
            sums[part, low] += abs(weights[n])
    return counts, sums


def spread(values: Floats, weights: Floats, bounds: Floats) -> tuple[Ints, Floats]:
    """Count values (n,), and sum the sizes of their weights (n,), between bounds (bars + 1,).

    The last bar holds its upper end too; values outside, and those that are NaN, are in none.
    """
    counts, sums = _by_parts(values, weights, bounds)
    return counts.sum(axis=0), sums.sum(axis=0)

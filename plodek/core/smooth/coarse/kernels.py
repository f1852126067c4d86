"""Compiled kernels between a grid and a coarser one."""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.smooth.kernels import Singles, Slots, Three


@nb.njit(cache=True, parallel=True, nogil=True)
def averaged(values: Floats, slots: Slots, steps: Any) -> Floats:
    """Average values (n, 3) over slots (m,) and those around, in ``steps`` (m, 3): ¼, ½, ¼ along each.

    Full weighting (Trottenberg, Oosterlee & Schüller 2001, Multigrid, § 2.3.3). In the plane the last step
    is 0.
    """
    found = np.zeros((len(slots), 3))
    for n in nb.prange(len(slots)):
        for a in range(-1, 2):
            for b in range(-1, 2):
                for c in range(-1, 2):
                    p = slots[n] + a * steps[n, 0] + b * steps[n, 1] + c * steps[n, 2]
                    weight = 0.125 * 0.5 ** (abs(a) + abs(b) + abs(c))
                    for m in range(3):
                        found[n, m] += weight * values[p, m]
    return found


@nb.njit(cache=True, nogil=True)
def _between(few: Floats, low: Any, share: Any, i: int, j: int, k: int) -> Three:
    """Give the value of a node between those of a coarser grid."""
    x = y = z = 0.0
    for corner in range(8):
        a, b, c = corner & 1, corner >> 1 & 1, corner >> 2
        weight = share[0][i] if a else 1.0 - share[0][i]
        weight *= share[1][j] if b else 1.0 - share[1][j]
        weight *= share[2][k] if c else 1.0 - share[2][k]
        if weight != 0.0:
            p, q, r = low[0][i] + a, low[1][j] + b, low[2][k] + c
            x += weight * few[p, q, r, 0]
            y += weight * few[p, q, r, 1]
            z += weight * few[p, q, r, 2]
    return x, y, z


@nb.njit(cache=True, parallel=True, nogil=True)
def spread(few: Floats, low: Any, share: Any) -> Floats:
    """Spread values (mi, mj, mk, 3) over a block (ni, nj, nk, 3), evenly between.

    Along axis d node n is ``share[d][n]`` of the way from the value ``low[d][n]`` to the next one.
    """
    ni, nj, nk = len(low[0]), len(low[1]), len(low[2])
    found = np.empty((ni, nj, nk, 3))
    for i in nb.prange(ni):
        for j in range(nj):
            for k in range(nk):
                x, y, z = _between(few, low, share, i, j, k)
                found[i, j, k, 0], found[i, j, k, 1], found[i, j, k, 2] = x, y, z
    return found


@nb.njit(cache=True, parallel=True, nogil=True)
def add_between(xyz: Floats, own: Slots, few: Floats, low: Any, share: Any, free: Any, soft: Singles) -> None:
    """Move the nodes at a block's own slots (ni, nj, nk) by values spread over it, in place.

    Those that are ``free`` (n,) move by the share of it that they are ``soft`` (n,).
    """
    for i in nb.prange(own.shape[0]):
        for j in range(own.shape[1]):
            for k in range(own.shape[2]):
                p = own[i, j, k]
                if free[p] and soft[p] > 0.0:
                    x, y, z = _between(few, low, share, i, j, k)
                    xyz[p, 0] += soft[p] * x
                    xyz[p, 1] += soft[p] * y
                    xyz[p, 2] += soft[p] * z

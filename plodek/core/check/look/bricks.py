"""Bricks of cells with a ball round each: what a section surely misses is passed over."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.grid.grid import Grid

#: Cells along each axis of a brick.
BRICK = 8


@dataclass(frozen=True)
class Bricks:
    """``low`` (n, 3) first cells of bricks, block by block; ``starts`` (blocks + 1,) is where each begins.

    All nodes of a brick lie within ``radius`` (n,) of its ``centre`` (n, 3).
    """

    starts: Ints
    low: Ints
    centre: Floats
    radius: Floats

    @property
    def bytes(self) -> int:
        """What they take of memory."""
        return self.low.nbytes + self.centre.nbytes + self.radius.nbytes


def bricks_of(grid: Grid) -> Bricks:
    """Make the bricks of a grid in space."""
    lows = [
        np.stack(np.meshgrid(*(np.arange(0, n, BRICK) for n in grid.shape_of(b)), indexing="ij"), -1)
        for b in range(len(grid.xyz))
    ]
    flat = [low.reshape(-1, 3) for low in lows]
    starts = np.concatenate([[0], np.cumsum([len(low) for low in flat])])
    low = np.concatenate(flat)
    centre, radius = np.empty((len(low), 3)), np.empty(len(low))
    for b, xyz in enumerate(grid.xyz):
        part = slice(starts[b], starts[b + 1])
        _balls(xyz, low[part], centre[part], radius[part])
    return Bricks(starts, low, centre, radius)


@nb.njit(cache=True, parallel=True, nogil=True)
def _balls(xyz: Floats, low: Ints, centre: Floats, radius: Floats) -> None:
    """Fill the balls: each round the middle of its brick's box."""
    for n in nb.prange(len(low)):
        i0, j0, k0 = low[n]
        i1, j1 = min(i0 + BRICK + 1, xyz.shape[0]), min(j0 + BRICK + 1, xyz.shape[1])
        k1 = min(k0 + BRICK + 1, xyz.shape[2])
        least, most = np.full(3, np.inf), np.full(3, -np.inf)
        for i in range(i0, i1):
            for j in range(j0, j1):
                for k in range(k0, k1):
                    for x in range(3):
                        least[x] = min(least[x], xyz[i, j, k, x])
                        most[x] = max(most[x], xyz[i, j, k, x])
        square = 0.0
        for x in range(3):
            centre[n, x] = 0.5 * (least[x] + most[x])
            square += 0.25 * (most[x] - least[x]) ** 2
        radius[n] = np.sqrt(square) * (1.0 + 1e-12)

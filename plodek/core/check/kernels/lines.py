"""Lines of nodes that rows of cells run between, laid side by side for compiled loops."""

from __future__ import annotations

import numba as nb

from plodek.core.arrays import Floats


@nb.njit(cache=True)
def load_lines(xyz: Floats, a: int, b: int, p: Floats) -> None:
    """Take the four lines of nodes (4, 3, n) that a row of cells runs between."""
    for n in range(4):
        for c in range(p.shape[2]):
            for x in range(3):
                p[n, x, c] = xyz[a + (n & 1), b + (n >> 1), c, x]

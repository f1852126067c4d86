"""What cells are beside their neighbours: volume ratio and non-orthogonality, compiled, a row at a time."""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.tolerances import ROUNDING

#: Parts that the rows of a block are shared out in, for all threads to have some.
_PARTS = 16


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def measure_inner_faces(
    xyz: Floats, volume: Floats, centres: Floats, ratio: Floats, non_orthogonality: Floats, begin: int
) -> None:
    """Fill the largest volume ratio and non-orthogonality of cells (cells,) over the faces inside a block.

    ``xyz`` (na, nb, nc, 3) are the block's nodes, ``centres`` (3, cells) those of the grid, of which the
    block's cells ``begin`` there. Rows look at their own faces, so that no two threads write the same cell.
    """
    rows_a, rows_b, count = xyz.shape[0] - 1, xyz.shape[1] - 1, xyz.shape[2] - 1
    rows, plane = rows_a * rows_b, rows_b * count
    parts = min(_PARTS, rows)
    for part in nb.prange(parts):
        # Of the faces to a row beside, and of those to the next row: they are that one's to the row before.
        side, forth = np.empty((2, count)), np.empty((2, count))
        largest, cosine = np.empty(count), np.empty(count)
        first = part * rows // parts
        for row in range(first, (part + 1) * rows // parts):
            a, b, start = row // rows_b, row % rows_b, begin + row * count
            largest[:], cosine[:] = 1.0, 1.0
            if b > 0:
                if row == first:
                    _beside(xyz, a, b, a + 1, b, start, start - count, volume, centres, forth[0], forth[1])
                _take(forth, largest, cosine)
            if b + 1 < rows_b:
                ahead = start + count
                _beside(xyz, a, b + 1, a + 1, b + 1, start, ahead, volume, centres, forth[0], forth[1])
                _take(forth, largest, cosine)
            if a > 0:
                _beside(xyz, a, b, a, b + 1, start, start - plane, volume, centres, side[0], side[1])
                _take(side, largest, cosine)
            if a + 1 < rows_a:
                _beside(xyz, a + 1, b, a + 1, b + 1, start, start + plane, volume, centres, side[0], side[1])
                _take(side, largest, cosine)
            _ahead(xyz, a, b, start, volume, centres, side[0], side[1])
            _take_ahead(side, largest, cosine)
            for c in range(count):
                ratio[start + c] = largest[c]
                square = cosine[c] > 1.0 - ROUNDING
                non_orthogonality[start + c] = 0.0 if square else np.degrees(np.arccos(cosine[c]))


@nb.njit(cache=True, error_model="numpy")
def _take(found: Floats, largest: Floats, cosine: Floats) -> None:
    """Take jumps and slants (2, n) of a row's faces into the worst of its cells."""
    jump, slant = found[0], found[1]
    for c in range(largest.shape[0]):
        largest[c], cosine[c] = max(largest[c], jump[c]), min(cosine[c], slant[c])


@nb.njit(cache=True, error_model="numpy")
def _take_ahead(found: Floats, largest: Floats, cosine: Floats) -> None:
    """Take jumps and slants of the faces between a row's cells into the worst of those on both sides."""
    jump, slant = found[0], found[1]
    for c in range(largest.shape[0] - 1):
        largest[c], cosine[c] = max(largest[c], jump[c]), min(cosine[c], slant[c])
    for c in range(1, largest.shape[0]):
        largest[c], cosine[c] = max(largest[c], jump[c - 1]), min(cosine[c], slant[c - 1])


@nb.njit(cache=True, error_model="numpy")
def _beside(
    xyz: Floats,
    a: int,
    b: int,
    e: int,
    f: int,
    here: int,
    there: int,
    volume: Floats,
    centres: Floats,
    jump: Floats,
    slant: Floats,
) -> None:
    """Fill jump of volume and cosine of slant (n,) over the faces between a row of cells and another.

    The faces lie between two lines of nodes, at (a, b) and (e, f); the rows begin with cells ``here`` and
    ``there``.
    """
    # Unsigned places need no look whether they count from the end; slices would be counted, by all threads.
    own, other, one = np.uint64(here), np.uint64(there), np.uint64(1)
    for n in range(jump.shape[0]):
        c = np.uint64(n)
        # The diagonals of the face; its area vector is half their cross product.
        ux = xyz[e, f, c + one, 0] - xyz[a, b, c, 0]
        uy = xyz[e, f, c + one, 1] - xyz[a, b, c, 1]
        uz = xyz[e, f, c + one, 2] - xyz[a, b, c, 2]
        wx = xyz[a, b, c + one, 0] - xyz[e, f, c, 0]
        wy = xyz[a, b, c + one, 1] - xyz[e, f, c, 1]
        wz = xyz[a, b, c + one, 2] - xyz[e, f, c, 2]
        jump[n], slant[n] = _pair(ux, uy, uz, wx, wy, wz, volume, centres, own + c, other + c)


@nb.njit(cache=True, error_model="numpy")
def _ahead(
    xyz: Floats, a: int, b: int, here: int, volume: Floats, centres: Floats, jump: Floats, slant: Floats
) -> None:
    """Fill jump and slant of the faces between the cells of a row."""
    own, one = np.uint64(here), np.uint64(1)
    for n in range(jump.shape[0] - 1):
        c = np.uint64(n)
        d = c + one
        ux = xyz[a + 1, b + 1, d, 0] - xyz[a, b, d, 0]
        uy = xyz[a + 1, b + 1, d, 1] - xyz[a, b, d, 1]
        uz = xyz[a + 1, b + 1, d, 2] - xyz[a, b, d, 2]
        wx = xyz[a, b + 1, d, 0] - xyz[a + 1, b, d, 0]
        wy = xyz[a, b + 1, d, 1] - xyz[a + 1, b, d, 1]
        wz = xyz[a, b + 1, d, 2] - xyz[a + 1, b, d, 2]
        jump[n], slant[n] = _pair(ux, uy, uz, wx, wy, wz, volume, centres, own + c, own + d)


@nb.njit(cache=True, inline="always", error_model="numpy")
def _pair(
    ux: float, uy: float, uz: float, wx: float, wy: float, wz: float,
    volume: Floats, centres: Floats, own: np.uint64, other: np.uint64,
) -> tuple[float, float]:  # fmt: skip
    """Give the volume ratio of two cells, and the cosine of the slant of the face with these diagonals."""
    nx, ny, nz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
    dx, dy = centres[0, other] - centres[0, own], centres[1, other] - centres[1, own]
    dz = centres[2, other] - centres[2, own]
    size = np.sqrt((nx * nx + ny * ny + nz * nz) * (dx * dx + dy * dy + dz * dz))
    one, two = abs(volume[own]), abs(volume[other])
    small = min(one, two)
    jump = max(one, two) / small if small > 0 else np.inf
    return jump, abs(nx * dx + ny * dy + nz * dz) / size if size > 0 else 0.0

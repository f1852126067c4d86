"""The sides of cells, compiled: how they are warped, and how they lie to the cells' middles."""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Floats

#: A cell's corners by number, i + 2j + 4k, round each of its sides: low and high along each axis, and the
#: sign that turns the cross product of the diagonals outward.
_SIDES = np.array([[0, 2, 6, 4], [1, 3, 7, 5], [0, 1, 5, 4], [2, 3, 7, 6], [0, 1, 3, 2], [4, 5, 7, 6]])
_OUTWARD = np.array([-1.0, 1.0, 1.0, -1.0, -1.0, 1.0])

#: A sine below this is what rounding leaves of none.
_ROUNDING = 1e-12


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def measure_sides(
    xyz: Floats, centres: Floats, alignment: Floats, skewness: Floats, warpage: Floats, begin: int
) -> None:
    """Fill alignment, face skewness and warpage (cells,) of a block's cells from its own sides and cells.

    ``xyz`` (na, nb, nc, 3) are the block's nodes, ``centres`` (3, cells) those of the grid, of which the
    block's cells ``begin`` there.
    """
    rows_a, rows_b, count = xyz.shape[0] - 1, xyz.shape[1] - 1, xyz.shape[2] - 1
    for row in nb.prange(rows_a * rows_b):
        a, b = row // rows_b, row % rows_b
        p, q = np.empty((8, 3)), np.empty((4, 3))
        for c in range(count):
            cell = begin + row * count + c
            for n in range(8):
                for x in range(3):
                    p[n, x] = xyz[a + (n & 1), b + (n >> 1 & 1), c + (n >> 2), x]
            least, furthest, cosine_bent, sine_bent = 1.0, 0.0, 1.0, 0.0
            for side in range(6):
                for n in range(4):
                    for x in range(3):
                        q[n, x] = p[_SIDES[side, n], x]
                for n in range(2):
                    cosine, sine = _fold(q, n)
                    if cosine < cosine_bent or (cosine == cosine_bent and sine > sine_bent):
                        cosine_bent, sine_bent = cosine, sine
                axis, end = side // 2, side % 2
                at = a if axis == 0 else (b if axis == 1 else c)
                last = (rows_a if axis == 0 else (rows_b if axis == 1 else count)) - 1
                step = rows_b * count if axis == 0 else (count if axis == 1 else 1)
                inside = at < last if end else at > 0
                other = (cell + step if end else cell - step) if inside else cell
                cosine, off = _beyond(q, _OUTWARD[side], centres, cell, other)
                least, furthest = min(least, cosine), max(furthest, off)
            alignment[cell], skewness[cell] = least, furthest
            flat = sine_bent < _ROUNDING and cosine_bent > 0
            warpage[cell] = 0.0 if flat else np.degrees(np.arctan2(sine_bent, cosine_bent))


@nb.njit(cache=True, error_model="numpy")
def _beyond(q: Floats, outward: float, centres: Floats, cell: int, other: int) -> tuple[float, float]:
    """Give the least cosine of a side's normal to the ways from the cell's middle, and the face skewness.

    The ways lead to the side's middle and, where there is one, to that of the ``other`` cell.
    """
    ux, uy, uz = q[2, 0] - q[0, 0], q[2, 1] - q[0, 1], q[2, 2] - q[0, 2]
    wx, wy, wz = q[3, 0] - q[1, 0], q[3, 1] - q[1, 1], q[3, 2] - q[1, 2]
    nx, ny, nz = outward * (uy * wz - uz * wy), outward * (uz * wx - ux * wz), outward * (ux * wy - uy * wx)
    mx = 0.25 * (q[0, 0] + q[1, 0] + q[2, 0] + q[3, 0]) - centres[0, cell]
    my = 0.25 * (q[0, 1] + q[1, 1] + q[2, 1] + q[3, 1]) - centres[1, cell]
    mz = 0.25 * (q[0, 2] + q[1, 2] + q[2, 2] + q[3, 2]) - centres[2, cell]
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    if size == 0:  # a side that has shrunk has no normal
        return 1.0, 0.0
    there = nx * mx + ny * my + nz * mz
    way = size * np.sqrt(mx * mx + my * my + mz * mz)
    cosine, off = there / way if way > 0 else 0.0, 0.0
    if other != cell:
        dx, dy = centres[0, other] - centres[0, cell], centres[1, other] - centres[1, cell]
        dz = centres[2, other] - centres[2, cell]
        length = np.sqrt(dx * dx + dy * dy + dz * dz)
        ahead = nx * dx + ny * dy + nz * dz
        cosine = min(cosine, ahead / (size * length) if length > 0 else 0.0)
        if ahead != 0:
            share = there / ahead
            ox, oy, oz = share * dx - mx, share * dy - my, share * dz - mz
            off = np.sqrt(ox * ox + oy * oy + oz * oz) / length
    return cosine, off


@nb.njit(cache=True, error_model="numpy")
def _fold(q: Floats, n: int) -> tuple[float, float]:
    """Give cosine and sine of the angle between the normals of a face's two triangles, over diagonal n."""
    m = (3 + n) % 4
    ax, ay, az = q[1 + n, 0] - q[n, 0], q[1 + n, 1] - q[n, 1], q[1 + n, 2] - q[n, 2]
    dx, dy, dz = q[2 + n, 0] - q[n, 0], q[2 + n, 1] - q[n, 1], q[2 + n, 2] - q[n, 2]
    bx, by, bz = q[m, 0] - q[n, 0], q[m, 1] - q[n, 1], q[m, 2] - q[n, 2]
    sx, sy, sz = ay * dz - az * dy, az * dx - ax * dz, ax * dy - ay * dx
    tx, ty, tz = dy * bz - dz * by, dz * bx - dx * bz, dx * by - dy * bx
    size = np.sqrt((sx * sx + sy * sy + sz * sz) * (tx * tx + ty * ty + tz * tz))
    if size == 0:  # a triangle that has shrunk folds nothing
        return 1.0, 0.0
    x, y, z = sy * tz - sz * ty, sz * tx - sx * tz, sx * ty - sy * tx
    return (sx * tx + sy * ty + sz * tz) / size, np.sqrt(x * x + y * y + z * z) / size

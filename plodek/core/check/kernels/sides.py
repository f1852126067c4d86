"""The sides of cells: how they are warped, and how they lie to the cells' middles; compiled, a row at a time.

Squares are compared, with their signs: a root is taken once a cell.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.kernels.lines import load_lines

#: Parts that the rows of a block are shared out in, for all threads to have some.
_PARTS = 16
#: The square of a sine below this is what rounding leaves of none.
_ROUNDING = 1e-24


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def measure_sides(
    xyz: Floats, centres: Floats, alignment: Floats, skewness: Floats, warpage: Floats, begin: int
) -> None:
    """Fill alignment, face skewness and warpage (cells,) of a block's cells from its own sides and cells.

    ``xyz`` (na, nb, nc, 3) are the block's nodes, ``centres`` (3, cells) those of the grid, of which the
    block's cells ``begin`` there.
    """
    rows_a, rows_b, count = xyz.shape[0] - 1, xyz.shape[1] - 1, xyz.shape[2] - 1
    rows, plane = rows_a * rows_b, rows_b * count
    parts = min(_PARTS, rows)
    for part in nb.prange(parts):
        p = np.empty((4, 3, count + 1))
        # Least cosine, largest skewness, and cosine and sine of the largest fold, all squared.
        worst = np.empty((4, count))
        for row in range(part * rows // parts, (part + 1) * rows // parts):
            a, b, here = row // rows_b, row % rows_b, begin + row * count
            load_lines(xyz, a, b, p)
            worst[0], worst[1], worst[2], worst[3] = 1.0, 0.0, 1.0, 0.0
            # The sides across the first two axes: corners on two lines, at this and the next place.
            low, high = here - plane if a > 0 else here, here + plane if a + 1 < rows_a else here
            _side(p, (0, 2, 0, 2), (0, 0, 1, 1), -1.0, centres, here, low, 0, count, worst)
            _side(p, (1, 3, 1, 3), (0, 0, 1, 1), 1.0, centres, here, high, 0, count, worst)
            low, high = here - count if b > 0 else here, here + count if b + 1 < rows_b else here
            _side(p, (0, 1, 0, 1), (0, 0, 1, 1), 1.0, centres, here, low, 0, count, worst)
            _side(p, (2, 3, 2, 3), (0, 0, 1, 1), -1.0, centres, here, high, 0, count, worst)
            # Those between cells of the row; its ends have none beyond.
            _side(p, (0, 1, 2, 3), (0, 0, 0, 0), -1.0, centres, here, here, 0, 1, worst)
            _side(p, (0, 1, 2, 3), (0, 0, 0, 0), -1.0, centres, here, here - 1, 1, count, worst)
            _side(p, (0, 1, 2, 3), (1, 1, 1, 1), 1.0, centres, here, here + 1, 0, count - 1, worst)
            _side(p, (0, 1, 2, 3), (1, 1, 1, 1), 1.0, centres, here, here, count - 1, count, worst)
            for c in range(count):
                least, bent, sine = worst[0, c], worst[2, c], worst[3, c]
                alignment[here + c] = np.sign(least) * np.sqrt(abs(least))
                skewness[here + c] = np.sqrt(worst[1, c])
                flat = sine < _ROUNDING and bent > 0
                angle = np.arctan2(np.sqrt(sine), np.sign(bent) * np.sqrt(abs(bent)))
                warpage[here + c] = 0.0 if flat else np.degrees(angle)


@nb.njit(cache=True, error_model="numpy")
def _side(
    p: Floats,
    lines: tuple[int, int, int, int],
    places: tuple[int, int, int, int],
    outward: float,
    centres: Floats,
    here: int,
    there: int,
    first: int,
    last: int,
    worst: Floats,
) -> None:
    """Take a side of each cell of a row, from the ``first`` to before the ``last``, into what is worst.

    Its corners lie on four lines of nodes, at this or the next place; the second and third are neighbours of
    the first. ``outward`` turns the cross product of its edges out of the cell. The cells beyond begin
    ``there``, and there are none where that is ``here``.
    """
    ax, ay, az = p[lines[0], 0][places[0] :], p[lines[0], 1][places[0] :], p[lines[0], 2][places[0] :]
    bx, by, bz = p[lines[1], 0][places[1] :], p[lines[1], 1][places[1] :], p[lines[1], 2][places[1] :]
    cx, cy, cz = p[lines[2], 0][places[2] :], p[lines[2], 1][places[2] :], p[lines[2], 2][places[2] :]
    dx, dy, dz = p[lines[3], 0][places[3] :], p[lines[3], 1][places[3] :], p[lines[3], 2][places[3] :]
    least, furthest, bent, sine = worst[0], worst[1], worst[2], worst[3]
    own, other, beyond = np.uint64(here), np.uint64(there), there != here
    for n in range(first, last):
        k = np.uint64(n)
        ux, uy, uz = dx[n] - ax[n], dy[n] - ay[n], dz[n] - az[n]
        wx, wy, wz = cx[n] - bx[n], cy[n] - by[n], cz[n] - bz[n]
        ex, ey, ez = bx[n] - ax[n], by[n] - ay[n], bz[n] - az[n]
        fx, fy, fz = cx[n] - ax[n], cy[n] - ay[n], cz[n] - az[n]
        nx, ny, nz = (
            outward * (uy * wz - uz * wy),
            outward * (uz * wx - ux * wz),
            outward * (ux * wy - uy * wx),
        )
        ox, oy, oz = centres[0, own + k], centres[1, own + k], centres[2, own + k]
        mx = 0.25 * (ax[n] + bx[n] + cx[n] + dx[n]) - ox
        my = 0.25 * (ay[n] + by[n] + cy[n] + dy[n]) - oy
        mz = 0.25 * (az[n] + bz[n] + cz[n] + dz[n]) - oz
        size = nx * nx + ny * ny + nz * nz
        across, way = nx * mx + ny * my + nz * mz, mx * mx + my * my + mz * mz
        cosine = across * abs(across) / (size * way) if way > 0 else 0.0
        off = 0.0
        if beyond:
            vx, vy, vz = centres[0, other + k] - ox, centres[1, other + k] - oy, centres[2, other + k] - oz
            length, ahead = vx * vx + vy * vy + vz * vz, nx * vx + ny * vy + nz * vz
            found = ahead * abs(ahead) / (size * length) if length > 0 else 0.0
            cosine = min(cosine, found)
            share = across / ahead if ahead != 0 else 0.0
            gx, gy, gz = share * vx - mx, share * vy - my, share * vz - mz
            off = (gx * gx + gy * gy + gz * gz) / length if ahead != 0 else 0.0
        # A side that has shrunk has no normal.
        least[n] = min(least[n], cosine if size > 0 else 1.0)
        furthest[n] = max(furthest[n], off if size > 0 else 0.0)
        one, one_sine = _fold(ex, ey, ez, ux, uy, uz, fx, fy, fz)
        # Over the other diagonal, from the second corner: its fourth, its third and its first.
        two, two_sine = _fold(ux - ex, uy - ey, uz - ez, wx, wy, wz, -ex, -ey, -ez)
        worse, worse_sine = (one, one_sine) if one < two else (two, two_sine)
        sine[n] = worse_sine if worse < bent[n] else sine[n]
        bent[n] = min(bent[n], worse)


@nb.njit(cache=True, inline="always", error_model="numpy")
def _fold(
    ax: float, ay: float, az: float, bx: float, by: float, bz: float, cx: float, cy: float, cz: float
) -> tuple[float, float]:
    """Give cosine and sine, squared, of the fold along b between the triangles of a and b, and b and c."""
    sx, sy, sz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    tx, ty, tz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
    size = (sx * sx + sy * sy + sz * sz) * (tx * tx + ty * ty + tz * tz)
    along = sx * tx + sy * ty + sz * tz
    x, y, z = sy * tz - sz * ty, sz * tx - sx * tz, sx * ty - sy * tx
    # A triangle that has shrunk folds nothing.
    cosine = along * abs(along) / size if size > 0 else 1.0
    return cosine, (x * x + y * y + z * z) / size if size > 0 else 0.0

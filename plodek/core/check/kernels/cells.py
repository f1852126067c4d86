"""The metrics of cells by themselves, their volumes and middles: compiled, a row of cells at a time.

Loops run along rows, over arrays whose values lie side by side, so that the processor works on several
cells at once; an edge is measured once for the cells of a row that share it.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.check.kernels.lines import load_lines
from plodek.core.check.kernels.odd_cells import reflex, shrunk

#: Parts that the rows of a block are shared out in, for all threads to have some.
_PARTS = 16


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def measure_cells(
    xyz: Floats,
    flat: bool,
    own: tuple[Floats, Floats, Floats, Floats, Floats, Floats],
    volume: Floats,
    centres: Floats,
    folded: Bools,
    poles: Bools,
    begin: int,
) -> None:
    """Fill what is told of each cell of a block of nodes ``xyz`` (na, nb, nc, 3), cells in C order.

    ``own`` are scaled Jacobian, smallest and largest angle, skewness, aspect ratio and smallest edge, each
    (cells,) as volume, ``folded`` and ``poles`` are; ``centres`` (3, cells); all of a grid of which the
    block's cells ``begin`` there. Of a ``flat`` block the first axis is the depth, which counts neither for
    the aspect ratio nor for the smallest edge.
    """
    rows_b, count, nodes = xyz.shape[1] - 1, xyz.shape[2] - 1, xyz.shape[2]
    rows = (xyz.shape[0] - 1) * rows_b
    parts = min(_PARTS, rows)
    for part in nb.prange(parts):
        p = np.empty((4, 3, nodes))  # the four lines of nodes that the row runs between
        first, second, along = np.empty((2, 3, nodes)), np.empty((2, 3, nodes)), np.empty((4, 3, count))
        sizes = np.empty((2, nodes)), np.empty((2, nodes)), np.empty((4, count))
        # Worst determinant, aspect ratio, shortest edge, volume; least and largest cosine, turns of corners.
        found, cosines, turn = np.empty((4, count)), np.empty((2, count)), np.empty(count)
        sums, middle = np.empty((9, count)), np.empty((3, count))
        for row in range(part * rows // parts, (part + 1) * rows // parts):
            load_lines(xyz, row // rows_b, row % rows_b, p)
            _all_edges(p, flat, first, second, along, sizes, found[2])
            _centres(p, sums, flat, found[0], found[1], middle)
            _volumes(p, sums, found[3])
            cosines[0], cosines[1], turn[:] = 1.0, -1.0, 0.0
            for n in range(8):
                _corner(first, second, along, n, found[0], cosines[0], cosines[1])
            for n in range(2):
                _turns(p, 0, 1, 2, 3, n, n, n, n, turn)
                _turns(p, n, n + 2, n, n + 2, 0, 0, 1, 1, turn)
                _turns(p, 2 * n, 2 * n + 1, 2 * n, 2 * n + 1, 0, 0, 1, 1, turn)
            start = begin + row * count
            for c in range(count):
                volume[start + c] = found[3, c]
                for x in range(3):
                    centres[x, start + c] = middle[x, c]
            _tell((first, second, along), sizes, found, cosines, turn, start, own, folded, poles)


@nb.njit(cache=True, error_model="numpy")
def _all_edges(
    p: Floats,
    flat: bool,
    first: Floats,
    second: Floats,
    along: Floats,
    sizes: tuple[Floats, Floats, Floats],
    smallest: Floats,
) -> None:
    """Measure the edges of a row of cells along all axes, and find the ``smallest`` (n,) of each cell."""
    smallest[:] = np.inf
    for n in range(2):
        _edges(p[2 * n], p[2 * n + 1], 0, first[n], sizes[0][n])
        _edges(p[n], p[n + 2], 0, second[n], sizes[1][n])
        for at in range(2):
            _shortest(sizes[1][n], at, smallest)
            if not flat:
                _shortest(sizes[0][n], at, smallest)
    for n in range(4):
        _edges(p[n], p[n], 1, along[n], sizes[2][n])
        _shortest(sizes[2][n], 0, smallest)


@nb.njit(cache=True, error_model="numpy")
def _tell(
    units: tuple[Floats, Floats, Floats],
    sizes: tuple[Floats, Floats, Floats],
    found: Floats,
    cosines: Floats,
    turn: Floats,
    start: int,
    own: tuple[Floats, Floats, Floats, Floats, Floats, Floats],
    folded: Bools,
    poles: Bools,
) -> None:
    """Tell the metrics of the cells of a row, and look again at those with shrunk edges or concave faces."""
    edge, lengths = np.empty((3, 4, 3)), np.empty((3, 4))
    for c in range(turn.shape[0]):
        cell, value, shortest = start + c, found[0, c], found[2, c]
        low = np.degrees(np.arccos(min(cosines[1, c], 1.0)))
        high = np.degrees(np.arccos(max(cosines[0, c], -1.0)))
        gone = shortest == 0
        if gone or turn[c] < 0:
            _gather(units, sizes, c, edge, lengths)
            high = max(high, reflex(edge, lengths))
        odd = max((high - 90) / 90, (90 - low) / 90)
        if gone:
            value, low, high, odd = shrunk(edge, lengths)
        own[0][cell], own[1][cell], own[2][cell], own[3][cell] = value, low, high, odd
        own[4][cell], own[5][cell] = found[1, c], shortest
        poles[cell], folded[cell] = gone and value > 0, not value > 0


@nb.njit(cache=True, error_model="numpy")
def _edges(low: Floats, high: Floats, at: int, unit: Floats, size: Floats) -> None:
    """Measure edges from places ``low`` to those of ``high`` (3, n) from ``at`` on: unit vectors, lengths."""
    # Slices of single rows lie side by side still, which the compiler must know.
    ax, ay, az, bx, by, bz = low[0], low[1], low[2], high[0][at:], high[1][at:], high[2][at:]
    ux, uy, uz = unit[0], unit[1], unit[2]
    for c in range(size.shape[0]):
        dx, dy, dz = bx[c] - ax[c], by[c] - ay[c], bz[c] - az[c]
        length = np.sqrt(dx * dx + dy * dy + dz * dz)
        inverse = 1.0 / length if length > 0 else 0.0
        ux[c], uy[c], uz[c] = dx * inverse, dy * inverse, dz * inverse
        size[c] = length


@nb.njit(cache=True, error_model="numpy")
def _corner(
    first: Floats,
    second: Floats,
    along: Floats,
    n: int,
    jacobian: Floats,
    low_cos: Floats,
    high_cos: Floats,
) -> None:
    """Take a corner of each cell of a row into the scaled Jacobian and the cosines of its angles."""
    i, j, k = n & 1, n >> 1 & 1, n >> 2
    # At the corner an edge is left from its high end where the corner's bit is set.
    ab, bc, ca = 1.0 - 2.0 * (i ^ j), 1.0 - 2.0 * (j ^ k), 1.0 - 2.0 * (k ^ i)
    m = i | j << 1
    us, vs, ws = first[j], second[i], along[m]
    ux, uy, uz = us[0][k:], us[1][k:], us[2][k:]
    vx, vy, vz = vs[0][k:], vs[1][k:], vs[2][k:]
    wx, wy, wz = ws[0], ws[1], ws[2]
    for c in range(low_cos.shape[0]):
        x, y, z = vy[c] * wz[c] - vz[c] * wy[c], vz[c] * wx[c] - vx[c] * wz[c], vx[c] * wy[c] - vy[c] * wx[c]
        value = ux[c] * x + uy[c] * y + uz[c] * z
        one = ab * (ux[c] * vx[c] + uy[c] * vy[c] + uz[c] * vz[c])
        two = bc * (vx[c] * wx[c] + vy[c] * wy[c] + vz[c] * wz[c])
        three = ca * (wx[c] * ux[c] + wy[c] * uy[c] + wz[c] * uz[c])
        jacobian[c] = min(jacobian[c], value)
        low_cos[c] = min(min(low_cos[c], one), min(two, three))
        high_cos[c] = max(max(high_cos[c], one), max(two, three))


@nb.njit(cache=True, error_model="numpy")
def _centres(
    p: Floats, middles: Floats, flat: bool, jacobian: Floats, aspect: Floats, centres: Floats
) -> None:
    """Fill the middles ``centres`` (3, n) of a row's cells, the scaled Jacobian there, and the aspect ratio.

    The middle counts as a ninth place, as in Verdict. ``middles`` (9, n) is scratch: the sums of edges.
    """
    for x in range(3):
        p0, p1, p2, p3 = p[0, x], p[1, x], p[2, x], p[3, x]
        p4, p5, p6, p7 = p0[1:], p1[1:], p2[1:], p3[1:]
        one, two, three, centre = middles[x], middles[3 + x], middles[6 + x], centres[x]
        for c in range(aspect.shape[0]):
            one[c] = (p1[c] - p0[c]) + (p3[c] - p2[c]) + (p5[c] - p4[c]) + (p7[c] - p6[c])
            two[c] = (p2[c] - p0[c]) + (p3[c] - p1[c]) + (p6[c] - p4[c]) + (p7[c] - p5[c])
            three[c] = (p4[c] - p0[c]) + (p5[c] - p1[c]) + (p6[c] - p2[c]) + (p7[c] - p3[c])
            centre[c] = 0.125 * (p0[c] + p1[c] + p2[c] + p3[c] + p4[c] + p5[c] + p6[c] + p7[c])
    ux, uy, uz, vx, vy, vz = middles[0], middles[1], middles[2], middles[3], middles[4], middles[5]
    wx, wy, wz = middles[6], middles[7], middles[8]
    for c in range(aspect.shape[0]):
        a = np.sqrt(ux[c] * ux[c] + uy[c] * uy[c] + uz[c] * uz[c])
        b = np.sqrt(vx[c] * vx[c] + vy[c] * vy[c] + vz[c] * vz[c])
        d = np.sqrt(wx[c] * wx[c] + wy[c] * wy[c] + wz[c] * wz[c])
        x, y, z = vy[c] * wz[c] - vz[c] * wy[c], vz[c] * wx[c] - vx[c] * wz[c], vx[c] * wy[c] - vy[c] * wx[c]
        value, lengths = ux[c] * x + uy[c] * y + uz[c] * z, a * b * d
        jacobian[c] = min(value / lengths if lengths > 0 else 0.0, 1.0)
        if flat:
            a = b
        short, long = min(min(a, b), d), max(max(a, b), d)
        aspect[c] = long / short if short > 0 else np.inf


@nb.njit(cache=True, error_model="numpy")
def _volumes(p: Floats, middles: Floats, volume: Floats) -> None:
    """Fill the exact signed volumes (n,) of the cells of a row, hexahedra with bilinear faces.

    By the three determinants of Grandy 1997 (UCRL-ID-128886). ``middles`` (9, n) is scratch.
    """
    for n in range(3):
        for x in range(3):
            p0, p1, p2, p3 = p[0, x], p[1, x], p[2, x], p[3, x]
            p4, p5, p6, p7 = p0[1:], p1[1:], p2[1:], p3[1:]
            one, two, three = middles[x], middles[3 + x], middles[6 + x]
            if n == 0:
                for c in range(volume.shape[0]):
                    one[c], two[c], three[c] = (p6[c] - p0[c]) + (p7[c] - p1[c]), p7[c] - p2[c], p3[c] - p0[c]
            elif n == 1:
                for c in range(volume.shape[0]):
                    one[c], two[c], three[c] = p6[c] - p0[c], (p7[c] - p2[c]) + (p5[c] - p0[c]), p7[c] - p4[c]
            else:
                for c in range(volume.shape[0]):
                    one[c], two[c], three[c] = p7[c] - p1[c], p5[c] - p0[c], (p7[c] - p4[c]) + (p3[c] - p0[c])
        ux, uy, uz, vx, vy, vz = middles[0], middles[1], middles[2], middles[3], middles[4], middles[5]
        wx, wy, wz = middles[6], middles[7], middles[8]
        for c in range(volume.shape[0]):
            x, y = vy[c] * wz[c] - vz[c] * wy[c], vz[c] * wx[c] - vx[c] * wz[c]
            z = vx[c] * wy[c] - vy[c] * wx[c]
            value = (ux[c] * x + uy[c] * y + uz[c] * z) / 12.0
            volume[c] = value if n == 0 else volume[c] + value


@nb.njit(cache=True, error_model="numpy")
def _turns(
    p: Floats, a: int, b: int, c: int, d: int, at_a: int, at_b: int, at_c: int, at_d: int, turn: Floats
) -> None:
    """Lower ``turn`` below 0 where a corner of a face turns against the face's normal: it is concave.

    The face's corners lie on four lines of nodes, at this or the next place of the row; the second and
    third are neighbours of the first.
    """
    ax, ay, az = p[a, 0][at_a:], p[a, 1][at_a:], p[a, 2][at_a:]
    bx, by, bz = p[b, 0][at_b:], p[b, 1][at_b:], p[b, 2][at_b:]
    cx, cy, cz = p[c, 0][at_c:], p[c, 1][at_c:], p[c, 2][at_c:]
    dx, dy, dz = p[d, 0][at_d:], p[d, 1][at_d:], p[d, 2][at_d:]
    for n in range(turn.shape[0]):
        ex, ey, ez, fx, fy, fz = (
            bx[n] - ax[n],
            by[n] - ay[n],
            bz[n] - az[n],
            dx[n] - cx[n],
            dy[n] - cy[n],
            dz[n] - cz[n],
        )
        gx, gy, gz, hx, hy, hz = (
            cx[n] - ax[n],
            cy[n] - ay[n],
            cz[n] - az[n],
            dx[n] - bx[n],
            dy[n] - by[n],
            dz[n] - bz[n],
        )
        sx, sy, sz, tx, ty, tz = ex + fx, ey + fy, ez + fz, gx + hx, gy + hy, gz + hz
        nx, ny, nz = sy * tz - sz * ty, sz * tx - sx * tz, sx * ty - sy * tx
        # The normal turned into each first edge: N x e, so that N · (e x g) = g · (N x e).
        ux, uy, uz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
        vx, vy, vz = ny * fz - nz * fy, nz * fx - nx * fz, nx * fy - ny * fx
        one = min(gx * ux + gy * uy + gz * uz, hx * ux + hy * uy + hz * uz)
        two = min(gx * vx + gy * vy + gz * vz, hx * vx + hy * vy + hz * vz)
        turn[n] = min(turn[n], min(one, two))


@nb.njit(cache=True, error_model="numpy")
def _shortest(sizes: Floats, at: int, smallest: Floats) -> None:
    """Lower ``smallest`` (n,) to the lengths (n or more,) from a place of theirs on."""
    here = sizes[at:]
    for c in range(smallest.shape[0]):
        smallest[c] = min(smallest[c], here[c])


@nb.njit(cache=True)
def _gather(
    units: tuple[Floats, Floats, Floats],
    sizes: tuple[Floats, Floats, Floats],
    c: int,
    edge: Floats,
    lengths: Floats,
) -> None:
    """Gather a cell's edges: unit vectors ``edge`` (3, 4, 3) by axis and number, and ``lengths`` (3, 4).

    Edge m of an axis starts at the corner whose other two bits, in rising order, are m.
    """
    for m in range(4):
        low, high = m & 1, m >> 1
        lengths[0, m], lengths[1, m] = sizes[0][low, c + high], sizes[1][low, c + high]
        lengths[2, m] = sizes[2][m, c]
        for x in range(3):
            edge[0, m, x], edge[1, m, x] = units[0][low, x, c + high], units[1][low, x, c + high]
            edge[2, m, x] = units[2][m, x, c]

"""Measuring cells: the compiled kernels of all quality metrics.

The aspect ratio is that of the mean edge vectors by direction, Verdict's maximum edge ratio.
Definitions as in the Verdict Library Reference Manual (Knupp et al., SAND2007-1751) where it has them.
A plane grid is measured as one layer of unit depth: angles, scaled Jacobian, skewness and ratios do
not depend on the depth, and the aspect ratio leaves it out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats, Ints
from plodek.core.check.metric import METRICS
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window

_COLUMNS = 5


def _face_edges() -> npt.NDArray[np.int64]:
    """List for each side its edges as (axis, number): two along its first axis, two along its second."""
    table = []
    for normal in range(3):
        b, c = (axis for axis in range(3) if axis != normal)
        for end in (0, 1):
            row = []
            for along, other in ((b, c), (c, b)):
                for at in (0, 1):
                    bits = {normal: end, other: at}
                    low, high = sorted(bits)
                    row.append((along, bits[low] | bits[high] << 1))
            table.append(row)
    return np.array(table)


_FACE_EDGES = _face_edges()


@dataclass(frozen=True)
class CellValues:
    """Metrics of every cell: ``values`` (metrics, cells), ``volume`` (cells,), ``folded`` (cells,) bool.

    ``poles`` (cells,) tells the cells with a shrunk edge: they are measured as the wedges they are.

    Cells run block by block, C order within one; ``starts`` (blocks + 1,) is where each block begins.
    """

    values: Floats
    volume: Floats
    folded: np.ndarray[tuple[int], np.dtype[np.bool_]]
    starts: tuple[int, ...]
    poles: np.ndarray[tuple[int], np.dtype[np.bool_]]

    def of(self, key: str) -> Floats:
        """Give one metric of all cells (cells,)."""
        return np.asarray(self.values[[m.key for m in METRICS].index(key)])


def measure(grid: Grid) -> CellValues:
    """Measure every cell of a grid, with the faces across interfaces."""
    starts = grid.starts
    # A row per cell: a block's rows lie together, so that the kernels always see the same kind of array.
    values = np.empty((starts[-1], len(METRICS)))
    values[:, _COLUMNS], values[:, _COLUMNS + 1] = 1.0, 0.0
    volume, folded = np.empty(starts[-1]), np.empty(starts[-1], dtype=bool)
    poles = np.zeros(starts[-1], dtype=bool)
    centres = np.empty((starts[-1], 3))
    for block in range(len(grid.xyz)):
        nodes = solid(grid.xyz[block], grid.dim)
        part = slice(starts[block], starts[block + 1])
        _cells(nodes, grid.dim, values[part], volume[part], folded[part], centres[part], poles[part])
        _inner_faces(nodes, grid.dim, volume[part], centres[part], values[part])
    cells = CellValues(values.T, volume, folded, starts, poles)
    _interface_faces(grid, cells, centres)
    return cells


def solid(nodes: Floats, dim: int) -> Floats:
    """Give nodes (ni, nj, 1, 3) of a plane grid a second layer at unit depth; those of space stay."""
    if dim == 3:
        return np.ascontiguousarray(nodes)
    both = np.repeat(nodes, 2, axis=2)
    both[:, :, 1, 2] += 1.0
    return both


@nb.njit(cache=True, inline="always")
def _det(a: Floats, b: Floats, c: Floats) -> float:
    det: float = (
        a[0] * (b[1] * c[2] - b[2] * c[1])
        + a[1] * (b[2] * c[0] - b[0] * c[2])
        + a[2] * (b[0] * c[1] - b[1] * c[0])
    )
    return det


@nb.njit(cache=True, parallel=True, nogil=True)
def _cells(
    xyz: Floats,
    dim: int,
    values: Floats,
    volume: Floats,
    folded: np.ndarray[tuple[int], np.dtype[np.bool_]],
    centres: Floats,
    poles: np.ndarray[tuple[int], np.dtype[np.bool_]],
) -> None:
    """Fill the first five metrics, volumes, centres and folded flags of a block's cells."""
    ci, cj, ck = xyz.shape[0] - 1, xyz.shape[1] - 1, xyz.shape[2] - 1
    for i in nb.prange(ci):
        edge = np.empty((3, 4, 3))  # unit edge vectors: axis, which of its four, component
        size = np.empty((3, 4))
        p = np.empty((8, 3))
        axes, scratch = np.empty((3, 3)), np.empty((9, 3))
        for j in range(cj):
            for k in range(ck):
                for n in range(8):
                    for x in range(3):
                        p[n, x] = xyz[i + (n & 1), j + (n >> 1 & 1), k + (n >> 2), x]
                # Edge m of an axis starts at the corner whose other two bits, in rising order, are m.
                for m in range(4):
                    for axis in range(3):
                        low = m << 1 if axis == 0 else (((m & 2) << 1) | (m & 1) if axis == 1 else m)
                        high = low | 1 << axis
                        length = 0.0
                        for x in range(3):
                            step = p[high, x] - p[low, x]
                            edge[axis, m, x] = step
                            length += step * step
                        length = np.sqrt(length)
                        size[axis, m] = length
                cell = (i * cj + j) * ck + k
                for axis in range(3):
                    for x in range(3):
                        axes[axis, x] = (
                            edge[axis, 0, x] + edge[axis, 1, x] + edge[axis, 2, x] + edge[axis, 3, x]
                        )
                for x in range(3):
                    centres[cell, x] = 0.125 * (
                        p[0, x] + p[1, x] + p[2, x] + p[3, x] + p[4, x] + p[5, x] + p[6, x] + p[7, x]
                    )
                volume[cell] = _volume(p, scratch)
                # The centre counts as a ninth place, as in Verdict.
                lengths, short, long = 1.0, np.inf, 0.0
                for axis in range(3):
                    mean = np.sqrt(axes[axis, 0] ** 2 + axes[axis, 1] ** 2 + axes[axis, 2] ** 2)
                    lengths *= mean
                    if axis < dim:
                        short, long = min(short, mean), max(long, mean)
                jacobian = _det(axes[0], axes[1], axes[2]) / lengths if lengths > 0 else 0.0
                for axis in range(3):
                    for m in range(4):
                        inverse = 1.0 / size[axis, m] if size[axis, m] > 0 else 0.0
                        for x in range(3):
                            edge[axis, m, x] *= inverse
                low_cos, high_cos = 1.0, -1.0
                for n in range(8):
                    a = edge[0, n >> 1]
                    b = edge[1, (n & 1) | (n >> 2) << 1]
                    c = edge[2, n & 3]
                    jacobian = min(jacobian, _det(a, b, c))
                    # At the corner an edge is left from its high end where the corner's bit is set.
                    ab = a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
                    bc = b[0] * c[0] + b[1] * c[1] + b[2] * c[2]
                    ca = c[0] * a[0] + c[1] * a[1] + c[2] * a[2]
                    if (n ^ n >> 1) & 1:
                        ab = -ab
                    if (n >> 1 ^ n >> 2) & 1:
                        bc = -bc
                    if (n >> 2 ^ n) & 1:
                        ca = -ca
                    low_cos, high_cos = min(low_cos, ab, bc, ca), max(high_cos, ab, bc, ca)
                least = np.degrees(np.arccos(min(high_cos, 1.0)))
                most = np.degrees(np.arccos(max(low_cos, -1.0)))
                most = max(most, _reflex(edge, size))
                skew = max((most - 90) / 90, (90 - least) / 90)
                if size.min() == 0:
                    jacobian, least, most, skew = _shrunk(edge, size)
                    poles[cell] = jacobian > 0
                values[cell, 0] = jacobian
                values[cell, 1], values[cell, 2] = least, most
                values[cell, 3] = skew
                values[cell, 4] = long / short if short > 0 else np.inf
                folded[cell] = not jacobian > 0


@nb.njit(cache=True)
def _shrunk(edge: Floats, size: Floats) -> tuple[float, float, float, float]:
    """Measure a cell with shrunk edges: scaled Jacobian, smallest and largest angle, skewness.

    At a vertex where one edge has shrunk the two edges that meet there, one from each of its ends, stand
    for it: the cell is the wedge that they span, with Verdict's scale of 2/√3 (a wedge of equal sides has
    1), and 60° as the even angle of its triangles. Vertices with more shrunk edges say nothing.
    ``edge`` (3, 4, 3) are unit vectors, ``size`` (3, 4) their lengths.
    """
    jacobian, scale = 1.0, 2.0 / np.sqrt(3.0)
    least, most, skew = 180.0, 0.0, 0.0
    for axis in range(3):
        if size[axis].max() == 0:  # no volume at all
            return 0.0, 0.0, 180.0, 1.0
    vectors = np.empty((3, 3))
    for n in range(8):
        gone, missing = -1, 0
        for axis in range(3):
            m = _number(n, axis)
            vectors[axis] = edge[axis, m]
            if size[axis, m] == 0:
                gone, missing = axis, missing + 1
        if missing > 1:
            continue
        around = -1
        if missing == 1:
            # Along one of the other axes the edges at both ends of the shrunk one differ: these span it.
            there = n ^ 1 << gone
            for axis in range(3):
                own, other = edge[axis, _number(n, axis)], edge[axis, _number(there, axis)]
                apart = (own[0] - other[0]) ** 2 + (own[1] - other[1]) ** 2 + (own[2] - other[2]) ** 2
                if axis != gone and apart > 1e-24:
                    around = axis
            if around < 0:
                continue
            low, high = min(n, there), max(n, there)
            out = -1.0 if n >> around & 1 else 1.0
            for x in range(3):
                high_x, low_x = edge[around, _number(high, around), x], edge[around, _number(low, around), x]
                vectors[gone, x] = out * (high_x - low_x)
        jacobian = min(jacobian, _det(vectors[0], vectors[1], vectors[2]) * scale)
        for a in range(3):
            for b in range(a + 1, 3):
                if missing == 1 and gone in (a, b) and around not in (a, b):
                    continue  # no angle there: this face is the quadrilateral beside the pole
                one, two = vectors[a], vectors[b]
                sign = -1.0 if (n >> a ^ n >> b) & 1 else 1.0
                if missing == 1 and gone in (a, b):
                    one, two = edge[around, _number(n, around)], edge[around, _number(n ^ 1 << gone, around)]
                    sign = 1.0
                cosine = sign * (one[0] * two[0] + one[1] * two[1] + one[2] * two[2])
                angle = np.degrees(np.arccos(min(max(cosine, -1.0), 1.0)))
                even = 60.0 if _is_triangle(size, n, a, b) else 90.0
                least, most = min(least, angle), max(most, angle)
                skew = max(skew, (angle - even) / (180.0 - even), (even - angle) / even)
    return min(jacobian, 1.0), least, most, skew


@nb.njit(cache=True, inline="always")
def _number(n: int, axis: int) -> int:
    """Give which of the four edges along an axis is at corner ``n``."""
    return n >> 1 if axis == 0 else ((n & 1) | (n >> 2) << 1 if axis == 1 else n & 3)


@nb.njit(cache=True)
def _is_triangle(size: Floats, n: int, a: int, b: int) -> bool:
    """Whether an edge of the face that axes ``a`` and ``b`` span at corner ``n`` has shrunk."""
    for k in range(4):
        corner = (n & ~(1 << a) & ~(1 << b)) | (k & 1) << a | (k >> 1) << b
        if size[a, _number(corner, a)] == 0 or size[b, _number(corner, b)] == 0:
            return True
    return False


@nb.njit(cache=True)
def _reflex(edge: Floats, size: Floats) -> float:
    """Give the largest inner angle above 180° of a cell's faces in degrees, 0 where none is concave.

    A face is concave where a corner turns against the face's normal; the angle there is what is
    missing to 360°, as in Verdict. ``edge`` (3, 4, 3) are unit vectors, ``size`` (3, 4) their lengths.
    """
    found = 0.0
    for face in range(6):
        a, m0, m1 = _FACE_EDGES[face, 0, 0], _FACE_EDGES[face, 0, 1], _FACE_EDGES[face, 1, 1]
        c, n0, n1 = _FACE_EDGES[face, 2, 0], _FACE_EDGES[face, 2, 1], _FACE_EDGES[face, 3, 1]
        px, py, pz = edge[a, m0, 0], edge[a, m0, 1], edge[a, m0, 2]
        qx, qy, qz = edge[a, m1, 0], edge[a, m1, 1], edge[a, m1, 2]
        rx, ry, rz = edge[c, n0, 0], edge[c, n0, 1], edge[c, n0, 2]
        sx, sy, sz = edge[c, n1, 0], edge[c, n1, 1], edge[c, n1, 2]
        p, q, r, s = size[a, m0], size[a, m1], size[c, n0], size[c, n1]
        bx, by, bz = p * px + q * qx, p * py + q * qy, p * pz + q * qz
        dx, dy, dz = r * rx + s * sx, r * ry + s * sy, r * rz + s * sz
        nx, ny, nz = by * dz - bz * dy, bz * dx - bx * dz, bx * dy - by * dx
        # The face's normal turned into each first edge: N x b, so that N · (b x d) = d · (N x b).
        ux, uy, uz = ny * pz - nz * py, nz * px - nx * pz, nx * py - ny * px
        vx, vy, vz = ny * qz - nz * qy, nz * qx - nx * qz, nx * qy - ny * qx
        least = min(
            min(rx * ux + ry * uy + rz * uz, sx * ux + sy * uy + sz * uz),
            min(rx * vx + ry * vy + rz * vz, sx * vx + sy * vy + sz * vz),
        )
        if least < 0:
            low_cos = min(
                min(px * rx + py * ry + pz * rz, qx * sx + qy * sy + qz * sz),
                min(-(px * sx + py * sy + pz * sz), -(qx * rx + qy * ry + qz * rz)),
            )
            found = max(found, 360.0 - np.degrees(np.arccos(max(low_cos, -1.0))))
    return found


@nb.njit(cache=True)
def _volume(p: Floats, w: Floats) -> float:
    """Give the exact signed volume of a hexahedron with bilinear faces; ``w`` (9, 3) is scratch.

    The formula of three determinants by Grandy 1997 (UCRL-ID-128886), in the numbering of `tables`.
    """
    for x in range(3):
        a, b = p[6, x] - p[0, x], p[7, x] - p[1, x]
        c, d = p[7, x] - p[2, x], p[5, x] - p[0, x]
        e, f = p[7, x] - p[4, x], p[3, x] - p[0, x]
        w[0, x], w[1, x], w[2, x] = a + b, c, f
        w[3, x], w[4, x], w[5, x] = a, c + d, e
        w[6, x], w[7, x], w[8, x] = b, d, e + f
    total = _det(w[0], w[1], w[2]) + _det(w[3], w[4], w[5]) + _det(w[6], w[7], w[8])
    return float(total / 12.0)


@nb.njit(cache=True, parallel=True, nogil=True)
def _inner_faces(xyz: Floats, dim: int, volume: Floats, centres: Floats, values: Floats) -> None:
    """Raise volume ratio and non-orthogonality of a block's cells over the faces inside the block.

    Cells look at their own faces, so that no two threads write the same cell.
    """
    ci, cj, ck = xyz.shape[0] - 1, xyz.shape[1] - 1, xyz.shape[2] - 1
    for i in nb.prange(ci):
        for j in range(cj):
            for k in range(ck):
                cell = (i * cj + j) * ck + k
                ratio, least = 1.0, 1.0
                for axis in range(dim):
                    at = i if axis == 0 else (j if axis == 1 else k)
                    count = ci if axis == 0 else (cj if axis == 1 else ck)
                    stride = cj * ck if axis == 0 else (ck if axis == 1 else 1)
                    for end in range(2):
                        if (end == 0 and at == 0) or (end == 1 and at == count - 1):
                            continue
                        other = cell + stride if end else cell - stride
                        va, vb = abs(volume[cell]), abs(volume[other])
                        small = min(va, vb)
                        ratio = max(ratio, max(va, vb) / small if small > 0 else np.inf)
                        fi = i + (end if axis == 0 else 0)
                        fj = j + (end if axis == 1 else 0)
                        fk = k + (end if axis == 2 else 0)
                        di, dj = (0, 1) if axis == 0 else (1, 0)
                        # The diagonals of the face; its area vector is half their cross product.
                        if axis == 2:
                            p0, p1 = xyz[fi, fj, fk], xyz[fi + 1, fj + 1, fk]
                            p2, p3 = xyz[fi + 1, fj, fk], xyz[fi, fj + 1, fk]
                        else:
                            p0, p1 = xyz[fi, fj, fk], xyz[fi + di, fj + dj, fk + 1]
                            p2, p3 = xyz[fi + di, fj + dj, fk], xyz[fi, fj, fk + 1]
                        ux, uy, uz = p1[0] - p0[0], p1[1] - p0[1], p1[2] - p0[2]
                        wx, wy, wz = p3[0] - p2[0], p3[1] - p2[1], p3[2] - p2[2]
                        nx, ny, nz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
                        dx = centres[other, 0] - centres[cell, 0]
                        dy = centres[other, 1] - centres[cell, 1]
                        dz = centres[other, 2] - centres[cell, 2]
                        size = np.sqrt((nx * nx + ny * ny + nz * nz) * (dx * dx + dy * dy + dz * dz))
                        cosine = abs(nx * dx + ny * dy + nz * dz) / size if size > 0 else 0.0
                        least = min(least, cosine)
                values[cell, _COLUMNS] = max(values[cell, _COLUMNS], ratio)
                angle = np.degrees(np.arccos(min(least, 1.0)))
                values[cell, _COLUMNS + 1] = max(values[cell, _COLUMNS + 1], angle)


def _interface_faces(grid: Grid, cells: CellValues, centres: Floats) -> None:
    """Raise volume ratio and non-orthogonality of the cells on both sides of all interfaces."""
    if not grid.interfaces:
        return
    ours = np.concatenate([cells_at(grid, joint.first).ravel() for joint in grid.interfaces])
    theirs = np.concatenate(
        [joint.orientation.apply(cells_at(grid, joint.second)).ravel() for joint in grid.interfaces]
    )
    normal = np.cross(*np.concatenate([_diagonals(grid, joint.first) for joint in grid.interfaces], axis=1))
    va, vb = np.abs(cells.volume[ours]), np.abs(cells.volume[theirs])
    small = np.minimum(va, vb)
    ratio = np.divide(np.maximum(va, vb), small, out=np.full(small.shape, np.inf), where=small > 0)
    apart = centres[theirs] - centres[ours]
    size = np.linalg.norm(normal, axis=1) * np.linalg.norm(apart, axis=1)
    along = np.abs(np.einsum("nk,nk->n", normal, apart))
    cosine = np.divide(along, size, out=np.zeros(size.shape), where=size > 0)
    angle = np.degrees(np.arccos(np.minimum(cosine, 1.0)))
    for index in (ours, theirs):
        for column, value in ((_COLUMNS, ratio), (_COLUMNS + 1, angle)):
            # A cell in a block's corner meets several interfaces: keep the largest.
            np.maximum.at(cells.values[column], index, value)


def _diagonals(grid: Grid, window: Window) -> Floats:
    """Give both diagonals of the faces of a window (2, faces, 3)."""
    nodes = grid.xyz[window.block]
    nodes = solid(nodes[window.slices(nodes.shape[:3])], grid.dim)
    nodes = np.squeeze(nodes, axis=window.axis)
    both = nodes[1:, 1:] - nodes[:-1, :-1], nodes[:-1, 1:] - nodes[1:, :-1]
    return np.stack(both).reshape(2, -1, 3)


def cells_at(grid: Grid, window: Window) -> Ints:
    """Give the indices of the cells behind a window, with the window's own axis."""
    shape = grid.shape_of(window.block)
    spans = [np.arange(n)[part] for n, part in zip(shape, window.slices(shape, cells=True), strict=True)]
    return grid.starts[window.block] + np.ravel_multi_index(np.ix_(*spans), shape)

"""Cells that are not like the others: those with shrunk edges at a pole, and those with concave faces."""

from __future__ import annotations

import numba as nb
import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats
from plodek.core.check.kernels.vectors import det


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


@nb.njit(cache=True)
def shrunk(edge: Floats, size: Floats) -> tuple[float, float, float, float]:
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
        jacobian = min(jacobian, det(vectors[0], vectors[1], vectors[2]) * scale)
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
def reflex(edge: Floats, size: Floats) -> float:
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

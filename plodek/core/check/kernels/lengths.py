"""The lengths of cells, compiled: how edges grow along lines, and how high cells are over their sides."""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Floats


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def measure_lengths(xyz: Floats, flat: bool, volume: Floats, growth: Floats, height: Floats) -> None:
    """Fill edge growth and smallest height (cells,) of a block of nodes ``xyz`` (na, nb, nc, 3).

    Of a ``flat`` block the first axis is the depth: neither its edges nor the sides across it count.
    """
    rows_a, rows_b, count = xyz.shape[0] - 1, xyz.shape[1] - 1, xyz.shape[2] - 1
    for row in nb.prange(rows_a * rows_b):
        a, b = row // rows_b, row % rows_b
        for c in range(count):
            cell = row * count + c
            worst, widest = 1.0, 0.0
            for axis in range(1 if flat else 0, 3):
                at = a if axis == 0 else (b if axis == 1 else c)
                last = (rows_a if axis == 0 else (rows_b if axis == 1 else count)) - 1
                ia, ib, ic = int(axis == 0), int(axis == 1), int(axis == 2)
                # The two other axes, u and v, by their steps.
                ua, ub = (0, 1) if axis == 0 else (1, 0)
                vb, vc = (1, 0) if axis == 2 else (0, 1)
                for m in range(4):
                    u, v = m & 1, m >> 1
                    na, nb_, nc = a + u * ua, b + u * ub + v * vb, c + v * vc
                    own = _square(xyz, na, nb_, nc, na + ia, nb_ + ib, nc + ic)
                    if at > 0:
                        before = _square(xyz, na - ia, nb_ - ib, nc - ic, na, nb_, nc)
                        worst = max(worst, _ratio(own, before))
                    if at < last:
                        fa, fb, fc = na + ia, nb_ + ib, nc + ic
                        worst = max(worst, _ratio(own, _square(xyz, fa, fb, fc, fa + ia, fb + ib, fc + ic)))
                for end in range(2):
                    sa, sb, sc = a + end * ia, b + end * ib, c + end * ic
                    widest = max(widest, _area(xyz, sa, sb, sc, ua, ub, vb, vc))
            growth[cell] = np.sqrt(worst)  # ratios are of squares till here
            height[cell] = abs(volume[cell]) / widest if widest > 0 else 0.0


@nb.njit(cache=True, inline="always")
def _ratio(one: float, other: float) -> float:
    """Give the larger over the smaller length: 1 where both have shrunk, infinite where one has."""
    small, large = min(one, other), max(one, other)
    return large / small if small > 0 else (1.0 if large == 0 else np.inf)


@nb.njit(cache=True, inline="always")
def _square(xyz: Floats, a: int, b: int, c: int, e: int, f: int, g: int) -> float:
    """Give the square of the distance of two nodes."""
    x, y, z = (
        xyz[e, f, g, 0] - xyz[a, b, c, 0],
        xyz[e, f, g, 1] - xyz[a, b, c, 1],
        xyz[e, f, g, 2] - xyz[a, b, c, 2],
    )
    return float(x * x + y * y + z * z)


@nb.njit(cache=True, inline="always")
def _area(xyz: Floats, a: int, b: int, c: int, ua: int, ub: int, vb: int, vc: int) -> float:
    """Give the area of a side: half the cross product of its diagonals."""
    px, py, pz = (
        xyz[a + ua, b + ub + vb, c + vc, 0] - xyz[a, b, c, 0],
        xyz[a + ua, b + ub + vb, c + vc, 1] - xyz[a, b, c, 1],
        xyz[a + ua, b + ub + vb, c + vc, 2] - xyz[a, b, c, 2],
    )
    qx, qy, qz = (
        xyz[a, b + vb, c + vc, 0] - xyz[a + ua, b + ub, c, 0],
        xyz[a, b + vb, c + vc, 1] - xyz[a + ua, b + ub, c, 1],
        xyz[a, b + vb, c + vc, 2] - xyz[a + ua, b + ub, c, 2],
    )
    x, y, z = py * qz - pz * qy, pz * qx - px * qz, px * qy - py * qx
    return float(0.5 * np.sqrt(x * x + y * y + z * z))

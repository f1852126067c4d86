"""The compiled energy of cell shapes, which is least where each cell is square and of its wanted sizes.

Garanzha et al. 2021, "Foldover-free maps in 50 lines of code" (ACM Trans. Graph. 40, 4; from memory): with
the Jacobian J of a corner against its wanted cell in d directions and D = det J, the shape counts as
tr(JᵀJ) / (d χ^(2/d)) and the size as (1 + D²) / (2 χ), where χ = (D + √(ε² + D²)) / 2 stands for D so that
folded corners have an energy too; as ε goes to nothing, so does χ for these, and the energy forbids them.
"""

from __future__ import annotations

from typing import Any, TypeAlias

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.smooth.kernels import Three, cross, dot

#: Shares by the edges of a corner and by its determinant.
Four: TypeAlias = tuple[float, float, float, float]
#: So much of the energy is that of sizes, the rest of shapes.
SIZE = 0.4
#: So much count a scaled Jacobian and an angle that near their bars, beside the energy of the corner.
BAR = 0.3
#: The energy of what is beyond a bar.
BEYOND = 1e9


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _edge(xyz: Floats, q: int, a: int, scale: float) -> Three:
    """Give the way from a slot to another, scaled."""
    return (
        scale * (xyz[a, 0] - xyz[q, 0]),
        scale * (xyz[a, 1] - xyz[q, 1]),
        scale * (xyz[a, 2] - xyz[q, 2]),
    )


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _corner(trace: float, det: float, flat: bool, epsilon: float) -> Three:
    """Give the energy of a corner, 1 at best, and its derivatives by half the trace and by D."""
    power, share = (1.0, 0.5) if flat else (2.0 / 3.0, 1.0 / 3.0)
    root = np.sqrt(epsilon * epsilon + det * det)
    by_root = 1.0 / root
    # One over (D + root) / 2, without the loss of digits for folded corners.
    by_chi = 2.0 / (det + root) if det > 0.0 else 2.0 * (root - det) / (epsilon * epsilon)
    by_trace = share * (by_chi if flat else np.cbrt(by_chi * by_chi))
    shape, size = by_trace * trace, 0.5 * (1.0 + det * det) * by_chi
    by_det = SIZE * (det * by_chi - size * by_root) - (1.0 - SIZE) * power * shape * by_root
    return (1.0 - SIZE) * shape + SIZE * size, 2.0 * (1.0 - SIZE) * by_trace, by_det


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _angle(cosine: float, by_lengths: float, held: bool, limits: Four) -> Three:
    """Give the energy of the angle between two edges, and its gradient.

    That is the share of each edge in the gradient by the other, and that share times their product.
    ``by_lengths`` is one over that of their lengths; a ``held`` angle counts nothing. For ``limits`` see
    `_behind`.
    """
    if held:
        return 0.0, 0.0, 0.0
    ratio = limits[2] if cosine > 0.0 else limits[1]
    near = (cosine * ratio) ** 2
    if near >= 1.0:
        return BEYOND, 0.0, 0.0
    room = 1.0 / (1.0 - near)
    along = BAR * 2.0 * cosine * (ratio * room) ** 2
    return BAR * near * room, along * by_lengths, along * cosine


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _behind(
    one: Three, two: Three, three: Three, squares: Three, det: float, corner: Three, held: Any, limits: Four
) -> tuple[float, Four, Three, Three]:
    """Give what a ``corner``, its energy and the derivatives by edges and by D, is behind bars.

    That is the energy; its derivatives by each edge and by D; the shares of pairs of edges in the gradient by
    each other; and the scaled Jacobian with the least and the largest cosine, or 0. ``squares`` are those of
    the edges' lengths; angles that are ``held`` (3,) count nothing; ``limits`` are the first bar and one over
    each of the others.
    """
    a, b, c = 1.0 / np.sqrt(squares[0]), 1.0 / np.sqrt(squares[1]), 1.0 / np.sqrt(squares[2])
    square = det * a * b * c
    first, second, third = dot(one, two) * a * b, dot(two, three) * b * c, dot(three, one) * c * a
    seen = 0.0 if held[0] else first, 0.0 if held[1] else second, 0.0 if held[2] else third
    merits = square, min(0.0, seen[0], seen[1], seen[2]), max(0.0, seen[0], seen[1], seen[2])
    if square <= limits[0] or corner[0] * limits[3] >= 1.0:
        return BEYOND, (0.0, 0.0, 0.0, 0.0), (0.0, 0.0, 0.0), merits
    room = 1.0 / (1.0 - corner[0] * limits[3])
    value, by_edge, by_det = corner[0] * room, corner[1] * room * room, corner[2] * room * room
    near = (limits[0] / square) ** 2
    room = 1.0 / (1.0 - near)
    by_square = 2.0 * BAR * near * room * room
    of_first, ab, in_ab = _angle(first, a * b, held[0], limits)
    of_second, bc, in_bc = _angle(second, b * c, held[1], limits)
    of_third, ca, in_ca = _angle(third, c * a, held[2], limits)
    by = (
        by_edge + (by_square - in_ab - in_ca) * a * a,
        by_edge + (by_square - in_bc - in_ab) * b * b,
        by_edge + (by_square - in_ca - in_bc) * c * c,
        by_det - by_square / det,
    )
    return value + BAR * near * room + of_first + of_second + of_third, by, (ab, bc, ca), merits


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _pull(
    gradient: Floats, a: int, scale: float, own: Three, two: Three, three: Three, u: Three, by: Four
) -> Three:
    """Add the gradient by one edge of a corner, ``by`` so much of each way, to where it ends; give it."""
    x = scale * (by[0] * own[0] + by[1] * two[0] + by[2] * three[0] + by[3] * u[0])
    y = scale * (by[0] * own[1] + by[1] * two[1] + by[2] * three[1] + by[3] * u[1])
    z = scale * (by[0] * own[2] + by[1] * two[2] + by[2] * three[2] + by[3] * u[2])
    gradient[a, 0] += x
    gradient[a, 1] += y
    gradient[a, 2] += z
    return x, y, z


@nb.njit(cache=True, nogil=True)
def summed(each: Floats, worst: Floats) -> tuple[float, float, float, float, float, float]:
    """Give the energy of all cells, and the worst of them all, of what `energy` gives."""
    total, det, square, low, high, most = 0.0, np.inf, 1.0, 0.0, 0.0, 1.0
    for m in range(len(each)):
        total += each[m]
        det, square, low = min(det, worst[m, 0]), min(square, worst[m, 1]), min(low, worst[m, 2])
        high, most = max(high, worst[m, 3]), max(most, worst[m, 4])
    return total, det, square, low, high, most


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def energy(
    xyz: Floats,
    cells: Any,
    bounds: Any,
    sizes: Floats,
    normals: Floats,
    still: Any,
    epsilon: float,
    bars: Floats,
    gradient: Floats,
    each: Floats,
    worst: Floats,
) -> None:
    """Give each cell's energy (m,) ``each`` and its ``worst`` (m, 5), and add the gradient.

    The worst are the least D, the least scaled Jacobian, the least and the largest cosine of an angle, and
    the largest energy W of a corner; all but the first with bars only. The ``gradient`` (n, 3) is by slots.
    ``cells`` (m, 4) are first slots and the steps along the axes, by colours that do not touch each other
    (``bounds``); on sheets the last step is 0, and ``normals`` (m, 3) are their unit normals, none in space.
    ``sizes`` (m, 3) are those wanted. Corners and angles all of whose nodes are ``still`` (n,) count
    nothing, nor do corners where an edge has shrunk.

    With ``bars`` (4,), which are as the last four of the ``worst``, a corner counts W / (1 - W / bar)
    (quasi-isometric stiffening, Garanzha et al. 2022, from memory); so do, more weakly, its scaled Jacobian
    and its angles, which are what cells are judged by. None gets beyond its bar.
    """
    flat, barred = len(normals) > 0, len(bars) > 0
    limits = (0.0, 0.0, 0.0, 0.0)
    if barred:
        limits = (bars[0], 1.0 / bars[1], 1.0 / bars[2], 1.0 / bars[3])
    for colour in range(len(bounds) - 1):
        for m in nb.prange(bounds[colour], bounds[colour + 1]):
            p, sa, sb, sc = cells[m, 0], cells[m, 1], cells[m, 2], cells[m, 3]
            ra, rb, rc = 1.0 / sizes[m, 0], 1.0 / sizes[m, 1], 1.0 / sizes[m, 2]
            total, least, square, low, high, most = 0.0, np.inf, 1.0, 0.0, 0.0, 1.0
            for corner in range(4 if flat else 8):
                i, j, k = corner & 1, corner >> 1 & 1, corner >> 2
                q = p + i * sa + j * sb + k * sc
                a, b, c = q + (1 - 2 * i) * sa, q + (1 - 2 * j) * sb, q + (1 - 2 * k) * sc
                if still[q] and still[a] and still[b] and still[c]:
                    continue
                one, two = _edge(xyz, q, a, ra), _edge(xyz, q, b, rb)
                three = (normals[m, 0], normals[m, 1], normals[m, 2]) if flat else _edge(xyz, q, c, rc)
                squares = (dot(one, one), dot(two, two), dot(three, three))
                if min(squares) == 0.0:
                    continue
                sign = 1.0 - 2.0 * ((i + j + k) % 2)
                u, v, w = cross(two, three), cross(three, one), cross(one, two)
                det = sign * dot(one, u)
                least = min(least, det)
                found = _corner(squares[0] + squares[1] + (0.0 if flat else squares[2]), det, flat, epsilon)
                value, by, share = found[0], (found[1], found[1], found[1], found[2]), (0.0, 0.0, 0.0)
                if barred:
                    ab, bc, ca = still[a] and still[b], still[b] and still[c], still[c] and still[a]
                    held = (still[q] and ab, flat or (still[q] and bc), flat or (still[q] and ca))
                    value, by, share, seen = _behind(one, two, three, squares, det, found, held, limits)
                    square, low, high = min(square, seen[0]), min(low, seen[1]), max(high, seen[2])
                    most = max(most, found[0])
                total += value
                x = _pull(gradient, a, ra, one, two, three, u, (by[0], share[0], share[2], sign * by[3]))
                y = _pull(gradient, b, rb, two, three, one, v, (by[1], share[1], share[0], sign * by[3]))
                z = (0.0, 0.0, 0.0)
                if not flat:
                    z = _pull(gradient, c, rc, three, one, two, w, (by[2], share[2], share[1], sign * by[3]))
                gradient[q, 0] -= x[0] + y[0] + z[0]
                gradient[q, 1] -= x[1] + y[1] + z[1]
                gradient[q, 2] -= x[2] + y[2] + z[2]
            each[m] = total
            worst[m, 0], worst[m, 1], worst[m, 2], worst[m, 3], worst[m, 4] = least, square, low, high, most

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

#: A vector in a kernel.
Three: TypeAlias = tuple[float, float, float]
#: So much of the energy is that of sizes, the rest of shapes.
SIZE = 0.4
#: The energy of a corner that is worse than a barrier allows, as a multiple of how bad it is.
BEYOND = 1e9


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _cross(a: Three, b: Three, sign: float) -> Three:
    return (
        sign * (a[1] * b[2] - a[2] * b[1]),
        sign * (a[2] * b[0] - a[0] * b[2]),
        sign * (a[0] * b[1] - a[1] * b[0]),
    )


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _edge(xyz: Floats, q: int, a: int, scale: float) -> Three:
    """Give the way from a slot to another, scaled."""
    return (
        scale * (xyz[a, 0] - xyz[q, 0]),
        scale * (xyz[a, 1] - xyz[q, 1]),
        scale * (xyz[a, 2] - xyz[q, 2]),
    )


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _squared(a: Three) -> float:
    return a[0] * a[0] + a[1] * a[1] + a[2] * a[2]


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _corner(trace: float, det: float, flat: bool, epsilon: float) -> tuple[float, float, float]:
    """Give the energy of a corner, 1 at best, and its derivatives by half the trace and by D."""
    power, share = (1.0, 0.5) if flat else (2.0 / 3.0, 1.0 / 3.0)
    root = np.sqrt(epsilon * epsilon + det * det)
    # As (D + root) / 2, without the loss of digits for folded corners.
    chi = 0.5 * (det + root) if det > 0.0 else 0.5 * epsilon * epsilon / (root - det)
    by_trace = share / chi**power
    shape, size = by_trace * trace, 0.5 * (1.0 + det * det) / chi
    by_det = SIZE * (det / chi - size / root) - (1.0 - SIZE) * power * shape / root
    return (1.0 - SIZE) * shape + SIZE * size, 2.0 * (1.0 - SIZE) * by_trace, by_det


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _pull(
    gradient: Floats, q: int, a: int, scale: float, by_edge: float, way: Three, u: Three, by_det: float
) -> None:
    """Add the gradient by one edge of a corner to its two slots."""
    for c in range(3):
        value = scale * (by_edge * way[c] + by_det * u[c])
        gradient[a, c] += value
        gradient[q, c] -= value


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def energy(
    xyz: Floats,
    cells: Any,
    bounds: Any,
    sizes: Floats,
    normals: Floats,
    still: Any,
    epsilon: float,
    barrier: float,
    gradient: Floats,
    each: Floats,
    worst: Floats,
    least: Floats,
) -> None:
    """Give each cell's energy (m,) ``each``, its ``worst`` corner (m,), 1 at best, its ``least`` D (m,).

    Adds the ``gradient`` (n, 3) by slots, in place. ``cells`` (m, 4) are first slots and the steps along the
    axes, by colours that do not touch each other (``bounds``); on sheets the last step is 0, and ``normals``
    (m, 3) are their unit normals, none in space. ``sizes`` (m, 3) are those wanted. Corners all of whose
    nodes are ``still`` (n,) count nothing, nor do those where an edge has shrunk. With a ``barrier`` b > 0
    a corner of energy W counts W / (1 - b W): no corner gets as bad as 1 / b (quasi-isometric stiffening,
    Garanzha et al. 2022, from memory).
    """
    flat = len(normals) > 0
    corners = 4 if flat else 8
    for colour in range(len(bounds) - 1):
        for m in nb.prange(bounds[colour], bounds[colour + 1]):
            p, sa, sb, sc = cells[m, 0], cells[m, 1], cells[m, 2], cells[m, 3]
            ra, rb, rc = 1.0 / sizes[m, 0], 1.0 / sizes[m, 1], 1.0 / sizes[m, 2]
            total, most, low = 0.0, 1.0, np.inf
            for corner in range(corners):
                i, j, k = corner & 1, corner >> 1 & 1, corner >> 2
                q = p + i * sa + j * sb + k * sc
                a, b, c = q + (1 - 2 * i) * sa, q + (1 - 2 * j) * sb, q + (1 - 2 * k) * sc
                if still[q] and still[a] and still[b] and still[c]:
                    continue
                one, two = _edge(xyz, q, a, ra), _edge(xyz, q, b, rb)
                three = (normals[m, 0], normals[m, 1], normals[m, 2]) if flat else _edge(xyz, q, c, rc)
                aa, bb, cc = _squared(one), _squared(two), _squared(three)
                if aa == 0.0 or bb == 0.0 or cc == 0.0:
                    continue
                sign = 1.0 - 2.0 * ((i + j + k) % 2)
                u, v, w = _cross(two, three, sign), _cross(three, one, sign), _cross(one, two, sign)
                det = one[0] * u[0] + one[1] * u[1] + one[2] * u[2]
                value, by_edge, by_det = _corner(aa + bb + (0.0 if flat else cc), det, flat, epsilon)
                low, most = min(low, det), max(most, value)
                room = 1.0 - barrier * value
                if room <= 0.0:
                    total += BEYOND * value
                    continue
                total += value / room
                by_edge, by_det = by_edge / (room * room), by_det / (room * room)
                _pull(gradient, q, a, ra, by_edge, one, u, by_det)
                _pull(gradient, q, b, rb, by_edge, two, v, by_det)
                if not flat:
                    _pull(gradient, q, c, rc, by_edge, three, w, by_det)
            each[m], worst[m], least[m] = total, most, low

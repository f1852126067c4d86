"""What compiled kernels of smoothing do at single nodes and cells, on sheets as in space.

Slots lie in one flat array; ``steps`` are the strides from a slot to the next along each direction: two on a
sheet, three in space.
"""

from __future__ import annotations

from typing import Any, TypeAlias

import numba as nb
import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats

Slots: TypeAlias = npt.NDArray[np.int32]
Singles: TypeAlias = npt.NDArray[np.float32]
#: A vector in a kernel.
Three: TypeAlias = tuple[float, float, float]


@nb.njit(cache=True, nogil=True)
def dot(a: Three, b: Three) -> float:
    """Give the scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@nb.njit(cache=True, nogil=True)
def cross(a: Three, b: Three) -> Three:
    """Give the vector product."""
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@nb.njit(cache=True, nogil=True)
def copy(xyz: Floats, to: Slots, of: Slots) -> None:
    """Copy places (n, 3) between slots, in order."""
    for n in range(len(to)):
        for c in range(3):
            xyz[to[n], c] = xyz[of[n], c]


@nb.njit(cache=True, nogil=True)
def copy_back(values: Floats, to: Slots, of: Slots) -> None:
    """Add what copies have of a gradient (n, 3) to what they are copies of, last ones first; they lose it."""
    for n in range(len(to) - 1, -1, -1):
        for c in range(3):
            values[of[n], c] += values[to[n], c]
            values[to[n], c] = 0.0


@nb.njit(cache=True, nogil=True)
def allowed(move: Three, p: int, tie: Slots, way: Floats, along: Any) -> Three:
    """Give what guides leave of a move, to first order.

    ``tie`` (n,) numbers nodes on guides, -1 for others, or is one row where there are none. They keep the
    share along the tangent ``way`` (m, 3) of a curve they run ``along`` (m,), or lose that along a normal.
    """
    if len(tie) == 1 or tie[p] < 0:
        return move
    m = tie[p]
    x, y, z = way[m, 0], way[m, 1], way[m, 2]
    share = move[0] * x + move[1] * y + move[2] * z
    if along[m]:
        return share * x, share * y, share * z
    return move[0] - share * x, move[1] - share * y, move[2] - share * z


@nb.njit(cache=True, nogil=True)
def lacking(move: Three, p: int, tie: Slots, way: Floats, along: Any, source: Any, told: Any) -> Three:
    """Give what a node is to move of a full move: what is `allowed` without its source, and tell it."""
    x, y, z = move
    if told is not None and len(source) > 1:  # with None compiled without this, which costs speed
        x, y, z = x - source[p, 0], y - source[p, 1], z - source[p, 2]
    x, y, z = allowed((x, y, z), p, tie, way, along)
    if told is not None and len(told) > 1:
        told[p, 0], told[p, 1], told[p, 2] = x, y, z
    return x, y, z


@nb.njit(cache=True, nogil=True)
def apart(xyz: Floats, p: int, q: int) -> float:
    """Give the distance between two slots."""
    total = 0.0
    for c in range(3):
        total += (xyz[p, c] - xyz[q, c]) ** 2
    return float(np.sqrt(total))


@nb.njit(cache=True, nogil=True)
def spacing_kept(xyz: Floats, p: int, steps: tuple[int, ...], most: float, phi: Singles) -> None:
    """Give the control (n, directions) that keeps the present spacing along the lines through a node.

    Thomas & Middlecoff 1980 (AIAA J. 18, 652) along each direction, and what lines that diverge add: on lines
    that cross squarely with cell sizes hₖ the equation is ∇²ξₖ = 0 for φₖ = -∂ ln hₖ/∂ξₖ + Σ ∂ ln hₗ/∂ξₖ over
    the others, as the Laplacian in orthogonal coordinates says.
    """
    for axis in range(len(steps)):
        step = steps[axis]
        forth, back = apart(xyz, p + step, p), apart(xyz, p, p - step)
        if forth + back == 0.0:
            continue
        value = -2.0 * (forth - back) / (forth + back)
        for other in range(len(steps)):
            if other == axis:
                continue
            side = steps[other]
            ahead = apart(xyz, p + step + side, p + step - side)
            behind = apart(xyz, p - step + side, p - step - side)
            if ahead > 0.0 and behind > 0.0:
                value += 0.5 * np.log(ahead / behind)
        phi[p, axis] = min(max(value, -most), most)


@nb.njit(cache=True, nogil=True)
def evened_out(p: int, steps: tuple[int, ...], chosen: Any, before: Singles, phi: Singles) -> None:
    """Average each direction's control over the neighbours along the others, where these have one."""
    weight = 0.25 / (len(steps) - 1)
    for axis in range(len(steps)):
        value = 0.5 * before[p, axis]
        for other in range(len(steps)):
            if other == axis:
                continue
            for q in (p - steps[other], p + steps[other]):
                value += weight * (before[q, axis] if chosen[q] else before[p, axis])
        phi[p, axis] = value


@nb.njit(cache=True, nogil=True)
def _corner(p: int, steps: tuple[int, ...], corner: int) -> int:
    for axis in range(len(steps)):
        if corner >> axis & 1:
            p += steps[axis]
    return p


@nb.njit(cache=True, nogil=True)
def mark_cell(p: int, steps: tuple[int, ...], marked: Any) -> None:
    """Mark the nodes of a cell, in place."""
    for corner in range(1 << len(steps)):
        marked[_corner(p, steps, corner)] = True


@nb.njit(cache=True, nogil=True)
def is_marked(p: int, steps: tuple[int, ...], marked: Any) -> bool:
    """Whether any node of a cell is marked."""
    found = False
    for corner in range(1 << len(steps)):
        found = found or marked[_corner(p, steps, corner)]
    return found

"""Compiled kernels of elliptic smoothing.

Nodes of one colour do not touch each other, so that a sweep gives the
same result to the bit however many threads share it.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.smooth.graph import Indices


@nb.njit(cache=True)
def colour(stencil: Indices, start: Indices, near: Indices, moving: Indices) -> Ints:
    """Colour the moving nodes so that neighbours differ, greedily; returns a colour per moving node."""
    colours = np.full(len(stencil), -1, dtype=np.int64)
    taken = np.zeros(len(stencil), dtype=np.int64)  # as bits; told to every node that reads or is read
    for node in moving:
        bits = taken[node]
        for n in range(8):
            other = stencil[node, n]
            if other >= 0 and colours[other] >= 0:
                bits |= 1 << colours[other]
        for n in range(start[node], start[node + 1]):
            if colours[near[n]] >= 0:
                bits |= 1 << colours[near[n]]
        free = 0
        while bits >> free & 1:
            free += 1
        colours[node] = free
        for n in range(8):
            if stencil[node, n] >= 0:
                taken[stencil[node, n]] |= 1 << free
        for n in range(start[node], start[node + 1]):
            taken[near[n]] |= 1 << free
    return colours[moving]


@nb.njit(cache=True, parallel=True, nogil=True)
def sweep(
    xy: Floats,
    stencil: Indices,
    start: Indices,
    near: Indices,
    order: Indices,
    bounds: Ints,
    phi: Floats,
    psi: Floats,
    shift: Floats,
    omega: float,
) -> float:
    """Move every node of ``order`` once, colour by colour (``bounds``), in place; return the largest move.

    Thompson, Thames & Mastin 1974 (J. Comput. Phys. 15, 299): α(x_ξξ + φ x_ξ) − 2β x_ξη +
    γ(x_ηη + ψ x_η) = 0 by central differences, over-relaxed by ``omega``. ``shift`` (n, 2) adds the
    wall control, in shares of x_ξ and x_η. Irregular nodes go to the mean of their edge neighbours.
    """
    largest = 0.0
    for c in range(len(bounds) - 1):
        moves = 0.0
        for at in nb.prange(bounds[c], bounds[c + 1]):
            p = order[at]
            e = stencil[p, 0]
            if e >= 0:
                ne, n, nw = stencil[p, 1], stencil[p, 2], stencil[p, 3]
                w, sw, s, se = stencil[p, 4], stencil[p, 5], stencil[p, 6], stencil[p, 7]
                xx, xy_ = 0.5 * (xy[e, 0] - xy[w, 0]), 0.5 * (xy[e, 1] - xy[w, 1])
                yx, yy = 0.5 * (xy[n, 0] - xy[s, 0]), 0.5 * (xy[n, 1] - xy[s, 1])
                alpha = yx * yx + yy * yy
                gamma = xx * xx + xy_ * xy_
                beta = 0.5 * (xx * yx + xy_ * yy)
                scale = 0.5 / (alpha + gamma)
                a, b = alpha * phi[p], gamma * psi[p]
                x = scale * (
                    alpha * (xy[e, 0] + xy[w, 0]) + gamma * (xy[n, 0] + xy[s, 0]) + a * xx + b * yx
                    - beta * (xy[ne, 0] - xy[nw, 0] - xy[se, 0] + xy[sw, 0])
                ) + shift[p, 0] * xx + shift[p, 1] * yx  # fmt: skip
                y = scale * (
                    alpha * (xy[e, 1] + xy[w, 1]) + gamma * (xy[n, 1] + xy[s, 1]) + a * xy_ + b * yy
                    - beta * (xy[ne, 1] - xy[nw, 1] - xy[se, 1] + xy[sw, 1])
                ) + shift[p, 0] * xy_ + shift[p, 1] * yy  # fmt: skip
            else:
                x, y = 0.0, 0.0
                share = 1.0 / (start[p + 1] - start[p])
                for k in range(start[p], start[p + 1]):
                    x += share * xy[near[k], 0]
                    y += share * xy[near[k], 1]
            dx, dy = omega * (x - xy[p, 0]), omega * (y - xy[p, 1])
            xy[p, 0] += dx
            xy[p, 1] += dy
            moves = max(moves, dx * dx + dy * dy)
        largest = max(largest, moves)
    return float(np.sqrt(largest))


@nb.njit(cache=True, parallel=True, nogil=True)
def folded(xy: Floats, cells: Indices) -> int:
    """Count the cells that are turned inside out at one corner or more."""
    count = 0
    for q in nb.prange(len(cells)):
        bad = 0
        for c in range(4):
            p, a, b = cells[q, c], cells[q, (c + 1) % 4], cells[q, (c + 3) % 4]
            area = (xy[a, 0] - xy[p, 0]) * (xy[b, 1] - xy[p, 1]) - (xy[a, 1] - xy[p, 1]) * (
                xy[b, 0] - xy[p, 0]
            )
            if not area > 0:
                bad = 1
        count += bad
    return count

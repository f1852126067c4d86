"""A lattice: nodes in rows, columns and layers that give a shape between them, addressed by their indices.

Between nodes it is cubic in the indices, through all of them (Catmull & Rom 1974, Computer Aided Geometric
Design, 317): along each axis the slope at a node is that between its neighbours, at an end that of the
parabola through the three nodes there.
"""

from __future__ import annotations

import numba
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.shape.move import Move

#: Indices that are so near to a whole number are one: what the way through arc lengths leaves of them.
SNAP = 1e-6


class Lattice:
    """Nodes (ni, nj, nk, 3); of the plane nk is 1."""

    def __init__(self, nodes: Floats) -> None:
        self.nodes = np.ascontiguousarray(nodes)

    def at(self, index: Floats) -> Floats:
        """Give the places (..., 3) at indices (..., 3), which reach from 0 to the last node of each axis."""
        flat = np.ascontiguousarray(snapped(index).reshape(-1, 3))
        found = np.empty(flat.shape)
        _interpolate(self.nodes, flat, found)
        return found.reshape(index.shape)

    def moved(self, move: Move) -> Lattice:
        """Give the lattice after a move."""
        return Lattice(move.places(self.nodes.reshape(-1, 3)).reshape(self.nodes.shape))


def snapped(index: Floats) -> Floats:
    """Give indices with those that are whole but for round-off as whole numbers."""
    near = np.round(index)
    return np.where(np.abs(index - near) < SNAP, near, index)


def cubics(places: Floats) -> Floats:
    """Give the factors (n - 1, 4, 3) of the cubics between places (n, 3), the highest power first."""
    first, second = places[:-1], places[1:]
    if len(places) == 2:
        nothing = np.zeros_like(first)
        return np.stack([nothing, nothing, second - first, first], axis=1)
    low, high = (3.0 * (a - b) + c for a, b, c in (places[:3], places[:-4:-1]))
    before, after = np.concatenate([low[None], places[:-2]]), np.concatenate([places[2:], high[None]])
    return np.stack(
        [
            0.5 * (after - before) + 1.5 * (first - second),
            before - 2.5 * first + 2.0 * second - 0.5 * after,
            0.5 * (second - before),
            first,
        ],
        axis=1,
    )


@numba.njit(cache=True, nogil=True)
def _weights(count: int, at: float, weights: Floats) -> int:
    """Write the weights of four nodes of ``count`` at an index; gives the first, which may lie outside."""
    if count == 1:
        weights[0], weights[1], weights[2], weights[3] = 0.0, 1.0, 0.0, 0.0
        return -1
    k = min(max(int(np.floor(at)), 0), count - 2)
    t = at - k
    if count == 2:
        weights[0], weights[1], weights[2], weights[3] = 0.0, 1.0 - t, t, 0.0
        return k - 1
    weights[0] = t * (t * (1.0 - 0.5 * t) - 0.5)
    weights[1] = 1.0 + t * t * (1.5 * t - 2.5)
    weights[2] = t * (0.5 + t * (2.0 - 1.5 * t))
    weights[3] = 0.5 * t * t * (t - 1.0)
    if k == 0:
        weights[1] += 3.0 * weights[0]
        weights[2] -= 3.0 * weights[0]
        weights[3] += weights[0]
        weights[0] = 0.0
    elif k == count - 2:
        weights[2] += 3.0 * weights[3]
        weights[1] -= 3.0 * weights[3]
        weights[0] += weights[3]
        weights[3] = 0.0
    return k - 1


@numba.njit(cache=True, nogil=True)
def _interpolate(nodes: Floats, index: Floats, found: Floats) -> None:
    ni, nj, nk = nodes.shape[:3]
    u, v, w = np.empty(4), np.empty(4), np.empty(4)
    for n in range(len(index)):
        i = _weights(ni, index[n, 0], u)
        j = _weights(nj, index[n, 1], v)
        k = _weights(nk, index[n, 2], w)
        found[n] = 0.0
        for a in range(4):
            if u[a] == 0.0:
                continue
            for b in range(4):
                if v[b] == 0.0:
                    continue
                for c in range(4):
                    if w[c] == 0.0:
                        continue
                    weight = u[a] * v[b] * w[c]
                    for d in range(3):
                        found[n, d] += weight * nodes[i + a, j + b, k + c, d]

"""A lattice: nodes in rows, columns and layers that give a shape between them, addressed by their indices.

Between nodes it is cubic in the indices, through all of them (Catmull & Rom 1974, Computer Aided Geometric
Design, 317): along each axis the slope at a node is that between its neighbours, at an end that of the
parabola through the three nodes there. Where lines turn sharply, as over a crease, it is so on either side.
"""

from __future__ import annotations

from itertools import pairwise

import numba
import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.shape.move import Move

#: Indices that are so near to a whole number are one: what the way through arc lengths leaves of them.
SNAP = 1e-6
#: A line turns sharply at a node where it does by more than this, and so many times more than beside it.
_SHARP, _MORE = np.radians(20.0), 4.0


class Lattice:
    """Nodes (ni, nj, nk, 3); of the plane nk is 1.

    ``creases`` are for each axis the numbers of the nodes at which lines on its sides turn sharply, with the
    first and the last.
    """

    def __init__(self, nodes: Floats, creases: tuple[Ints, Ints, Ints] | None = None) -> None:
        self.nodes = np.ascontiguousarray(nodes)
        i, j, k = creases or (_creases(self.nodes, axis) for axis in range(3))
        self.creases = i, j, k

    def at(self, index: Floats) -> Floats:
        """Give the places (..., 3) at indices (..., 3), which reach from 0 to the last node of each axis."""
        flat = np.ascontiguousarray(snapped(index).reshape(-1, 3))
        found = np.empty(flat.shape)
        i, j, k = (_pieces(axis) for axis in self.creases)
        _interpolate(self.nodes, i, j, k, flat, found)
        return found.reshape(index.shape)

    def moved(self, move: Move) -> Lattice:
        """Give the lattice after a move."""
        return Lattice(move.places(self.nodes.reshape(-1, 3)).reshape(self.nodes.shape), self.creases)


def snapped(index: Floats) -> Floats:
    """Give indices with those that are whole but for round-off as whole numbers."""
    near = np.round(index)
    return np.where(np.abs(index - near) < SNAP, near, index)


def _creases(nodes: Floats, axis: int) -> Ints:
    """Find the nodes along an axis at which lines on the sides beside it turn sharply, both ends included."""
    count = nodes.shape[axis]
    ends = np.array([0, count - 1]) if count > 1 else np.array([0])
    if count < 4:
        return ends
    lines = np.moveaxis(nodes, axis, 0)
    sides = [lines[:, [0, -1]].reshape(count, -1, 3), lines[:, :, [0, -1]].reshape(count, -1, 3)]
    steps = np.diff(np.concatenate(sides, axis=1), axis=0)
    size = np.linalg.norm(steps, axis=2)
    over = np.linalg.norm(np.cross(steps[1:], steps[:-1]), axis=2)
    turns = np.arctan2(over, np.einsum("nmk,nmk->nm", steps[1:], steps[:-1]))
    turns[(size[1:] == 0) | (size[:-1] == 0)] = 0.0
    beside = np.zeros_like(turns)
    beside[1:] = turns[:-1]
    beside[:-1] = np.maximum(beside[:-1], turns[1:])
    sharp = (turns > _SHARP) & (turns > _MORE * beside)
    return np.union1d(ends, 1 + np.flatnonzero(sharp.any(axis=1)))


def _pieces(creases: Ints) -> Ints:
    """Give for each step along an axis the creases (n, 2) that it lies between."""
    return np.repeat(np.stack([creases[:-1], creases[1:]], axis=1), np.diff(creases), axis=0)


def cubics(places: Floats, creases: Ints) -> Floats:
    """Give the factors (n - 1, 4, 3) of the cubics between places (n, 3), the highest power first."""
    return np.concatenate([_smooth(places[a : b + 1]) for a, b in pairwise(creases.tolist())])


def _smooth(places: Floats) -> Floats:
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
def _weights(pieces: Ints, at: float, weights: Floats) -> int:
    """Write the weights of four nodes at an index, of steps in ``pieces``; gives the first, maybe outside."""
    if len(pieces) == 0:
        weights[0], weights[1], weights[2], weights[3] = 0.0, 1.0, 0.0, 0.0
        return -1
    k = min(max(int(np.floor(at)), 0), len(pieces) - 1)
    t = at - k
    low, high = pieces[k]
    if high == low + 1:
        weights[0], weights[1], weights[2], weights[3] = 0.0, 1.0 - t, t, 0.0
        return k - 1
    weights[0] = t * (t * (1.0 - 0.5 * t) - 0.5)
    weights[1] = 1.0 + t * t * (1.5 * t - 2.5)
    weights[2] = t * (0.5 + t * (2.0 - 1.5 * t))
    weights[3] = 0.5 * t * t * (t - 1.0)
    if k == low:
        weights[1] += 3.0 * weights[0]
        weights[2] -= 3.0 * weights[0]
        weights[3] += weights[0]
        weights[0] = 0.0
    elif k == high - 1:
        weights[2] += 3.0 * weights[3]
        weights[1] -= 3.0 * weights[3]
        weights[0] += weights[3]
        weights[3] = 0.0
    return k - 1


@numba.njit(cache=True, nogil=True)
def _interpolate(
    nodes: Floats, pieces_i: Ints, pieces_j: Ints, pieces_k: Ints, index: Floats, found: Floats
) -> None:
    u, v, w = np.empty(4), np.empty(4), np.empty(4)
    for n in range(len(index)):
        i = _weights(pieces_i, index[n, 0], u)
        j = _weights(pieces_j, index[n, 1], v)
        k = _weights(pieces_k, index[n, 2], w)
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

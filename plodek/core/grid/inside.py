"""Filling the inside of a block between its six sides, in three directions at once."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats

#: Steps that intersect the blending functions of a block in space; three leave less than 1e-6 as a rule.
_STEPS = 4
#: Fractions along edges that differ by less are the same: what is left of counting from either end.
_SAME = 1e-14
_END = {0: slice(0, 1), -1: slice(-1, None)}


def at_side(axis: int, end: int) -> tuple[slice | int, ...]:
    """Give the index of a side in the nodes of a block."""
    return tuple((-1 if end else 0) if ax == axis else slice(None) for ax in range(3))


def inside(nodes: Floats, sheet: tuple[int, int] | None) -> tuple[slice, ...] | None:
    """Give the index of the inner nodes of a block, or of those of a sheet; None where it is a side."""
    found = [slice(1, -1)] * 3
    if sheet is not None:
        axis, at = sheet
        if at in (0, nodes.shape[axis] - 1):
            return None
        found[axis] = slice(at, at + 1)
    return tuple(found)


def fill_inside(nodes: Floats, lines: list[list[Floats]], sheet: tuple[int, int] | None = None) -> None:
    """Fill the inner nodes of a block (ni, nj, nk, 3) whose sides are there; or only those of a sheet."""
    inner = inside(nodes, sheet)
    if inner is None:
        return
    u, v, w = (b[..., None] for b in _blends([[s[inner[a]] for s in lines[a]] for a in range(3)]))
    i_in, j_in, k_in = inner
    west, east = nodes[:1, j_in, k_in], nodes[-1:, j_in, k_in]
    south, north = nodes[i_in, :1, k_in], nodes[i_in, -1:, k_in]
    low, high = nodes[i_in, j_in, :1], nodes[i_in, j_in, -1:]
    total = (1 - u) * west + u * east + (1 - v) * south + v * north + (1 - w) * low + w * high
    # Edges count twice among the sides, corners three times: the Boolean sum takes them out again.
    for (a, p), (b, q) in (((0, u), (1, v)), ((1, v), (2, w)), ((0, u), (2, w))):
        for i, x in ((0, 1 - p), (-1, p)):
            for j, y in ((0, 1 - q), (-1, q)):
                ends = {a: _END[i], b: _END[j]}
                total -= x * y * nodes[tuple(ends.get(axis, inner[axis]) for axis in range(3))]
    for i, x in ((0, 1 - u), (-1, u)):
        for j, y in ((0, 1 - v), (-1, v)):
            for k, z in ((0, 1 - w), (-1, w)):
                total += x * y * z * nodes[i, j, k]
    nodes[i_in, j_in, k_in] = total


def _blends(lines: list[list[Floats]]) -> list[Floats]:
    """Intersect the fractions of the edges: each (ni, nj, nk), or 1 across where parallel ones are alike."""
    shape = tuple(len(lines[axis][0]) for axis in range(3))
    blends = []
    for axis in range(3):
        mean = np.asarray(np.mean(lines[axis], axis=0))
        blends.append(mean.reshape([-1 if a == axis else 1 for a in range(3)]))
    if all(np.ptp(lines[axis], axis=0).max(initial=0.0) < _SAME for axis in range(3)):
        return blends
    blends = [np.broadcast_to(blend, shape) for blend in blends]
    for _ in range(_STEPS):
        blends = [_mixed(lines[axis], axis, blends) for axis in range(3)]
    return blends


def _mixed(lines: list[Floats], axis: int, blends: list[Floats]) -> Floats:
    """Weight the fractions of four edges by where a node lies between them."""
    first, second = (blends[a] for a in range(3) if a != axis)
    weights = ((1 - first) * (1 - second), first * (1 - second), (1 - first) * second, first * second)
    way = [-1 if a == axis else 1 for a in range(3)]
    total = np.zeros(first.shape)
    for weight, line in zip(weights, lines, strict=True):
        total += weight * line.reshape(way)
    return total

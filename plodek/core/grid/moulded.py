"""Filling sides and blocks that have their shape from received nodes: straight in the indices of these.

Nodes at whole indices are the received ones to the bit. Where edges or sides do not run as the mould has
them, what they are off goes over into the inside by transfinite interpolation.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import edge_of
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.grid.inside import at_side, fill_inside, inside
from plodek.core.grid.side import Rim, between, crossed
from plodek.core.spacing.spread import LaidOut

#: What is off by less than this share of the size of a side or block is round-off, and stays where it is.
_OFF = 1e-12


def side_between(mould: Mould, laid: LaidOut, rim: Rim) -> Floats:
    """Fill between the nodes of the four edges of a side or a block of the plane (na, nb, 3)."""
    index, u, v = _index_of_side(mould, laid, (0, 1, 2, 3), (len(rim.south), len(rim.west)))
    nodes = mould.lattice.at(index)
    off = Rim(*(a - b for a, b in zip(rim, Rim(nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1]), strict=True)))
    if max(float(np.abs(part).max()) for part in off) > _OFF * _size(nodes):
        nodes += between(u, v, off)
    nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1] = rim
    return nodes


def fill_in_mould(mould: Mould, laid: LaidOut, nodes: Floats, sheet: tuple[int, int] | None) -> None:
    """Fill the inner nodes of a block (ni, nj, nk, 3) whose sides are there; or only those of a sheet."""
    inner = inside(nodes, sheet)
    if inner is None:
        return
    shape = nodes.shape[:3]
    ways = [[_line(mould, laid, *way, shape[axis]) for way in tables.parallel(3, axis)] for axis in range(3)]
    own = _received(mould, ways)
    index, off, far = np.zeros(nodes.shape), np.zeros(nodes.shape), 0.0
    for axis, end, corners in tables.sides(3):
        here = at_side(axis, end)
        index[here] = _index_of_side(mould, laid, corners, [n for a, n in enumerate(shape) if a != axis])[0]
        off[here] = nodes[here] - mould.lattice.at(index[here])
        far = max(far, float(np.abs(off[here]).max()))
    lines = [[_share(line) for line in four] for four in ways]
    if own is None:
        fill_inside(index, lines, sheet)
        nodes[inner] = mould.lattice.at(index[inner])
    else:
        nodes[inner] = own[inner]
    if far > _OFF * _size(nodes):
        fill_inside(off, lines, sheet)
        nodes[inner] += off[inner]


def _received(mould: Mould, ways: list[list[Floats]]) -> Floats | None:
    """Give the received nodes (ni, nj, nk, 3) where a block is those as they are; None where it is not."""
    parts, order = [slice(None)] * 3, [0] * 3
    for axis, four in enumerate(ways):
        step = four[0][1] - four[0][0]
        along = int(np.argmax(np.abs(step)))
        whole = np.arange(len(four[0]))[:, None] * np.sign(step) * (np.abs(step) == 1.0)
        if not all(np.array_equal(line - line[0], whole) for line in four) or np.count_nonzero(step) != 1:
            return None
        first, beyond = int(four[0][0, along]), int(four[0][-1, along] + step[along])
        parts[along], order[axis] = slice(first, None if beyond < 0 else beyond, int(step[along])), along
    if sorted(order) != [0, 1, 2]:
        return None
    return mould.lattice.nodes[tuple(parts)].transpose(*order, 3)


def _index_of_side(
    mould: Mould, laid: LaidOut, corners: Sequence[int], shape: Sequence[int]
) -> tuple[Floats, Floats, Floats]:
    """Give the indices (na, nb, 3) of the nodes between four corners of a mould, and their blending."""
    a, b, c, d = corners
    na, nb = shape
    ways = (a, b, na), (c, d, na), (a, c, nb), (b, d, nb)
    rim = Rim(*(_line(mould, laid, *way) for way in ways))
    u, v = crossed(*(_share(line) for line in rim))
    return between(u, v, rim), u, v


def _line(mould: Mould, laid: LaidOut, first: int, second: int, count: int) -> Floats:
    """Give the indices (n, 3) of the ``count`` nodes of an edge, from one of a mould's corners to another."""
    a, b = mould.corners[first], mould.corners[second]
    if a == b:
        return mould.along(first, second, None, np.linspace(0.0, 1.0, count))
    edge = edge_of(a, b)
    s = laid.nodes[edge] if a < b else 1.0 - laid.nodes[edge][::-1]
    return mould.along(first, second, laid.paths[edge], s)


def _share(line: Floats) -> Floats:
    """Give where indices (n, 3) lie between the first and the last, 0 to 1; evenly where these are one."""
    way = line[-1] - line[0]
    axis = int(np.argmax(np.abs(way)))
    if way[axis] == 0.0:
        return np.linspace(0.0, 1.0, len(line))
    return np.asarray((line[:, axis] - line[0, axis]) / way[axis])


def _size(nodes: Floats) -> float:
    """Give the longest extent of nodes (…, 3), of those on their rim."""
    ends = nodes[(slice(None, None, max(len(nodes) - 1, 1)),)]
    return float(np.ptp(ends.reshape(-1, 3), axis=0).max())

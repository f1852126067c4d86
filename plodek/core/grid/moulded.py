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
from plodek.core.blocks.moulds.edges import indices_along
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.grid.inside import at_side, fill_inside, inside
from plodek.core.grid.side import Rim, between, crossed
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.spacing.spread import LaidOut
from plodek.core.tolerances import SAME_PLACE

#: What is off by less than this share of the size of a side or block is round-off, and stays where it is.
_OFF = 1e-12


def side_between(mould: Mould, laid: LaidOut, rim: Rim, surface: Surface | None = None) -> Floats:
    """Fill between the nodes of the four edges of a side or a block of the plane (na, nb, 3).

    Nodes are put on the ``surface`` that the side lies on; received ones that are there stay as they are.
    """
    lines = _lines_of_side(mould, laid, (0, 1, 2, 3), (len(rim.south), len(rim.west)))
    u, v = crossed(*(_share(line) for line in lines))
    own = _received(mould, [[lines.south, lines.north], [lines.west, lines.east]])
    nodes = mould.lattice.at(between(u, v, lines)) if own is None else own.copy()
    off = Rim(*(a - b for a, b in zip(rim, Rim(nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1]), strict=True)))
    is_off = max(float(np.abs(part).max()) for part in off) > _OFF * _size(nodes)
    if is_off:
        nodes += between(u, v, off)
    if surface is not None:
        inner = nodes[1:-1, 1:-1].reshape(-1, 3)
        on = surface.onto(inner)
        if own is not None and not is_off:
            stay = np.linalg.norm(on - inner, axis=1) <= SAME_PLACE * _size(nodes)
            on[stay] = inner[stay]
        nodes[1:-1, 1:-1] = on.reshape(nodes[1:-1, 1:-1].shape)
    nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1] = rim
    return nodes


def fill_in_mould(mould: Mould, laid: LaidOut, nodes: Floats, sheet: tuple[int, int] | None) -> None:
    """Fill the inner nodes of a block (ni, nj, nk, 3) whose sides are there; or only those of a sheet."""
    inner = inside(nodes, sheet)
    if inner is None:
        return
    shape = nodes.shape[:3]
    ways = [[_line(mould, laid, *way, shape[axis]) for way in tables.parallel(3, axis)] for axis in range(3)]
    shares = [[_share(line) for line in four] for four in ways]
    there = _received(mould, ways)
    if there is None:
        index = np.zeros(nodes.shape)
        for axis, end, corners in tables.sides(3):
            lines = _lines_of_side(mould, laid, corners, [n for a, n in enumerate(shape) if a != axis])
            index[at_side(axis, end)] = between(*crossed(*(_share(line) for line in lines)), lines)
        fill_inside(index, shares, sheet)
        there = np.empty(nodes.shape)
        for part in (*(at_side(axis, end) for axis, end, _ in tables.sides(3)), inner):
            there[part] = mould.lattice.at(index[part])
    off, far = np.zeros(nodes.shape), 0.0
    for axis, end, _ in tables.sides(3):
        part = at_side(axis, end)
        off[part] = nodes[part] - there[part]
        far = max(far, float(np.abs(off[part]).max()))
    nodes[inner] = there[inner]
    if far > _OFF * _size(nodes):
        fill_inside(off, shares, sheet)
        nodes[inner] += off[inner]


def _received(mould: Mould, ways: list[list[Floats]]) -> Floats | None:
    """Give the received nodes, with an axis for each of the ``ways``, where they are those as they are.

    ``ways`` are the indices on the parallel edges along each axis. None where any is no whole one, or steps
    are not single.
    """
    parts = [slice(n, n + 1) for n in mould.index[0].astype(int).tolist()]
    order = []
    for lines in ways:
        step = lines[0][1] - lines[0][0]
        along = int(np.argmax(np.abs(step)))
        whole = np.arange(len(lines[0]))[:, None] * step
        if np.abs(step).sum() != 1.0 or not all(np.array_equal(line - line[0], whole) for line in lines):
            return None
        first, beyond = int(lines[0][0, along]), int(lines[0][-1, along] + step[along])
        parts[along] = slice(first, None if beyond < 0 else beyond, int(step[along]))
        order.append(along)
    if len(set(order)) < len(order) or np.any(mould.index != np.round(mould.index)):
        return None
    rest = [axis for axis in range(3) if axis not in order]
    nodes = mould.lattice.nodes[tuple(parts)].transpose(*order, *rest, 3)
    return nodes.reshape(*nodes.shape[: len(order)], 3) if rest else nodes


def _lines_of_side(mould: Mould, laid: LaidOut, corners: Sequence[int], shape: Sequence[int]) -> Rim:
    """Give the indices (n, 3) of the nodes on the four edges between corners of a mould."""
    a, b, c, d = corners
    na, nb = shape
    return Rim(*(_line(mould, laid, *way) for way in ((a, b, na), (c, d, na), (a, c, nb), (b, d, nb))))


def _line(mould: Mould, laid: LaidOut, first: int, second: int, count: int) -> Floats:
    """Give the indices (n, 3) of the ``count`` nodes of an edge, from one of a mould's corners to another."""
    a, b = mould.corners[first], mould.corners[second]
    if a == b:
        return indices_along(mould, first, second, None, np.linspace(0.0, 1.0, count))
    edge = edge_of(a, b)
    s = laid.nodes[edge] if a < b else 1.0 - laid.nodes[edge][::-1]
    return indices_along(mould, first, second, laid.paths[edge], s)


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

"""What a grid has from its layout: interfaces, twins, poles, and the windows of sides.

Indices of blocks count the filled blocks, in order.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, Layout, Side, Use, edge_of
from plodek.core.blocks.orientation import Orientation
from plodek.core.grid.window import Interface, Pole, Seam, Window


def windows_of(layout: Layout) -> dict[Side, tuple[Window, ...]]:
    """Give the windows of all sides of filled blocks: one of an outer side, two of an inner one."""
    index = _index(layout)
    return {
        side: tuple(_window(index, use) for use in uses if use.block in index)
        for side, uses in layout.sides.items()
    }


def interfaces_of(layout: Layout, walls: Collection[Side] = ()) -> tuple[Interface, ...]:
    """Find the interfaces between filled blocks, but for the sides that are ``walls`` between regions."""
    index = _index(layout)
    found = []
    for side, uses in layout.sides.items():
        filled = [use for use in uses if use.block in index]
        if len(filled) == 2 and side not in walls:
            found.append(_interface(layout, index, filled[0], filled[1], {}))
    return tuple(found)


def periodic_of(layout: Layout) -> tuple[Interface, ...]:
    """Find the pairs of twin sides, the driving one first."""
    index = _index(layout)
    found = []
    for twin, side, driven in layout.twin_sides:
        plain = _interface(layout, index, layout.outer[side], layout.outer[driven], twin.corners)
        found.append(Interface(plain.first, plain.second, plain.orientation, twin.move))
    return tuple(found)


def poles_of(layout: Layout) -> tuple[Pole, ...]:
    """Find the edges and sides of filled blocks that have shrunk; of a side its edges are not told again."""
    found = []
    for number, name in enumerate(layout.filled):
        corners = layout.blocks[name].corners
        if len(set(corners)) == len(corners):
            continue
        told = set()
        for axis, end, ns in tables.sides(layout.dim) if layout.dim == 3 else ():
            for along in (a for a in range(3) if a != axis):
                if all(corners[n] == corners[n ^ 1 << along] for n in ns):
                    told |= {(along, n) for n in ns}
                    ends = tuple(end if a == axis else None for a in range(3))
                    found.append(Pole(number, ends, along))
        for along, low, high in tables.edges(layout.dim):
            if corners[low] == corners[high] and (along, low) not in told:
                ends = tuple(None if a == along else low >> a & 1 for a in range(3))
                found.append(Pole(number, ends, along))
    return tuple(found)


def seams_of(layout: Layout) -> tuple[Seam, ...]:
    """Find the edges and corners where filled blocks meet without a chain of shared sides between them."""
    index = _index(layout)
    joined: dict[str, list[tuple[str, frozenset[str]]]] = {name: [] for name in index}
    for side, uses in layout.sides.items():
        names = [use.block for use in uses if use.block in index]
        if len(names) == 2:
            for one, other in (names, names[::-1]):
                joined[one].append((other, frozenset(side)))
    found = []
    for edge, uses_of_edge in layout.edges.items():
        names = [block for block, _ in uses_of_edge if block in index]
        for one, other in _apart(names, joined, set(edge)):
            (a, a_turned), (b, b_turned) = (_along(layout, name, edge) for name in (one, other))
            found.append(Seam(index[one], a, index[other], b, a_turned != b_turned))
    for corner, at in layout.at_corner.items():
        for one, other in _apart([name for name in at if name in index], joined, {corner}):
            a, b = (_at(layout, name, corner) for name in (one, other))
            found.append(Seam(index[one], a, index[other], b))
    return tuple(found)


def _apart(
    names: list[str], joined: Mapping[str, list[tuple[str, frozenset[str]]]], holding: set[str]
) -> list[tuple[str, str]]:
    """Give pairs of blocks that link the groups not connected through sides that hold these corners."""
    left, firsts = dict.fromkeys(names), []
    while left:
        ahead = [next(iter(left))]
        firsts.append(ahead[0])
        while ahead:
            name = ahead.pop()
            if name in left:
                del left[name]
                ahead += [other for other, side in joined[name] if other in left and holding <= side]
    return [(firsts[0], other) for other in firsts[1:]]


def _along(layout: Layout, name: str, edge: Edge) -> tuple[tuple[int | None, ...], bool]:
    """Give where an edge is on a block, and whether it runs there from its second corner."""
    corners = layout.blocks[name].corners
    axis, low = next(
        (a, n) for a, n, high in tables.edges(layout.dim) if edge_of(corners[n], corners[high]) == edge
    )
    return tuple(None if a == axis else low >> a & 1 for a in range(layout.dim)), corners[low] != edge[0]


def _at(layout: Layout, name: str, corner: str) -> tuple[int | None, ...]:
    n = layout.blocks[name].corners.index(corner)
    return tuple(n >> axis & 1 for axis in range(layout.dim))


def _index(layout: Layout) -> dict[str, int]:
    return {name: n for n, name in enumerate(layout.filled)}


def _window(index: Mapping[str, int], use: Use) -> Window:
    return Window(index[use.block], use.axis, use.end)


def _interface(
    layout: Layout, index: Mapping[str, int], first: Use, second: Use, names: Mapping[str, str]
) -> Interface:
    """Join two sides; ``names`` gives the second's corners by those of the first where they are others."""
    ours = [names.get(c, c) for c in layout.blocks[first.block].corners]
    theirs = layout.blocks[second.block].corners
    orientation = Orientation.between(ours, (first.axis, first.end), theirs, (second.axis, second.end))
    return Interface(_window(index, first), _window(index, second), orientation)

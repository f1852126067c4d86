"""Edges that go on into the next block across a side, and edges that leave a wall."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import TypeAlias

from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, Layout, Side, Use

#: An edge, and the corner at one of its ends.
EdgeEnd: TypeAlias = tuple[Edge, str]
#: For an end of an edge: the ends of the edges that go on beyond it.
Continuing: TypeAlias = Mapping[EdgeEnd, tuple[EdgeEnd, ...]]


def continuing(layout: Layout) -> Continuing:
    """Find which edges go on across the sides between filled blocks, and across twin sides."""
    found: dict[EdgeEnd, list[EdgeEnd]] = {}

    def join(one: EdgeEnd, other: EdgeEnd) -> None:
        for a, b in ((one, other), (other, one)):
            there = found.setdefault(a, [])
            if b not in there:
                there.append(b)

    for first, second, names in _joints(layout):
        beyond = _away(layout, second)
        for corner, edge in _away(layout, first).items():
            there = names.get(corner, corner)
            if there in beyond and (beyond[there], there) != (edge, corner):
                join((edge, corner), (beyond[there], there))
    return {key: tuple(ends) for key, ends in found.items()}


def _joints(layout: Layout) -> Iterator[tuple[Use, Use, Mapping[str, str]]]:
    """Give the sides of filled blocks that meet, and the corners of the second where they are others."""
    for uses in layout.sides.values():
        if len(uses) > 1 and not any(layout.blocks[use.block].hollow for use in uses):
            yield uses[0], uses[1], {}
    for twin, side, driven in layout.twin_sides:
        yield layout.outer[side], layout.outer[driven], twin.corners


def leaving(layout: Layout, walls: Iterable[Side]) -> dict[Edge, set[str]]:
    """Find the edges that leave outer sides into the flow domain, each with its corners on them."""
    found: dict[Edge, set[str]] = {}
    for side in walls:
        use = layout.outer.get(side)
        if use is not None:
            for corner, edge in _away(layout, use).items():
                found.setdefault(edge, set()).add(corner)
    return found


def _away(layout: Layout, use: Use) -> dict[str, Edge]:
    """Give the edges of a block that run away from one of its sides, by their corners on it."""
    corners = layout.blocks[use.block].corners
    found = {}
    for here, there in tables.away(layout.dim, use.axis, use.end):
        a, b = corners[here], corners[there]
        if a != b:
            found[a] = (a, b) if a < b else (b, a)
    return found

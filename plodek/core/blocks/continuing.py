"""Edges that go on into the next block across a side, and edges that leave a wall."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TypeAlias

from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, Layout, Side, Use, edge_of

#: For an edge and its end at a corner: the edges that go on beyond that corner.
Continuing: TypeAlias = Mapping[tuple[Edge, str], tuple[Edge, ...]]


def continuing(layout: Layout) -> Continuing:
    """Find which edges go on across the sides between filled blocks."""
    found: dict[tuple[Edge, str], list[Edge]] = {}
    for uses in layout.sides.values():
        if len(uses) < 2 or any(layout.blocks[use.block].hollow for use in uses):
            continue
        one, other = (_away(layout, use) for use in uses[:2])
        for corner, edge in one.items():
            beyond = other.get(corner)
            if beyond is not None and beyond != edge:
                for a, b in ((edge, beyond), (beyond, edge)):
                    there = found.setdefault((a, corner), [])
                    if b not in there:
                        there.append(b)
    return {key: tuple(edges) for key, edges in found.items()}


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
    bit = 1 << use.axis
    ways = ((corners[n], corners[n ^ bit]) for n in tables.side_corners(layout.dim, use.axis, use.end))
    return {a: edge_of(a, b) for a, b in ways if a != b}

"""Sides whose spacing is asked for from them on: all edges that leave them say their first cell."""

from __future__ import annotations

from collections.abc import Mapping

from plodek.core.blocks.layout import Edge, Layout, Side, Use, edge_of
from plodek.core.blocks.sides import opposite, side_corners
from plodek.core.spacing.edge_law import EdgeLaw


def sized_sides(layout: Layout, laws: Mapping[Edge, EdgeLaw]) -> dict[Side, list[EdgeLaw]]:
    """Give the outer sides that all edges leave with a first cell that was asked for, and their laws."""
    found = ((side, _laws_from(layout, laws, use)) for side, use in layout.outer.items())
    return {side: leaving for side, leaving in found if leaving}


def _laws_from(layout: Layout, laws: Mapping[Edge, EdgeLaw], use: Use) -> list[EdgeLaw]:
    """Give the laws of the edges that leave a side; none unless all of them have a size there."""
    here = side_corners(layout, use)
    there = side_corners(layout, opposite(layout, use)[1])
    found = []
    for a, b in zip(here, there, strict=True):
        law = laws.get(edge_of(a, b))
        if a == b or law is None or (law.first if a < b else law.last) is None:
            return []
        found.append(law)
    return found

"""Tiers: the classes of edges that must carry the same number of cells.

Two edges agree where they lie opposite in some block, hollow ones included (they can be brought
back). Union-find with parity also gives every edge its direction within the tier.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, Layout, edge_of


@dataclass(frozen=True)
class Tier:
    """A tier: its ``label`` and its edges; True where the edge's sorted order runs the tier's way.

    ``twisted`` says that walking around the tier comes back to an edge the other way round.
    """

    label: str
    edges: Mapping[Edge, bool]
    twisted: bool

    @property
    def first(self) -> Edge:
        """The edge that stands for the tier."""
        return next(iter(self.edges))


def tiers(layout: Layout) -> tuple[Tier, ...]:
    """Find all tiers, in the order of their first edges; an edge shrunk to a point ties nothing."""
    parent: dict[Edge, Edge] = {edge: edge for edge in layout.edges}
    turned: dict[Edge, bool] = dict.fromkeys(layout.edges, False)  # against its parent
    twisted: set[Edge] = set()

    def root(edge: Edge) -> tuple[Edge, bool]:
        flip = False
        while parent[edge] != edge:
            flip ^= turned[edge]
            edge = parent[edge]
        return edge, flip

    def join(first: tuple[str, str], other: tuple[str, str]) -> None:
        """Let two edges, each given the way it runs, agree."""
        (r0, f0), (r1, f1) = root(edge_of(*first)), root(edge_of(*other))
        flip = f0 ^ f1 ^ (first[0] > first[1]) ^ (other[0] > other[1])
        if r0 != r1:
            parent[r1], turned[r1] = r0, flip
        elif flip:
            twisted.add(r0)

    for block in layout.blocks.values():
        for axis in range(layout.dim):
            ways = [(block.corners[a], block.corners[b]) for a, b in tables.parallel(layout.dim, axis)]
            first, *others = [way for way in ways if way[0] != way[1]] or [("", "")]
            for other in others:
                join(first, other)
    for twin in layout.twins:
        for a, b in layout.edges:
            if a in twin.corners and b in twin.corners:
                driven = twin.corners[a], twin.corners[b]
                if edge_of(*driven) in layout.edges:
                    join((a, b), driven)

    classes: dict[Edge, dict[Edge, bool]] = {}
    for edge in layout.edges:
        top, flip = root(edge)
        classes.setdefault(top, {})[edge] = not flip
    roots_twisted = {root(edge)[0] for edge in twisted}
    return tuple(
        Tier(f"T{n}", edges, top in roots_twisted) for n, (top, edges) in enumerate(classes.items(), 1)
    )


def tier_of(found: tuple[Tier, ...], edge: Edge) -> Tier:
    """Give the tier an edge of the layout belongs to."""
    return next(tier for tier in found if edge in tier.edges)

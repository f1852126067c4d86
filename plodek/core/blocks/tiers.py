"""Tiers: the classes of edges that must carry the same number of cells.

Two edges agree where they lie opposite in some block, hollow ones included (they can be brought
back). Union-find with parity also gives every edge its direction within the tier.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
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


class _Classes:
    """Edges joined into classes, each with its way against the edge that stands for its class."""

    def __init__(self, edges: Iterable[Edge]) -> None:
        self._parent: dict[Edge, tuple[Edge, bool]] = {edge: (edge, False) for edge in edges}
        self._twisted: set[Edge] = set()

    def root(self, edge: Edge) -> tuple[Edge, bool]:
        """Find what stands for an edge's class, and whether the edge runs against it."""
        above, turned = self._parent[edge]
        if self._parent[above][0] == above:  # as most are
            return above, turned
        chain = []
        flip = False
        while self._parent[edge][0] != edge:
            chain.append((edge, flip))
            above, turned = self._parent[edge]
            flip ^= turned
            edge = above
        for below, before in chain:  # shorten the way for the next one who asks
            self._parent[below] = (edge, flip ^ before)
        return edge, flip

    def join(self, first: tuple[str, str], other: tuple[str, str]) -> None:
        """Let two edges, each given the way it runs, agree."""
        (r0, f0), (r1, f1) = self.root(edge_of(*first)), self.root(edge_of(*other))
        flip = f0 ^ f1 ^ (first[0] > first[1]) ^ (other[0] > other[1])
        if r0 != r1:
            self._parent[r1] = (r0, flip)
        elif flip:
            self._twisted.add(r0)

    def tiers(self) -> tuple[Tier, ...]:
        """Give the classes, in the order of their first edges."""
        classes: dict[Edge, dict[Edge, bool]] = {}
        for edge in self._parent:
            top, flip = self.root(edge)
            classes.setdefault(top, {})[edge] = not flip
        twisted = {self.root(edge)[0] for edge in self._twisted}
        return tuple(
            Tier(f"T{n}", edges, top in twisted) for n, (top, edges) in enumerate(classes.items(), 1)
        )


def tiers(layout: Layout) -> tuple[Tier, ...]:
    """Find all tiers, in the order of their first edges; an edge shrunk to a point ties nothing."""
    found = _Classes(layout.edges)
    pairs = [tables.parallel(layout.dim, axis) for axis in range(layout.dim)]
    for block in layout.blocks.values():
        corners = block.corners
        for pair in pairs:
            ways = [(corners[a], corners[b]) for a, b in pair if corners[a] != corners[b]]
            for other in ways[1:]:
                found.join(ways[0], other)
    for twin, (a, b), _ in layout.twin_edges:
        found.join((a, b), (twin.corners[a], twin.corners[b]))
    return found.tiers()


def tier_of(found: tuple[Tier, ...], edge: Edge) -> Tier:
    """Give the tier an edge of the layout belongs to."""
    return next(tier for tier in found if edge in tier.edges)

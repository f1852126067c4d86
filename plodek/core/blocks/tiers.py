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
    """Find all tiers, in the order of their first edges."""
    parent: dict[Edge, Edge] = {edge: edge for edge in layout.edges}
    turned: dict[Edge, bool] = dict.fromkeys(layout.edges, False)  # against its parent
    twisted: set[Edge] = set()

    def root(edge: Edge) -> tuple[Edge, bool]:
        flip = False
        while parent[edge] != edge:
            flip ^= turned[edge]
            edge = parent[edge]
        return edge, flip

    for block in layout.blocks.values():
        for axis in range(layout.dim):
            joined = [
                (edge_of(block.corners[a], block.corners[b]), block.corners[a] > block.corners[b])
                for ax, a, b in tables.edges(layout.dim)
                if ax == axis
            ]
            (first, first_turned), *others = [j for j in joined if j[0][0] != j[0][1]]
            for edge, edge_turned in others:
                (r0, f0), (r1, f1) = root(first), root(edge)
                flip = f0 ^ f1 ^ first_turned ^ edge_turned
                if r0 != r1:
                    parent[r1], turned[r1] = r0, flip
                elif flip:
                    twisted.add(r0)

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

"""Spacing of a layout: counts live on tiers, laws on edges, and both survive cuts and rings."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from plodek.core.arrays import Floats
from plodek.core.blocks.cut import Cut
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.ring import Ring
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import ImpossibleSpacing
from plodek.core.shape.guide import Guide
from plodek.core.spacing.edge_law import EdgeLaw

#: A tier without a count of its own gets cells of about this share of the layout's diagonal.
DERIVED_SIZE = 1 / 40
MOST_CELLS = 10_000


@dataclass(frozen=True)
class Spacing:
    """Counts of locked tiers, on each of their edges, and laws of edges, from their first corner."""

    counts: Mapping[Edge, int] = field(default_factory=dict)
    laws: Mapping[Edge, EdgeLaw] = field(default_factory=dict)

    def with_count(self, tier: Tier, count: int) -> Spacing:
        """Lock a tier's count. Raises ImpossibleSpacing outside 1 to MOST_CELLS."""
        if not 1 <= count <= MOST_CELLS:
            raise ImpossibleSpacing(f"{count} cells", remedy=f"use 1 to {MOST_CELLS} cells")
        return replace(self, counts=dict(self.counts) | dict.fromkeys(tier.edges, count))

    def with_law(self, tier: Tier, edges: Iterable[Edge], law: EdgeLaw, along: Edge) -> Spacing:
        """Lay a law, given along ``along`` from its first corner, on edges of its tier, each its own way."""
        way = tier.edges[along]
        laid = {e: law if tier.edges[e] == way else law.turned() for e in edges}
        return replace(self, laws=dict(self.laws) | laid)

    def turned(self, edges: Iterable[Edge]) -> Spacing:
        """Turn the laws of edges round."""
        laid = {e: self.laws[e].turned() for e in edges if e in self.laws}
        return replace(self, laws=dict(self.laws) | laid)

    def after_cut(self, cut: Cut, fractions: Mapping[Edge, float]) -> Spacing:
        """Share the counts of divided edges between their pieces; the pieces are uniform."""
        counts, laws = dict(self.counts), dict(self.laws)
        for edge, middle in cut.middle.items():
            laws.pop(edge, None)
            count = counts.pop(edge, None)
            if count is None or edge not in fractions:
                continue
            low = max(1, min(count - 1, round(count * fractions[edge])))
            for corner, part in ((edge[0], low), (edge[1], max(1, count - low))):
                counts[edge_of(corner, middle)] = part
        return Spacing(counts, laws)

    def after_ring(self, ring: Ring) -> Spacing:
        """Carry counts and laws over to the edges that moved or were doubled."""
        counts, laws = dict(self.counts), dict(self.laws)
        for before, after in ring.edges.items():
            if before in self.counts:
                counts[after] = self.counts[before]
            if before in self.laws:
                law = self.laws[before]
                keeps_order = ring.copies.get(before[0], before[0]) == after[0]
                laws[after] = law if keeps_order else law.turned()
        return Spacing(counts, laws)


@dataclass(frozen=True)
class LaidOut:
    """A layout with its spacing worked out: counts per tier, paths and nodes per edge."""

    tiers: tuple[Tier, ...]
    counts: Mapping[Edge, int]
    locked: frozenset[str]
    paths: Mapping[Edge, EdgePath]
    nodes: Mapping[Edge, Floats]

    @property
    def cells(self) -> Mapping[str, int]:
        """Cells of each tier, by its label."""
        return {tier.label: self.counts[tier.first] for tier in self.tiers}


def lay_out(
    layout: Layout, guides: Mapping[str, Guide], spacing: Spacing, found: tuple[Tier, ...]
) -> LaidOut:
    """Work out the spacing of all edges of filled blocks.

    Raises ImpossibleSpacing, naming the edge, where a law cannot be laid on one.
    """
    paths = {edge: edge_path(layout, guides, edge) for edge in layout.filled_edges}
    wanted = layout.size() * DERIVED_SIZE
    counts: dict[Edge, int] = {}
    locked = set()
    for tier in found:
        given = next((spacing.counts[e] for e in tier.edges if e in spacing.counts), None)
        if given is None:
            lengths = [paths[e].length for e in tier.edges if e in paths]
            mean = sum(lengths) / len(lengths) if lengths else wanted
            given = max(2, round(mean / wanted))
        else:
            locked.add(tier.label)
        counts |= dict.fromkeys(tier.edges, given)
    nodes = {}
    for edge, path in paths.items():
        try:
            nodes[edge] = spacing.laws.get(edge, EdgeLaw()).nodes(counts[edge], path.length)
        except ImpossibleSpacing as error:
            names = " to ".join(layout.labels[c] for c in edge)
            where = f"edge {names}, {path.length:.4g} long"
            raise ImpossibleSpacing(error.what, where=where, remedy=error.remedy) from error
    return LaidOut(found, counts, frozenset(locked), paths, nodes)

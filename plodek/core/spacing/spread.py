"""Spacing of a layout: counts live on tiers, laws on edges, and both survive cuts and rings."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

from plodek.core.arrays import Floats, Place
from plodek.core.blocks.change import Change
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Layout
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

    def after(self, change: Change) -> Spacing:
        """Carry counts and laws over to the edges of a changed layout.

        An edge that goes on whole keeps both; pieces share the count, and are uniform.
        """
        if not self.counts and not self.laws:
            return self
        there = change.layout.edges
        counts = {e: c for e, c in self.counts.items() if e in there}
        laws = {e: law for e, law in self.laws.items() if e in there}
        for edge, share in change.shares.items():
            count, law = self.counts.get(share.edge), self.laws.get(share.edge)
            if count is not None:
                part = round(count * share.high) - round(count * share.low)
                counts[edge] = max(1, part) + (self.counts.get(share.plus, 0) if share.plus else 0)
            if law is not None and share.low == 0.0 and share.high == 1.0 and share.plus is None:
                laws[edge] = law if share.same else law.turned()
        return Spacing(counts, laws)


@dataclass(frozen=True)
class LaidOut:
    """A layout with its spacing worked out: counts per tier, paths and nodes per edge, corners' places."""

    tiers: tuple[Tier, ...]
    counts: Mapping[Edge, int]
    locked: frozenset[str]
    paths: Mapping[Edge, EdgePath]
    nodes: Mapping[Edge, Floats]
    places: Mapping[str, Place]

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
    places = {c: corner.xyz for c, corner in layout.corners.items()}
    return LaidOut(found, counts, frozenset(locked), paths, nodes, places)

"""What follows from a layout and its guides alone, worked out once for all spacings of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, TypeAlias

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats
from plodek.core.blocks.angles import CornerAngles, corner_angles
from plodek.core.blocks.continuing import Continuing, continuing
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Layout
from plodek.core.blocks.reports import Finding
from plodek.core.blocks.soundness import findings
from plodek.core.blocks.tiers import Tier, tiers
from plodek.core.shape.guide import Guide

_CURVED = np.linspace(0.0, 1.0, 33)

#: What a path is made of, and the path.
KnownPath: TypeAlias = tuple[tuple[Any, ...], EdgePath]


@dataclass(frozen=True)
class LayoutFacts:
    """A layout with its guides, and what they come to."""

    layout: Layout
    guides: Mapping[str, Guide]
    #: Paths found before, each with what it was made of: what is still the same is not made again.
    earlier: Mapping[Edge, KnownPath] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def tiers(self) -> tuple[Tier, ...]:
        """The tiers of the layout."""
        return tiers(self.layout)

    @cached_property
    def tier_by_edge(self) -> Mapping[Edge, Tier]:
        """The tier of each edge."""
        return {edge: tier for tier in self.tiers for edge in tier.edges}

    @cached_property
    def paths(self) -> Mapping[Edge, EdgePath]:
        """The path of each edge of filled blocks."""
        return {edge: self._path(edge) for edge in self.layout.filled_edges}

    @property
    def known_paths(self) -> Mapping[Edge, KnownPath]:
        """All paths found so far with what they were made of, for the layout that comes after this one."""
        if "paths" not in self.__dict__:  # not asked for here, so not worth the work
            return self.earlier
        return {edge: (_made_of(self.layout, self.guides, edge), path) for edge, path in self.paths.items()}

    def _path(self, edge: Edge) -> EdgePath:
        before = self.earlier.get(edge)
        if before is not None and before[0] == _made_of(self.layout, self.guides, edge):
            return before[1]
        return edge_path(self.layout, self.guides, edge)

    @cached_property
    def middles(self) -> Floats:
        """The places (n, 3) half-way along all edges, hollow blocks' too, in their order."""
        half = np.array([0.5])
        paths = self.paths
        return np.array([(paths.get(e) or self._path(e)).at(half)[0] for e in self.layout.edges])

    @cached_property
    def continuing(self) -> Continuing:
        """Which edges go on where."""
        return continuing(self.layout)

    @cached_property
    def angles(self) -> CornerAngles:
        """The angles at the corners of filled blocks."""
        return corner_angles(self.layout, self.paths)

    @cached_property
    def findings(self) -> list[Finding]:
        """What is wrong with the blocks."""
        return findings(self.layout, self.tiers, self.paths)

    @cached_property
    def drawn(self) -> Mapping[Edge, list[list[float]]]:
        """Places along the path of each edge, enough to draw it; those of hollow blocks are straight."""
        found = {}
        for edge in self.layout.edges:
            path = self.paths.get(edge)
            if path is None or path.curve is None:
                found[edge] = [list(self.layout.corners[c].xyz) for c in edge]
            else:
                found[edge] = path.at(_CURVED).tolist()
        return found


def _made_of(layout: Layout, guides: Mapping[str, Guide], edge: Edge) -> tuple[Any, ...]:
    """Give what the path of an edge is made of: its corners, and what it follows or its bend."""
    follow = layout.follows.get(edge)
    guide = None if follow is None else guides.get(follow.guide)
    a, b = edge
    return layout.corners[a], layout.corners[b], follow, guide, layout.bends.get(edge)

"""The model that evaluating a recipe gives: all that is needed to build the grid."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

from plodek.core.blocks.extrude import extruded
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.tiers import Tier, tiers
from plodek.core.check.quality import DEFAULT_LIMITS
from plodek.core.errors import NotReady
from plodek.core.grid.grid import PatchType
from plodek.core.shape.curve import Curve
from plodek.core.shape.guide import Guide, curve_named, surface_named
from plodek.core.shape.surface import Surface
from plodek.core.smooth.smooth import SmoothSettings
from plodek.core.spacing.edge_law import EdgeLaw
from plodek.core.spacing.spread import LaidOut, Spacing, lay_out
from plodek.core.units import LengthUnit


@dataclass(frozen=True)
class Lift:
    """The extrusion: depth along z, its cells, and the law of their sizes from the plane on."""

    depth: float
    count: int
    law: EdgeLaw


@dataclass(frozen=True)
class Patch:
    """A named patch: its type, and the plane edges and the ends (of blocks) it takes."""

    name: str
    type: PatchType
    edges: tuple[Edge, ...] = ()
    ends: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class Group:
    """Guides under one name, with the name of a colour."""

    members: tuple[str, ...]
    colour: str = "teal"


@dataclass(frozen=True)
class Model:
    """Guides, layout, spacing, smoothing, lift, patches and gate, in the project's unit. Immutable."""

    unit: LengthUnit = "m"
    guides: Mapping[str, Guide] = field(default_factory=dict)
    groups: Mapping[str, Group] = field(default_factory=dict)
    #: What steps have to say about what they did, by their ids.
    reports: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    layout: Layout = field(default_factory=lambda: Layout(2))
    spacing: Spacing = field(default_factory=Spacing)
    smoothing: tuple[SmoothSettings, ...] = ()
    lift: Lift | None = None
    patches: tuple[Patch, ...] = ()
    limits: Mapping[str, float] = field(default_factory=lambda: dict(DEFAULT_LIMITS))
    #: The pieces of edges and blocks that were divided: what was named before a cut stays named.
    pieces: Mapping[Edge | str, tuple[Edge | str, ...]] = field(default_factory=dict)

    @cached_property
    def tiers(self) -> tuple[Tier, ...]:
        """The tiers of the plane layout."""
        return tiers(self.layout)

    @cached_property
    def laid(self) -> LaidOut:
        """The spacing worked out on every edge; see `lay_out` for what it raises."""
        return lay_out(self.layout, self.guides, self.spacing, self.tiers)

    @cached_property
    def solid(self) -> Layout | None:
        """The layout in space, where there is a lift."""
        return extruded(self.layout, self.lift.depth) if self.lift else None

    @cached_property
    def cells(self) -> int:
        """Cells of the grid, counted without building it."""
        plane = 0
        for name in self.layout.filled:
            c = self.layout.blocks[name].corners
            plane += self._count(c[0], c[1]) * self._count(c[0], c[2])
        return plane * (self.lift.count if self.lift else 1)

    def _count(self, a: str, b: str) -> int:
        return self.laid.counts[edge_of(a, b)]

    def parts(self, name: Edge | str) -> list[Edge | str]:
        """Follow an edge or block that was divided down to its pieces; itself where it was not."""
        if name not in self.pieces:
            return [name]
        return [deep for piece in self.pieces[name] for deep in self.parts(piece)]

    @cached_property
    def patch_of(self) -> tuple[Mapping[Edge, Patch], Mapping[tuple[str, int], Patch]]:
        """Which patch each outer plane edge and each block end belongs to, after all divisions."""
        outer = {edge_of(*side) for side in self.layout.outer}
        edges: dict[Edge, Patch] = {}
        ends: dict[tuple[str, int], Patch] = {}
        for patch in self.patches:
            for edge in patch.edges:
                edges |= {p: patch for p in self.parts(edge) if isinstance(p, tuple) and p in outer}
            for block, end in patch.ends:
                parts = [p for p in self.parts(block) if p in set(self.layout.filled)]
                ends |= {(str(p), end): patch for p in parts}
        return edges, ends

    @cached_property
    def unnamed(self) -> tuple[list[Edge], list[tuple[str, int]]]:
        """The outer plane edges and block ends that no patch has taken."""
        edges, ends = self.patch_of
        outer = [edge_of(*side) for side in self.layout.outer]
        both = [(name, end) for end in (0, 1) for name in self.layout.filled] if self.lift else []
        return [e for e in outer if e not in edges], [e for e in both if e not in ends]

    def curve(self, name: str) -> Curve:
        """Find a guide curve. Raises NothingFound."""
        return curve_named(self.guides, name)

    def surface(self, name: str) -> Surface:
        """Find a surface. Raises NothingFound."""
        return surface_named(self.guides, name)

    def need_blocks(self) -> None:
        """Raise NotReady where there is no block yet."""
        if not self.layout.blocks:
            raise NotReady("there are no blocks yet", remedy="frame the domain first (Blocks, Frame)")

    def need_plane(self, verb: Literal["blocks", "spacing", "smoothing"]) -> None:
        """Raise NotReady where the plane layout is already smoothed (or lifted, for smoothing)."""
        if self.smoothing and verb != "smoothing":
            raise NotReady(
                f"the {verb} of a smoothed plane cannot change",
                remedy="put this step before the smoothing step",
            )
        if self.lift and verb == "smoothing":
            raise NotReady(
                "the plane has already been extruded",
                remedy="put the smoothing before the extrusion",
            )

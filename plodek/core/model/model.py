"""The model that evaluating a recipe gives: all that is needed to build the grid.

Its grid begins with `Fill`, or with the `Lift` of a plane model; runs work on the grid that is there.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from math import prod
from typing import TypeAlias

from propcache.api import cached_property

from plodek.core.blocks import tables
from plodek.core.blocks.change import Change, parts_of
from plodek.core.blocks.continuing import Continuing
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Follow, Layout, Name, Side, Use, edge_of
from plodek.core.blocks.motion import Motion
from plodek.core.blocks.moulds.after import moulded
from plodek.core.blocks.normals import slants
from plodek.core.blocks.operations.keep import kept_on
from plodek.core.blocks.operations.twins import carried, driven
from plodek.core.blocks.reports import Note, Report
from plodek.core.blocks.tiers import Tier
from plodek.core.budget import need
from plodek.core.check.limits import OwnLimit
from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.errors import NotReady
from plodek.core.model.layout_facts import LayoutFacts
from plodek.core.model.named import Group, Patch
from plodek.core.model.operations import Fill, Run
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, curve_named, surface_named
from plodek.core.shape.joined import is_own, names_in
from plodek.core.shape.lattice import Lattice
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.smooth.settings import RunSettings
from plodek.core.spacing.edge_law import EdgeLaw
from plodek.core.spacing.from_sides import sized_sides
from plodek.core.spacing.jumps import Jump, jumps
from plodek.core.spacing.spread import LaidOut, Spacing, lay_out
from plodek.core.spacing.wall_units import Flow
from plodek.core.spacing.wishes import Wish, wanted_sizes
from plodek.core.units import LengthUnit

#: Bytes that a model takes with all that is worked out of it, about: by itself, for a block, for a cell
#: along an edge.
_WEIGHT, _OF_BLOCK, _OF_CELL = 4_000, 12_000, 24


@dataclass(frozen=True)
class Model:
    """Guides, layout, spacing, operations, patches and gate, in the project's unit. Immutable."""

    unit: LengthUnit = "m"
    guides: Mapping[str, Guide] = field(default_factory=dict)
    groups: Mapping[str, Group] = field(default_factory=dict)
    #: What steps have to say about what they did, by their ids.
    reports: Mapping[str, tuple[Report, ...]] = field(default_factory=dict)
    layout: Layout = field(default_factory=lambda: Layout(2))
    spacing: Spacing = field(default_factory=Spacing)
    #: Wanted cell sizes, from which tiers without a count get one.
    wishes: tuple[Wish, ...] = ()
    operations: tuple[Operation, ...] = (Fill(),)
    patches: tuple[Patch, ...] = ()
    limits: Mapping[str, float] = field(default_factory=lambda: dict(DEFAULT_LIMITS))
    #: Limits of patches, regions and blocks, in the place of the general ones there.
    own_limits: tuple[OwnLimit, ...] = ()
    #: What flows along the walls.
    flow: Flow | None = None
    #: The pieces of edges, sides and blocks that were divided: what was named before a cut stays named.
    pieces: Mapping[Name, tuple[Name, ...]] = field(default_factory=dict)
    #: The facts of the model before: paths of edges that are still the same are taken from them.
    known: LayoutFacts | None = field(default=None, compare=False, repr=False)

    @cached_property
    def own_guides(self) -> Mapping[str, Guide]:
        """The guides that are ones by themselves: neither joined of others, nor made by an operation."""
        return {name: guide for name, guide in self.guides.items() if is_own(guide)}

    @property
    def lift(self) -> Lift | None:
        """The lift that the layout in space came from, where it did."""
        first = self.operations[0]
        return first if isinstance(first, Lift) else None

    @property
    def smoothing(self) -> tuple[RunSettings, ...]:
        """The runs over the grid of this layout, in order: those that smooth, untangle or polish it."""
        return tuple(one.settings for one in self.operations if isinstance(one, Run))

    @property
    def all_runs(self) -> tuple[Run, ...]:
        """All runs with the limits that they keep, those on the plane that was lifted first."""
        below = self.lift.plane.operations if self.lift else ()
        return tuple(one for one in (*below, *self.operations) if isinstance(one, Run))

    @property
    def plane(self) -> Model:
        """The plane model: what was lifted, or this one itself."""
        return self.lift.plane if self.lift else self

    @cached_property
    def facts(self) -> LayoutFacts:
        """What follows from the layout and the guides alone."""
        if self.known and self.known.layout is self.layout and self.known.guides is self.guides:
            return self.known
        return LayoutFacts(self.layout, self.guides, self.known.known_paths if self.known else {})

    @property
    def tiers(self) -> tuple[Tier, ...]:
        """The tiers of the layout."""
        return self.facts.tiers

    @property
    def tier_by_edge(self) -> Mapping[Edge, Tier]:
        """The tier of each edge."""
        return self.facts.tier_by_edge

    @property
    def paths(self) -> Mapping[Edge, EdgePath]:
        """The path of each edge of filled blocks."""
        return self.facts.paths

    @property
    def continuing(self) -> Continuing:
        """Which edges go on where."""
        return self.facts.continuing

    @cached_property
    def laid(self) -> LaidOut:
        """The spacing worked out on every edge; see `lay_out` for what it raises."""
        return lay_out(
            self.layout, self.paths, self.spacing, self.tiers, self.continuing, self.wanted, self.unit
        )

    @cached_property
    def jumps(self) -> list[Jump]:
        """Where cells jump from one edge to the next, the worst first."""
        return jumps(self.laid, self.continuing)

    @cached_property
    def wanted(self) -> Mapping[Edge, float]:
        """The finest cell size wished on each edge that a wish reaches."""
        if not self.wishes:
            return {}
        guides: dict[str, set[Edge]] = {}
        for edge, follow in self.layout.follows.items():
            guides.setdefault(follow.guide, set()).add(edge)
        for side, guide in self.layout.lies.items():
            guides.setdefault(guide, set()).update(self.layout.rim_of(side))
        for side, follows in self.stood_on.items():
            for follow in follows:
                guides.setdefault(follow.guide, set()).update(self.layout.rim_of(side))
        patches: dict[str, set[Edge]] = {}
        if any(wish.patch for wish in self.wishes):
            for side, patch in self.patch_of.items():
                patches.setdefault(patch.name, set()).update(self.layout.rim_of(side))
        return wanted_sizes(self.paths, self.wishes, guides, patches)

    def with_spacing(self, spacing: Spacing) -> Model:
        """Give the model with another spacing; what depends on its layout alone is not worked out again."""
        return replace(self, spacing=spacing, known=self.facts)

    @cached_property
    def cells(self) -> int:
        """Cells of the grid, counted without building it."""
        return sum(prod(self.counts_of(name)) for name in self.layout.filled)

    @property
    def weight(self) -> int:
        """Bytes that the model takes with all that is worked out; guides and received nodes left out."""
        if not self.layout.blocks:
            return _WEIGHT
        along = sum(self.laid.counts.values())
        return _WEIGHT + _OF_BLOCK * len(self.layout.blocks) + _OF_CELL * along

    @cached_property
    def lattices(self) -> tuple[Lattice, ...]:
        """The received nodes that blocks and sides have their shape from."""
        return tuple(dict.fromkeys(mould.lattice for mould in self.layout.moulds.values()))

    def counts_of(self, block: str) -> tuple[int, ...]:
        """Give the cells of a block along its axes."""
        found = self._block_counts.get(block)
        if found is None:
            corners, counts, dim = self.layout.blocks[block].corners, self.laid.counts, self.layout.dim
            found = self._block_counts[block] = tuple(
                next(
                    (counts[edge_of(corners[a], corners[b])] for a, b in ways if corners[a] != corners[b]), 1
                )
                for ways in (tables.parallel(dim, axis) for axis in range(dim))
            )
        return found

    @cached_property
    def _block_counts(self) -> dict[str, tuple[int, ...]]:
        """The cells of the blocks that were asked for."""
        return {}

    def parts(self, name: Name) -> list[Name]:
        """Follow an edge, side or block that was divided down to its pieces; itself where it was not."""
        return parts_of(self.pieces, name)

    @cached_property
    def part_limits(self) -> tuple[OwnLimit, ...]:
        """The limits of parts of the grid, with the blocks that those named before have become."""
        return tuple(
            one
            if one.part != "blocks"
            else replace(one, names=tuple(str(p) for name in one.names for p in self.parts(name)))
            for one in self.own_limits
        )

    def sides_named(self, side: Side) -> list[Side]:
        """Give the sides of the layout that a side named before stands for."""
        return [p for p in self.parts(side) if isinstance(p, tuple) and p in self.layout.sides]

    @cached_property
    def patch_of(self) -> Mapping[Side, Patch]:
        """Which patch each outer side, or side between regions, belongs to, after all divisions."""
        return {
            piece: patch
            for patch in self.patches
            for side in patch.sides
            for piece in self.sides_named(side)
            if piece in self.layout.outer or piece in self.layout.borders
        }

    @cached_property
    def stood_on(self) -> Mapping[Side, list[Follow]]:
        """What the plane edges follow that sides of a lifted layout stand on."""
        found: dict[Side, list[Follow]] = {}
        if self.lift:
            for edge, follow in self.lift.plane.layout.follows.items():
                for side in self.sides_named(edge):
                    found.setdefault(side, []).append(follow)
        return found

    @cached_property
    def unnamed(self) -> list[Side]:
        """The outer sides that no patch has taken."""
        return [side for side in self.layout.outer if side not in self.patch_of]

    @cached_property
    def sized(self) -> Mapping[Side, list[EdgeLaw]]:
        """The outer sides from which all edges leave with a first cell that was asked for, and their laws."""
        return sized_sides(self.layout, self.spacing.laws)

    @cached_property
    def layered(self) -> Mapping[Side, Use]:
        """The outer sides from which all edges that leave have wall layers."""
        layered = [side for side, laws in self.sized.items() if all(law.layers > 0 for law in laws)]
        return {side: self.layout.outer[side] for side in layered}

    @cached_property
    def heights_asked(self) -> Mapping[Edge, Mapping[str, float]]:
        """The first heights asked for over `layered` sides, by edges that leave them and their corners."""
        leaning = slants(self.layout, self.guides, self.paths, self.layered)
        return {
            edge: {corner: cosine * self.laid.size_at(edge, corner) for corner, cosine in ends.items()}
            for edge, ends in leaning.items()
        }

    @property
    def guided(self) -> list[Side]:
        """The outer sides that lie on a guide; in the plane the edges that follow one."""
        on = self.layout.follows if self.layout.dim == 2 else self.layout.lies
        return [side for side in on if side in self.layout.outer]

    def shown_guide(self, name: str) -> str:
        """Give the name that a guide is shown by: of a made one that of what it was made of."""
        guide = self.guides[name]
        if not isinstance(guide, Surface) or guide.made_of is None:
            return name
        return next(iter(guide.made_of), "bends")

    def is_on(self, guide: str, name: str) -> bool:
        """Whether a guide that is followed is the one named, one of the group named, or joined with such."""
        names = self.groups[name].members if name in self.groups else (name,)
        return any(one == guide or one in names_in(self.guides.get(guide)) for one in names)

    def changed(self, change: Change, *, along_lift: bool = False) -> Model:
        """Give the model after an operation on its layout: names and spacing are carried over.

        A cut ``along_lift`` leaves a lift whole. Raises OverBudget for too many blocks.
        """
        need("blocks", len(change.layout.blocks))
        if self.layout.twins:
            layout = carried(self.layout, change.layout, change.pieces, change.origins)
            change = replace(change, layout=layout)
        pieces = dict(self.pieces)
        for name, parts in change.pieces.items():
            if parts != (name,):
                pieces[name] = parts
        # What is there again, as after a merge, stands for itself.
        there: tuple[Collection[Name], ...] = (
            change.layout.edges,
            change.layout.sides,
            change.layout.blocks,
        )
        pieces = {name: parts for name, parts in pieces.items() if not any(name in one for one in there)}
        guides = {**self.guides, **change.surfaces} if change.surfaces else self.guides
        kept = kept_on(self.layout, change.layout, guides, change.moved)
        # Only a spacing that is there is carried over: it has to be worked out on the old layout for that.
        is_set = bool(self.spacing.counts or self.spacing.laws)
        spacing = self.spacing

        def length_of(edge: Edge) -> float:
            return edge_path(kept, guides, edge).length

        if is_set:
            spacing = spacing.after(change, self.laid, length_of)
        if self.layout.moulds:
            done = moulded(self.layout, replace(change, layout=kept), self.laid.paths, self.laid.nodes)
            kept, spacing = done.layout, spacing.kept_at(done.nodes)
        layout = driven(kept, guides)
        operations = self.operations
        if self.lift:
            operations = (self.lift.after(change, layout, along=along_lift), *operations[1:])
        return replace(
            self,
            layout=layout,
            guides=guides,
            pieces=pieces,
            operations=operations,
            spacing=spacing,
            known=self.facts,
        )

    def reporting(self, step: str, *said: str | Report) -> Model:
        """Give the model with more that a step has to say about what it did, and where."""
        reports = tuple(Note(one) if isinstance(one, str) else one for one in said)
        return replace(
            self,
            reports=dict(self.reports) | {step: (*self.reports.get(step, ()), *reports)},
            known=self.known if "facts" not in self.__dict__ else self.facts,
        )

    def said(self, step: str) -> list[str]:
        """Give what a step has to say, in words."""
        return [one.text for one in self.reports.get(step, ())]

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

    def need_plane(self, verb: str) -> None:
        """Raise NotReady where the layout is no longer plane."""
        self.need_blocks()
        if self.layout.dim == 3:
            raise NotReady(
                f"{verb} works on a plane layout", remedy="put this step before the one that lifts it"
            )


@dataclass(frozen=True)
class Lift:
    """Carry the grid of a ``plane`` model along a motion.

    ``foot`` gives the plane corner of each corner, ``base`` the plane block of each block, ``above`` the
    corners that stand on each plane corner, that at the plane first. It is ``whole`` as long as the blocks
    are those of the plane, perhaps cut along the way: the blocks of one that is not are filled between
    their edges.
    """

    plane: Model
    motion: Motion
    foot: Mapping[str, str]
    base: Mapping[str, str]
    above: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    whole: bool = True

    def after(self, change: Change, layout: Layout, *, along: bool) -> Lift:
        """Give the lift after an operation on its layout; a cut ``along`` its way leaves it whole."""
        if not (self.whole and along):
            return replace(self, whole=False)
        base = dict(self.base)
        for name, parts in change.pieces.items():
            if isinstance(name, str) and name in base:
                base |= {str(part): base[name] for part in parts}
        base = {name: base[name] for name in layout.blocks}
        foot = {
            corner: self.plane.layout.blocks[base[name]].corners[n & 3]
            for name, block in layout.blocks.items()
            for n, corner in enumerate(block.corners)
        }
        return replace(self, base=base, foot=foot)

    def stands(self, a: str, b: str) -> bool:
        """Whether an edge between two corners runs along the way: both stand on one corner of the plane."""
        return self.foot.get(a, a) == self.foot.get(b, b)


#: What makes a grid, in order.
Operation: TypeAlias = Fill | Run | Lift

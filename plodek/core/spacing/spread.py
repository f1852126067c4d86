"""Spacing of a layout: counts live on tiers, laws on edges, and both survive cuts and rings."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, Place
from plodek.core.blocks.change import Change
from plodek.core.blocks.continuing import Continuing, EdgeEnd
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout
from plodek.core.blocks.tiers import Tier
from plodek.core.budget import need
from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing import kernels
from plodek.core.spacing.counts import Counting, derived_counts
from plodek.core.spacing.edge_law import MOST_CELLS, EdgeLaw, End, most_growth, refusal

_ENDS: tuple[End, End] = ("first", "last")


@dataclass(frozen=True)
class Spacing:
    """Counts of locked tiers, on each of their edges, and laws of edges, from their first corner.

    ``counting`` says how tiers without a count of their own get one; ``names`` are those of tiers.
    """

    counts: Mapping[Edge, int] = field(default_factory=dict)
    laws: Mapping[Edge, EdgeLaw] = field(default_factory=dict)
    counting: Counting = field(default_factory=Counting)
    names: Mapping[Edge, str] = field(default_factory=dict)

    def with_count(self, tier: Tier, count: int) -> Spacing:
        """Lock a tier's count. Raises ImpossibleSpacing outside 1 to MOST_CELLS."""
        if not 1 <= count <= MOST_CELLS:
            raise ImpossibleSpacing(f"{count} cells", remedy=f"use 1 to {MOST_CELLS} cells")
        return replace(self, counts=dict(self.counts) | dict.fromkeys(tier.edges, count))

    def with_laws(self, laws: Mapping[Edge, EdgeLaw]) -> Spacing:
        """Lay laws on edges, each from the edge's first corner."""
        return replace(self, laws=dict(self.laws) | dict(laws))

    def scaled(self, factor: float, dim: int, *, divide: bool, keep_single: bool = True) -> Spacing:
        """Multiply all counts by a factor; ``divide`` the cell sizes of laws by it, or keep them.

        With ``keep_single`` a count of one stays one: the depth of a plane case.
        """
        counts = {
            e: 1 if n == 1 and keep_single else max(1, round(n * factor)) for e, n in self.counts.items()
        }
        laws = {e: law.scaled(factor) for e, law in self.laws.items()} if divide else self.laws
        counting = replace(self.counting.scaled(factor, dim, divide=divide), keep_single=keep_single)
        return replace(self, counts=counts, laws=laws, counting=counting)

    def kept_at(self, nodes: Mapping[Edge, Floats]) -> Spacing:
        """Keep nodes at fractions (n,) of edges."""
        return self.with_laws({e: EdgeLaw("kept", places=tuple(s.tolist())) for e, s in nodes.items()})

    def after(self, change: Change, laid: LaidOut, length_of: Callable[[Edge], float]) -> Spacing:
        """Carry counts and laws over to the edges of a changed layout; ``laid`` is that of before.

        ``length_of`` gives the length of an edge that is there now.

        An edge that goes on whole keeps both. Pieces of one with a law keep its nodes, the nearest of
        which comes to lie on the cut; pieces of others share the count, and are uniform. Where two became
        one it keeps the nodes of both, if one of them has a law. An edge beside another has its law too, or
        its nodes where that cannot be laid on it.
        """
        if not self.counts and not self.laws:
            return self
        there = change.layout.edges
        counts = {e: c for e, c in self.counts.items() if e in there}
        laws = {e: law for e, law in self.laws.items() if e in there}
        for edge, share in change.shares.items():
            count, law = self.counts.get(share.edge), self.laws.get(share.edge)
            before = laid.nodes.get(share.edge)
            whole = share.low == 0.0 and share.high == 1.0
            if law is not None and before is not None and not whole and share.plus is None:
                piece = _piece(before, share.low, share.high)
                kept = law.kept(tuple(piece), at_first=share.low == 0.0, at_last=share.high == 1.0)
                laws[edge] = kept if share.same else kept.turned()
                counts[edge] = len(piece) - 1
                continue
            if count is not None:
                part = round(count * share.high) - round(count * share.low)
                counts[edge] = max(1, part) + (self.counts.get(share.plus, 0) if share.plus else 0)
            if law is not None and whole and share.plus is None:
                if share.beside and not law.fits(laid.counts[share.edge], length_of(edge)):
                    law = EdgeLaw("kept", places=tuple(laid.nodes[share.edge].tolist()))
                laws[edge] = law if share.same else law.turned()
            if share.plus is not None and (law or self.laws.get(share.plus)):
                places = _end_to_end(laid, edge, share.edge, share.plus)
                laws[edge] = EdgeLaw("kept", places=places)
                counts[edge] = len(places) - 1
        return replace(
            self, counts=counts, laws=laws, names={e: n for e, n in self.names.items() if e in there}
        )


def _end_to_end(laid: LaidOut, whole: Edge, first: Edge, second: Edge) -> tuple[float, ...]:
    """Give the nodes of two edges as fractions of the one that they became, from its first corner on."""
    if whole[0] not in first:
        first, second = second, first
    ways = first[0] == whole[0], second[1] == whole[1]
    near, far = (
        (s if same else 1.0 - s[::-1]) * laid.paths[edge].length
        for edge, same in zip((first, second), ways, strict=True)
        for s in (laid.nodes[edge],)
    )
    along = np.concatenate([near, near[-1] + far[1:]])
    return tuple((along / along[-1]).tolist())


def _piece(s: Floats, low: float, high: float) -> Floats:
    """Give the nodes between two fractions of an edge as fractions of that piece."""
    first = int(np.argmin(np.abs(s - low)))
    last = max(int(np.argmin(np.abs(s - high))), first + 1)
    if last >= len(s):
        first, last = len(s) - 2, len(s) - 1
    piece = (s[first : last + 1] - s[first]) / (s[last] - s[first])
    return np.asarray(piece)


class EdgeCells(NamedTuple):
    """Cells of an edge in the project's unit: first, last, smallest, largest; the most growth along it."""

    first: float
    last: float
    smallest: float
    largest: float
    growth: float


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

    @cached_property
    def edge_cells(self) -> Mapping[Edge, EdgeCells]:
        """What can be told of the cells of each edge, of all edges at once."""
        if not self.nodes:
            return {}
        counts = np.array([len(s) - 1 for s in self.nodes.values()])
        ends, starts = np.cumsum(counts), np.cumsum(counts) - counts
        d = np.diff(np.concatenate(list(self.nodes.values())))
        d = np.delete(d, (ends + np.arange(len(ends)))[:-1])  # from one edge's end to the next one's start
        with np.errstate(divide="ignore", invalid="ignore"):
            growth = np.append(np.maximum(d[1:] / d[:-1], d[:-1] / d[1:]), 1.0)
        growth[ends - 1] = 1.0
        lengths = np.array([self.paths[edge].length for edge in self.nodes])
        columns = (
            d[starts] * lengths,
            d[ends - 1] * lengths,
            np.minimum.reduceat(d, starts) * lengths,
            np.maximum.reduceat(d, starts) * lengths,
            np.maximum.reduceat(growth, starts),
        )
        rows = zip(*(column.tolist() for column in columns), strict=True)
        return {edge: EdgeCells(*row) for edge, row in zip(self.nodes, rows, strict=True)}

    def sizes(self, edge: Edge) -> Floats:
        """Give the cell sizes d (n,) of an edge, in the project's unit."""
        return np.asarray(np.diff(self.nodes[edge]) * self.paths[edge].length)

    def size_at(self, edge: Edge, corner: str) -> float:
        """Give the size of an edge's cell at one of its corners."""
        s = self.nodes[edge]
        part = s[1] - s[0] if edge[0] == corner else s[-1] - s[-2]
        return float(part) * self.paths[edge].length


def lay_out(
    layout: Layout,
    paths: Mapping[Edge, EdgePath],
    spacing: Spacing,
    found: tuple[Tier, ...],
    beyond: Continuing,
    wanted: Mapping[Edge, float],
    unit: str = "",
) -> LaidOut:
    """Work out the spacing of all edges of filled blocks.

    ``beyond`` says which edges go on where, for ends that match; ``wanted`` the cell size wished on edges.
    Raises ImpossibleSpacing, naming the edge, where a law cannot be laid on one.
    """
    counts, locked = derived_counts(layout, found, paths, spacing, wanted)
    need("edge_cells", sum(counts[e] for e in paths))
    laws = {e: spacing.laws[e] for e in paths if e in spacing.laws}
    nodes = {e: EdgeLaw().nodes(counts[e], 1.0) for e in paths if e not in laws}
    places = {c: corner.xyz for c, corner in layout.corners.items()}
    laid = LaidOut(found, counts, locked, paths, nodes, places)
    models = {e: _models(e, laws, beyond) for e, law in laws.items() if law.matched}
    _lay(laid, layout, {e: law for e, law in laws.items() if e not in models}, unit)
    while models:
        ready = {
            e: _matched(laid, e, laws[e], of)
            for e, of in models.items()
            if not any(b in models for beside in of.values() for b, _ in beside)
        }
        if not ready:
            names = " and ".join("–".join(layout.labels[c] for c in e) for e in sorted(models)[:2])
            raise ImpossibleSpacing(
                f"the edges {names} wait for each other's sizes",
                remedy="give one of them a size at the end where it matches",
            )
        _lay(laid, layout, ready, unit)
        models = {e: of for e, of in models.items() if e not in ready}
    return laid


def _models(edge: Edge, laws: Mapping[Edge, EdgeLaw], beyond: Continuing) -> dict[End, list[EdgeEnd]]:
    """Give the neighbours whose sizes an edge takes at its matched ends.

    Those that match there themselves have no size of their own to give.
    """
    found: dict[End, list[EdgeEnd]] = {}
    for end, corner in zip(_ENDS, edge, strict=True):
        if end in laws[edge].matched:
            found[end] = [
                (other, there)
                for other, there in beyond.get((edge, corner), ())
                if other != edge and not _matches(laws.get(other), other, there)
            ]
    return found


def _matches(law: EdgeLaw | None, edge: Edge, corner: str) -> bool:
    """Whether an edge matches its neighbours at one of its corners."""
    return law is not None and _ENDS[edge.index(corner)] in law.matched


def _matched(laid: LaidOut, edge: Edge, law: EdgeLaw, models: Mapping[End, list[EdgeEnd]]) -> EdgeLaw:
    """Give the law with the neighbours' sizes at its matched ends: the smallest, where there are several.

    Layers whose far end cannot have that size end smoothly.
    """
    taken = False
    for end in _ENDS:
        sizes = [laid.size_at(*other) for other in models.get(end, ())]
        if sizes:
            law, taken = law.with_end(end, min(sizes)), True
    if law.law in ("geometric", "two-sided") and law.first is None and law.last is None:
        return EdgeLaw() if law.ratio is None and law.expansion is None else law
    if law.law == "wall layers" and law.far is not None and taken:
        return _as_far_as_it_goes(law, laid.counts[edge], laid.paths[edge].length, law.far)
    return law


def _as_far_as_it_goes(law: EdgeLaw, n: int, length: float, beyond: float) -> EdgeLaw:
    """Let layers end smoothly where reaching the cell beyond takes more growth than the jump that is left."""
    smooth = replace(law, far=None)
    if not law.fits(n, length) or not smooth.fits(n, length):
        return smooth if smooth.fits(n, length) else law
    s = smooth.nodes(n, length)
    last = float(s[-1] - s[-2] if law.first is not None else s[1]) * length
    jump = max(most_growth(s), last / beyond, beyond / last)
    return smooth if jump < most_growth(law.nodes(n, length)) else law


def _lay(laid: LaidOut, layout: Layout, laws: Mapping[Edge, EdgeLaw], unit: str) -> None:
    """Lay laws on their edges, all at once; writes into the nodes of ``laid``."""
    nodes: dict[Edge, Floats] = laid.nodes  # type: ignore[assignment]
    solved = []
    for edge, law in laws.items():
        if law.law in ("uniform", "table", "kept"):
            nodes[edge] = law.nodes(laid.counts[edge], laid.paths[edge].length)
        else:
            solved.append(edge)
    if not solved:
        return
    packed = [laws[e].packed(laid.counts[e], laid.paths[e].length) for e in solved]
    starts = np.cumsum([0, *(laid.counts[e] + 1 for e in solved)])
    numbers = np.array([number for number, _, _ in packed])
    layers = np.array([m for _, _, m in packed])
    flat = np.empty(starts[-1])
    done = kernels.lay_all(numbers, np.array([sizes for _, sizes, _ in packed]), layers, starts, flat)
    for k, edge in enumerate(solved):
        if not done[k]:
            names = " to ".join(layout.labels[c] for c in edge)
            length = laid.paths[edge].length
            error = refusal(laws[edge], laid.counts[edge], length, unit)
            where = f"edge {names}, {length:.4g} {unit} long".replace("  ", " ")
            raise ImpossibleSpacing(error.what, where=where, remedy=error.remedy)
        nodes[edge] = flat[starts[k] : starts[k + 1]]

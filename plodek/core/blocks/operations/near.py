"""Fit what is near: pins and follows proposed for all that lies within a distance of a guide."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Corner, Edge, Layout, Side, edge_of
from plodek.core.blocks.operations import fit
from plodek.core.errors import PlodekError
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.surfaces.surface import Surface

#: What can be done to fit a corner, an edge or a side to a guide.
Fitting: TypeAlias = Literal["pin", "follow", "lie"]


@dataclass(frozen=True)
class Match:
    """A corner to be pinned, an edge to follow a curve, or a side to lie on a surface; ``far`` it is now."""

    does: Fitting
    corners: tuple[str, ...]
    guide: str
    far: float
    to: Floats | None = None

    @property
    def key(self) -> str:
        """The name by which it can be left out."""
        return f"{self.does} {'|'.join(self.corners)}"


@dataclass(frozen=True)
class NearFit:
    """The layout with what was taken, the matches, and the outer sides and edges without a match."""

    layout: Layout
    matches: tuple[Match, ...]
    refused: Mapping[str, str]
    unmatched: tuple[Side, ...]


def matches(
    layout: Layout, paths: Mapping[Edge, EdgePath], guides: Mapping[str, Guide], within: float
) -> list[Match]:
    """Match every corner, edge and side on the boundary with the nearest guide within a distance.

    Edges and sides are as near as their corners and the middles of their edges, as these run by ``paths``.
    """
    rims = list(dict.fromkeys(edge for side in layout.outer for edge in layout.rim_of(side)))
    corners = list(dict.fromkeys(c for side in layout.outer for c in side))
    found = _pins(layout, guides, corners, within)
    curves = {n: g for n, g in guides.items() if isinstance(g, Curve)}
    surfaces = {n: g for n, g in guides.items() if isinstance(g, Surface)}
    free = [e for e in rims if e not in layout.follows]
    found += _fits("follow", layout, paths, free, curves, within)
    if layout.dim == 3:
        sides = [s for s in layout.outer if s not in layout.lies]
        found += _fits("lie", layout, paths, sides, surfaces, within)
    return found


def fit_near(
    layout: Layout,
    paths: Mapping[Edge, EdgePath],
    guides: Mapping[str, Guide],
    names: Collection[str],
    within: float,
    leave: Collection[str] = (),
) -> NearFit:
    """Take the matches with the guides named but those to ``leave``, by their keys; tell what cannot be."""
    found = matches(layout, paths, {n: guides[n] for n in names}, within)
    refused: dict[str, str] = {}
    after = layout
    taken = [p for p in found if p.key not in leave]
    for p in (p for p in taken if p.does == "pin" and p.to is not None):
        after = replace(
            after,
            corners=dict(after.corners) | {p.corners[0]: Corner(place(p.to), "pinned")},  # type: ignore[arg-type]
        )
    for p in (p for p in taken if p.does != "pin"):
        try:
            if p.does == "follow":
                after = fit.follow(after, guides, [edge_of(*p.corners)], p.guide)
            else:
                after = fit.lie(after, guides, [p.corners], p.guide)
        except PlodekError as error:
            refused[p.key] = str(error)
    bound: Sequence[Side] = list(after.outer)
    unmatched = tuple(
        s
        for s in bound
        if (after.dim == 2 and edge_of(*s) not in after.follows) or (after.dim == 3 and s not in after.lies)
    )
    return NearFit(after, tuple(found), refused, unmatched)


def _pins(layout: Layout, guides: Mapping[str, Guide], corners: list[str], within: float) -> list[Match]:
    """Pair free corners with guide points, and sharp corners and ends of curves, each place once."""
    places: list[Floats] = []
    names: list[str] = []
    for name, guide in guides.items():
        if isinstance(guide, Point):
            places.append(np.array(guide.xyz))
            names.append(name)
        elif isinstance(guide, Curve) and len(guide.corners):
            places += list(guide.at(guide.corners))
            names += [name] * len(guide.corners)
    free = [c for c in corners if layout.corners[c].sign != "pinned"]
    if not places or not free:
        return []
    gaps = np.linalg.norm(layout.places(free)[:, None] - np.array(places)[None], axis=2)
    found: list[Match] = []
    taken: list[Floats] = []
    for flat in np.argsort(gaps, axis=None):
        row, column = np.unravel_index(flat, gaps.shape)
        if gaps[row, column] > within:
            break
        here = places[column]
        if any(p.corners[0] == free[row] for p in found) or any(np.array_equal(here, t) for t in taken):
            continue
        taken.append(here)
        found.append(Match("pin", (free[row],), names[column], float(gaps[row, column]), here))
    return found


def _fits(
    does: Literal["follow", "lie"],
    layout: Layout,
    paths: Mapping[Edge, EdgePath],
    entities: Sequence[Side],
    guides: Mapping[str, Curve] | Mapping[str, Surface],
    within: float,
) -> list[Match]:
    """Pair edges with curves, or sides with surfaces, where their corners and middles of edges are near."""
    if not entities or not guides:
        return []
    probes = [_probes(layout, paths, e) for e in entities]
    where = np.concatenate(probes)
    names = list(guides)
    gaps = np.stack(
        [
            np.linalg.norm(
                (g.onto(where) if isinstance(g, Surface) else g.at(g.nearest(where))) - where, axis=1
            )
            for g in guides.values()
        ]
    )
    starts = np.cumsum([0, *(len(p) for p in probes[:-1])])
    worst = np.maximum.reduceat(gaps, starts, axis=1)
    best = np.argmin(worst, axis=0)
    size = layout.size()

    def held(entity: Side, guide: Curve | Surface) -> bool:
        """Whether a pinned corner lies off the guide, so that it cannot be followed."""
        pinned = [layout.corners[c] for c in entity if layout.corners[c].sign == "pinned"]
        return not all(fit.is_on(guide, corner.xyz, size) for corner in pinned)

    return [
        Match(does, tuple(entity), names[n], float(worst[n, m]))
        for m, (entity, n) in enumerate(zip(entities, best, strict=True))
        if worst[n, m] <= within and not held(entity, guides[names[n]])
    ]


def _probes(layout: Layout, paths: Mapping[Edge, EdgePath], entity: Side) -> Floats:
    """Give places (n, 3) of an edge or a side: corners, middles of edges as they run, its own middle."""
    corners = layout.places(entity)
    edges = [edge_of(*entity)] if len(entity) == 2 else layout.rim_of(entity)
    middles = [
        paths[e].at(np.array([0.5])) if e in paths else layout.places(e).mean(axis=0)[None] for e in edges
    ]
    if len(edges) == 4:  # where transfinite interpolation puts it
        middles.append((np.sum(middles, axis=0) / 2) - corners.mean(axis=0))
    return np.concatenate([corners, *middles])

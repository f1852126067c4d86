"""Fitting the layout to guides: pin a corner, slide it along a guide, let edges and sides follow one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.blocks.edge_path import edge_path, fraction_of
from plodek.core.blocks.layout import Corner, Edge, Follow, Layout, Side
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, curve_named, surface_named
from plodek.core.shape.surfaces.meeting import onto_all
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.tolerances import ON_GUIDE, SAME_PLACE

#: Where a bent edge is looked at, to see whether it lies on a surface as it is.
_ON_WAY = np.array([0.2, 0.4, 0.6, 0.8])


def pin(layout: Layout, guides: Mapping[str, Guide], corner: str, xyz: Place) -> Layout:
    """Put a corner at a place, where it stays.

    What followed a guide at the corner, or lay on one, does so no more where the place is off that guide.
    """
    return _put(layout, guides, corner, Corner(xyz, "pinned"))


def lay(layout: Layout, guides: Mapping[str, Guide], corner: str, guide: str, xyz: Place) -> Layout:
    """Put a corner on a guide surface, at the place there nearest to ``xyz``."""
    there = place(surface_named(guides, guide).onto(np.array([xyz]))[0])
    return _put(layout, guides, corner, Corner(there, "guide", guide))


def _put(layout: Layout, guides: Mapping[str, Guide], name: str, corner: Corner) -> Layout:
    """Put a corner; its edges and sides leave the guides that it leaves."""
    size = layout.size()
    met = {f.guide for e, f in layout.follows.items() if name in e}
    met |= {guide for side, guide in layout.lies.items() if name in side}
    off = {guide for guide in met if not is_on(guides[guide], corner.xyz, size)}
    return replace(
        layout,
        corners=dict(layout.corners) | {name: corner},
        follows={e: f for e, f in layout.follows.items() if name not in e or f.guide not in off},
        lies={side: guide for side, guide in layout.lies.items() if name not in side or guide not in off},
    )


def slide(layout: Layout, guides: Mapping[str, Guide], corner: str, guide: str, fraction: float) -> Layout:
    """Put a corner on a guide curve at a fraction of its arc length.

    What followed another guide at the corner, or lay on one, does so no more where the place is off that.
    Raises BadValue for a fraction outside 0 to 1, or where the corners along the guide would change
    their order.
    """
    if not 0.0 <= fraction <= 1.0:
        raise BadValue(f"the fraction is {fraction:g}", remedy="give a fraction from 0 to 1")
    curve = curve_named(guides, guide)
    xyz = place(curve.at(np.array([fraction]))[0])
    after = _put(layout, guides, corner, Corner(xyz, "guide", guide, fraction))
    _check_order(layout, after, curve, guide, corner)
    return after


def follow(layout: Layout, guides: Mapping[str, Guide], edges: Sequence[Edge], guide: str) -> Layout:
    """Let a chain of edges run along a guide; its corners go to their nearest places on it.

    Pinned corners keep their place and must lie on the guide. Raises BadValue where one does not, or
    where two corners would meet or pass each other on the guide.
    """
    curve = curve_named(guides, guide)
    corners = dict(layout.corners)
    chain = list(dict.fromkeys(c for edge in edges for c in edge))
    fractions = curve.nearest(layout.places(chain))
    places = curve.at(fractions)
    for corner, fraction, xyz in zip(chain, fractions, places, strict=True):
        before = corners[corner]
        if before.guide == guide:
            continue
        if before.sign == "pinned":
            if not is_on(curve, before.xyz, layout.size()):
                raise _pinned_off(layout, corner, guide, xyz)
            corners[corner] = replace(before, guide=guide, fraction=float(fraction))
        else:
            corners[corner] = Corner(place(xyz), "guide", guide, float(fraction))
    follows = dict(layout.follows)
    for edge, forward in _ways(layout, corners, curve, guide, edges).items():
        follows[edge] = Follow(guide, forward)
    bends = {e: b for e, b in layout.bends.items() if e not in set(edges)}
    after = replace(layout, corners=corners, follows=follows, bends=bends)
    _check_spans(after, curve, guide, edges)
    return after


def lie(layout: Layout, guides: Mapping[str, Guide], sides: Sequence[Side], guide: str) -> Layout:
    """Let sides lie on a guide surface: their corners and edges too, but for what follows a curve.

    Pinned corners keep their place and must lie on the surface. Raises BadValue where one does not, or
    where two corners would become one place.
    """
    surface = surface_named(guides, guide)
    corners = dict(layout.corners)
    chain = list(dict.fromkeys(c for side in sides for c in side))
    size = layout.size()
    held = {c for e, f in layout.follows.items() if isinstance(guides[f.guide], Curve) for c in e}
    now = replace(layout, lies=dict(layout.lies) | dict.fromkeys(sides, guide))
    for corner, xyz in zip(chain, _where_they_meet(now, guides, chain, guide), strict=True):
        before = corners[corner]
        if before.sign == "pinned":
            if not is_on(surface, before.xyz, size):
                raise _pinned_off(layout, corner, guide, xyz)
        elif corner not in held:
            corners[corner] = Corner(place(xyz), "guide", guide)
    follows, bends = dict(layout.follows), dict(layout.bends)
    for edge in dict.fromkeys(edge for side in sides for edge in layout.rim_of(side)):
        a, b = (np.array(corners[c].xyz) for c in edge)
        if np.linalg.norm(a - b) <= SAME_PLACE * size:
            names = " and ".join(layout.labels[c] for c in edge)
            raise BadValue(
                f"the corners {names} would meet on “{guide}”", remedy="move them apart along it first"
            )
        if edge in follows and isinstance(guides[follows[edge].guide], Curve):
            continue
        now = replace(now, corners=corners)
        on_way = edge_path(now, guides, edge).at(_ON_WAY) if edge in bends else None
        if on_way is None or np.abs(surface.onto(on_way) - on_way).max() > ON_GUIDE * size:
            follows[edge] = Follow(guide, True)
            bends.pop(edge, None)
    return replace(now, corners=corners, follows=follows, bends=bends)


def _where_they_meet(
    layout: Layout, guides: Mapping[str, Guide], corners: Sequence[str], guide: str
) -> list[Floats]:
    """Give the places (3,) of corners put onto a surface and onto the others that their sides lie on."""
    found: dict[str, Floats] = {}
    on: dict[tuple[str, ...], list[str]] = {}
    for corner in corners:
        on.setdefault(tuple(dict.fromkeys([guide, *layout.surfaces_of[corner]])), []).append(corner)
    for names, group in on.items():
        places = onto_all([surface_named(guides, name) for name in names], layout.places(group))
        found.update(zip(group, places, strict=True))
    return [found[corner] for corner in corners]


def _pinned_off(layout: Layout, corner: str, guide: str, nearest: Floats) -> BadValue:
    """Say that a corner stays where it was put by hand, off a guide."""
    here = layout.corners[corner].xyz
    far = float(np.linalg.norm(nearest - np.array(here)))
    shown = ", ".join(f"{v:.6g}" for v in here)
    there = ", ".join(f"{v:.6g}" for v in nearest)
    return BadValue(
        f"corner {layout.labels[corner]} is pinned at ({shown}), by a pin or as its block was laid, that is "
        f"{far:.4g} off “{guide}”",
        remedy=f"pin it to ({there}), the nearest place on the guide, or slide it along the guide",
    )


def is_on(guide: Guide, xyz: Place, size: float) -> bool:
    """Whether a place lies on a guide curve or surface; ``size`` is the layout's.

    On a surface that was sewn it may be off by the tolerance: its common edges are.
    """
    places = np.array([xyz])
    if isinstance(guide, Surface):
        return float(np.linalg.norm(guide.onto(places) - places)) <= ON_GUIDE * size + guide.sewn
    assert isinstance(guide, Curve)
    return float(np.linalg.norm(guide.at(guide.nearest(places)) - places)) <= ON_GUIDE * guide.length


def _ways(
    layout: Layout, corners: Mapping[str, Corner], curve: Curve, guide: str, edges: Sequence[Edge]
) -> dict[Edge, bool]:
    """Find which way round each edge goes: fractions rise from its first corner, or fall.

    Edges that go once around a closed guide all go the same way; of any other the two ways are compared.
    """
    fractions = {c: fraction_of(corners[c], guide, curve) for edge in edges for c in edge}
    if not curve.closed:
        return {edge: fractions[edge[1]] > fractions[edge[0]] for edge in edges}
    loop = _loop(edges)
    if loop:
        turns = [(fractions[b] - fractions[a]) % 1.0 for a, b in pairwise([*loop, loop[0]])]
        for same, total in ((True, sum(turns)), (False, sum((-turn) % 1.0 for turn in turns))):
            if abs(total - 1.0) < 1e-9:
                after = dict(pairwise([*loop, loop[0]]))
                return {edge: (after[edge[0]] == edge[1]) == same for edge in edges}
    return {edge: _rises(layout, corners, curve, fractions, edge) for edge in edges}


def _loop(edges: Sequence[Edge]) -> list[str]:
    """Give the corners of edges in order, where these go around once; none where they do not."""
    near: dict[str, list[str]] = {}
    for a, b in edges:
        near.setdefault(a, []).append(b)
        near.setdefault(b, []).append(a)
    if len(edges) < 3 or any(len(others) != 2 for others in near.values()):
        return []
    start = edges[0][0]
    found = [start, near[start][0]]
    while len(found) < len(near):
        ahead = [c for c in near[found[-1]] if c != found[-2]]
        if ahead[0] in found:
            return []
        found.append(ahead[0])
    return found


def _rises(
    layout: Layout, corners: Mapping[str, Corner], curve: Curve, fractions: Mapping[str, float], edge: Edge
) -> bool:
    """Compare both ways between two corners on a closed guide: the one that keeps nearer to the chord.

    Where they are about alike, the one that passes nearest to where the edge's middle was.
    """
    f0, f1 = fractions[edge[0]], fractions[edge[1]]
    start, end = (np.array(corners[c].xyz) for c in edge)
    s = np.linspace(0.0, 1.0, 33)
    chord = start + s[:, None] * (end - start)
    spans = (f1 - f0) % 1.0, -((f0 - f1) % 1.0)
    up, down = (
        float(np.linalg.norm(curve.at((f0 + s * span) % 1.0) - chord, axis=1).mean()) for span in spans
    )
    if abs(up - down) > 0.2 * max(up, down):
        return up < down
    middle = layout.places(edge).mean(axis=0)
    at = float(curve.nearest(middle[None, :])[0])
    return (at - f0) % 1.0 <= (f1 - f0) % 1.0


def _spans(layout: Layout, curve: Curve, guide: str, edges: Sequence[Edge]) -> list[float]:
    spans = []
    for edge in edges:
        f0, f1 = (fraction_of(layout.corners[c], guide, curve) for c in edge)
        rises = layout.follows[edge].forward
        span = f1 - f0 if rises else f0 - f1
        spans.append(span % 1.0 if curve.closed else span)
    return spans


def _check_spans(layout: Layout, curve: Curve, guide: str, edges: Sequence[Edge]) -> None:
    spans = _spans(layout, curve, guide, edges)
    for edge, span in zip(edges, spans, strict=True):
        if span <= 1e-9:
            names = " and ".join(layout.labels[c] for c in edge)
            raise BadValue(
                f"the corners {names} would meet on “{guide}”",
                remedy="slide or pin them to different places first",
            )
    if curve.closed and sum(spans) > 1 + 1e-9:
        raise BadValue(
            f"the chain would run over “{guide}” more than once around",
            remedy="choose edges whose corners lie around the guide in order",
        )


def _check_order(before: Layout, after: Layout, curve: Curve, guide: str, corner: str) -> None:
    """Refuse a slide that carries a corner past its neighbour: an edge would turn over on the guide."""
    edges = [e for e, f in after.follows.items() if f.guide == guide and corner in e]
    old, new = (sum(_spans(layout, curve, guide, edges)) for layout in (before, after))
    slid = min(_spans(after, curve, guide, edges), default=1.0)
    if slid <= 1e-9 or (curve.closed and len(edges) == 2 and new > old + 0.5):
        raise BadValue(
            f"corner {after.labels[corner]} would pass its neighbour on “{guide}”",
            remedy="slide it less far, or slide the neighbour first",
        )

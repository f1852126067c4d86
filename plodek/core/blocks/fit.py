"""Fitting the layout to guides: pin a corner, slide it along a guide, let edges follow one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Place, place
from plodek.core.blocks.edge_path import fraction_of
from plodek.core.blocks.layout import Corner, Edge, Follow, Layout
from plodek.core.errors import BadValue
from plodek.core.shape.curve import Curve
from plodek.core.shape.guide import Guide, curve_named
from plodek.core.tolerances import ON_GUIDE


def pin(layout: Layout, guides: Mapping[str, Guide], corner: str, xyz: Place) -> Layout:
    """Put a corner at a place, where it stays.

    An edge at the corner that followed a guide stops following where the place is off that guide.
    """
    corners = dict(layout.corners) | {corner: Corner(xyz, "pinned")}
    follows = {
        edge: follow
        for edge, follow in layout.follows.items()
        if corner not in edge or _on(curve_named(guides, follow.guide), xyz)
    }
    return replace(layout, corners=corners, follows=follows)


def slide(layout: Layout, guides: Mapping[str, Guide], corner: str, guide: str, fraction: float) -> Layout:
    """Put a corner on a guide curve at a fraction of its arc length.

    Raises BadValue for a fraction outside 0 to 1, or where the corners along the guide would change
    their order.
    """
    if not 0.0 <= fraction <= 1.0:
        raise BadValue(f"the fraction is {fraction:g}", remedy="give a fraction from 0 to 1")
    curve = curve_named(guides, guide)
    xyz = place(curve.at(np.array([fraction]))[0])
    follows = {e: f for e, f in layout.follows.items() if corner not in e or f.guide == guide}
    corners = dict(layout.corners) | {corner: Corner(xyz, "guide", guide, fraction)}
    after = replace(layout, corners=corners, follows=follows)
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
            if not _on(curve, before.xyz):
                raise BadValue(
                    f"corner {layout.labels[corner]} is pinned off “{guide}”",
                    remedy="pin it to a place on the guide, or slide it along the guide first",
                )
            corners[corner] = replace(before, guide=guide, fraction=float(fraction))
        else:
            corners[corner] = Corner(place(xyz), "guide", guide, float(fraction))
    follows = dict(layout.follows)
    for edge in edges:
        follows[edge] = Follow(guide, _forward(layout, corners, curve, guide, edge))
    after = replace(layout, corners=corners, follows=follows)
    _check_spans(after, curve, guide, edges)
    return after


def _on(curve: Curve, xyz: Place) -> bool:
    place_there = curve.at(curve.nearest(np.array([xyz])))[0]
    return float(np.linalg.norm(place_there - np.array(xyz))) <= ON_GUIDE * curve.length


def _forward(layout: Layout, corners: Mapping[str, Corner], curve: Curve, guide: str, edge: Edge) -> bool:
    """Find which way round an edge goes: towards the guide's place nearest to the edge's middle."""
    f0, f1 = (fraction_of(corners[c], guide, curve) for c in edge)
    if not curve.closed:
        return f1 > f0
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

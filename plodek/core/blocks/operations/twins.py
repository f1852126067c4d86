"""Twins: two parts of the boundary that stay point-matched; one drives the other."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, Layout, Side, Twin, edge_of
from plodek.core.errors import Refused
from plodek.core.shape.curves.compound import MovedCurve, Part
from plodek.core.shape.guide import Guide
from plodek.core.shape.move import Move
from plodek.core.tolerances import SAME_PLACE

#: Corners may lie so far from where the move brings their twins, in shares of the layout's size.
_FAR = 0.05
#: Fractions at which two edges are compared.
_ALONG = np.linspace(0.0, 1.0, 9)


def match(layout: Layout, name: str, sides: Sequence[Side], others: Sequence[Side], move: Move) -> Twin:
    """Pair the corners of two sets of outer sides: those of ``sides`` moved lie nearest to their twins.

    Raises Refused where the sets differ in number, or the sides do not go onto each other.
    """
    if len(sides) != len(others):
        raise Refused(
            f"one side has {len(sides)} block sides and the other {len(others)}",
            remedy="cut the one with fewer, so that both have the same blocks",
        )
    pairs, lost = _pairs(layout, sides, others, move.places)
    if lost is not None:
        other_way = _pairs(layout, sides, others, move.back)[1] is None
        raise Refused(
            f"the side {' to '.join(layout.labels[c] for c in lost)} has no twin where the move brings it",
            remedy="the other way round they match: let the other sides drive, or change the sign"
            if other_way
            else "check the shift or the angle, and cut both sides alike",
        )
    return Twin(name, move, pairs)


def _pairs(
    layout: Layout, sides: Sequence[Side], others: Sequence[Side], moved: Callable[[Floats], Floats]
) -> tuple[dict[str, str], Side | None]:
    """Pair corners with the nearest ones where they are moved to; gives a side too that has no twin there."""
    driving = list(dict.fromkeys(c for side in sides for c in side))
    there = list(dict.fromkeys(c for side in others for c in side))
    places = moved(layout.places(driving))
    gaps = np.linalg.norm(places[:, None, :] - layout.places(there)[None], axis=2)
    nearest = np.argmin(gaps, axis=1)
    pairs = {a: there[n] for a, n in zip(driving, nearest, strict=True)}
    known = set(others)
    lost = [side for side in sides if tuple(sorted(pairs[c] for c in side)) not in known]
    if lost or len(set(pairs.values())) != len(there) or np.any(gaps.min(axis=1) > _FAR * layout.size()):
        return pairs, (lost or list(sides))[0]
    return pairs, None


def twinned(layout: Layout, guides: Mapping[str, Guide], twin: Twin) -> Layout:
    """Add a pair of twins. Raises Refused where a corner would be driven by two."""
    taken = {b for t in layout.twins for a, b in t.corners.items() if a != b}
    if taken & {b for a, b in twin.corners.items() if a != b}:
        raise Refused("these sides are already driven by a twin", remedy="take that twin out first")
    return driven(replace(layout, twins=(*layout.twins, twin)), guides)


def check_twins(layout: Layout) -> Layout:
    """Return the layout, or raise Refused where a side of twins no longer has its twin."""
    for twin in layout.twins:
        back = {b: a for a, b in twin.corners.items()}
        for names, other in ((twin.corners, "driven"), (back, "driving")):
            for side in layout.outer:
                image = tuple(sorted(names.get(c, "") for c in side))
                if "" not in image and image not in layout.outer:
                    labels = " to ".join(layout.labels[c] for c in side)
                    raise Refused(
                        f"the side {labels} would have no twin on the {other} side",
                        remedy="change both sides alike: choose the blocks at both, or take the twin out",
                    )
    return layout


def driven(layout: Layout, guides: Mapping[str, Guide]) -> Layout:
    """Let the driven sides be what the driving ones are, moved: corners, and the shapes of edges.

    Received ones that are so already, but for round-off, keep their nodes to the bit.
    """
    near = SAME_PLACE * layout.size()
    for twin in layout.twins:
        corners = dict(layout.corners)
        moved = twin.move.places(layout.places(twin.corners))
        for (a, b), xyz in zip(twin.corners.items(), moved, strict=True):
            if a != b and not (layout.moulds and np.abs(corners[b].xyz - xyz).max() <= near):
                sign = "pinned" if corners[a].sign == "pinned" else "free"
                corners[b] = replace(corners[b], xyz=place(xyz), sign=sign, guide=None, fraction=None)  # type: ignore[arg-type]
        follows, bends = dict(layout.follows), dict(layout.bends)
        after = replace(layout, corners=corners)
        for edge in layout.edges:
            other = twin.edge(edge)
            if other is None or other == edge or other not in layout.edges:
                continue
            if _is_received_twin(after, edge, other, twin, near):
                continue
            follows.pop(other, None)
            bends.pop(other, None)
            curve = edge_path(after, guides, edge).as_curve()
            if curve is not None:
                same = twin.corners[edge[0]] == other[0]
                bends[other] = MovedCurve(curve if same else Part(curve, 1.0, 0.0), twin.move)
        layout = replace(after, follows=follows, bends=bends)
    return layout


def _is_received_twin(layout: Layout, edge: Edge, other: Edge, twin: Twin, near: float) -> bool:
    """Whether two edges run through received nodes, and lie where the move brings one onto the other."""
    curves = layout.bends.get(edge), layout.bends.get(other)
    if any(curve is None or curve.steps(_ALONG) is None for curve in curves):
        return False
    first, second = (edge_path(layout, {}, e).at(_ALONG) for e in (edge, other))
    same = twin.corners[edge[0]] == other[0]
    return bool(np.abs(twin.move.places(first) - (second if same else second[::-1])).max() <= near)


def driver(layout: Layout, corner: str) -> tuple[str, Move] | None:
    """Find the corner that drives another, and the move from it; None where it is not driven."""
    for twin in layout.twins:
        for a, b in twin.corners.items():
            if b == corner and a != b:
                return a, twin.move
    return None


def driving_edge(layout: Layout, edge: Edge) -> Edge:
    """Give the edge that drives another; itself where it is not driven."""
    for twin in layout.twins:
        back = {b: a for a, b in twin.corners.items()}
        if edge[0] in back and edge[1] in back:
            return edge_of(back[edge[0]], back[edge[1]])
    return edge

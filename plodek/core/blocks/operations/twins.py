"""Twins: two parts of the boundary that stay point-matched; one drives the other."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import parts_of
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, Layout, Name, Side, Twin, edge_of, side_of
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
    return Twin(name, move, {side: tuple(pairs[c] for c in side) for side in sides})


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
    """Add a pair of twins. Raises Refused where a side would be in two, or a corner driven to two places."""
    taken = {side for old in layout.twins for side in _both(old)}
    for side in _both(twin):
        if side in taken:
            raise Refused(
                f"the side {_told(layout, side)} has a twin already",
                remedy="leave it out here, or take that twin out first",
            )
    after = driven(replace(layout, twins=(*layout.twins, twin)), guides)
    near = SAME_PLACE * layout.size()
    for old in layout.twins:
        off = old.move.places(after.places(old.corners)) - after.places(old.corners.values())
        for corner, far in zip(old.corners.values(), np.abs(off).max(axis=1), strict=True):
            if far > 10 * near:
                raise Refused(
                    f"corner {layout.labels[corner]} would be driven to two places, {far:.3g} apart",
                    remedy="twins that share corners must bring them to one place: check shift and angle",
                )
    return after


def _both(twin: Twin) -> list[Side]:
    """Give the sides that drive and are driven."""
    return [*twin.sides, *(side_of(*image) for image in twin.sides.values())]


def _told(layout: Layout, side: Side) -> str:
    return " to ".join(layout.labels.get(c, "a new corner") for c in side)


def carried(
    before: Layout,
    after: Layout,
    pieces: Mapping[Name, tuple[Name, ...]],
    origins: Mapping[str, Name],
) -> Layout:
    """Let twins go on between the ``pieces`` of their sides, as an operation made them.

    ``origins`` tells of new corners which corner or edge they came of; others are paired by their places.
    Raises Refused where a side would no longer have its twin.
    """
    twins = before.twins
    if before.blocks is not after.blocks:
        made_of: dict[Name, list[Side]] = {}
        for side in before.outer:
            for part in parts_of(pieces, side):
                made_of.setdefault(part, []).append(side)
        for twin in twins:
            _need_whole(twin, after, made_of)
        twins = tuple(_carried(twin, after, pieces, origins) for twin in twins)
    names = {twin.name for twin in before.twins}
    kept = [twin for twin in twins if twin.sides]
    return replace(after, twins=(*kept, *(twin for twin in after.twins if twin.name not in names)))


def _need_whole(twin: Twin, after: Layout, made_of: Mapping[Name, Sequence[Side]]) -> None:
    """Raise Refused where a side would be of twin sides in part."""
    sides = set(_both(twin))
    for part, parts in made_of.items():
        if part in after.outer and not sides.isdisjoint(parts) and not sides.issuperset(parts):
            raise Refused(
                f"the side {_told(after, part)} would be a twin in part only",
                remedy="match it as a whole, or take the twin out",
            )


def _carried(
    twin: Twin, after: Layout, pieces: Mapping[Name, tuple[Name, ...]], origins: Mapping[str, Name]
) -> Twin:
    pairs = dict(twin.corners)
    new_of = {origin: corner for corner, origin in origins.items()}
    for corner, origin in origins.items():
        ends = [pairs.get(c, "") for c in ([origin] if isinstance(origin, str) else origin)]
        other = new_of.get(ends[0] if isinstance(origin, str) else edge_of(*ends))
        if other is not None:
            pairs[corner] = other
    found: dict[Side, tuple[str, ...]] = {}
    for side, image in twin.sides.items():
        both = (dict.fromkeys(parts_of(pieces, name)) for name in (side, side_of(*image)))
        ours, theirs = ([part for part in parts if part in after.outer] for parts in both)
        if len(ours) != len(theirs):
            raise _without_twin(after, (ours or theirs)[0], "driven" if ours else "driving")
        _pair_by_place(twin.move, after, ours, theirs, pairs)
        known = set(theirs)
        for part in ours:
            other_part = tuple(pairs.get(c, "") for c in part)
            if side_of(*other_part) not in known:
                raise _without_twin(after, part, "driven")
            found[part] = other_part
    return replace(twin, sides=found)


def _without_twin(layout: Layout, side: Side, other: str) -> Refused:
    return Refused(
        f"the side {_told(layout, side)} would have no twin on the {other} side",
        remedy="change both sides alike: choose the blocks at both, or take the twin out",
    )


def _pair_by_place(
    move: Move, layout: Layout, ours: Sequence[Side], theirs: Sequence[Side], pairs: dict[str, str]
) -> None:
    """Pair corners of which nothing is known with the nearest ones left to where they are moved."""
    there = {c for side in theirs for c in side}
    lost = [c for c in dict.fromkeys(c for side in ours for c in side) if pairs.get(c) not in there]
    if not lost:
        return
    taken = {pairs.get(c) for side in ours for c in side}
    left = [c for c in dict.fromkeys(c for side in theirs for c in side) if c not in taken]
    if left:
        gaps = np.linalg.norm(move.places(layout.places(lost))[:, None] - layout.places(left)[None], axis=2)
        pairs |= {c: left[n] for c, n in zip(lost, np.argmin(gaps, axis=1), strict=True)}


def driven(layout: Layout, guides: Mapping[str, Guide]) -> Layout:
    """Let the driven sides be what the driving ones are, moved: corners, and the shapes of edges.

    Received ones that are so already, but for round-off, keep their nodes to the bit.
    """
    for _ in layout.twins[:3]:  # what one twin drives may drive in another, in up to three directions
        for twin in layout.twins:
            layout = _driven(layout, guides, twin)
    return layout


def _driven(layout: Layout, guides: Mapping[str, Guide], twin: Twin) -> Layout:
    near = SAME_PLACE * layout.size()
    corners = dict(layout.corners)
    moved = twin.move.places(layout.places(twin.corners))
    for (a, b), xyz in zip(twin.corners.items(), moved, strict=True):
        if a != b and not (layout.moulds and np.abs(corners[b].xyz - xyz).max() <= near):
            sign = "pinned" if corners[a].sign == "pinned" else "free"
            corners[b] = replace(corners[b], xyz=place(xyz), sign=sign, guide=None, fraction=None)  # type: ignore[arg-type]
    follows, bends = dict(layout.follows), dict(layout.bends)
    after = replace(layout, corners=corners)
    for _, edge, other in (one for one in layout.twin_edges if one[0] is twin):
        if other == edge or _is_received_twin(after, edge, other, twin, near):
            continue
        follows.pop(other, None)
        bends.pop(other, None)
        curve = edge_path(after, guides, edge).as_curve()
        if curve is not None:
            same = twin.corners[edge[0]] == other[0]
            bends[other] = MovedCurve(curve if same else Part(curve, 1.0, 0.0), twin.move)
    return replace(after, follows=follows, bends=bends)


def _is_received_twin(layout: Layout, edge: Edge, other: Edge, twin: Twin, near: float) -> bool:
    """Whether two edges run through received nodes, and lie where the move brings one onto the other."""
    curves = layout.bends.get(edge), layout.bends.get(other)
    if any(curve is None or curve.steps(_ALONG) is None for curve in curves):
        return False
    first, second = (edge_path(layout, {}, e).at(_ALONG) for e in (edge, other))
    same = twin.corners[edge[0]] == other[0]
    return bool(np.abs(twin.move.places(first) - (second if same else second[::-1])).max() <= near)

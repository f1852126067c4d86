"""Merge: make one block of two along a whole sheet of sides: the reverse of a cut."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from plodek.core.blocks.change import Change, Share
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Block, Edge, Follow, Layout, Name, Side, Use, edge_of, stable_id
from plodek.core.blocks.sides import opposite, side_corners
from plodek.core.blocks.soundness import check
from plodek.core.errors import Refused
from plodek.core.shape.curves.compound import Joined
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.polyline import line
from plodek.core.shape.guide import Guide


def merge(step: str, layout: Layout, guides: Mapping[str, Guide], first: str, second: str) -> Change:
    """Merge two neighbouring blocks, and all along the sheet of sides between them.

    Raises Refused where they are no neighbours, where one is hollow and the other is not, or where
    the sheet ends inside the layout.
    """
    shared = [s for s, uses in layout.sides.items() if {u.block for u in uses} == {first, second}]
    if not shared:
        raise Refused(
            f"the blocks {layout.labels[first]} and {layout.labels[second]} share no side",
            remedy="choose two blocks side by side",
        )
    sheet = _sheet(layout, shared[0])
    joined: dict[str, Block] = {}
    pieces: dict[Name, tuple[Name, ...]] = {}
    ends: dict[str, tuple[str, str]] = {}
    for side in sheet:
        uses = layout.sides[side]
        low, high = uses
        a, b = (layout.blocks[use.block] for use in uses)
        if a.hollow != b.hollow:
            names = " and ".join(layout.labels[use.block] for use in uses)
            raise Refused(f"of the blocks {names} one is hollow", remedy="hollow both, or bring it back")
        name = stable_id(step, low.block, high.block)
        far = _across(layout, high, low)
        bit = 1 << low.axis
        corners = tuple(far[c] if (n >> low.axis & 1) == low.end else c for n, c in enumerate(a.corners))
        for n, c in enumerate(a.corners):
            if (n >> low.axis & 1) == low.end:
                ends[c] = a.corners[n ^ bit], far[c]
        if a.region != b.region and not a.hollow:
            raise Refused(
                f"the blocks {' and '.join(layout.labels[use.block] for use in uses)} belong to the regions "
                f"“{a.region}” and “{b.region}”",
                remedy="give both one region first",
            )
        joined[name] = replace(a, corners=corners)
        pieces[low.block] = pieces[high.block] = (name,)
    gone = {str(n) for n in pieces}
    left = {n: b for n, b in layout.blocks.items() if n not in gone}
    stuck = [c for c in ends if any(c in b.corners for b in left.values())]
    if stuck:
        raise Refused(
            f"corner {layout.labels[stuck[0]]} is still needed by a neighbour",
            remedy="merge where the sides between the blocks go through from boundary to boundary",
        )
    follows, bends, shares = _whole_edges(layout, guides, ends, pieces)
    lies = _whole_sides(layout, ends, pieces)
    blocks = left | joined
    after = replace(layout, blocks=blocks, follows=follows, bends=bends, lies=lies).tidied()
    return Change(check(after), pieces, shares)


def _across(layout: Layout, use: Use, to: Use) -> dict[str, str]:
    """Give for each corner of a side the one opposite in the block of ``use``."""
    near = side_corners(layout, use)
    far = side_corners(layout, opposite(layout, use)[1])
    assert set(near) == set(side_corners(layout, to))
    return dict(zip(near, far, strict=True))


def _sheet(layout: Layout, start: Side) -> list[Side]:
    """Follow a side straight on across its rim, through every edge that four blocks share."""
    sheet = [start]
    ahead = [start]
    by_rim: dict[tuple[str, ...], list[Side]] = {}
    for side in layout.sides:
        rims = layout.rim_of(side) if layout.dim == 3 else [(c,) for c in side]
        for rim in rims:
            by_rim.setdefault(rim, []).append(side)
    while ahead:
        side = ahead.pop()
        blocks = {use.block for use in layout.sides[side]}
        rims = layout.rim_of(side) if layout.dim == 3 else [(c,) for c in side]
        for rim in rims:
            around = by_rim[rim]
            beside = [s for s in around if s != side and not blocks & {u.block for u in layout.sides[s]}]
            inner = [s for s in around if len(layout.sides[s]) == 2]
            if len(around) == 4 and len(inner) == 4 and len(beside) == 1:
                if beside[0] not in sheet:
                    sheet.append(beside[0])
                    ahead.append(beside[0])
            elif not (len(around) == 3 and len(inner) == 1):
                names = " to ".join(layout.labels[c] for c in rim)
                raise Refused(
                    f"the sides between the blocks end inside the layout, at {names}",
                    remedy="only what a cut could have made can be merged",
                )
    return sheet


def _whole_edges(
    layout: Layout,
    guides: Mapping[str, Guide],
    ends: Mapping[str, tuple[str, str]],
    pieces: dict[Name, tuple[Name, ...]],
) -> tuple[dict[Edge, Follow], dict[Edge, Curve], dict[Edge, Share]]:
    """Join the two parts of each edge across the sheet, with what they follow."""
    follows, bends = dict(layout.follows), dict(layout.bends)
    shares: dict[Edge, Share] = {}
    for middle, (a, b) in ends.items():
        whole, first, second = edge_of(a, b), edge_of(a, middle), edge_of(middle, b)
        pieces[first] = pieces[second] = (whole,)
        shares[whole] = Share(first, plus=second)
        one, other = layout.follows.get(first), layout.follows.get(second)
        if one and other and one.guide == other.guide:
            forward = one.forward if first[0] == a else not one.forward
            follows[whole] = Follow(one.guide, forward if whole[0] == a else not forward)
        elif first in bends or second in bends or one or other:
            parts: list[Curve] = []
            for edge in (first, second):
                path = edge_path(layout, guides, edge)
                parts.append(path.as_curve() or line(path.start, path.end))
            gap = 1e-6 * sum(part.length for part in parts)
            curve: Curve = Joined(parts, gap)
            if float(np.linalg.norm(curve.start() - layout.places([whole[0]])[0])) > gap:
                curve = Joined(parts[::-1], gap)
            bends[whole] = curve
    return follows, bends, shares


def _whole_sides(
    layout: Layout, ends: Mapping[str, tuple[str, str]], pieces: dict[Name, tuple[Name, ...]]
) -> dict[Side, str]:
    """Join the two parts of each side across the sheet, with what they lie on."""
    lies = dict(layout.lies)
    if layout.dim == 2:
        return lies
    for side in layout.sides:
        cut = [c for c in side if c in ends]
        if len(cut) not in (1, 2) or len(cut) == len(side):
            continue
        keep = [c for c in side if c not in ends]
        whole = {e for c in cut for e in ends[c]} | set(keep)
        if set(keep) <= {e for c in cut for e in ends[c]}:
            joined = tuple(sorted(whole))
            pieces[side] = (joined,)
            if side in layout.lies:
                lies[joined] = layout.lies[side]
    return lies

"""Three: a three-sided block becomes three four-sided ones that meet in its middle.

In the plane that is a block with a pinched edge, in space a wedge, all along its length.
"""

from __future__ import annotations

from collections.abc import Generator, Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks import tables
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Corner, Layout, edge_of, side_of, stable_id
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.operations.wedges.tips import Ring, tips_joined
from plodek.core.blocks.soundness import check
from plodek.core.blocks.tiers import tier_of, tiers
from plodek.core.errors import BadValue
from plodek.core.shape.guide import Guide, surface_named
from plodek.core.shape.surfaces.meeting import onto_all


class _Triangle(NamedTuple):
    """One of the three-sided faces of a block: its tip and its other corners."""

    tip: str
    first: str
    second: str


def star(
    step: str, layout: Layout, guides: Mapping[str, Guide], name: str
) -> Generator[Change, Layout, None]:
    """Cut both tiers of a three-sided block in the middle, and make one block of the two at its tip.

    The cuts run on through the neighbours; wedges in which it goes on at its ends are divided with it.
    Each change is sent back as the layout that it came to. Raises BadValue for any other block.
    """
    wholes = {wedge: _triangles(layout, wedge) for wedge in _going_on(layout, name)}
    tip, first, second = wholes[name][0]
    parts: dict[str, list[str]] = {wedge: [wedge] for wedge in wholes}
    for part, edge in (("along", edge_of(tip, first)), ("across", edge_of(first, second))):
        tier = tier_of(tiers(layout), edge)
        done = cut(f"{step}.{part}", layout, guides, tier, fractions_along(tier, 0.5, edge))
        layout = yield done
        parts = {
            wedge: [str(piece) for n in names for piece in done.pieces.get(n, (n,))]
            for wedge, names in parts.items()
        }
    for wedge, whole in wholes.items():
        tips = {triangle.tip for triangle in whole}
        pair = [n for n in parts[wedge] if all(layout.blocks[n].corners.count(t) == 2 for t in tips)]
        number = step if wedge == name else f"{step}.{wedge}"
        layout = yield _tip_joined(number, layout, guides, pair, whole)


def _going_on(layout: Layout, name: str) -> list[str]:
    """Give a wedge and those in which it goes on at its ends; raises BadValue where one is none."""
    found, ahead = [name], [name]
    while ahead:
        for triangle in _triangles(layout, ahead.pop()):
            uses = layout.sides.get(side_of(triangle.tip, *triangle), ())
            beyond = [use.block for use in uses if use.block not in found]
            found += beyond
            ahead += beyond
    return found


def _triangles(layout: Layout, name: str) -> list[_Triangle]:
    """Give the three-sided faces of a block, in its order: one in the plane, two in space."""
    corners = layout.blocks[name].corners
    pinched = [
        (axis, low, high) for axis, low, high in tables.edges(layout.dim) if corners[low] == corners[high]
    ]
    one_way = len({axis for axis, *_ in pinched}) == 1
    found = []
    if one_way and len(pinched) == layout.dim - 1 and len(set(corners)) == 3 * len(pinched):
        axis = pinched[0][0]
        length = 0 if len(pinched) == 1 else pinched[0][1] ^ pinched[1][1]
        for _, low, high in pinched:
            rest = [n for n in range(len(corners)) if n not in (low, high) and n & length == low & length]
            first, second = sorted(rest, key=lambda n: n >> axis & 1)
            found.append(_Triangle(corners[low], corners[first], corners[second]))
    if not found:
        raise BadValue(
            f"block {layout.labels[name]} is not three-sided", remedy="choose a block with a pinched edge"
        )
    return found


def _tip_joined(
    step: str, layout: Layout, guides: Mapping[str, Guide], pair: list[str], whole: list[_Triangle]
) -> Change:
    """Make one block of the two three-sided ones at the tip of what was the ``whole`` one."""
    rings: list[Ring] = []
    corners = dict(layout.corners)
    for before, a, b in zip(whole, *(_triangles(layout, name) for name in pair), strict=True):
        (middle,) = {a.first, a.second} & {b.first, b.second}
        one, other = (next(c for c in part[1:] if c != middle) for part in (a, b))
        rings.append((before.tip, one, other, middle))
        mean = np.mean(layout.places(before), axis=0)[None]
        on = layout.surfaces_of.get(middle, ())
        xyz = onto_all([surface_named(guides, guide) for guide in on], mean) if on else mean
        corners[middle] = Corner(place(xyz[0]))
    joined = tips_joined(replace(layout, corners=corners), stable_id(step, "tip"), pair, rings)
    return replace(joined, layout=check(joined.layout.tidied()))

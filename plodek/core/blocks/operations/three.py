"""Three: a three-sided block becomes three four-sided ones that meet in its middle.

In the plane that is a block with a pinched edge, in space a wedge, all along its length.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks import tables
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Corner, Layout, Name, edge_of, side_of, stable_id
from plodek.core.blocks.operations.cut import cut, fractions_along
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


def star(step: str, layout: Layout, guides: Mapping[str, Guide], name: str) -> Iterator[Change]:
    """Cut both tiers of a three-sided block in the middle, and make one block of the two at its tip.

    The cuts run on through the neighbours. Raises BadValue for any other block.
    """
    whole = _triangles(layout, name)
    tip, first, second = whole[0]
    parts: tuple[Name, ...] = (name,)
    for part, edge in (("along", edge_of(tip, first)), ("across", edge_of(first, second))):
        tier = tier_of(tiers(layout), edge)
        done = cut(f"{step}.{part}", layout, guides, tier, fractions_along(tier, 0.5, edge))
        yield done
        layout = done.layout
        parts = tuple(piece for n in parts for piece in done.pieces.get(n, (n,)))
    pair = [str(n) for n in parts if layout.blocks[str(n)].corners.count(tip) == 2]
    yield _tip_joined(step, layout, guides, pair, whole)


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
    rings, corners = [], dict(layout.corners)
    pieces: dict[Name, tuple[Name, ...]] = {}
    lies = dict(layout.lies)
    for before, a, b in zip(whole, *(_triangles(layout, name) for name in pair), strict=True):
        (middle,) = {a.first, a.second} & {b.first, b.second}
        one, other = (next(c for c in part[1:] if c != middle) for part in (a, b))
        rings.append((before.tip, one, other, middle))
        mean = np.mean(layout.places(before), axis=0)[None]
        on = layout.surfaces_of.get(middle, ())
        xyz = onto_all([surface_named(guides, guide) for guide in on], mean) if on else mean
        corners[middle] = Corner(place(xyz[0]))
        if layout.dim == 3:
            face = side_of(*rings[-1])
            for part in (a, b):
                old = side_of(part.tip, *part)
                pieces[old] = (face,)
                if old in lies:
                    lies[face] = lies[old]
    ways = layout.places(rings[0])[1:3] - layout.places(rings[0])[0]
    up = (
        np.array([0.0, 0.0, 1.0])
        if len(rings) == 1
        else np.subtract(*layout.places([rings[1][0], rings[0][0]]))
    )
    if np.cross(*ways) @ up < 0:
        rings = [(tip, other, one, middle) for tip, one, other, middle in rings]
    joined = stable_id(step, "tip")
    block = replace(layout.blocks[pair[0]], corners=tuple(c for ring in rings for c in ring))
    blocks = {n: b for n, b in layout.blocks.items() if n not in pair} | {joined: block}
    after = replace(layout, blocks=blocks, corners=corners, lies=lies).tidied()
    return Change(check(after), {**pieces, **dict.fromkeys(pair, (joined,))})

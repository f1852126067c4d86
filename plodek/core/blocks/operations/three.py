"""Three: a three-sided plane block becomes three four-sided ones that meet in its middle."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Corner, Layout, edge_of, stable_id
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.soundness import check
from plodek.core.blocks.tiers import tier_of, tiers
from plodek.core.errors import BadValue
from plodek.core.shape.guide import Guide


def star(step: str, layout: Layout, guides: Mapping[str, Guide], name: str) -> Iterator[Change]:
    """Cut both tiers of a three-sided block in the middle, and make one block of the two at its tip.

    The cuts run on through the neighbours. Raises BadValue for a block of four sides.
    """
    corners = layout.blocks[name].corners
    twice = [c for c in dict.fromkeys(corners) if corners.count(c) == 2]
    if len(twice) != 1 or len(corners) != 4:
        raise BadValue(
            f"block {layout.labels[name]} is not three-sided", remedy="choose a block with a pinched edge"
        )
    tip = twice[0]
    first, second = (c for c in dict.fromkeys(corners) if c != tip)
    for part, edge in (("along", edge_of(tip, first)), ("across", edge_of(first, second))):
        tier = tier_of(tiers(layout), edge)
        done = cut(f"{step}.{part}", layout, guides, tier, fractions_along(tier, 0.5, edge))
        yield done
        layout = done.layout
    tips = [n for n, b in layout.blocks.items() if b.corners.count(tip) == 2]
    mine = [n for n in tips if not set(layout.blocks[n].corners) - {tip} <= set(corners)]
    pair = [
        n
        for n in mine
        if any(len(set(layout.blocks[n].corners) & set(layout.blocks[o].corners)) > 1 for o in mine if o != n)
    ]
    a, b = (layout.blocks[n] for n in pair)
    (middle,) = (set(a.corners) & set(b.corners)) - {tip}
    one, other = (next(c for c in block.corners if c not in (tip, middle)) for block in (a, b))
    ring = (tip, one, other, middle)
    xyz = layout.places(ring)
    if np.cross(xyz[1] - xyz[0], xyz[2] - xyz[0])[2] < 0:
        ring = (tip, other, one, middle)
    joined = stable_id(step, "tip")
    blocks = {n: b for n, b in layout.blocks.items() if n not in pair} | {joined: replace(a, corners=ring)}
    thirds = np.mean(layout.places([tip, first, second]), axis=0)
    corner = {middle: Corner(place(thirds))}
    whole = replace(layout, blocks=blocks, corners=dict(layout.corners) | corner).tidied()
    yield Change(check(whole), {n: (joined,) for n in pair})

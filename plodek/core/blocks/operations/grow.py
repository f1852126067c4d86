"""Grow: a layer of blocks on outer sides."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import Change, Share
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import (
    Corner,
    Edge,
    Follow,
    Layout,
    Side,
    edge_of,
    side_of,
    stable_id,
)
from plodek.core.blocks.soundness import check, check_shape
from plodek.core.errors import Refused
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface

_SHAPE = np.linspace(0.0, 1.0, 17)


def onto(layout: Layout, sides: Sequence[Side], put: Callable[[Floats], Floats]) -> dict[str, Floats]:
    """Give where the corners of outer sides go when ``put`` brings places (n, 3) to their ends."""
    corners = list(dict.fromkeys(c for side in sides for c in side))
    return dict(zip(corners, put(layout.places(corners)), strict=True))


def grow(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    sides: Sequence[Side],
    ends: Mapping[str, Floats],
    guide: str | None = None,
    paths: Mapping[Edge, Curve] | None = None,
) -> Change:
    """Add a block on each outer side, to the places (3,) in ``ends``, perhaps to lie on a ``guide``.

    The new outer edges run along the ``paths`` that are given for the old ones, or follow the guide, or take
    over the shape of the old ones. Raises Refused where
    a side is no outer one, or the new blocks would be turned inside out or break the layout.
    """
    inner = [side for side in sides if len(layout.sides[side]) != 1]
    if inner:
        names = " to ".join(layout.labels[c] for c in inner[0])
        raise Refused(
            f"the side {names} has blocks on both of its faces",
            remedy="choose outer sides; bring a hollow block back where one is behind",
        )
    copies = {corner: stable_id(step, corner) for corner in ends}
    on = guides.get(guide) if guide else None
    corners = dict(layout.corners)
    for corner, xyz in ends.items():
        corners[copies[corner]] = _end(xyz, guide, on)
    blocks = dict(layout.blocks)
    lies = dict(layout.lies)
    rims: dict[Edge, Edge] = {}
    for side in sides:
        use = layout.sides[side][0]
        own = layout.blocks[use.block].corners
        bit = 1 << use.axis
        near = [own[(n | bit) if use.end else (n & ~bit)] for n in range(1 << layout.dim)]
        # The new block goes on beyond the side, with the axes of the block behind it.
        away = tuple(copies[c] if (n >> use.axis & 1) == use.end else c for n, c in enumerate(near))
        blocks[stable_id(step, *side)] = replace(layout.blocks[use.block], corners=away, hollow=False)
        if isinstance(on, Surface):
            lies[outward(step, side)] = str(guide)
        for edge in layout.rim_of(side):
            rims[edge] = edge_of(*(copies[c] for c in edge))
    follows, bends = dict(layout.follows), dict(layout.bends)
    shares = {}
    for edge, copy in rims.items():
        same = (copies[edge[0]] < copies[edge[1]]) == (edge[0] < edge[1])
        shares[copy] = Share(edge, same=same)
        if guide and on is not None:
            follows[copy] = Follow(guide, _forward(on, corners, copy))
            continue
        if paths and edge in paths:
            bends[copy] = paths[edge] if same else Part(paths[edge], 1.0, 0.0)
            continue
        path = edge_path(layout, guides, edge)
        if path.curve is not None:
            xyz = path.at(_SHAPE)
            first, last = (np.array(corners[copies[c]].xyz) for c in edge)
            shape = xyz - xyz[0] - _SHAPE[:, None] * (xyz[-1] - xyz[0])
            bent = first + _SHAPE[:, None] * (last - first) + shape
            bends[copy] = Spline(bent if same else bent[::-1], closed=False, corner_angle=60)
    after = replace(layout, corners=corners, blocks=blocks, follows=follows, bends=bends, lies=lies).tidied()
    check_shape(layout, check(after), "grow the other way, less far, or fewer sides at once")
    return Change(after, shares=shares)


def outward(step: str, side: Side) -> Side:
    """Give the outer side of the block that a step of that id has grown on a side."""
    return side_of(*(stable_id(step, corner) for corner in side))


def _end(xyz: Floats, guide: str | None, on: Guide | None) -> Corner:
    if isinstance(on, Curve):
        fraction = on.nearest(xyz[None, :])
        return Corner(place(on.at(fraction)[0]), "guide", guide, float(fraction[0]))
    if isinstance(on, Surface):
        return Corner(place(on.onto(xyz[None, :])[0]), "guide", guide)
    return Corner(place(xyz))


def _forward(on: Guide, corners: Mapping[str, Corner], edge: Edge) -> bool:
    """Say which way round an edge goes on a closed guide curve: the shorter one."""
    if not isinstance(on, Curve):
        return True
    first, second = (corners[c].fraction or 0.0 for c in edge)
    return (second - first) % 1.0 <= 0.5 if on.closed else second > first

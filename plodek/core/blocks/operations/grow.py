"""Grow: a layer of blocks on outer sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
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
    stable_id,
)
from plodek.core.blocks.operations.layer import Layer
from plodek.core.blocks.soundness import check, check_shape
from plodek.core.errors import Refused
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface

_SHAPE = np.linspace(0.0, 1.0, 17)


def grow(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    sides: Sequence[Side],
    layer: Layer,
    guide: str | None = None,
) -> Change:
    """Add a block on each outer side, and those that go round corners, as far as a layer; perhaps on a guide.

    The new outer edges run along the paths of the layer, or follow the guide, or take over the shape of the
    old ones. Raises Refused where a side is no outer one, or the new blocks would be turned inside out or
    break the layout.
    """
    inner = [side for side in sides if len(layout.sides[side]) != 1]
    if inner:
        names = " to ".join(layout.labels[c] for c in inner[0])
        raise Refused(
            f"the side {names} has blocks on both of its faces",
            remedy="choose outer sides; bring a hollow block back where one is behind",
        )
    on = guides.get(guide) if guide else None
    corners = dict(layout.corners)
    for corner, xyz in layer.places.items():
        corners[corner] = _end(xyz, guide, on)
    blocks = dict(layout.blocks)
    lies = dict(layout.lies)
    for side in sides:
        use = layout.sides[side][0]
        own = layout.blocks[use.block].corners
        bit = 1 << use.axis
        near = [own[(n | bit) if use.end else (n & ~bit)] for n in range(1 << layout.dim)]
        # The new block goes on beyond the side, with the axes of the block behind it.
        tops = layer.tops[side]
        away = tuple(tops[c] if (n >> use.axis & 1) == use.end else c for n, c in enumerate(near))
        blocks[stable_id(step, *side)] = replace(layout.blocks[use.block], corners=away, hollow=False)
        if isinstance(on, Surface):
            lies[layer.outward(side)[0]] = str(guide)
    for name, (own, side) in layer.around.items():
        blocks[name] = replace(layout.blocks[layout.sides[side][0].block], corners=own, hollow=False)
    follows, bends = dict(layout.follows), dict(layout.bends)
    shares = {}
    for copy, (edge, same) in layer.rims.items():
        shares[copy] = Share(edge, same=same)
        if guide and on is not None:
            follows[copy] = Follow(guide, _forward(on, corners, copy))
            continue
        if copy in layer.paths:
            bends[copy] = layer.paths[copy]
            continue
        path = edge_path(layout, guides, edge)
        if path.curve is not None:
            xyz = path.at(_SHAPE)[:: 1 if same else -1]
            first, last = (np.array(corners[c].xyz) for c in copy)
            shape = xyz - xyz[0] - _SHAPE[:, None] * (xyz[-1] - xyz[0])
            bent = first + _SHAPE[:, None] * (last - first) + shape
            bends[copy] = Spline(bent, closed=False, corner_angle=60)
    after = replace(layout, corners=corners, blocks=blocks, follows=follows, bends=bends, lies=lies).tidied()
    check_shape(layout, check(after), "grow the other way, less far, or fewer sides at once")
    return Change(after, shares=shares)


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

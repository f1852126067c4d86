"""Sides of blocks: their normals, the sides opposite, where rows go on, and which are walls of bodies."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Layout, Side, Use, side_of

#: A part of the boundary farther inside another than this share of the layout's size lies within it.
_INSIDE = 1e-3


def side_corners(layout: Layout, use: Use) -> tuple[str, ...]:
    """Give the corners of a block's side, along its lower axis first."""
    corners = layout.blocks[use.block].corners
    return tuple(corners[n] for n in tables.side_corners(layout.dim, use.axis, use.end))


def opposite(layout: Layout, use: Use) -> tuple[Side, Use]:
    """Give the side on a block's other end."""
    other = Use(use.block, use.axis, 1 - use.end)
    return side_of(*side_corners(layout, other)), other


def normal_of(xyz: Floats) -> Floats:
    """Give the unit normal (3,) of a side's corners (2, 3) or (4, 3); of a plane edge, to its right."""
    if len(xyz) == 2:
        along = xyz[1] - xyz[0]
        normal = np.array([along[1], -along[0], 0.0])
    else:
        normal = np.cross(xyz[3] - xyz[0], xyz[2] - xyz[1])
    return np.asarray(normal / max(float(np.linalg.norm(normal)), 1e-300))


def block_normal(layout: Layout, use: Use) -> Floats:
    """Give the unit normal (3,) of a block's side, away from the block."""
    xyz = layout.places(side_corners(layout, use))
    normal = normal_of(xyz)
    away = xyz.mean(axis=0) - layout.centre(use.block)
    return normal if float(normal @ away) >= 0 else -normal


def inner_walls(layout: Layout, sides: Iterable[Side]) -> list[Side]:
    """Give those of ``sides`` that belong to a part of the boundary which lies within another, as bodies do.

    Parts hang together through edges, in the plane through corners.
    """
    outer = list(layout.outer)
    rims = [layout.rim_of(side) if layout.dim == 3 else side for side in outer]
    number = {rim: n for n, rim in enumerate(dict.fromkeys(rim for own in rims for rim in own))}
    first = [number[own[0]] for own in rims for _ in own]
    each = [number[rim] for own in rims for rim in own]
    links = scipy.sparse.coo_array((np.ones(len(each)), (first, each)), shape=(len(number), len(number)))
    count, part_of = scipy.sparse.csgraph.connected_components(links, directed=False)
    if count < 2:
        return []
    part = {side: int(part_of[number[own[0]]]) for side, own in zip(outer, rims, strict=True)}
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    for side, n in part.items():
        xyz = layout.places(side)
        low[n], high[n] = np.minimum(low[n], xyz.min(axis=0)), np.maximum(high[n], xyz.max(axis=0))
    largest = int(np.argmax(np.linalg.norm(high - low, axis=1)))
    deep = _INSIDE * layout.size()
    room = np.minimum(low - low[largest], high[largest] - high)[:, : layout.dim].min(axis=1)
    return [side for side in sides if side in part and room[part[side]] > deep]

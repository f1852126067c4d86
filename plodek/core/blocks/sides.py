"""Sides of blocks: their normals, the sides opposite, where a row of blocks goes on, what is in the hull."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Layout, Side, Use, side_of

#: A side whose middle is farther inside than this share of the layout's size is none of the hull.
_INSIDE = 1e-3
#: So many sides are held against all planes of the hull at once.
_AT_ONCE = 1000


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


def inside_hull(layout: Layout, sides: Sequence[Side]) -> list[Side]:
    """Give those of ``sides`` whose middles lie inside the convex hull of all corners.

    The hull by Quickhull (Barber, Dobkin & Huhdanpaa 1996, ACM Trans. Math. Softw. 22, 469), of scipy.
    """
    dim = layout.dim
    corners = layout.places(c for block in layout.filled for c in layout.blocks[block].corners)[:, :dim]
    middles = np.array([layout.places(side).mean(axis=0)[:dim] for side in sides]).reshape(-1, dim)
    deep = -_INSIDE * layout.size()
    reach = np.maximum(corners.min(axis=0) - middles, middles - corners.max(axis=0)).max(axis=1)
    if np.all(reach >= deep):  # all on the box round it, as of a frame: no hull is needed to know
        return []
    planes = scipy.spatial.ConvexHull(np.unique(corners, axis=0)).equations
    found: list[Side] = []
    for start in range(0, len(sides), _AT_ONCE):
        off = np.max(middles[start : start + _AT_ONCE] @ planes[:, :dim].T + planes[:, dim], axis=1)
        found += [sides[start + n] for n in np.flatnonzero(off < deep).tolist()]
    return found

"""Sides of blocks: their normals, the sides opposite, and where a row of blocks goes on."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Layout, Side, Use, side_of


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

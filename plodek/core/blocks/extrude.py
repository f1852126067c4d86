"""Extrude: the layout in space that stands on a plane layout."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks.layout import Block, Corner, Edge, Follow, Layout


def lifted_corner(corner: str, end: int) -> str:
    """Give the id of the corner above a plane corner: at the start (0) or the end (1) of the lift."""
    return f"{corner}.{end}"


def extruded(plane: Layout, depth: float) -> Layout:
    """Stand every plane block up along z; its bottom is the plane. Block ids stay."""
    corners: dict[str, Corner] = {}
    follows: dict[Edge, Follow] = {}
    for end in (0, 1):
        rise = np.array([0.0, 0.0, end * depth])
        for name, corner in plane.corners.items():
            there = replace(corner, xyz=place(np.array(corner.xyz) + rise))
            corners[lifted_corner(name, end)] = there
        for (a, b), follow in plane.follows.items():
            follows[lifted_corner(a, end), lifted_corner(b, end)] = follow
    blocks: Mapping[str, Block] = {
        name: Block(tuple(lifted_corner(c, e) for e in (0, 1) for c in b.corners), b.hollow)
        for name, b in plane.blocks.items()
    }
    return Layout(3, corners, blocks, follows)

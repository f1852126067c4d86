"""Coarser grids: every second node, and from there back to all nodes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.smooth.coarse.kernels import spread
from plodek.core.smooth.sides import Sides

#: Grids of fewer nodes than this are not begun on a coarser one.
SMALL = 500
#: A coarser grid is worth it where it has fewer nodes than this share.
_FEWER = 0.7


def coarser(grid: Grid, sides: Sides) -> tuple[Grid, Sides] | None:
    """Give the grid of every second node, from both ends of lines, and its sides; None if not worth it."""
    picks = [tuple(every_second(n) for n in block.shape[:3]) for block in grid.xyz]
    nodes = sum(block[..., 0].size for block in grid.xyz)
    if nodes < SMALL or sum(int(np.prod([len(p) for p in pick])) for pick in picks) > _FEWER * nodes:
        return None
    xyz = tuple(block[np.ix_(*pick)] for block, pick in zip(grid.xyz, picks, strict=True))
    walls = tuple(
        replace(wall, away=wall.away[np.ix_(*_seen_from(wall.window, picks[wall.window.block]))])
        for wall in sides.walls
    )
    return replace(grid, xyz=xyz), replace(sides, walls=walls)


def every_second(nodes: int) -> Ints:
    """Give the indices of every second node, the same from either end; all where there are few."""
    if nodes <= 4:
        return np.arange(nodes)
    half = np.arange(0, (nodes + 1) // 2, 2)
    return np.unique(np.concatenate([half, nodes - 1 - half]))


def _seen_from(window: Window, pick: tuple[Ints, ...]) -> tuple[Ints, ...]:
    """Give the indices along a side's two axes and away from it."""
    a, b = (pick[axis] for axis in range(3) if axis != window.axis)
    return a, b, pick[window.axis]


def carried_up(grid: Grid, coarse: Grid, blocks: Mapping[str, Floats]) -> tuple[Floats, ...]:
    """Give the nodes of a grid after those of its coarser one have moved to ``blocks``: evenly between."""
    moved = (blocks[name] - xyz for name, xyz in zip(coarse.names, coarse.xyz, strict=True))
    return tuple(xyz + in_between(way, xyz.shape) for xyz, way in zip(grid.xyz, moved, strict=True))


def in_between(few: Floats, shape: tuple[int, ...]) -> Floats:
    """Spread values at every second node (mi, mj, mk, 3) over all nodes of a block, evenly between them."""
    return spread(np.ascontiguousarray(few), *places_between(shape))


def places_between(shape: tuple[int, ...]) -> tuple[tuple[Ints, ...], tuple[Floats, ...]]:
    """Give by axis which of every second node comes before each node of a block, and how far on it is."""
    low, share = [], []
    for nodes in shape[:3]:
        at = every_second(nodes)
        index = np.arange(nodes)
        low.append(np.maximum(np.searchsorted(at, index) - 1, 0))
        ahead = at[np.minimum(low[-1] + 1, len(at) - 1)]
        share.append((index - at[low[-1]]) / np.maximum(ahead - at[low[-1]], 1))
    return tuple(low), tuple(share)

"""Coarser grids, on which runs begin: every second node, and from there back to all nodes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.smooth.outcome import COARSER, Progress, Watch
from plodek.core.smooth.sides import Sides

#: Grids of fewer nodes than this are not begun on a coarser one.
SMALL = 2_000
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
    return tuple(xyz + _between(way, xyz.shape) for xyz, way in zip(grid.xyz, moved, strict=True))


def quiet(
    watch: Watch | None, began: Progress, blocks: Callable[[], Mapping[str, Floats]], note: str = COARSER
) -> Watch | None:
    """Let a run on a coarser grid, or on sides, ask whether to stop, without a picture of its own."""
    if watch is None:
        return None
    ask = watch
    return lambda progress, _: ask(replace(began, share=progress.share, note=note), blocks)


def _between(coarse: Floats, shape: tuple[int, ...]) -> Floats:
    """Spread values at every second node (…, 3) over all nodes of a block, evenly between them."""
    found = coarse
    for axis in range(3):
        at = every_second(shape[axis])
        if len(at) == shape[axis]:
            continue
        index = np.arange(shape[axis])
        low = np.clip(np.searchsorted(at, index, side="right") - 1, 0, len(at) - 2)
        share = (index - at[low]) / (at[low + 1] - at[low])
        moved = np.moveaxis(found, axis, 0)
        share = share.reshape(-1, *([1] * (moved.ndim - 1)))
        found = np.moveaxis((1 - share) * moved[low] + share * moved[low + 1], 0, axis)
    return found

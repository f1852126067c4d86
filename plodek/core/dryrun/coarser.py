"""A grid with every second node along each axis, for two solutions to be compared."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, Window


def kept(cells: int) -> Ints:
    """Give the nodes to keep along an axis of so many cells, the same from either end.

    An odd number leaves one cell, or three as one, in the middle.
    """
    if cells % 2 == 0:
        return np.arange(0, cells + 1, 2)
    low = np.arange(0, cells // 2 + 1, 2)
    return np.concatenate([low, cells - low[::-1]])


def coarser(grid: Grid) -> Grid | None:
    """Give a grid with about half the cells along each axis; None where windows end at nodes that go."""
    keep = [[kept(n - 1) if n > 1 else np.zeros(1, int) for n in nodes.shape[:3]] for nodes in grid.xyz]
    places = [[{int(n): at for at, n in enumerate(axis)} for axis in axes] for axes in keep]

    def window(one: Window) -> Window:
        if one.low is None or one.high is None:
            return one
        axes = [axis for axis in range(3) if axis != one.axis]
        low, high = (
            (places[one.block][axes[0]][end[0]], places[one.block][axes[1]][end[1]])
            for end in (one.low, one.high)
        )
        return replace(one, low=low, high=high)

    def joint(one: Interface) -> Interface:
        return replace(one, first=window(one.first), second=window(one.second))

    try:
        return replace(
            grid,
            xyz=tuple(
                np.ascontiguousarray(nodes[np.ix_(*axes)]) for nodes, axes in zip(grid.xyz, keep, strict=True)
            ),
            interfaces=tuple(map(joint, grid.interfaces)),
            periodic=tuple(map(joint, grid.periodic)),
            patches=tuple(
                replace(patch, windows=tuple(map(window, patch.windows))) for patch in grid.patches
            ),
            unnamed=tuple(map(window, grid.unnamed)),
        )
    except KeyError:
        return None

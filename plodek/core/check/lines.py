"""Lines of cells that leave the faces of a window, through blocks: walked all at once, a cell at a time."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.check.geometry import cells_at
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window


class _Ways(NamedTuple):
    """For the cells behind a side of a block, what lies beyond: cells, −1 for none, and how lines go on."""

    cell: Ints
    axis: Ints
    end: Ints


class Lines:
    """The lines from the faces of a window (n,): the cell that each is in, and the middles of its far face.

    ``cell`` (n,) is −1 where a line has ended; ``far`` (n, 3) stays there as it was.
    """

    def __init__(self, grid: Grid, window: Window) -> None:
        self._grid = grid
        self._beyond: dict[tuple[int, int, int], _Ways] = {}
        self.cell: Ints = cells_at(grid, window).ravel()
        self._axis = np.full(len(self.cell), window.axis)
        self._end = np.full(len(self.cell), 1 - window.end)
        self.far = np.zeros((len(self.cell), 3))
        self._look()

    def step(self) -> None:
        """Go on to the next cells."""
        cell, axis, end = self.cell, self._axis.copy(), self._end.copy()
        onward = cell.copy()
        for block, along, away, here in self._alike():
            shape = self._grid.shape_of(block)
            index = np.unravel_index(cell[here] - self._grid.starts[block], shape)
            last = index[along] == (shape[along] - 1 if away else 0)
            inside, leaving = np.flatnonzero(here)[~last], np.flatnonzero(here)[last]
            stride = (shape[1] * shape[2], shape[2], 1)[along]
            onward[inside] = cell[inside] + (stride if away else -stride)
            if len(leaving):
                u, v = (index[n][last] for n in range(3) if n != along)
                ways = self._ways(block, along, away)
                at = np.ravel_multi_index((u, v), tuple(shape[n] for n in range(3) if n != along))
                onward[leaving] = ways.cell[at]
                axis[leaving], end[leaving] = ways.axis[at], ways.end[at]
        self.cell, self._axis, self._end = onward, axis, end
        self._look()

    def _alike(self) -> Iterator[tuple[int, int, int, Bools]]:
        """Give lines that go the same way through the same block: which (n,)."""
        going = self.cell >= 0
        block = np.searchsorted(self._grid.starts, self.cell, side="right") - 1
        kinds = np.stack([block, self._axis, self._end])[:, going]
        for b, axis, end in np.unique(kinds, axis=1).T.tolist():
            yield b, axis, end, going & (block == b) & (self._axis == axis) & (self._end == end)

    def _look(self) -> None:
        """Find the middles of the far faces."""
        for block, axis, end, here in self._alike():
            nodes = self._grid.xyz[block]
            index = np.unravel_index(self.cell[here] - self._grid.starts[block], self._grid.shape_of(block))
            self.far[here] = face_middles(nodes, index, axis, end)

    def _ways(self, block: int, axis: int, end: int) -> _Ways:
        key = block, axis, end
        if key not in self._beyond:
            grid, shape = self._grid, self._grid.shape_of(block)
            size = tuple(n for a, n in enumerate(shape) if a != axis)
            found = _Ways(*(np.full(size, -1) for _ in range(3)))
            for joint in (one for pair in grid.interfaces for one in (pair, pair.turned())):
                if (joint.first.block, joint.first.axis, joint.first.end) == key:
                    there = joint.orientation.apply(cells_at(grid, joint.second))
                    own = [part for a, part in enumerate(joint.first.slices(shape, cells=True)) if a != axis]
                    found.cell[tuple(own)] = np.squeeze(there, axis=axis)
                    found.axis[tuple(own)], found.end[tuple(own)] = joint.second.axis, 1 - joint.second.end
            self._beyond[key] = _Ways(*(one.ravel() for one in found))
        return self._beyond[key]


def face_middles(nodes: Floats, index: tuple[Ints, ...], axis: int, end: int) -> Floats:
    """Give the middles (n, 3) of the faces at an end of an axis of a block's cells at ``index``."""
    at = list(index)
    at[axis] = at[axis] + end
    u, v = (a for a in range(3) if a != axis)
    found = np.zeros((len(at[0]), 3))
    for m in range(4):
        corner = list(at)
        corner[u] = corner[u] + (m & 1)
        corner[v] = corner[v] + (m >> 1)
        corner[2] = np.minimum(corner[2], nodes.shape[2] - 1)
        found += 0.25 * nodes[tuple(corner)]
    return found

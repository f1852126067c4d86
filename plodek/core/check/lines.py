"""Lines of cells that leave the faces of windows, through blocks: walked all at once, a cell at a time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple, TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.check.geometry import cells_at
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, Window

#: A side of a block: the block's index, its axis and its end.
_Side: TypeAlias = tuple[int, int, int]


class _Ways(NamedTuple):
    """For the cells behind a side of a block, what lies beyond: cells, −1 for none, and how lines go on."""

    cell: Ints
    axis: Ints
    end: Ints


class Lines:
    """The lines from the faces of windows (n,): the cell that each is in, and the middles of its far face.

    ``cell`` (n,) is −1 where a line has ended; ``far`` (n, 3) stays there as it was.
    """

    def __init__(self, grid: Grid, windows: Sequence[Window]) -> None:
        self._grid = grid
        self._starts = np.asarray(grid.starts)
        self._joints: dict[_Side, list[Interface]] = {}
        for joint in (one for pair in grid.interfaces for one in (pair, pair.turned())):
            self._joints.setdefault(_side(joint.first), []).append(joint)
        self._known: dict[_Side, _Ways] = {}
        cells = [cells_at(grid, window).ravel() for window in windows]
        counts = [len(own) for own in cells]
        self.cell: Ints = np.concatenate(cells)
        self._axis = np.repeat([window.axis for window in windows], counts)
        self._end = np.repeat([1 - window.end for window in windows], counts)
        self.far = np.zeros((len(self.cell), 3))
        self._look()

    def step(self) -> None:
        """Go on to the next cells."""
        onward, axis, end = self.cell.copy(), self._axis.copy(), self._end.copy()
        for side, here in self._alike():
            block, along, away = side
            shape = self._grid.shape_of(block)
            index = np.unravel_index(self.cell[here] - self._starts[block], shape)
            last = index[along] == (shape[along] - 1 if away else 0)
            stride = (shape[1] * shape[2], shape[2], 1)[along]
            onward[here[~last]] += stride if away else -stride
            if last.any():
                ways, leaving = self._ways(side), here[last]
                at = tuple(index[n][last] for n in range(3) if n != along)
                onward[leaving], axis[leaving], end[leaving] = ways.cell[at], ways.axis[at], ways.end[at]
        self.cell, self._axis, self._end = onward, axis, end
        self._look()

    def _alike(self) -> Iterator[tuple[_Side, Ints]]:
        """Give the lines that go towards the same side of the same block: which."""
        going = np.flatnonzero(self.cell >= 0)
        block = np.searchsorted(self._starts, self.cell[going], side="right") - 1
        code = (3 * block + self._axis[going]) * 2 + self._end[going]
        order = np.argsort(code, kind="stable")
        bounds = np.flatnonzero(np.diff(code[order])) + 1
        for part in np.split(order, bounds) if len(order) else ():
            which = int(code[part[0]])
            yield (which // 6, which // 2 % 3, which % 2), going[part]

    def _look(self) -> None:
        """Find the middles of the far faces."""
        for (block, axis, end), here in self._alike():
            index = np.unravel_index(self.cell[here] - self._starts[block], self._grid.shape_of(block))
            self.far[here] = face_middles(self._grid.xyz[block], index, axis, end)

    def _ways(self, side: _Side) -> _Ways:
        if side not in self._known:
            block, axis, _ = side
            shape = self._grid.shape_of(block)
            found = _Ways(*(np.full([n for a, n in enumerate(shape) if a != axis], -1) for _ in range(3)))
            for joint in self._joints.get(side, ()):
                there = joint.orientation.apply(cells_at(self._grid, joint.second))
                own = [part for a, part in enumerate(joint.first.slices(shape, cells=True)) if a != axis]
                found.cell[tuple(own)] = np.squeeze(there, axis=axis)
                found.axis[tuple(own)], found.end[tuple(own)] = joint.second.axis, 1 - joint.second.end
            self._known[side] = found
        return self._known[side]


def _side(window: Window) -> _Side:
    return window.block, window.axis, window.end


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

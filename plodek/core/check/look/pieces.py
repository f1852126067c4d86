"""Pieces of faces to look at, each of a cell: what a section cuts out of it, or sides of the cell itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.check.geometry import solid
from plodek.core.grid.grid import Grid

#: The sides of a cell by its corners n = i + 2j + 4k, each once round, and the step to the cell beyond each.
_SIDES = np.array([[0, 2, 6, 4], [1, 3, 7, 5], [0, 1, 5, 4], [2, 3, 7, 6], [0, 1, 3, 2], [4, 5, 7, 6]])
_CORNERS = np.array([[n & 1, n >> 1 & 1, n >> 2] for n in range(8)])


@dataclass(frozen=True)
class Pieces:
    """Polygons: ``places`` (v, 3) once round each, ``start`` (n + 1,) of each, ``cells`` (n,) whose it is."""

    places: Floats
    start: Ints
    cells: Ints

    def __len__(self) -> int:
        return len(self.cells)

    @cached_property
    def owner(self) -> Ints:
        """The polygon of each place (v,)."""
        return np.repeat(np.arange(len(self)), np.diff(self.start))

    @cached_property
    def area(self) -> float:
        """Area of all polygons: half the length of each one's sum of cross products."""
        if not len(self):
            return 0.0
        here = self.places - self.places[self.start[self.owner]]
        cross = np.cross(here, here[self._next()])
        return float(0.5 * np.linalg.norm(np.add.reduceat(cross, self.start[:-1]), axis=1).sum())

    @cached_property
    def triangles(self) -> Ints:
        """Triangles (t, 3) of places: each polygon as a fan from its first place."""
        at = np.arange(len(self.places))
        first = self.start[self.owner]
        inner = (at > first) & (at + 1 < self.start[self.owner + 1])
        return np.stack([first[inner], at[inner], at[inner] + 1], axis=1)

    @cached_property
    def lines(self) -> Ints:
        """Pairs (v, 2) of places: once round each polygon."""
        return np.stack([np.arange(len(self.places)), self._next()], axis=1)

    def _next(self) -> Ints:
        at = np.arange(1, len(self.places) + 1)
        last = at == self.start[self.owner + 1]
        return np.where(last, self.start[self.owner], at)


def cells_of(grid: Grid, cells: Ints, *, shrunk: float = 0.0) -> Pieces:
    """Give the sides of cells (n,), by their numbers in the grid; of a plane one the cells as they lie.

    Whole, a side between two of them in a block is left out; ``shrunk`` by a share of their size they
    stand apart, and all sides are there.
    """
    found, owners = [np.empty((0, 4, 3))], [np.empty(0, dtype=np.int64)]
    starts = np.asarray(grid.starts)
    cells = np.unique(cells)
    for block in range(len(grid.xyz)):
        ours = cells[slice(*np.searchsorted(cells, starts[block : block + 2]))]
        if not len(ours):
            continue
        shape = grid.shape_of(block)
        index = np.stack(np.unravel_index(ours - starts[block], shape), axis=1)
        nodes = solid(grid.xyz[block], grid.dim)
        for side in range(6) if grid.dim == 3 else (4,):
            seen = np.ones(len(ours), dtype=bool) if shrunk else ~_beyond(ours, index, shape, side)
            places = _corners(nodes, index[seen], _SIDES[side])
            if shrunk:
                places += shrunk * (_corners(nodes, index, range(8)).mean(axis=1, keepdims=True) - places)
            found.append(places)
            owners.append(ours[seen])
    places, own = np.concatenate(found), np.concatenate(owners)
    return Pieces(places.reshape(-1, 3), 4 * np.arange(len(own) + 1), own)


def _corners(nodes: Floats, index: Ints, which: Sequence[int] | Ints) -> Floats:
    """Give some corners (n, c, 3) of cells by their indices (n, 3) in a block."""
    at = index[:, None, :] + _CORNERS[list(which)]
    return np.asarray(nodes[at[..., 0], at[..., 1], at[..., 2]])


def _beyond(cells: Ints, index: Ints, shape: tuple[int, int, int], side: int) -> Bools:
    """Whether the cell beyond a side of each (n,) is one of them too, in the same block."""
    axis, end = side // 2, side % 2
    step = (shape[1] * shape[2], shape[2], 1)[axis] * (1 if end else -1)
    there = (index[:, axis] < shape[axis] - 1) if end else (index[:, axis] > 0)
    at = np.minimum(np.searchsorted(cells, cells + step), len(cells) - 1)
    return np.asarray(there & (cells[at] == cells + step))

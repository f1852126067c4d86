"""Numbering: one number for each node of a multi-block grid, however many blocks hold it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numba as nb
import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, part_of

Numbers: TypeAlias = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Numbering:
    """``ids`` (ni, nj, nk) gives the numbers of each block's nodes, from 0 to ``count`` - 1.

    Nodes that coincide have one number: across interfaces, at poles, and where blocks share an edge or a
    corner only; twins too, where they were asked for. Numbers rise in the order of blocks and of nodes.
    """

    ids: tuple[Numbers, ...]
    count: int

    @staticmethod
    def of(grid: Grid, *, twins: bool = False) -> Numbering:
        """Give the numbering of a grid of any dimension, with ``twins`` as one node where they are to be."""
        shapes = [block.shape[:3] for block in grid.xyz]
        sizes = np.array([0, *(int(np.prod(shape)) for shape in shapes)])
        starts = np.cumsum(sizes)
        index = [np.arange(a, b).reshape(s) for a, b, s in zip(starts, starts[1:], shapes, strict=False)]
        above = np.arange(starts[-1])
        for joint in (*grid.interfaces, *(grid.periodic if twins else ())):
            _join(above, *_facing(index, joint))
        for pole in grid.poles:
            line = index[pole.block][part_of(pole.ends)]
            first = np.take(line, [0], axis=pole.along)
            _join(above, np.broadcast_to(first, line.shape).ravel(), line.ravel())
        for seam in grid.seams:
            ours, theirs = index[seam.block][part_of(seam.ends)], index[seam.other][part_of(seam.other_ends)]
            flat = theirs.ravel()
            _join(above, ours.ravel(), flat[::-1] if seam.turned else flat)
        count = _flatten(above)
        return Numbering(tuple(above[part] for part in index), count)

    def gathered(self, blocks: tuple[Floats, ...]) -> Floats:
        """Give the values (count, ...) of all nodes from those of blocks (ni, nj, nk, ...)."""
        found = np.empty((self.count, *blocks[0].shape[3:]))
        for ids, values in zip(self.ids, blocks, strict=True):
            found[ids] = values
        return found

    def scattered(self, values: Floats) -> tuple[Floats, ...]:
        """Give the values of each block's nodes from those of all nodes (count, ...)."""
        return tuple(values[ids] for ids in self.ids)


def _facing(index: list[Numbers], joint: Interface) -> tuple[Numbers, Numbers]:
    """Give the flat indices of the nodes of both sides of an interface, in the order of the first."""
    one, other = index[joint.first.block], index[joint.second.block]
    ours = one[joint.first.slices(one.shape)]
    theirs = joint.orientation.apply(other[joint.second.slices(other.shape)])
    return ours.ravel(), theirs.ravel()


@nb.njit(cache=True, nogil=True)
def _join(above: Numbers, ours: Numbers, theirs: Numbers) -> None:
    """Let nodes be one, in place: each points to one with a lower index, or to itself."""
    for n in range(len(ours)):
        a, b = ours[n], theirs[n]
        while above[a] != a:
            above[a] = above[above[a]]
            a = above[a]
        while above[b] != b:
            above[b] = above[above[b]]
            b = above[b]
        if a < b:
            above[b] = a
        else:
            above[a] = b


@nb.njit(cache=True, nogil=True)
def _flatten(above: Numbers) -> int:
    """Give each node its number, in place of what it points to; returns how many there are."""
    count = 0
    for n in range(len(above)):
        if above[n] == n:
            above[n] = count
            count += 1
        else:  # what it points to has a lower index, and its number already
            above[n] = above[above[n]]
    return count

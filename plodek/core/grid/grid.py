"""The multi-block grid: node arrays per block, the interfaces between them, and patches as block sides."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Layout, Side, Use

PatchType = Literal["wall", "inlet", "outlet", "symmetry", "periodic", "far field", "general"]


@dataclass(frozen=True)
class BlockSide:
    """A whole side of a grid block: ``block`` is its index, ``end`` 0 at the low index and 1 at the high."""

    block: int
    axis: int
    end: int


@dataclass(frozen=True)
class Interface:
    """Two block sides whose nodes are the same, and how the second block sits against the first."""

    first: BlockSide
    second: BlockSide
    orientation: tables.Orientation


@dataclass(frozen=True)
class PatchFaces:
    """A named patch: its type and the block sides it consists of."""

    name: str
    type: PatchType
    sides: tuple[BlockSide, ...]


@dataclass(frozen=True)
class Grid:
    """A grid of the plane (``dim`` 2, nk = 1) or of space.

    ``names`` and ``xyz`` go together: the nodes of each block are (ni, nj, nk, 3), C order.
    """

    dim: int
    names: tuple[str, ...]
    xyz: tuple[Floats, ...]
    interfaces: tuple[Interface, ...] = ()
    patches: tuple[PatchFaces, ...] = ()
    unnamed: tuple[BlockSide, ...] = ()

    @cached_property
    def cells(self) -> int:
        """Number of cells."""
        return sum(self.block_cells(b) for b in range(len(self.xyz)))

    def shape_of(self, block: int) -> tuple[int, int, int]:
        """Give the cell counts (ci, cj, ck) of a block; ck is 1 in the plane."""
        ni, nj, nk = self.xyz[block].shape[:3]
        return ni - 1, nj - 1, max(nk - 1, 1)

    def block_cells(self, block: int) -> int:
        """Give the number of cells of a block."""
        return int(np.prod(self.shape_of(block)))

    def side_faces(self, side: BlockSide) -> int:
        """Give the number of cell faces on a block side."""
        shape = self.shape_of(side.block)
        return int(np.prod([n for axis, n in enumerate(shape) if axis != side.axis]))

    def side_nodes(self, side: BlockSide) -> Floats:
        """Give the nodes (na, nb, 3) of a block side, axes in rising order."""
        return np.asarray(np.take(self.xyz[side.block], -1 if side.end else 0, axis=side.axis))

    def patch_faces(self, patch: PatchFaces) -> int:
        """Give the number of cell faces of a patch."""
        return sum(self.side_faces(side) for side in patch.sides)

    def scaled(self, factor: float) -> Grid:
        """Multiply all lengths by a factor."""
        return replace(self, xyz=tuple(block * factor for block in self.xyz))


def interfaces_of(layout: Layout) -> tuple[Interface, ...]:
    """Find the interfaces between the filled blocks of a layout; indices count filled blocks."""
    index = {name: n for n, name in enumerate(layout.filled)}
    found = []
    for uses in layout.sides.values():
        filled = [use for use in uses if use.block in index]
        if len(filled) == 2:
            first, second = filled
            orientation = tables.Orientation.between(
                layout.blocks[first.block].corners,
                (first.axis, first.end),
                layout.blocks[second.block].corners,
                (second.axis, second.end),
            )
            found.append(Interface(_side(index, first), _side(index, second), orientation))
    return tuple(found)


def outer_sides(layout: Layout) -> dict[Side, BlockSide]:
    """Give the outer sides of a layout as grid block sides."""
    index = {name: n for n, name in enumerate(layout.filled)}
    return {side: _side(index, use) for side, use in layout.outer.items()}


def _side(index: Mapping[str, int], use: Use) -> BlockSide:
    return BlockSide(index[use.block], use.axis, use.end)

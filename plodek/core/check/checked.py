"""Checking a grid from Python: its nodes looked at first, then measured and held against limits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.measure import CellValues, Summary, measure
from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.check.quality import Gate, gate
from plodek.core.errors import BadValue
from plodek.core.grid.grid import Grid

#: Coordinates beyond this have no use, and squares of their volumes no number.
_FURTHEST = 1e40


@dataclass(frozen=True)
class Checked:
    """A measured grid: ``cells`` with all metrics, and the outcome of the gate."""

    cells: CellValues
    gate: Gate

    @property
    def passed(self) -> bool:
        """Whether no cell is folded and every limit is met."""
        return self.gate.passed

    @property
    def summary(self) -> tuple[Summary, ...]:
        """Every metric that says something of a cell."""
        return self.cells.summary


def check(grid: Grid | Sequence[Floats], limits: Mapping[str, float] | None = None) -> Checked:
    """Check a grid, or the node arrays (ni, nj, nk, 3) of its blocks, against limits by metric key.

    The usual limits are taken where none are given. Of arrays alone it is not known what lies beside a block.
    Raises BadValue for what is no grid: no blocks, blocks without cells, nodes without a place.
    """
    if not isinstance(grid, Grid):
        blocks = tuple(np.ascontiguousarray(nodes, dtype=float) for nodes in grid)
        wrong = next((b for b in blocks if b.ndim != 4 or b.shape[3] != 3), None)
        if wrong is not None:
            raise BadValue(f"a block is {wrong.shape}", remedy="give nodes as (ni, nj, nk, 3)")
        dim = 2 if blocks and all(b.shape[2] == 1 for b in blocks) else 3
        grid = Grid(dim, tuple(f"block {n}" for n in range(1, len(blocks) + 1)), blocks)
    need_nodes(grid)
    cells = measure(grid, either_hand=True)
    return Checked(cells, gate(cells, DEFAULT_LIMITS if limits is None else limits))


def need_nodes(grid: Grid) -> None:
    """Look whether every node of a grid has a place. Raises BadValue: how many have none, and where."""
    if not grid.xyz:
        raise BadValue("the grid has no blocks", remedy="give one with a block at least")
    for name, nodes in zip(grid.names, grid.xyz, strict=True):
        if min(nodes.shape[: grid.dim]) < 2:
            raise BadValue(
                f"{nodes.shape[:3]} nodes make no cell", where=name, remedy="give two along each axis"
            )
        wrong = ~(np.abs(nodes) <= _FURTHEST).all(axis=-1)
        if wrong.any():
            first = tuple(int(n) + 1 for n in np.argwhere(wrong)[0])
            raise BadValue(
                f"{int(wrong.sum())} nodes have no place: they are not numbers, or beyond all use",
                where=f"{name}, the first at {first}",
                remedy="look where the grid comes from",
            )

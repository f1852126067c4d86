"""Tables of a metric by block, region, patch or tier: cells, worst, mean, and the share beyond a limit."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.check.measure import CellValues, cells_at
from plodek.core.check.metric import BY_KEY
from plodek.core.grid.grid import Grid

#: Cells by the name of what they belong to. One cell may be in several.
Groups: TypeAlias = Mapping[str, Ints | slice]


@dataclass(frozen=True)
class Row:
    """The values of a metric over the cells of one group; ``beyond`` is the share that misses the limit."""

    name: str
    cells: int
    worst: float
    mean: float
    beyond: float


def table(cells: CellValues, key: str, groups: Groups, limit: float | None) -> list[Row]:
    """Sum a metric up over groups of cells, the worst group first; those without cells are left out."""
    values, metric = cells.of(key), BY_KEY[key]
    high = metric.better == "high"
    rows = []
    for name, group in groups.items():
        own: Floats = values[group]
        if not len(own):
            continue
        missed = 0.0 if limit is None else float(np.mean(own < limit if high else own > limit))
        worst = own.min() if high else own.max()
        rows.append(Row(name, len(own), float(worst), float(own.mean()), missed))
    return sorted(rows, key=lambda row: row.worst if high else -row.worst)


def by_block(grid: Grid) -> Groups:
    """Group the cells of a grid by block."""
    return {name: slice(grid.starts[b], grid.starts[b + 1]) for b, name in enumerate(grid.names)}


def by_region(grid: Grid) -> Groups:
    """Group the cells of a grid by region."""
    return {name: _of_blocks(grid, blocks) for name, blocks in grid.regions.items()}


def by_patch(grid: Grid) -> Groups:
    """Group the cells with a face in each patch."""
    return {
        patch.name: np.unique(np.concatenate([cells_at(grid, w).ravel() for w in patch.windows]))
        for patch in grid.patches
        if patch.windows
    }


def by_blocks(grid: Grid, several: Mapping[str, Iterable[str]]) -> Groups:
    """Group the cells of a grid by names that stand for blocks of it."""
    number = {name: b for b, name in enumerate(grid.names)}
    return {
        name: _of_blocks(grid, sorted(number[block] for block in blocks if block in number))
        for name, blocks in several.items()
    }


def _of_blocks(grid: Grid, blocks: Iterable[int]) -> Ints:
    parts = [np.arange(grid.starts[b], grid.starts[b + 1]) for b in blocks]
    return np.concatenate([np.empty(0, dtype=np.int64), *parts])

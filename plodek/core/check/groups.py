"""Groups of cells by what they belong to: blocks, regions, patches."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, TypeAlias

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.check.geometry import cells_at
from plodek.core.grid.grid import Grid

#: Cells by the name of what they belong to. One cell may be in several.
Groups: TypeAlias = Mapping[str, Ints | slice]
Part = Literal["blocks", "region", "patch"]


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


def cells_of_part(grid: Grid, part: Part, names: Sequence[str]) -> Ints:
    """Give the cells of blocks, or of a region or patch, by their names; none for a name that is none."""
    if part == "patch":
        windows = [w for patch in grid.patches if patch.name in names for w in patch.windows]
        return np.unique(np.concatenate([[], *(cells_at(grid, w).ravel() for w in windows)])).astype(int)
    if part == "region":
        return _of_blocks(grid, [b for name in names for b in grid.regions.get(name, ())])
    return _of_blocks(grid, [b for b, name in enumerate(grid.names) if name in set(names)])

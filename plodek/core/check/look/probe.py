"""One cell looked at: its metrics, edges and corners, and what lies behind each of its sides."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.geometry import cells_at
from plodek.core.check.measure import CellValues
from plodek.core.errors import NothingFound
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window

#: Sides of a cell, in order: low and high along i, j and k.
SIDES = ("i-", "i+", "j-", "j+", "k-", "k+")


@dataclass(frozen=True)
class Beyond:
    """What lies behind a side: another cell by its number, a patch by its name, or nothing that has one."""

    cell: int | None = None
    patch: str = ""


@dataclass(frozen=True)
class Probe:
    """A cell: its block's index, its logical index (i, j, k) from 1, and its ``corners`` (8 or 4, 3).

    ``edges`` are the lengths of its edges along i, j and k; ``values`` its metrics by key, in a huge grid
    those at hand; ``beyond`` what lies behind its sides, by their names.
    """

    cell: int
    block: int
    index: tuple[int, int, int]
    corners: Floats
    volume: float
    edges: tuple[tuple[float, ...], ...]
    values: Mapping[str, float]
    beyond: Mapping[str, Beyond]


def probe(grid: Grid, cells: CellValues, cell: int) -> Probe:
    """Look at a cell by its number in the grid. Raises NothingFound for one that is not there."""
    if not 0 <= cell < grid.cells:
        raise NothingFound(f"the grid has no cell {cell}", remedy=f"it has cells 0 to {grid.cells - 1}")
    block = int(np.searchsorted(grid.starts, cell, side="right")) - 1
    shape = grid.shape_of(block)
    i, j, k = (int(n) for n in np.unravel_index(cell - grid.starts[block], shape))
    box = grid.xyz[block][i : i + 2, j : j + 2, k : k + 2]
    edges = tuple(
        tuple(np.linalg.norm(np.diff(box, axis=axis), axis=-1).ravel().tolist()) for axis in range(grid.dim)
    )
    beyond = {
        SIDES[2 * axis + end]: _beyond(grid, cell, block, (i, j, k), axis, end)
        for axis in range(grid.dim)
        for end in (0, 1)
    }
    return Probe(
        cell,
        block,
        (i + 1, j + 1, k + 1),
        box.transpose(2, 1, 0, 3).reshape(-1, 3),
        float(cells.volume[cell]),
        edges,
        {key: float(value) for key in cells.at_hand if not np.isnan(value := cells.of(key)[cell])},
        beyond,
    )


def _beyond(grid: Grid, cell: int, block: int, index: tuple[int, int, int], axis: int, end: int) -> Beyond:
    shape = grid.shape_of(block)
    if (index[axis] + 1 < shape[axis]) if end else (index[axis] > 0):
        step = (shape[1] * shape[2], shape[2], 1)[axis]
        return Beyond(cell + step if end else cell - step)

    def here(window: Window) -> bool:
        return (window.block, window.axis, window.end) == (block, axis, end)

    for joint in (*grid.interfaces, *grid.periodic):
        for one in (joint, joint.turned()):
            if here(one.first):
                ours = cells_at(grid, one.first)
                theirs = one.orientation.apply(cells_at(grid, one.second))
                found = np.flatnonzero(ours.ravel() == cell)
                if len(found):
                    return Beyond(int(theirs.ravel()[found[0]]))
    for patch in grid.patches:
        if any(here(window) and cell in cells_at(grid, window) for window in patch.windows):
            return Beyond(patch=patch.name)
    return Beyond()

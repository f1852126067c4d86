"""Choosing cells: by ranges of metrics, at a patch, with their neighbours; and telling where they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.check.geometry import cells_at
from plodek.core.check.groups import cells_of_part
from plodek.core.check.measure import CellValues
from plodek.core.errors import NothingFound
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window

#: Cells of which what is nearest is looked for.
_MOST_NEAR = 2000


@dataclass(frozen=True)
class Range:
    """Values of a metric from ``low`` to ``high``, these included."""

    metric: str
    low: float
    high: float


@dataclass(frozen=True)
class Where:
    """Where cells are: how many in each block and region, their volume, and its share of all."""

    cells: int
    volume: float
    share: float
    blocks: Mapping[str, int]
    regions: Mapping[str, int]


def choose(grid: Grid, cells: CellValues, ranges: Sequence[Range], patch: str = "", grown: int = 0) -> Ints:
    """Choose the cells whose values lie in all ranges, and at a patch where one is named, by number.

    They are ``grown`` so many times by the cells that share a face with them. Raises NothingFound for a
    patch that is not there.
    """
    chosen = np.ones(grid.cells, dtype=bool)
    for one in ranges:
        values = cells.of(one.metric)
        chosen &= (values >= one.low) & (values <= one.high)
    if patch:
        if all(one.name != patch for one in grid.patches):
            names = ", ".join(p.name for p in grid.patches)
            raise NothingFound(f"there is no patch “{patch[:80]}”", remedy=f"the patches are {names}")
        there = np.zeros(grid.cells, dtype=bool)
        there[cells_of_part(grid, "patch", [patch])] = True
        chosen &= there
    for _ in range(grown):
        chosen = _with_neighbours(grid, chosen)
    return np.flatnonzero(chosen)


def _with_neighbours(grid: Grid, chosen: Bools) -> Bools:
    found = chosen.copy()
    for block in range(len(grid.xyz)):
        shape, part = grid.shape_of(block), slice(grid.starts[block], grid.starts[block + 1])
        old, new = chosen[part].reshape(shape), found[part].reshape(shape)
        for axis in range(grid.dim):
            ahead: list[slice] = [slice(None)] * 3
            behind: list[slice] = [slice(None)] * 3
            ahead[axis], behind[axis] = slice(1, None), slice(None, -1)
            new[tuple(ahead)] |= old[tuple(behind)]
            new[tuple(behind)] |= old[tuple(ahead)]
    for joint in (*grid.interfaces, *grid.periodic):
        ours = cells_at(grid, joint.first).ravel()
        theirs = joint.orientation.apply(cells_at(grid, joint.second)).ravel()
        found[ours] |= chosen[theirs]
        found[theirs] |= chosen[ours]
    return found


def where(cells: CellValues, chosen: Ints) -> Where:
    """Tell where chosen cells (n,) are."""
    grid = cells.grid
    starts = np.asarray(grid.starts)
    counts = np.diff(np.searchsorted(chosen, starts))
    blocks = {grid.names[b]: int(counts[b]) for b in np.argsort(-counts, kind="stable") if counts[b]}
    regions = {name: int(counts[list(own)].sum()) for name, own in grid.regions.items()}
    volume = float(cells.volume[chosen].sum())
    whole = float(cells.volume.sum())
    return Where(
        len(chosen), volume, volume / whole if whole else 0.0, blocks,
        {name: count for name, count in regions.items() if count},
    )  # fmt: skip


def nearest(cells: CellValues, chosen: Ints, named: Mapping[str, Sequence[Window]]) -> dict[str, int]:
    """Count which of windows by their names are nearest to chosen cells (n,), the most frequent first.

    Where the cells are many an evenly spread part of them is looked at.
    """
    grid = cells.grid
    places = {name: [_faces(grid.nodes(window)) for window in windows] for name, windows in named.items()}
    places = {name: found for name, found in places.items() if found}
    if not len(chosen) or not places:
        return {}
    some = chosen[np.unique(np.linspace(0, len(chosen) - 1, _MOST_NEAR).astype(int))]
    every = [np.concatenate(found) for found in places.values()]
    owner = np.repeat(np.arange(len(every)), [len(one) for one in every])
    # In the plane cells are measured at half their unit depth.
    _, at = scipy.spatial.cKDTree(np.concatenate(every)[:, : grid.dim]).query(
        cells.centres[: grid.dim, some].T
    )
    counts = np.bincount(owner[at], minlength=len(every))
    order, names = np.argsort(-counts, kind="stable"), list(places)
    return {names[n]: int(counts[n]) for n in order if counts[n]}


def _faces(nodes: Floats) -> Floats:
    """Give the middles (n, 3) of the faces of a window's nodes; of a plane grid's edges there."""
    axes = [axis for axis in range(3) if nodes.shape[axis] > 1]
    for axis in axes:
        low = np.take(nodes, range(nodes.shape[axis] - 1), axis)
        nodes = 0.5 * (low + np.take(nodes, range(1, nodes.shape[axis]), axis))
    return nodes.reshape(-1, 3)

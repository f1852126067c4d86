"""Choosing cells: by ranges of metrics, at a patch, with their neighbours; and telling where they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.check.geometry import cells_at
from plodek.core.check.groups import cells_of_part
from plodek.core.check.measure import CellValues
from plodek.core.errors import NothingFound
from plodek.core.grid.grid import Grid

#: Cells of which the nearest patch is looked for.
_MOST_NEAR = 2000


@dataclass(frozen=True)
class Range:
    """Values of a metric from ``low`` to ``high``, these included."""

    metric: str
    low: float
    high: float


@dataclass(frozen=True)
class Where:
    """Where cells are: how many in each block and region, their volume, and its share of all.

    ``near`` counts, for up to 2 000 of them, the patches that are nearest.
    """

    cells: int
    volume: float
    share: float
    blocks: Mapping[str, int]
    regions: Mapping[str, int]
    near: Mapping[str, int]


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


def where(grid: Grid, cells: CellValues, chosen: Ints) -> Where:
    """Tell where chosen cells (n,) are."""
    starts = np.asarray(grid.starts)
    counts = np.diff(np.searchsorted(chosen, starts))
    blocks = {grid.names[b]: int(counts[b]) for b in np.argsort(-counts, kind="stable") if counts[b]}
    regions = {name: int(counts[list(own)].sum()) for name, own in grid.regions.items()}
    volume = float(cells.volume[chosen].sum())
    whole = float(cells.volume.sum())
    return Where(
        len(chosen), volume, volume / whole if whole else 0.0, blocks,
        {name: count for name, count in regions.items() if count}, _nearest(grid, chosen),
    )  # fmt: skip


def _nearest(grid: Grid, chosen: Ints) -> dict[str, int]:
    """Count the patches nearest to chosen cells, to an evenly spread part of them where they are many."""
    if not len(chosen) or not grid.patches:
        return {}
    some = chosen[np.unique(np.linspace(0, len(chosen) - 1, _MOST_NEAR).astype(int))]
    places = [
        np.concatenate([_faces(grid.nodes(window)) for window in patch.windows]) for patch in grid.patches
    ]
    owner = np.repeat(np.arange(len(places)), [len(one) for one in places])
    _, at = cKDTree(np.concatenate(places)).query(_centres(grid, some))
    counts = np.bincount(owner[at], minlength=len(places))
    order = np.argsort(-counts, kind="stable")
    return {grid.patches[n].name: int(counts[n]) for n in order if counts[n]}


def _faces(nodes: Floats) -> Floats:
    """Give the middles (n, 3) of the faces of a window's nodes; of a plane grid's edges there."""
    axes = [axis for axis in range(3) if nodes.shape[axis] > 1]
    for axis in axes:
        low = np.take(nodes, range(nodes.shape[axis] - 1), axis)
        nodes = 0.5 * (low + np.take(nodes, range(1, nodes.shape[axis]), axis))
    return nodes.reshape(-1, 3)


def _centres(grid: Grid, chosen: Ints) -> Floats:
    """Give the middles (n, 3) of cells."""
    starts, found = np.asarray(grid.starts), np.empty((len(chosen), 3))
    for block in np.unique(np.searchsorted(starts, chosen, side="right") - 1):
        ours = (chosen >= starts[block]) & (chosen < starts[block + 1])
        i, j, k = np.unravel_index(chosen[ours] - starts[block], grid.shape_of(int(block)))
        nodes = grid.xyz[block]
        top = min(1, nodes.shape[2] - 1)
        found[ours] = 0.125 * sum(
            nodes[i + a, j + b, k + c * top] for a in (0, 1) for b in (0, 1) for c in (0, 1)
        )
    return found

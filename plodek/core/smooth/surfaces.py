"""Smoothing outer sides within the surfaces that they lie on, and taking the inside of the blocks along."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations, product

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.smooth.constraints import Constraints, Pulled, fixed_nodes, slots_of
from plodek.core.smooth.ghosted import Ghosted, outer_windows
from plodek.core.smooth.relaxation import Relaxation, neighbours
from plodek.core.smooth.rows import over
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.sides import Sides
from plodek.core.smooth.walls import Walls

#: Sheets are smoothed this many sweeps at most.
MOST_SWEEPS = 500
#: Nodes of a sheet where as many quadrangles meet; where three or five do, they go to the mean of neighbours.
_CROSSING, _OTHERS = 4, (3, 5)


def spread_sides(grid: Grid, sides: Sides, settings: SmoothSettings) -> Grid:
    """Give the grid with the sides that are to spread smoothed within what they lie on.

    Their rims stay, but for those between two of them: these stay where both surfaces meet. Inside, nodes
    move by what their sides have moved.
    """
    ghosted = Ghosted.of(grid, free_twins=sides.free_twins)
    start = ghosted.taken(grid.xyz)
    windows = [one.window for one in sides.spread]
    held = fixed_nodes(ghosted, sides)
    for window in outer_windows(grid, free_twins=sides.free_twins):
        if window not in set(windows):
            held[ghosted.node[slots_of(ghosted, window)]] = True
    free = ghosted.outer & ~held[ghosted.node]
    around = ghosted.around[ghosted.node]
    regular = free & (around == _CROSSING)
    single = free & np.isin(around, _OTHERS)
    xyz = start.copy()
    scheme = over(ghosted, xyz, windows)
    nothing = np.zeros(0, dtype=np.int32)
    run = Relaxation(
        ghosted=ghosted,
        scheme=scheme,
        xyz=xyz,
        full=(regular | single).astype(np.float32),
        regular=regular,
        singles=neighbours(ghosted, scheme, single),
        glides=Pulled(nothing, np.zeros(1, dtype=np.int32), nothing, np.zeros(0)),
        constraints=Constraints.of(ghosted, sides.spread, (), regular | single),
        walls=Walls(ghosted, xyz, sides.walls if settings.control else (), regular | single),
        settings=replace(settings, sweeps=min(settings.sweeps, MOST_SWEEPS)),
    )
    if not np.any(run.full):
        return grid
    run.go(None)
    moved = np.zeros(ghosted.count, dtype=bool)
    for window in windows:
        moved[slots_of(ghosted, window)] = True
    return replace(grid, xyz=_taken_along(grid, ghosted, run.xyz - start, moved))


def _taken_along(grid: Grid, ghosted: Ghosted, way: Floats, moved: Bools) -> tuple[Floats, ...]:
    """Give the nodes of all blocks, moved by the ``way`` (n, 3) of slots on sides that have ``moved`` (n,).

    Corners move with their sides; what lies between, edges first, goes over evenly from what bounds it.
    """
    numbering = Numbering.of(grid)
    ways, known = np.zeros((numbering.count, 3)), np.zeros(numbering.count, dtype=bool)
    for ids, slots in zip(numbering.ids, ghosted.own, strict=True):
        own = moved[slots]
        ways[ids[own]], known[ids[own]] = way[slots][own], True
        known[ids[np.ix_(*([[0, -1]] * 3))]] = True
    for rank in (1, 2, 3):
        fresh = known.copy()
        for ids in numbering.ids:
            for part in _parts(rank):
                inner = ids[_at(part)][_inside(part)]
                if inner.size and not np.any(known[inner]):
                    ways[inner] = _blended(ways[ids[_at(part)]], part)[_inside(part)]
                    fresh[inner] = True
        known = fresh
    return tuple(xyz + ways[ids] for xyz, ids in zip(grid.xyz, numbering.ids, strict=True))


def _parts(rank: int) -> list[tuple[int | None, ...]]:
    """Give the edges (rank 1), sides (2) or all (3) of a block by the end along each axis, None all along."""
    ends: list[tuple[int | None, ...]] = list(product((0, -1, None), repeat=3))
    return [part for part in ends if sum(end is None for end in part) == rank]


def _at(part: tuple[int | None, ...]) -> tuple[slice, ...]:
    return tuple(slice(None) if n is None else slice(-1, None) if n else slice(0, 1) for n in part)


def _inside(part: tuple[int | None, ...]) -> tuple[slice, ...]:
    return tuple(slice(1, -1) if n is None else slice(None) for n in part)


def _blended(values: Floats, part: tuple[int | None, ...]) -> Floats:
    """Fill a part of a block evenly between what bounds it (Gordon & Hall 1973), by its indices."""
    axes = [axis for axis, end in enumerate(part) if end is None]
    found = np.zeros_like(values)
    for n in range(1, len(axes) + 1):
        for chosen in combinations(axes, n):
            term = values
            for axis in chosen:
                term = _straight(term, axis)
            found += term if n % 2 else -term
    return found


def _straight(values: Floats, axis: int) -> Floats:
    """Go straight from the first to the last of the values along an axis."""
    low, high = (np.take(values, [end], axis=axis) for end in (0, -1))
    share = np.linspace(0.0, 1.0, values.shape[axis]).reshape([-1 if a == axis else 1 for a in range(4)])
    return np.asarray(low + share * (high - low))

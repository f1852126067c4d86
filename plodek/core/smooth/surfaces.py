"""Moving outer sides within the surfaces that they lie on, and taking the inside of the blocks along."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from itertools import combinations, product

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import part_of
from plodek.core.smooth.constraints import Constraints, Pulled, fixed_nodes, slots_of
from plodek.core.smooth.ghosted import Ghosted, outer_windows
from plodek.core.smooth.guard import ALIKE
from plodek.core.smooth.movable import Movable
from plodek.core.smooth.outcome import ASIDE, Progress, Smoothed, Watch, quiet
from plodek.core.smooth.rows import over
from plodek.core.smooth.sides import Sides


def sides_first(
    grid: Grid,
    sides: Sides,
    moved: Callable[[Watch | None], Grid],
    run: Callable[[Grid, Sides], Smoothed],
    began: Progress,
    sound: float,
    watch: Watch | None,
) -> Smoothed:
    """Run over the grid as its sides have ``moved`` by themselves, unless that makes it worse than it began.

    Then they stay, which is told. Cells above a ``sound`` scaled Jacobian may lose some of it. A stop while
    the sides move leaves all as it was.
    """
    going = True

    def blocks() -> dict[str, Floats]:
        return dict(zip(grid.names, grid.xyz, strict=True))

    def ask(progress: Progress, picture: Callable[[], Mapping[str, Floats]]) -> bool:
        nonlocal going
        going = watch is None or watch(progress, picture)
        return going

    found = moved(quiet(ask, began, blocks, ASIDE))
    if not going:
        return Smoothed(blocks(), began, replace(began, note="stopped"))
    ran = replace(run(found, sides), began=began)
    now, floor = ran.progress, (1.0 - ALIKE) * min(began.worst, sound)
    if now.folded > began.folded or (now.folded == began.folded and now.worst < floor):
        return replace(run(grid, replace(sides, spread=())), stayed=True)
    return ran


def spread_sides(grid: Grid, sides: Sides, run: Callable[[Movable], None]) -> Grid:
    """Give the grid after a ``run`` has moved the nodes of the sides that spread, within what they lie on.

    Their rims stay, but for those between two of them: these stay where both surfaces meet. Inside, nodes
    move by what their sides have moved.
    """
    ghosted = Ghosted.of(grid, free_twins=sides.free_twins)
    xyz = ghosted.taken(grid.xyz)
    start = xyz.copy()
    windows = [one.window for one in sides.spread]
    held = fixed_nodes(ghosted, sides)
    for window in outer_windows(grid, free_twins=sides.free_twins):
        if window not in set(windows):
            held[ghosted.node[slots_of(ghosted, window)]] = True
    free: Bools = ghosted.outer & ~held[ghosted.node]
    if not np.any(free):
        return grid
    nothing = np.zeros(0, dtype=np.int32)
    none = Pulled(nothing, np.zeros(1, dtype=np.int32), nothing, np.zeros(0))
    bound = Constraints.of(ghosted, sides.spread, (), free)
    run(Movable(ghosted, over(ghosted, xyz, sides.spread), xyz, free, none, bound))
    moved = np.zeros(ghosted.count, dtype=bool)
    for window in windows:
        moved[slots_of(ghosted, window)] = True
    return replace(grid, xyz=_taken_along(grid, ghosted, xyz - start, moved))


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
                inner = ids[part_of(part)][_inside(part)]
                if inner.size and not np.any(known[inner]):
                    ways[inner] = _blended(ways[ids[part_of(part)]], part)[_inside(part)]
                    fresh[inner] = True
        known = fresh
    return tuple(xyz + ways[ids] for xyz, ids in zip(grid.xyz, numbering.ids, strict=True))


def _parts(rank: int) -> list[tuple[int | None, ...]]:
    """Give the edges (rank 1), sides (2) or all (3) of a block by the end along each axis, None all along."""
    ends: list[tuple[int | None, ...]] = list(product((0, -1, None), repeat=3))
    return [part for part in ends if sum(end is None for end in part) == rank]


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

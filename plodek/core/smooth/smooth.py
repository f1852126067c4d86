"""Elliptic smoothing of multi-block grids of the plane and of space, from coarse to fine."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.grid.grid import Grid
from plodek.core.smooth.coarse.correction import Correction
from plodek.core.smooth.coarse.grids import carried_up, coarser
from plodek.core.smooth.movable import Movable, nodes_of
from plodek.core.smooth.outcome import BACK, Progress, Smoothed, Watch, quiet
from plodek.core.smooth.relaxation import MOST_PULLED, Relaxation, neighbours
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.sides import Sides
from plodek.core.smooth.surfaces import sides_first, spread_sides
from plodek.core.smooth.walls import Walls

#: Coarser grids are smoothed this many sweeps at most, and sheets: whatever is asked for, so that a run that
#: was stopped comes out the same again.
MOST_COARSE = 500
MOST_OF_SHEETS = 500
#: Nodes of a sheet where as many quadrangles meet; where three or five do, they go to the mean of neighbours.
_CROSSING, _OTHERS = 4, (3, 5)


def smooth(grid: Grid, sides: Sides, settings: SmoothSettings, watch: Watch | None = None) -> Smoothed:
    """Smooth a grid; the input stays as it is. Where it settles does not depend on where it began.

    Cells may come out worse than they were: what it gives can be pulled back there. Sides that move by
    themselves stay where cells would fold by that.
    """

    def moved(ask: Watch | None) -> Grid:
        return spread_sides(grid, sides, lambda sheet: _relax_sheet(sheet, sides, settings, ask))

    def run(grid: Grid, sides: Sides) -> Smoothed:
        return _smooth(grid, sides, settings, watch)

    if not sides.spread:
        return run(grid, sides)
    began = _relaxation(grid, sides, settings).progress(0, 0.0, 0.0)
    return sides_first(grid, sides, moved, run, began, 0.0, watch)


def _smooth(grid: Grid, sides: Sides, settings: SmoothSettings, watch: Watch | None) -> Smoothed:
    run = _relaxation(grid, sides, settings)
    began = run.progress(0, 0.0, 0.0)
    return _told(run, grid, began, _go(run, grid, sides, watch), watch)


def _told(run: Relaxation, grid: Grid, began: Progress, ended: Progress, watch: Watch | None) -> Smoothed:
    """Tell what a run has reached, and how to pull it back in part."""

    def blocks() -> dict[str, Floats]:
        return nodes_of(grid, run.ghosted, run.xyz)

    def tell(progress: Progress) -> bool:
        if watch is not None:
            watch(replace(progress, sweeps=ended.sweeps, note=BACK), blocks)
        return True  # a stop here could not be had again

    def back(shares: tuple[Floats, ...], before: tuple[Floats, ...]) -> Smoothed:
        run.pull(run.ghosted.at_nodes(shares), run.ghosted.taken(before))
        again = run.go(tell, MOST_PULLED)
        return _told(run, grid, began, replace(again, sweeps=ended.sweeps, note=ended.note), watch)

    return Smoothed(blocks(), began, ended, run.walls.held(run.xyz), back=back)


def _go(run: Relaxation, grid: Grid, sides: Sides, watch: Watch | None) -> Progress:
    """Let a run go on from where a coarser grid has come to, which goes on correcting it."""

    def blocks() -> dict[str, Floats]:
        return nodes_of(grid, run.ghosted, run.xyz)

    below = coarser(grid, sides) if run.settings.coarse_first else None
    if below is not None:
        coarse = _relaxation(*below, replace(run.settings, sweeps=MOST_COARSE))
        ended = _go(coarse, *below, quiet(watch, run.progress(0, 0.0, 0.0), blocks))
        moved = nodes_of(below[0], coarse.ghosted, coarse.xyz)
        run.start_from(run.ghosted.taken(carried_up(grid, below[0], moved)))
        if ended.note == "stopped":
            return replace(run.progress(0, 0.0, 0.0), note="stopped")
        run.correction = Correction.between(run, coarse)
    ask = None if watch is None else lambda progress: watch(progress, blocks)
    return run.go(ask, run.settings.sweeps)


def _relaxation(grid: Grid, sides: Sides, settings: SmoothSettings) -> Relaxation:
    """Make ready to move all inner nodes, and those of outer sides that glide."""
    movable = Movable.of(grid, sides)
    ghosted, xyz, scheme = movable.ghosted, movable.xyz, movable.scheme
    slides = np.zeros(ghosted.count, dtype=bool)
    slides[movable.glides.slots] = True
    return Relaxation(
        ghosted=ghosted,
        scheme=scheme,
        xyz=xyz,
        full=movable.free.astype(np.float32),
        regular=ghosted.regular,
        singles=neighbours(ghosted, scheme, movable.free & ~slides & ~ghosted.regular),
        glides=movable.glides,
        constraints=movable.constraints,
        walls=Walls(ghosted, xyz, sides.walls if settings.control else ()),
        settings=settings,
    )


def _relax_sheet(sheet: Movable, sides: Sides, settings: SmoothSettings, ask: Watch | None) -> None:
    """Smooth sides within what they lie on."""
    around = sheet.ghosted.around[sheet.ghosted.node]
    regular = sheet.free & (around == _CROSSING)
    single = sheet.free & np.isin(around, _OTHERS)
    Relaxation(
        ghosted=sheet.ghosted,
        scheme=sheet.scheme,
        xyz=sheet.xyz,
        full=(regular | single).astype(np.float32),
        regular=regular,
        singles=neighbours(sheet.ghosted, sheet.scheme, single),
        glides=sheet.glides,
        constraints=sheet.constraints,
        walls=Walls(sheet.ghosted, sheet.xyz, sides.walls if settings.control else (), regular | single),
        settings=settings,
    ).go(None if ask is None else lambda progress: ask(progress, dict), MOST_OF_SHEETS)

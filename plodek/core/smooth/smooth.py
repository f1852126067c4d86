"""Elliptic smoothing of multi-block grids of the plane and of space, from coarse to fine."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.smooth.constraints import Constraints, fixed_nodes, gliding_of
from plodek.core.smooth.ghosted import Ghosted
from plodek.core.smooth.outcome import COARSER, Progress, Smoothed, Watch
from plodek.core.smooth.relaxation import Relaxation, neighbours
from plodek.core.smooth.rows import through
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.sides import Sides, coarser, every_second
from plodek.core.smooth.surfaces import spread_sides
from plodek.core.smooth.walls import Walls

#: Grids of fewer nodes than this are not smoothed on a coarser one first.
SMALL = 2_000
#: Coarser grids are smoothed this many sweeps at most.
MOST_COARSE = 500
#: A coarser grid is worth it where it has fewer nodes than this share.
_FEWER = 0.7


def smooth(grid: Grid, sides: Sides, settings: SmoothSettings, watch: Watch | None = None) -> Smoothed:
    """Smooth a grid; the input stays as it is.

    Never makes it worse: nodes at cells that fold, or that fall below both the worst cell at the start and
    `relaxation.SOUND`, go back and on more softly, while the rest goes on.
    """
    before = grid
    if sides.spread:
        grid = spread_sides(grid, sides, settings)
    found = _smooth(grid, sides, settings, watch)
    if before is grid:
        return found
    return replace(found, began=_relaxation(before, sides, settings).progress(0, 0.0, 0.0))


def _smooth(grid: Grid, sides: Sides, settings: SmoothSettings, watch: Watch | None) -> Smoothed:
    run = _relaxation(grid, sides, settings)
    began = run.progress(0, 0.0, 0.0)

    def blocks() -> dict[str, Floats]:
        found = dict(zip(grid.names, run.ghosted.given(run.xyz), strict=True))
        if grid.dim == 2:  # the plane stays one, to the bit
            for name in found:
                found[name][..., 2] = grid.xyz[0][0, 0, 0, 2]
        return found

    stopped = False
    if settings.coarse_first and run.ghosted.node.max() >= SMALL:
        coarse, coarse_sides = coarser(grid, sides)
        if sum(b.size for b in coarse.xyz) < _FEWER * sum(b.size for b in grid.xyz):
            # As many sweeps whatever is asked for: a run that was stopped comes out the same again.
            most = replace(settings, sweeps=MOST_COARSE)
            below = _smooth(coarse, coarse_sides, most, _quiet(watch, began, blocks))
            moved = (below.blocks[name] - xyz for name, xyz in zip(coarse.names, coarse.xyz, strict=True))
            fine = (xyz + _between(d, xyz.shape) for xyz, d in zip(grid.xyz, moved, strict=True))
            run.start_from(run.ghosted.taken(tuple(fine)))
            stopped = below.progress.note == "stopped"
    if stopped:
        ended = replace(run.progress(0, 0.0, 0.0), note="stopped")
    else:
        ended = run.go(None if watch is None else lambda progress: watch(progress, blocks))
    return Smoothed(blocks(), began, ended, run.walls.held(run.xyz), run.rough())


def _quiet(watch: Watch | None, began: Progress, blocks: Callable[[], dict[str, Floats]]) -> Watch | None:
    """Let a run on a coarser grid ask whether to stop, without a picture of its own."""
    if watch is None:
        return None
    ask = watch
    return lambda progress, _: ask(replace(began, share=progress.share, note=COARSER), blocks)


def _relaxation(grid: Grid, sides: Sides, settings: SmoothSettings) -> Relaxation:
    """Make ready to move all inner nodes, and those of outer sides that glide."""
    ghosted = Ghosted.of(grid, free_twins=sides.free_twins)
    xyz = ghosted.taken(grid.xyz)
    fixed = fixed_nodes(ghosted, sides)
    glides = gliding_of(grid, ghosted, sides, fixed)
    movers = ghosted.mover == np.arange(ghosted.count)
    free: Bools = movers & ~ghosted.outer & ~fixed[ghosted.node]
    full = free.astype(np.float32)
    full[glides.slots] = 1.0
    scheme = through(ghosted)
    return Relaxation(
        ghosted=ghosted,
        scheme=scheme,
        xyz=xyz,
        full=full,
        regular=ghosted.regular,
        singles=neighbours(ghosted, scheme, free & ~ghosted.regular),
        glides=glides,
        constraints=Constraints.of(ghosted, (*sides.gliding, *sides.spread), sides.kept, full > 0),
        walls=Walls(ghosted, xyz, sides.walls if settings.control else ()),
        settings=settings,
    )


def _between(coarse: Floats, shape: tuple[int, ...]) -> Floats:
    """Spread values at every second node (…, 3) over all nodes of a block, evenly between them."""
    found = coarse
    for axis in range(3):
        at = every_second(shape[axis])
        if len(at) == shape[axis]:
            continue
        index = np.arange(shape[axis])
        low = np.clip(np.searchsorted(at, index, side="right") - 1, 0, len(at) - 2)
        share = (index - at[low]) / (at[low + 1] - at[low])
        moved = np.moveaxis(found, axis, 0)
        share = share.reshape(-1, *([1] * (moved.ndim - 1)))
        found = np.moveaxis((1 - share) * moved[low] + share * moved[low + 1], 0, axis)
    return found

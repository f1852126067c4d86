"""Beginning without folded cells, and keeping what passes: where limits would be missed, nodes go back."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Bools, Floats, place
from plodek.core.check.groups import cells_of_part
from plodek.core.check.limits import OwnLimit
from plodek.core.check.measure import CellValues, measure
from plodek.core.check.metric import Metric, there
from plodek.core.check.metrics import BY_KEY
from plodek.core.check.quality import worst_cells
from plodek.core.errors import CannotSmooth
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering, Numbers
from plodek.core.smooth.outcome import NOT_BEGUN, UNTANGLING, Smoothed, Watch, quiet
from plodek.core.smooth.settings import ShapeSettings
from plodek.core.smooth.shaping.shape import shape
from plodek.core.smooth.sides import Sides

#: Sweeps of untangling before smoothing.
_UNTANGLING = 2000
#: By how much nodes are pulled back, and over how many rings around, one after the other, before all are: a
#: little is much, as each sweep pulls (1 of 100 is felt over seven nodes).
_PULLS = ((0.03, 4), (0.1, 4), (0.3, 4), (1.0, 4), (1.0, 8), (1.0, 16), (1.0, 32), (1.0, 64))


def sound_start(grid: Grid, sides: Sides, *, untangle: bool, watch: Watch | None = None) -> Grid | None:
    """Give the grid that a smoothing run may begin with: as it is, or untangled where it has folded cells.

    None where that was stopped: it could not be had again. Raises CannotSmooth, with where, where cells are
    folded, unless ``untangle`` is set and unfolds them.
    """
    cells = measure(grid)
    if untangle and cells.folded.any():
        ask = quiet(watch, NOT_BEGUN, dict, UNTANGLING)
        run = shape(grid, replace(sides, walls=()), ShapeSettings(_UNTANGLING), ask)
        if run.progress.note == "stopped":
            return None
        grid = replace(grid, xyz=tuple(run.blocks[name] for name in grid.names))
        cells = measure(grid)
    if cells.folded.any():
        count = int(np.count_nonzero(cells.folded))
        where = ", ".join(f"{c:.4g}" for c in worst_cells(grid, cells, "scaled_jacobian", 1)[0].at)
        are = "cell is" if count == 1 else "cells are"
        raise CannotSmooth(
            f"{count} {are} {'still ' if untangle else ''}folded, near ({where}), and smoothing needs a grid "
            "without any",
            remedy="free what holds them, or change the blocks there"
            if untangle
            else "put Untangle before it, or let it untangle first; else change the blocks there",
        )
    return grid


def kept_passing(
    before: Grid, run: Smoothed, limits: Mapping[str, float], own: Sequence[OwnLimit] = ()
) -> Smoothed:
    """Give a run whose grid misses no limit that the one ``before`` met: where it did, it yields.

    Of a limit that was missed before, no cell is worse than the worst was. A grid with folded cells passes
    nothing: then the run stays as it is. Nodes are pulled back to where they were, a little at first, and the
    run goes on with that; as long as limits are missed, more of them and more.
    """
    was, now = measure(before), _measured(before, run)
    told = replace(run, angles_before=_angles(was), angles=_angles(now), back=None)
    if was.folded.any():
        return told
    rows = list(_rows(was, limits, own))
    bad = _missing(now, rows)
    if not bad.any():
        return told
    numbering = Numbering.of(before, twins=True)
    share = np.zeros(numbering.count)
    for peak, rings in (*_PULLS, (1.0, 0)):
        share = _shares(before, numbering, bad, share, peak, rings) if rings else np.ones_like(share)
        run = run.pulled(numbering.scattered(share), before.xyz)
        now = _measured(before, run)
        bad = _missing(now, rows)
        if not bad.any():
            break
    return replace(
        run,
        angles_before=told.angles_before,
        angles=_angles(now),
        yielded=int((share > 0).sum()),
        yielded_at=place(_at(before, numbering, int(np.argmax(share)))),
        back=None,
    )


def _measured(before: Grid, run: Smoothed) -> CellValues:
    return measure(replace(before, xyz=tuple(run.blocks[name] for name in before.names)))


def _angles(cells: CellValues) -> tuple[float, float]:
    """Give the smallest and the largest included angle."""
    return float(np.nanmin(cells.of("smallest_angle"))), float(np.nanmax(cells.of("largest_angle")))


def _rows(
    cells: CellValues, limits: Mapping[str, float], own: Sequence[OwnLimit]
) -> Iterator[tuple[Metric, float, Bools]]:
    """Give the limits that cells shall meet after a run, each with the cells (cells,) that it is for."""
    every = np.ones(cells.grid.cells, dtype=bool)
    parts = [(one.bound, one.limit, cells_of_part(cells.grid, one.part, one.names)) for one in own]
    free: dict[str, Bools] = {}
    for metric, _, index in parts:
        free.setdefault(metric.key, every.copy())[index] = False
    asked = [(BY_KEY[key], limit, free.get(key, every)) for key, limit in limits.items() if key in BY_KEY]
    for metric, limit, index in parts:
        chosen = ~every
        chosen[index] = True
        asked.append((metric, limit, chosen))
    for metric, limit, chosen in asked:
        values = there(cells.of(metric.key)[chosen])
        if len(values):
            missed = bool(metric.misses(values, limit).any())
            yield metric, metric.worst(values) if missed else limit, chosen


def _missing(cells: CellValues, rows: Sequence[tuple[Metric, float, Bools]]) -> Bools:
    """Tell which cells (cells,) are folded, or miss one of the limits that are theirs."""
    bad = cells.folded.copy()
    for metric, limit, chosen in rows:
        bad |= chosen & metric.misses(cells.of(metric.key), limit)
    return bad


def _shares(grid: Grid, numbering: Numbering, bad: Bools, before: Floats, peak: float, rings: int) -> Floats:
    """Give by how much nodes (n,) are pulled: so much at bad cells, evenly less over so many rings around."""
    found = np.zeros_like(before)
    for block, ids in enumerate(numbering.ids):
        own = bad[grid.starts[block] : grid.starts[block + 1]].reshape(grid.shape_of(block))
        for numbers in _corners(ids, grid.dim):
            found[numbers[own]] = 1.0
    for ring in range(1, rings + 1):
        reach = 1.0 - ring / (rings + 1.0)
        touched = np.zeros(len(found), dtype=bool)
        for ids in numbering.ids:
            corners = _corners(ids, grid.dim)
            full = np.max([found[corner] for corner in corners], axis=0) > reach
            for corner in corners:
                touched[corner[full]] = True
        found[touched] = np.maximum(found[touched], reach)
    return np.maximum(before, peak * found)


def _corners(ids: Numbers, dim: int) -> list[Numbers]:
    """Give the numbers of each corner of all cells (ci, cj, ck) of a block."""
    ends = (slice(None, -1), slice(1, None))
    last = ends if dim == 3 else (slice(None),)
    return [ids[i, j, k] for i in ends for j in ends for k in last]


def _at(grid: Grid, numbering: Numbering, node: int) -> Floats:
    """Give the place (3,) of a node by its number."""
    block = next(n for n, ids in enumerate(numbering.ids) if (ids == node).any())
    index = tuple(np.argwhere(numbering.ids[block] == node)[0])
    return np.asarray(grid.xyz[block][index])

"""Keeping what passes: where a run has made cells miss limits that held before, its nodes go back."""

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
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering, Numbers
from plodek.core.smooth.ghosted import outer_windows
from plodek.core.smooth.outcome import Smoothed, WallHeld

#: How often what still misses a limit is taken back wider, before all of it is.
_WIDER = 7
#: Nodes of sides that have moved, on guides say, go back wholly where those inside go back by this share.
_WHOLLY = 0.25


def kept_passing(
    before: Grid, run: Smoothed, limits: Mapping[str, float], own: Sequence[OwnLimit] = ()
) -> Smoothed:
    """Give a run whose grid misses no limit that the one ``before`` met: where it did, it yields.

    Of a limit that was missed before, no cell is worse than the worst was. A grid with folded cells passes
    nothing: then the run stays as it is. Nodes go back towards where they were, fully at such cells and less
    around them.
    """
    after = replace(before, xyz=tuple(run.blocks[name] for name in before.names))
    was, now = measure(before), measure(after)
    told = replace(run, angles_before=_angles(was), angles=_angles(now), held_at=None)
    if was.folded.any():
        return told
    rows = list(_rows(was, limits, own))
    bad = _missing(now, rows)
    if not bad.any():
        return told
    numbering = Numbering.of(before, twins=True)
    share, outer = np.zeros(numbering.count), _outer(before, numbering)
    for wider in range(_WIDER + 1):
        share = np.ones_like(share) if wider == _WIDER else _shares(before, numbering, bad, share, 2**wider)
        whole = np.where(outer, share >= _WHOLLY, share)
        moved = _between(after, before, numbering.scattered(whole))
        now = measure(moved)
        bad = _missing(now, rows)
        if not bad.any():
            break
    blocks = dict(zip(before.names, moved.xyz, strict=True))
    worst = float(now.of("scaled_jacobian").min())
    return replace(
        told,
        blocks=blocks,
        progress=replace(run.progress, worst=worst, folded=int(now.folded.sum())),
        wall=_still_held(run, moved),
        angles=_angles(now),
        yielded=int((whole > 0).sum()),
        yielded_at=place(_at(before, numbering, int(np.argmax(whole)))),
    )


def _still_held(run: Smoothed, moved: Grid) -> WallHeld:
    """Measure what walls hold after nodes went back; what was wished stays."""
    if run.held_at is None or not len(run.wall.heights):
        return run.wall
    now = run.held_at(moved.xyz)
    return replace(run.wall, heights=now.heights, angles=now.angles)


def _angles(cells: CellValues) -> tuple[float, float]:
    """Give the smallest and the largest included angle."""
    return float(np.nanmin(cells.of("smallest_angle"))), float(np.nanmax(cells.of("largest_angle")))


def _rows(
    cells: CellValues, limits: Mapping[str, float], own: Sequence[OwnLimit]
) -> Iterator[tuple[Metric, float, Bools]]:
    """Give the limits that cells shall meet after a run, each with the cells (cells,) that it is for."""
    every = np.ones(cells.grid.cells, dtype=bool)
    parts = [(one.metric, one.limit, cells_of_part(cells.grid, one.part, one.names)) for one in own]
    free: dict[str, Bools] = {}
    for key, _, index in parts:
        free.setdefault(key, every.copy())[index] = False
    asked = [(key, limit, free.get(key, every)) for key, limit in limits.items()]
    for key, limit, index in parts:
        chosen = ~every
        chosen[index] = True
        asked.append((key, limit, chosen))
    for key, limit, chosen in asked:
        if key in BY_KEY:
            metric, values = BY_KEY[key], there(cells.of(key)[chosen])
            if len(values):
                missed = bool(metric.misses(values, limit).any())
                yield metric, metric.worst(values) if missed else limit, chosen


def _missing(cells: CellValues, rows: Sequence[tuple[Metric, float, Bools]]) -> Bools:
    """Tell which cells (cells,) are folded, or miss one of the limits that are theirs."""
    bad = cells.folded.copy()
    for metric, limit, chosen in rows:
        bad |= chosen & metric.misses(cells.of(metric.key), limit)
    return bad


def _shares(grid: Grid, numbering: Numbering, bad: Bools, before: Floats, rings: int) -> Floats:
    """Give by how much nodes (n,) go back: wholly at bad cells, evenly less over so many rings around."""
    found = before.copy()
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
    return found


def _corners(ids: Numbers, dim: int) -> list[Numbers]:
    """Give the numbers of each corner of all cells (ci, cj, ck) of a block."""
    ends = (slice(None, -1), slice(1, None))
    last = ends if dim == 3 else (slice(None),)
    return [ids[i, j, k] for i in ends for j in ends for k in last]


def _outer(grid: Grid, numbering: Numbering) -> Bools:
    """Tell which nodes (n,) are on outer sides."""
    found = np.zeros(numbering.count, dtype=bool)
    for window in outer_windows(grid, free_twins=False):
        ids = numbering.ids[window.block]
        found[ids[window.slices(ids.shape)]] = True
    return found


def _between(after: Grid, before: Grid, shares: Sequence[Floats]) -> Grid:
    """Give the grid whose nodes are by their shares (ni, nj, nk) what they were before; others to the bit."""
    blocks = []
    for new, old, share in zip(after.xyz, before.xyz, shares, strict=True):
        moved = new.copy()
        back = share > 0
        part = share[back][:, None]
        moved[back] = np.where(part >= 1.0, old[back], new[back] + part * (old[back] - new[back]))
        blocks.append(moved)
    return replace(after, xyz=tuple(blocks))


def _at(grid: Grid, numbering: Numbering, node: int) -> Floats:
    """Give the place (3,) of a node by its number."""
    block = next(n for n, ids in enumerate(numbering.ids) if (ids == node).any())
    index = tuple(np.argwhere(numbering.ids[block] == node)[0])
    return np.asarray(grid.xyz[block][index])

"""Shaping cells by their energy: untangling what is folded, and polishing what is worst.

Foldover-free maps (Garanzha et al. 2021, ACM Trans. Graph. 40, 4) by L-BFGS; `kernels` have the energy.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import TypeAlias

import numba as nb
import numpy as np
from threadpoolctl import threadpool_limits

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.smooth.coarse.grids import carried_up, coarser
from plodek.core.smooth.ghosted import Slots
from plodek.core.smooth.guard import ALIKE, spread, squareness, take_back
from plodek.core.smooth.movable import Movable, nodes_of
from plodek.core.smooth.outcome import WHOLLY, Progress, Smoothed, WallHeld, Watch, quiet
from plodek.core.smooth.settings import ShapeSettings
from plodek.core.smooth.shaping.energy import LOW, NONE, Energy, merits_of
from plodek.core.smooth.shaping.first_nodes import FirstNodes, first_nodes, with_heights_of
from plodek.core.smooth.shaping.wanted import Lines
from plodek.core.smooth.sides import HeldWall, Sides
from plodek.core.smooth.surfaces import sides_first, spread_sides
from plodek.core.smooth.walls import Walls

#: Gives the nodes of each block as they are.
Picture: TypeAlias = Callable[[], Mapping[str, Floats]]
#: Steps of the minimiser in a round; then nodes are put back onto their guides and the energy is renewed.
STEPS = 60
#: Fewer slots than this are no work for more threads than one.
FEW = 20_000
#: Coarser grids, and sides by themselves, are shaped in this many sweeps at most: whatever is asked for, so
#: that a run that was stopped comes out the same again.
MOST_COARSE = 2000
#: A round that gains less than this share of the energy, or of the worst corner, is the last; in polishing
#: one that gains less of the worst corner, and of all.
_GAIN, _GAIN_IN_ALL = 1e-3, 5e-3
#: ε falls at least by this share in a round.
_FALL = 0.2
#: Where nothing is folded ε is this.
_NONE = 1e-10
#: So many rounds that unfold nothing are the last.
_IDLE = 20
#: Bars stand this far below the least merit, as a share of it, and this far below what it was at the start;
#: where it ends below that, they close in by this.
_ROOM, _CLOSE, _CLOSER = 0.05, 2e-3, 0.3
#: Polishing reaches this many cells around those that it is for.
AROUND = 8


def shape(grid: Grid, sides: Sides, settings: ShapeSettings, watch: Watch | None = None) -> Smoothed:
    """Untangle or polish a grid; the input stays as it is. Never makes it worse.

    At ``sides.walls`` the first node of each line keeps its height: it slides along the wall, and stays where
    its line leaves squarely, or at a sharp edge. Where cells stay folded the result's note says so and its
    ``rough`` is the place of one: of one that its held corners fold, if there is any.
    """

    def moved(ask: Watch | None) -> Grid:
        found = spread_sides(grid, sides, lambda sheet: _on_sheet(sheet, sides, settings, ask))
        return with_heights_of(grid, found, sides)

    def run(grid: Grid, sides: Sides) -> Smoothed:
        return _shaped(grid, sides, settings, watch)

    # With more threads than one the minimiser's sums would round otherwise, and stand in the kernels' way.
    with threadpool_limits(1, user_api="blas"):
        if not sides.spread:
            return run(grid, sides)
        start = _Run(Movable.of(grid, sides), sides.walls, settings)
        found = sides_first(grid, sides, moved, run, start.began, 1.0, watch)
    kept = len(found.wall.heights) > 0
    return replace(found, wall=replace(found.wall, wished=start.heights)) if kept else found


def _on_sheet(sheet: Movable, sides: Sides, settings: ShapeSettings, ask: Watch | None) -> None:
    """Shape sides within what they lie on, in as many sweeps whatever is asked for."""
    beside = {side.window for side in sides.spread}
    walls = [wall for wall in sides.walls if wall.window not in beside]
    _Run(sheet, walls, replace(settings, sweeps=MOST_COARSE), ask).go()


def _shaped(grid: Grid, sides: Sides, settings: ShapeSettings, watch: Watch | None) -> Smoothed:
    movable = Movable.of(grid, sides)
    threads = nb.get_num_threads()
    if movable.ghosted.count < FEW:
        nb.set_num_threads(1)
    try:
        return _begun(grid, sides, settings, movable, watch)
    finally:
        nb.set_num_threads(threads)


def _begun(
    grid: Grid, sides: Sides, settings: ShapeSettings, movable: Movable, watch: Watch | None
) -> Smoothed:
    """Shape a grid after a coarser one, where that is worth it."""
    run = _Run(movable, sides.walls, settings, watch, lambda: nodes_of(grid, movable.ghosted, movable.xyz))
    below = coarser(grid, sides) if settings.polish is None else None
    if below is not None:
        found = _shaped(*below, replace(settings, sweeps=MOST_COARSE), quiet(watch, run.began, run.blocks))
        run.begin(carried_up(grid, below[0], found.blocks), found.progress)
    return run.go()


class _Run:
    def __init__(
        self,
        movable: Movable,
        walls: Sequence[HeldWall],
        settings: ShapeSettings,
        watch: Watch | None = None,
        blocks: Picture = dict,
    ) -> None:
        self.movable, self.settings, self.watch, self.blocks = movable, settings, watch, blocks
        self.ghosted, self.xyz = self.movable.ghosted, self.movable.xyz
        self.cells = self.movable.scheme.cells()
        self.sweeps, self.stopped = 0, False
        self.first: list[FirstNodes] = []
        self._put_back()
        self.walls = Walls(self.ghosted, self.xyz.copy(), walls)
        self.heights = self.walls.held(self.xyz).heights
        self.began = self.best = self._progress(0.0)
        self.start, self.start_square, self.best_xyz = self.xyz.copy(), self.square, self.xyz.copy()
        self.first = first_nodes(self.walls)
        free = self.movable.free.copy()
        for one in self.first:
            stays = np.zeros(self.ghosted.count, dtype=bool)
            stays[one.slots[one.stay]] = True
            free &= ~self.ghosted.alike(stays)
        lines = Lines.of(self.ghosted, self.movable.scheme, self.xyz)
        if settings.polish is not None:
            free &= self._near(
                settings.polish, lines.at_edges(lines.jumps() > settings.jumps, self.ghosted.count)
            )
        self.energy = Energy(self.movable, free, lines, self.first, even=settings.polish is not None)

    def _near(self, below: float, touched: Bools) -> Bools:
        """Say which slots are at cells worse than a scaled Jacobian, are touched, or not far from there."""
        for _ in range(AROUND + 1):
            spread(self.ghosted, self.movable.scheme, self.cells, self.square < below, touched)
        return touched

    def _progress(self, move: float) -> Progress:
        """Tell where it stands."""
        self.square = squareness(self.ghosted, self.movable.scheme, self.cells, self.xyz)
        folded = int(np.count_nonzero(self.square <= 0))
        worst = float(min(self.square.min(), 1.0))
        return Progress(self.sweeps, move, folded, self._held().off(), worst=worst)

    def _held(self) -> WallHeld:
        """Measure what walls keep, against the heights that they had at the start."""
        return replace(self.walls.held(self.xyz), wished=self.heights)

    def _keep(self, move: float) -> Progress:
        """Tell where it stands, and keep that; in untangling, unless something before was better."""
        progress = self._progress(move)
        now, best = ((one.folded, -one.worst) for one in (progress, self.best))
        if self.settings.polish is not None or now < best:
            self.best = progress
            self.best_xyz[:] = self.xyz
        return progress

    def begin(self, blocks: tuple[Floats, ...], reached: Progress) -> None:
        """Begin from what a coarser grid has reached, if that is better."""
        start, still = self.ghosted.taken(blocks), self.energy.still
        self.stopped = reached.note == "stopped"
        self.xyz[:] = np.where(still[:, None], self.xyz, start)
        self._put_back()
        self._keep(0.0)
        self.xyz[:] = self.best_xyz

    def go(self) -> Smoothed:
        """Run to the end."""
        if self.stopped:
            note = "stopped"
        elif not len(self.energy.slots):
            note = "no node may move" if self.settings.polish is None else "no cell is worse than that"
        else:
            note = self._untangle() if self.settings.polish is None else self._polish()
            self.xyz[:] = self.best_xyz
            if self.settings.polish is not None:
                floor = np.float32((1.0 - ALIKE) * self.began.worst)
                scheme = self.movable.scheme
                take_back(self.ghosted, scheme, self.cells, self.xyz, self.start, self.start_square, floor)
        progress, rough = replace(self._progress(self.best.move), note=note), None
        if progress.folded:
            bad = self._folded()
            forced = self.energy.folds_held(bad)
            if note != "stopped":
                progress = replace(progress, note=_stay_folded(len(bad), len(forced)))
            rough = self.xyz[(forced if len(forced) else bad)[0, 0]]

        return self._told(progress, rough)

    def _told(self, progress: Progress, rough: Floats | None) -> Smoothed:
        """Tell what was reached; what is pulled back goes as far, on outer sides wholly."""

        def back(shares: tuple[Floats, ...], before: tuple[Floats, ...]) -> Smoothed:
            share, to = self.ghosted.at_nodes(shares), self.ghosted.taken(before)
            outer = self.ghosted.outer[self.ghosted.mover]
            share = np.where(outer, share >= WHOLLY, share)[:, None]
            self.xyz[:] = np.where(share >= 1.0, to, self.xyz + share * (to - self.xyz))
            self.ghosted.renew(self.xyz)
            return self._told(replace(self._progress(progress.move), note=progress.note), rough)

        return Smoothed(self.blocks(), self.began, progress, self._held(), rough, back=back)

    def _folded(self) -> Slots:
        cells, _ = self.movable.scheme.cells_at(self.ghosted.node >= 0)
        return cells[self.square[cells[:, 0]] <= 0]

    def _untangle(self) -> str:
        least = most = self.energy.look(1.0)[1]
        epsilon, fewest, idle = _after(1.0, least, _FALL), self.best.folded, 0
        while self.sweeps < self.settings.sweeps and idle < _IDLE:
            before = self.energy.look(epsilon)[0]
            if not self._round(epsilon, NONE):
                return "stopped"
            total, least, _ = self.energy.look(epsilon)
            gain = 1.0 - total / before
            if not self.best.folded and gain < _GAIN:
                return "settled"
            epsilon = _after(epsilon, least, max(gain, _FALL))
            gained = self.best.folded < fewest or least > most + _GAIN * abs(most)
            idle = 0 if gained or not self.best.folded else idle + 1
            fewest, most = min(fewest, self.best.folded), max(most, least)
        return ""

    def _polish(self) -> str:
        """Minimise behind bars a little below the least merits, which rise with these.

        Where nothing is gained any more they are closed in on what has lost against the start.
        """
        start = best = self.energy.look(_NONE, LOW)[2]
        enough = np.maximum(start, merits_of(self.settings.polish or 1.0))
        closer = np.full(3, _CLOSE)
        while self.sweeps < self.settings.sweeps:
            bars = (1.0 - _ROOM) * np.minimum(best, enough)
            bars[:3] = np.maximum(bars[:3], (1.0 - closer) * np.minimum(start, best)[:3])
            before = self.energy.look(_NONE, bars)[0]
            if not self._round(_NONE, bars):
                return "stopped"
            total, _, now = self.energy.look(_NONE, bars)
            gained = np.any(((now > (1.0 + _GAIN) * best) & (best < enough))[:3])
            if not gained and total > (1.0 - _GAIN_IN_ALL) * before:
                lost = (now < (1.0 - ALIKE) * start)[:3]
                if not np.any(lost & (closer > ALIKE)):
                    return "settled"
                closer = np.where(lost, _CLOSER * closer, closer)
            # What was put back onto a guide may be beyond a bar.
            best = np.where(now < bars, now, np.maximum(best, now))
        return ""

    def _round(self, epsilon: float, bars: Floats) -> bool:
        """Minimise once, and put nodes back onto their guides; says whether to go on.

        What a round that was stopped within has done is not kept: it could not be had again.
        """
        before, told = self.xyz.copy(), self.best
        steps = min(STEPS, self.settings.sweeps - self.sweeps)
        done, going = self.energy.minimise(
            epsilon, bars, steps, lambda n: self._ask(replace(told, sweeps=self.sweeps + n))
        )
        if not going:
            return False
        self.sweeps += max(done, 1)
        self._put_back()
        return self._ask(self._keep(float(np.sqrt(((self.xyz - before) ** 2).sum(axis=1).max()))))

    def _ask(self, progress: Progress) -> bool:
        return self.watch is None or self.watch(progress, self.blocks)

    def _put_back(self) -> None:
        for one in self.first:
            one.put_back(self.xyz, self.ghosted, ~self.energy.still)
        if self.movable.constraints.put_back(self.xyz) or self.first:
            self.ghosted.renew(self.xyz)


def _after(epsilon: float, least: float, gain: float) -> float:
    """Give the ε of the next round, by the least determinant and what the last round gained."""
    root = np.hypot(epsilon, least)
    chi = 0.5 * (least + root) if least > 0 else 0.5 * epsilon**2 / (root - least)
    mu = (1.0 - gain) * chi
    return 2.0 * float(np.sqrt(mu * (mu - least))) if least < mu else _NONE


def _stay_folded(cells: int, forced: int) -> str:
    """Say that cells stay folded, and what is known of why."""
    what = "1 cell stays folded" if cells == 1 else f"{cells} cells stay folded"
    if not forced:
        return f"{what}, what holds may forbid more"
    return f"{what}, {'' if cells == forced else f'{forced} of them '}by nodes that hold"

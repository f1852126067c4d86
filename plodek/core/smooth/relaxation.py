"""Relaxation: sweeps over what is free, guarded so that nothing gets worse, until it is settled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Bools, Floats
from plodek.core.smooth import space_kernels
from plodek.core.smooth.constraints import Constraints, Pulled
from plodek.core.smooth.ghosted import Ghosted
from plodek.core.smooth.guard import squareness, take_back
from plodek.core.smooth.outcome import Progress
from plodek.core.smooth.rows import Scheme
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.space_kernels import Singles
from plodek.core.smooth.walls import Walls

#: Sweeps between two looks at folding, guides, progress and stop.
PORTION = 10
#: Where moves shrink less than to this share in a portion, a coarser grid corrects them before the next one.
SLOW = 0.7
#: Over-relaxation at first; where moves grow instead of shrinking it is taken back by steps, down to none.
OMEGA, OMEGA_STEP = 1.5, 0.125
#: A run is settled when no node would move by more than this share of its smallest cell edge.
SETTLED = 1e-4
#: Single nodes, where lines do not cross or which glide, go this share of their way.
STEP = 0.5
#: Control beyond this would make the equation lose its maximum principle (|φ| < 2).
MOST_CONTROL = 1.2
#: How often control is averaged over its neighbours: that evens out kinks between blocks.
EVENED = 2
#: Where moves fold cells they are taken back, and halved there; below this share a node rests.
LEAST_SHARE = 1 / 64
#: Cells better than this are sound, and may lose some of it; others not below the worst at the start.
SOUND = 0.3
#: On the way cells may be worse than that by this factor; at the end what still is goes back.
_DIP = 0.5
_NO_MOVES = np.zeros((1, 3))
#: Called after every portion with where it stands; False stops it.
Ask = Callable[[Progress], bool]


class Correcting(Protocol):
    """What a coarser grid tells: how its nodes move, and that carried up to the run's own."""

    def found(self) -> Floats:
        """Give how the nodes of the coarser grid move."""

    def carry_up(self, moved: Floats) -> None:
        """Move the nodes of the run likewise, in place."""


@dataclass
class Relaxation:
    """Nodes in slots (n, 3) that move by ``scheme`` where ``full`` (n,) is 1, as walls and guides allow.

    ``singles`` go to the mean of their neighbours instead, ``glides`` to that of the first nodes inside. A
    ``correction`` from a coarser grid moves the nodes too. Where there is a ``source`` (n, 3) nodes come to
    rest where their full moves are that.
    """

    ghosted: Ghosted
    scheme: Scheme
    xyz: Floats
    full: npt.NDArray[np.float32]
    regular: Bools
    singles: Pulled
    glides: Pulled
    constraints: Constraints
    walls: Walls
    settings: SmoothSettings
    correction: Correcting | None = None
    source: Floats | None = None

    def __post_init__(self) -> None:
        self.soft, self.omega = self.full.copy(), OMEGA
        self.rows, self.bounds = self.scheme.rows((self.full > 0) & self.regular)
        self.cells = self.scheme.cells()
        self._put_back()
        self.phi = np.zeros((1, self.scheme.axes), dtype=np.float32)
        self.hold, self.target = np.zeros(1, dtype=np.float32), np.zeros((1, 3))
        if self.settings.control:
            self.phi = self._interior()
            if self.walls:
                self.hold, self.target = self.walls.pulls(self.settings.strict)
                self.hold[self.full == 0] = 0.0
        self.square = squareness(self.ghosted, self.scheme, self.cells, self.xyz)
        self.floor = np.float32(min(float(self.square.min()), SOUND))
        self.dip = self.floor * np.float32(_DIP if self.floor > 0 else 1.0)

    def _interior(self) -> npt.NDArray[np.float32]:
        kernels, chosen = self.scheme.kernels, self.regular
        rows, _ = self.scheme.rows(chosen)
        phi = np.zeros((self.ghosted.count, self.scheme.axes), dtype=np.float32)
        kernels.keep_spacing(self.xyz, rows, chosen, MOST_CONTROL, phi)
        for _ in range(EVENED):
            kernels.even_out(rows, chosen, phi.copy(), phi)
        return phi

    def progress(self, sweeps: int, move: float, share: float) -> Progress:
        """Tell where it stands."""
        return Progress(
            sweeps,
            move,
            int(np.count_nonzero(self.square <= 0)),
            self.walls.heights_off(self.xyz),
            share=share,
            worst=float(min(self.square.min(), 1.0)),
            softened=int(np.count_nonzero(self.soft < self.full)),
        )

    def start_from(self, xyz: Floats) -> None:
        """Start from other nodes (n, 3), but for those that stay, and where nothing gets worse."""
        before = self.xyz.copy()
        still = self.ghosted.mover >= 0
        still[still] = self.full[self.ghosted.mover[still]] == 0
        self.xyz[:] = np.where(still[:, None], before, xyz)
        self.constraints.put_back(self.xyz)
        self.ghosted.renew(self.xyz)
        self._guard(before, self.floor, soften=False)

    def go(self, ask: Ask | None) -> Progress:
        """Sweep until settled, stopped or done."""
        progress = self.progress(0, 0.0, 0.0)
        if not np.any(self.full):
            return replace(progress, note="no node may move")
        sound = self.xyz.copy()
        progress = self._go(progress, ask, sound)
        if self.square.min() < self.floor:
            self.square = squareness(self.ghosted, self.scheme, self.cells, sound)
            self._guard(sound, self.floor, soften=True)
            progress = replace(
                self.progress(progress.sweeps, progress.move, progress.share), note=progress.note
            )
        return progress

    def _go(self, progress: Progress, ask: Ask | None, sound: Floats) -> Progress:
        """Sweep on; what is ``sound`` (n, 3) follows as long as no cell is worse than it may be."""
        slow, rests, resting = False, 0, 1
        while progress.sweeps < self.settings.sweeps:
            from_here = self._corrected() if slow and rests == 0 else None
            rests = max(rests - 1, 0)
            portion = min(PORTION, self.settings.sweeps - progress.sweeps)
            # The first moves are the largest, and none of them is overdone.
            move, share = self._portion(portion, self.omega if progress.sweeps else 1.0)
            if self.square.min() >= self.floor:
                sound[:] = self.xyz
            if progress.sweeps and share > progress.share:
                if from_here is not None:  # what does not help is undone, and rests twice as long each time
                    self.xyz[:], self.square, self.soft, self.hold = from_here
                    self._put_back()
                    resting *= 2
                    rests, move, share = resting, progress.move, progress.share
                else:
                    self.omega = max(1.0, self.omega - OMEGA_STEP)
            slow = progress.sweeps > 0 and share > SLOW * progress.share
            progress = self.progress(progress.sweeps + portion, move, share)
            if ask is not None and not ask(progress):
                return replace(progress, note="stopped")
            if not progress.softened and self._is_small(move, share):
                return replace(progress, note="settled")
            if np.all(self.soft[self.full > 0] < LEAST_SHARE):
                return replace(progress, note="folding begins")
        return progress

    def _is_small(self, move: float, share: float) -> bool:
        tolerance = self.settings.tolerance
        return share <= SETTLED if tolerance is None else move <= tolerance

    def rough(self) -> Floats | None:
        """Give the place where moves were taken back most, if there is any."""
        soft = self.soft < 0.5 * self.full
        return self.xyz[np.argmin(np.where(soft, self.soft, 2.0))] if np.any(soft) else None

    def _portion(self, count: int, omega: float) -> tuple[float, float]:
        before = self.xyz.copy()
        found = self.sweeps(count, omega)
        self._guard(before, self.dip, soften=True)
        return found

    def _corrected(self) -> tuple[Floats, Singles, Singles, Singles] | None:
        """Let a coarser grid move the nodes; gives where all was before, None where there is none."""
        if self.correction is None:
            return None
        moved = self.correction.found()
        before = self.xyz.copy(), self.square, self.soft.copy(), self.hold.copy()
        self.correction.carry_up(moved)
        self._guard(before[0], self.dip, soften=False)
        return before

    def moves(self) -> Floats:
        """Give the full moves (n, 3) that nodes would make, less what their source is."""
        told = np.zeros((self.ghosted.count, 3))
        self._sweep(0.0, told)
        return told

    def sweeps(self, count: int, omega: float) -> tuple[float, float]:
        """Sweep so often; give the largest full move of the last sweep, and as a share of the cell edge."""
        xyz = self.xyz
        move = share = 0.0
        for _ in range(count):
            move, share = self._sweep(omega, None)
            self.ghosted.renew(xyz)
        self._put_back()
        return move, share

    def _put_back(self) -> None:
        """Put nodes onto their guides, and copies after them."""
        if self.constraints.put_back(self.xyz):
            self.ghosted.renew(self.xyz)

    def _sweep(self, omega: float, told: Floats | None) -> tuple[float, float]:
        """Sweep once, or where ``omega`` is 0 tell the full moves (n, 3) alone."""
        xyz, fair = self.xyz, len(self.phi) > 1
        ties = self.constraints.tie, self.constraints.way, self.constraints.along
        more: tuple[Floats | None, ...] = (self.source, told)
        if self.source is not None or told is not None:
            more = tuple(_NO_MOVES if one is None else one for one in more)
        move, share = self.scheme.kernels.sweep(
            xyz, self.rows, self.bounds, self.soft, self.phi, self.hold, self.target, *ties, omega, *more
        )  # fmt: skip
        for part in (self.singles, self.glides):
            a, b = space_kernels.towards(
                xyz, part.slots, part.start, part.near, part.weight, STEP if omega else 0.0,
                self.soft, self.hold, self.target, *ties, part is self.singles and fair, *more
            )  # fmt: skip
            move, share = max(move, a), max(share, b)
        return move, share

    def _guard(self, before: Floats, floor: np.float32, *, soften: bool) -> None:
        """Take back what has made cells fold, or fall below a floor; there nodes go on more softly."""
        if not np.all(np.isfinite(self.xyz)):
            self.xyz[:] = before
            self.soft *= 0.5
            return
        now, touched = take_back(self.ghosted, self.scheme, self.cells, self.xyz, before, self.square, floor)
        self.square = now
        if soften:
            self.soft = np.minimum(self.full, 1.2 * self.soft)
            self.soft[touched] *= 0.5 / 1.2
            if len(self.hold) > 1:
                self.hold[touched] *= 0.9


def neighbours(ghosted: Ghosted, scheme: Scheme, chosen: Bools) -> Pulled:
    """Take the neighbours along edges of ``chosen`` nodes (n,), where lines do not cross."""
    wanted = ghosted.alike(chosen) & (ghosted.mover >= 0)
    nodes, near = [], []
    for slots, strides in scheme.pieces:
        here = slots[wanted[slots]]
        for step in (s for stride in strides for s in (stride, -stride)):
            nodes.append(ghosted.mover[here])
            near.append(here + np.int32(step))
    p, q = np.concatenate(nodes), np.concatenate(near)
    there = ghosted.node[q]
    fine = (there >= 0) & (there != ghosted.node[p])
    p, q, there = p[fine], q[fine], there[fine]
    order = np.lexsort((there, p))
    p, q, there = p[order], q[order], there[order]
    first = np.ones(len(p), dtype=bool)
    first[1:] = (p[1:] != p[:-1]) | (there[1:] != there[:-1])
    p, q = p[first], q[first]
    slots, start = np.unique(p, return_index=True)
    start = np.append(start, len(p))
    share = 1.0 / np.repeat(np.diff(start), np.diff(start))
    return Pulled(slots.astype(np.int32), start.astype(np.int32), q.astype(np.int32), share)

"""Relaxation: sweeps over what is free, guarded so that nothing gets worse, until it is settled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

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
from plodek.core.smooth.walls import Walls

#: Sweeps between two looks at folding, guides, progress and stop.
PORTION = 10
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
#: Called after every portion with where it stands; False stops it.
Ask = Callable[[Progress], bool]


@dataclass
class Relaxation:
    """Nodes in slots (n, 3) that move by ``scheme`` where ``full`` (n,) is 1, as walls and guides allow.

    ``singles`` go to the mean of their neighbours instead, ``glides`` to that of the first nodes inside.
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

    def __post_init__(self) -> None:
        self.soft, self.omega = self.full.copy(), OMEGA
        self.rows, self.bounds = self.scheme.rows((self.full > 0) & self.regular)
        self.cells = self.scheme.cells()
        if self.constraints.put_back(self.xyz):
            self.ghosted.renew(self.xyz)
        self.bound = np.zeros(1, dtype=bool)
        if len(self.constraints.slots):
            self.bound = np.zeros(self.ghosted.count, dtype=bool)
            self.bound[self.constraints.slots] = True
            self.tied = neighbours(self.ghosted, self.scheme, self.bound)
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
        while progress.sweeps < self.settings.sweeps:
            before = self.xyz.copy()
            portion = min(PORTION, self.settings.sweeps - progress.sweeps)
            # The first moves are the largest, and none of them is overdone.
            move, share = self._sweeps(portion, self.omega if progress.sweeps else 1.0)
            self._guard(before, self.dip, soften=True)
            if self.square.min() >= self.floor:
                sound[:] = self.xyz
            if progress.sweeps and share > progress.share:
                self.omega = max(1.0, self.omega - OMEGA_STEP)
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

    def _sweeps(self, count: int, omega: float) -> tuple[float, float]:
        xyz = self.xyz
        move = share = 0.0
        for n in range(count):
            slid = xyz[self.tied.slots] if n == count - 1 and len(self.bound) > 1 else None
            move, share = self.scheme.kernels.sweep(
                xyz, self.rows, self.bounds, self.soft, self.phi, self.hold, self.target, self.bound, omega
            )
            for part in (self.singles, self.glides):
                a, b = space_kernels.towards(
                    xyz, part.slots, part.start, part.near, part.weight, STEP,
                    self.soft, self.hold, self.target, self.bound, part is self.singles and len(self.phi) > 1,
                )  # fmt: skip
                move, share = max(move, a), max(share, b)
            self.constraints.keep(xyz)
            if slid is not None:
                a, b = self._slid(slid, omega)
                move, share = max(move, a), max(share, b)
            self.ghosted.renew(xyz)
        if self.constraints.put_back(xyz):
            self.ghosted.renew(xyz)
        return move, share

    def _slid(self, before: Floats, omega: float) -> tuple[float, float]:
        """Give the largest full way that a node on a guide went along it, and the largest share."""
        tied, xyz = self.tied, self.xyz
        step = np.where(self.regular[tied.slots], omega, STEP)
        way = np.linalg.norm(xyz[tied.slots] - before, axis=1)
        way /= step * np.maximum(self.soft[tied.slots], 1e-6)
        ends = np.repeat(tied.slots, np.diff(tied.start))
        size = np.minimum.reduceat(np.linalg.norm(xyz[tied.near] - xyz[ends], axis=1), tied.start[:-1])
        return float(way.max()), float((way / np.maximum(size, 1e-300)).max())

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

"""Relaxation: sweeps over what is free until it is settled, wherever it began.

Nothing is held back on the way, else where a run ends would hang on where it began: what comes out worse than
it may be is pulled back afterwards.
"""

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
from plodek.core.smooth.guard import squareness
from plodek.core.smooth.outcome import WHOLLY, Progress
from plodek.core.smooth.rows import Scheme
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.walls import Walls

#: Sweeps between two looks at folding, guides, progress and stop.
PORTION = 10
#: Where moves shrink less than to this share in a portion, a coarser grid corrects them before the next one.
SLOW = 0.7
#: Over-relaxation at first; where moves grow instead of shrinking it is taken back by steps.
OMEGA, OMEGA_STEP, LEAST_OMEGA = 1.5, 0.125, 0.5
#: A run is settled when no node would move by more than this share of its smallest cell edge in a sweep, nor,
#: by how moves shrink, by more than that much in all that would follow.
SETTLED, SETTLED_IN_ALL = 1e-4, 5e-3
#: Moves shrink at least by this share in a sweep: what seems slower is rounding.
_SLOWEST = 5e-4
#: Single nodes, where lines do not cross or which glide, go this share of their way.
STEP = 0.5
#: Control beyond this would make the equation lose its maximum principle (|φ| < 2).
MOST_CONTROL = 1.2
#: How often control is averaged over its neighbours: that evens out kinks between blocks.
EVENED = 2
#: Walls let go of nodes that are pulled back by this share, and in part of those that are less.
_LET_GO = 0.1
#: A run that goes on with nodes pulled back ends after so many sweeps at most.
MOST_PULLED = 300
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
        square = squareness(self.ghosted, self.scheme, self.cells, self.xyz)
        return Progress(
            sweeps,
            move,
            int(np.count_nonzero(square <= 0)),
            self.walls.heights_off(self.xyz),
            share=share,
            worst=float(min(square.min(), 1.0)),
        )

    def start_from(self, xyz: Floats) -> None:
        """Start from other nodes (n, 3), but for those that stay."""
        still = self.ghosted.mover >= 0
        still[still] = self.full[self.ghosted.mover[still]] == 0
        self.xyz[:] = np.where(still[:, None], self.xyz, xyz)
        self.constraints.put_back(self.xyz)
        self.ghosted.renew(self.xyz)

    def pull(self, shares: Floats, to: Floats) -> None:
        """Let shares (n,) of where nodes stand be where they were (n, 3), from now on.

        Those that are pulled wholly are there at once, and so are those that do not move by themselves. What
        walls and earlier pulls hold counts for the rest of it.
        """
        ghosted = self.ghosted
        held = self.hold if len(self.hold) > 1 else np.zeros(ghosted.count, dtype=np.float32)
        target = self.target if len(self.target) > 1 else to
        rest = (1.0 - shares) * np.maximum(1.0 - shares / _LET_GO, 0.0) * held
        both = np.maximum(shares + rest, 1e-300)
        self.target = np.where(
            (shares > 0)[:, None], (shares[:, None] * to + rest[:, None] * target) / both[:, None], target
        )
        self.hold = np.minimum(shares + rest, 1.0).astype(np.float32)
        stays = self.full[ghosted.mover] == 0
        there = (ghosted.mover >= 0) & ((shares >= 1.0) | (stays & (shares >= WHOLLY)))
        self.xyz[there] = to[there]
        ghosted.renew(self.xyz)
        self.correction, self.omega = None, 1.0

    def go(self, ask: Ask | None, sweeps: int) -> Progress:
        """Sweep until settled, stopped or so many sweeps are done."""
        progress = self.progress(0, 0.0, 0.0)
        if not np.any(self.full):
            return replace(progress, note="no node may move")
        slow, rests, resting = False, 0, 1
        while progress.sweeps < sweeps:
            from_here = self._corrected() if slow and rests == 0 else None
            rests = max(rests - 1, 0)
            portion = min(PORTION, sweeps - progress.sweeps)
            # The first moves are the largest, and none of them is overdone.
            move, share = self._portion(portion, self.omega if progress.sweeps else min(self.omega, 1.0))
            shrunk = share / progress.share if progress.share else 1.0
            if progress.sweeps and shrunk > 1.0:
                if from_here is not None:  # what does not help is undone, and rests twice as long each time
                    self.xyz[:] = from_here
                    resting *= 2
                    rests, move, share = resting, progress.move, progress.share
                else:
                    self.omega = max(LEAST_OMEGA, self.omega - OMEGA_STEP)
            slow = progress.sweeps > 0 and shrunk > SLOW
            progress = self.progress(progress.sweeps + portion, move, share)
            if ask is not None and not ask(progress):
                return replace(progress, note="stopped")
            if self._is_settled(move, share, shrunk):
                return replace(progress, note="settled")
        return progress

    def _is_settled(self, move: float, share: float, shrunk: float) -> bool:
        if self.settings.tolerance is not None:
            return move <= self.settings.tolerance
        by_sweep = float(min(shrunk, 1.0) ** (1.0 / PORTION))
        return share <= min(SETTLED, SETTLED_IN_ALL * max(1.0 - by_sweep, _SLOWEST))

    def _portion(self, count: int, omega: float) -> tuple[float, float]:
        before = self.xyz.copy()
        found = self.sweeps(count, omega)
        if not np.all(np.isfinite(self.xyz)):
            self.xyz[:] = before
            self.soft *= 0.5
        return found

    def _corrected(self) -> Floats | None:
        """Let a coarser grid move the nodes; gives where all was before, None where there is none."""
        if self.correction is None:
            return None
        moved = self.correction.found()
        before = self.xyz.copy()
        self.correction.carry_up(moved)
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

"""What a coarser grid takes from the long-wave error of a run, which its own sweeps hardly move.

The full approximation scheme (Brandt 1977, Math. Comput. 31, 333): the coarser grid is smoothed towards a
source that makes the nodes stay as soon as those of the finer one do, and what it moves is carried up.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.smooth.coarse.grids import every_second, places_between
from plodek.core.smooth.coarse.kernels import add_between, averaged
from plodek.core.smooth.ghosted import Slots
from plodek.core.smooth.kernels import Singles
from plodek.core.smooth.relaxation import MOST_CONTROL, Relaxation

#: Sweeps on a coarser grid before it is corrected from the next one, and after that; on the coarsest one.
_SWEEPS, _ON_COARSEST = 10, 60
#: They are over-relaxed a little: short waves have to go.
_OMEGA = 1.25
#: Where the spacing doubles, moves that an equation of second order asks for are four times as large, and
#: those of nodes that go to the mean of others at most twice.
_LARGER, _LARGER_SINGLE = 4.0, 2.0


@dataclass(frozen=True)
class Correction:
    """A run on a grid, and one on every second of its nodes, which the next coarser one corrects in turn.

    ``of`` (nc,) are the slots of the finer grid at the place of the coarser one's, 0 where there are none.
    ``at`` (m,) are the slots that move on the coarser grid, ``movers`` (m,) those of the same nodes on the
    finer one. Of these ``inner`` (mi,) have neighbours on all sides, by ``steps`` (mi, 3) of slots. Moves on
    the coarser grid are ``larger`` (m,). On the finer one the ``free`` (n,) follow.
    """

    fine: Relaxation
    coarse: Relaxation
    of: Slots
    at: Slots
    movers: Slots
    inner: Slots
    steps: Slots
    larger: Singles
    free: Bools

    @staticmethod
    def between(fine: Relaxation, coarse: Relaxation) -> Correction:
        """Relate the runs; that on the coarser grid is taken over."""
        count = coarse.ghosted.count
        of, larger = np.full(count, -1, dtype=np.int32), np.ones(count, dtype=np.float32)
        steps = np.zeros((fine.ghosted.count, 3), dtype=np.int32)
        for slots, own, strides in zip(
            coarse.ghosted.own, fine.ghosted.own, fine.ghosted.strides, strict=True
        ):
            of[slots] = own[np.ix_(*(every_second(n) for n in own.shape))]
            if all(few < many or many == 1 for few, many in zip(slots.shape, own.shape, strict=True)):
                larger[slots] = _LARGER
            steps[own] = strides
        steps[:, fine.ghosted.dim :] = 0
        larger[coarse.singles.slots] = np.minimum(larger[coarse.singles.slots], _LARGER_SINGLE)
        movers = np.where(of >= 0, fine.ghosted.mover[of], -1)
        moves = (coarse.full > 0) & (movers >= 0) & _inside(coarse)
        (at,) = np.nonzero(moves)
        (inner,) = np.nonzero(fine.regular[movers[at]])
        if len(fine.phi) > 1:
            coarse.phi = np.zeros((count, coarse.scheme.axes), dtype=np.float32)
            coarse.phi[at] = np.clip(2.0 * fine.phi[movers[at]], -MOST_CONTROL, MOST_CONTROL)
        if len(fine.hold) > 1:
            coarse.hold, coarse.target = np.zeros(count, dtype=np.float32), np.zeros((count, 3))
        return Correction(
            fine=fine,
            coarse=coarse,
            of=np.maximum(of, 0),
            at=at.astype(np.int32),
            movers=movers[at],
            inner=inner.astype(np.int32),
            steps=steps[movers[at[inner]]],
            larger=larger[at],
            free=_inside(fine),
        )

    def found(self) -> Floats:
        """Give how the nodes of the coarser grid (nc, 3) move."""
        coarse, fine, at = self.coarse, self.fine, self.at
        lack = self._lack()
        coarse.xyz[:] = fine.xyz[self.of]
        coarse.constraints.put_back(coarse.xyz)
        coarse.ghosted.renew(coarse.xyz)
        coarse.soft[:] = 0.0
        coarse.soft[at] = 1.0
        larger = self.larger
        if len(fine.hold) > 1:
            # What pulls to a target does not grow with the spacing: this share of it keeps both in balance.
            hold = fine.hold[self.movers]
            coarse.hold[at] = _LARGER * hold / (1.0 + (_LARGER - 1.0) * hold)
            coarse.target[at] = fine.target[self.movers]
            larger = larger / (1.0 + (_LARGER - 1.0) * hold)
        coarse.source = None
        source = coarse.moves()
        source[at] -= larger[:, None] * lack
        coarse.source = source
        before = coarse.xyz.copy()
        if coarse.correction is None:
            coarse.sweeps(_ON_COARSEST, _OMEGA)
        else:
            coarse.sweeps(_SWEEPS, _OMEGA)
            coarse.correction.carry_up(coarse.correction.found())
            coarse.sweeps(_SWEEPS, _OMEGA)
        return np.asarray(coarse.xyz - before)

    def _lack(self) -> Floats:
        """Give the moves (m, 3) that the finer grid still asks for at the coarser one's nodes.

        They are averaged over the nodes around: sweeps go colour by colour, and leave more of it at some.
        """
        moves = self.fine.moves()
        moves[~self.free] = 0.0
        self.fine.ghosted.renew_moves(moves)
        found = moves[self.movers]
        found[self.inner] = averaged(moves, self.movers[self.inner], self.steps)
        return found

    def carry_up(self, moved: Floats) -> None:
        """Move the nodes of the finer grid likewise, in place."""
        fine = self.fine
        for slots, own in zip(self.coarse.ghosted.own, fine.ghosted.own, strict=True):
            add_between(fine.xyz, own, moved[slots], *places_between(own.shape), self.free, fine.soft)
        fine.constraints.put_back(fine.xyz)
        fine.ghosted.renew(fine.xyz)


def _inside(run: Relaxation) -> Bools:
    """Say which slots (n,) are not of nodes that glide."""
    free = np.ones(run.ghosted.count, dtype=bool)
    free[run.glides.slots] = False
    return free

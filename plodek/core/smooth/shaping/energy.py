"""The energy of the cells at nodes that may move, and moving these to less of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import scipy

from plodek.core.arrays import Bools, Floats
from plodek.core.smooth.ghosted import Slots
from plodek.core.smooth.movable import Movable
from plodek.core.smooth.shaping.first_nodes import FirstNodes
from plodek.core.smooth.shaping.kernels import energy, summed
from plodek.core.smooth.shaping.wanted import LEAST, Lines

#: The minimiser remembers so many steps.
_MEMORY = 7
#: A step to more than so many times the energy counts as that.
_MOST = 10.0
#: A normal whose square along a guide is below this is that of the guide.
_ALIKE = 1e-4
#: A node without edges in some direction may still move there, by this share of the others.
_ALONE = 1e-3
#: No bars, and bars that nothing is below.
NONE, LOW = np.zeros(0), np.full(4, 1e-300)


def merits_of(square: float) -> Floats:
    """Give the merits (4,) of a corner in the plane by its scaled Jacobian; of the energy the best."""
    angle = 1.0 - np.sqrt(1.0 - square**2)
    return np.array([square, angle, angle, 1.0])


class Energy:
    """The energy of the cells at nodes that may move, as a function of these."""

    def __init__(
        self, movable: Movable, free: Bools, lines: Lines, first: Sequence[FirstNodes] = (), *, even: bool
    ) -> None:
        """Take the nodes that are free; the ``first`` ones of walls slide along these only."""
        ghosted = self.ghosted = movable.ghosted
        self.movable, self.xyz, self.first = movable, movable.xyz, first
        self.slots = np.nonzero(free)[0]
        moving = ghosted.alike(free)
        self.still = ~moving
        self.cells, self.bounds = movable.scheme.cells_at(moving)
        lengths = lines.evened() if even else lines.lengths
        self.sizes = lines.sizes(lengths, ghosted.count)[self.cells[:, 0]]
        self.normals = movable.scheme.normals_at(self.cells)
        self.each, self.worst = np.zeros(len(self.cells)), np.zeros((len(self.cells), 5))
        self.gradient = np.zeros((ghosted.count, 3))

    def look(self, epsilon: float, bars: Floats = NONE) -> tuple[float, float, Floats]:
        """Give the energy of the nodes as they are, the least D of its corners and their least merits (4,).

        Merits are the scaled Jacobian, 1 + cos of the largest angle, 1 - cos of the smallest and 1 over the
        energy: known only with ``bars``, those below which none may fall.
        """
        beyond = bars
        if len(bars):
            beyond = np.array([bars[0], bars[1] - 1.0, 1.0 - bars[2], 1.0 / max(bars[3], 1e-300)])
        self.gradient[:] = 0.0
        energy(
            self.xyz, self.cells, self.bounds, self.sizes, self.normals, self.still, epsilon, beyond,
            self.gradient, self.each, self.worst,
        )  # fmt: skip
        total, det, square, low, high, most = summed(self.each, self.worst)
        return total, det, np.array([square, 1.0 + low, 1.0 - high, 1.0 / most])

    def minimise(
        self, epsilon: float, bars: Floats, steps: int, ask: Callable[[int], bool]
    ) -> tuple[int, bool]:
        """Move the nodes to less energy by at most so many steps; give their number, and whether to go on.

        ``ask`` is told after each how many steps are done; False stops it. Nothing moves where the energy is
        beyond all numbers.
        """
        ways, anchor = self._ways(), self.xyz[self.slots].copy()

        def at(amounts: Floats) -> tuple[float, Floats]:
            """Give the energy after moves by so much along the ways, and its gradient."""
            moves = np.einsum("nij,nj->ni", ways, amounts.reshape(-1, 3))
            self.xyz[self.slots] = anchor + moves
            self.ghosted.renew(self.xyz)
            total = self.look(epsilon, bars)[0]
            if not total < most:
                return most, np.zeros_like(amounts)
            self.ghosted.take_back(self.gradient)
            return total, np.einsum("nij,ni->nj", ways, self.gradient[self.slots]).ravel()

        done, going = 0, True

        def step(intermediate_result: scipy.optimize.OptimizeResult) -> None:
            nonlocal done, going
            done += 1
            going = ask(done)
            if not going:
                raise StopIteration

        # A step into what bars forbid has an energy beyond all sense: the line search needs some sense.
        most = _MOST * self.look(epsilon, bars)[0]
        if not np.isfinite(most):
            return 0, True
        options = {"maxiter": steps, "maxcor": _MEMORY, "ftol": 1e-12, "gtol": 1e-12}
        found = scipy.optimize.minimize(  # type: ignore[call-overload]  # the stubs know no jac=True with options
            at, np.zeros(3 * len(self.slots)), jac=True, method="L-BFGS-B", callback=step, options=options
        )
        at(found.x)
        return done, going

    def _ways(self) -> Floats:
        """Give, by node that may move, three ways (f, 3, 3) in which energy rises about alike.

        That is a metric of the edges at it, each counting one over its length; on guides it is of what moves
        along them.
        """
        metric = np.zeros((self.ghosted.count, 3, 3))
        for slots, _ in self.movable.scheme.pieces:
            for axis in range(slots.ndim):
                low, high = (np.moveaxis(slots, axis, 0)[part] for part in (slice(-1), slice(1, None)))
                edge = self.xyz[high] - self.xyz[low]
                squared = np.einsum("...i,...i->...", edge, edge)
                squared = np.maximum(squared, max(LEAST**2 * squared.mean(), 1e-100))
                share = edge[..., :, None] * edge[..., None, :] / (squared**2)[..., None, None]
                metric[low] += share
                metric[high] += share
        for one in self.ghosted.copies:
            if one.move is None:
                np.add.at(metric, one.of, metric[one.to])
        own = metric[self.slots]
        trace = np.trace(own, axis1=1, axis2=2)
        trace = np.where(trace > 0, trace, trace.max(initial=0.0) or 1.0)  # all edges at it have shrunk
        own += (_ALONE * trace)[:, None, None] * np.eye(3)
        along = self._tangents()
        across = np.eye(3) - along
        own = along @ own @ along + trace[:, None, None] * across
        return np.asarray(along @ np.linalg.cholesky(np.linalg.inv(own)))

    def _tangents(self) -> Floats:
        """Give what is left (f, 3, 3) of a move of each node where it stays on guides, or in the plane."""
        flat = np.diag([1.0, 1.0, float(self.ghosted.dim == 3)])
        found = np.tile(flat, (len(self.slots), 1, 1))
        bound = self.movable.constraints
        number = np.full(self.ghosted.count, -1)
        number[self.slots] = np.arange(len(self.slots))
        at = number[bound.slots]
        outer = bound.way[:, :, None] * bound.way[:, None, :]
        kept = np.where(bound.along[:, None, None], outer, np.eye(3) - outer)
        found[at[at >= 0]] = kept[at >= 0]
        for one in self.first:
            at = number[np.maximum(self.ghosted.mover[one.slots], 0)]
            there = (at >= 0) & (self.ghosted.mover[one.slots] >= 0)
            up = np.einsum("nij,nj->ni", found[at[there]], one.normal[there])
            squared = np.einsum("ni,ni->n", up, up)
            lost = up[:, :, None] * up[:, None, :] / np.maximum(squared, 1e-300)[:, None, None]
            found[at[there]] -= np.where((squared > _ALIKE)[:, None, None], lost, 0.0)
        return found

    def folds_held(self, cells: Slots) -> Slots:
        """Give those of some cells (m, 4) that have a folded corner all of whose nodes hold."""
        found = np.zeros(len(cells), dtype=bool)
        first, steps = cells[:, 0], cells[:, 1:]
        flat = self.ghosted.dim == 2
        normal = self.movable.scheme.normals_at(cells)
        for corner in range(4 if flat else 8):
            ends = np.array([corner & 1, corner >> 1 & 1, corner >> 2])
            at = first + steps @ ends
            near = at[:, None] + steps * (1 - 2 * ends)
            ways = self.xyz[near] - self.xyz[at][:, None]
            if flat:
                ways[:, 2] = normal
            det = (-1) ** int(ends.sum()) * np.linalg.det(ways)
            found |= self.still[at] & self.still[near].all(axis=1) & (det <= 0)
        return cells[found]

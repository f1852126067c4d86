"""Measuring a grid: the metrics that every cell is measured by at once, and the others as they are asked for.

Definitions as in the Verdict Library Reference Manual (Knupp et al., SAND2007-1751) where it has them.
A plane grid is measured as one layer of unit depth: angles, scaled Jacobian, skewness and ratios do
not depend on the depth, and the aspect ratio leaves it out.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats
from plodek.core.cache import Cache
from plodek.core.check.geometry import Joined, in_rows, ratios, slants
from plodek.core.check.kernels.cells import measure_cells
from plodek.core.check.kernels.faces import measure_inner_faces
from plodek.core.check.leaks import Leak, leaks_of
from plodek.core.check.measured import Measured, WallUnits
from plodek.core.check.metric import BASIC, Metric, there
from plodek.core.check.metrics import BY_KEY, in_families, work_out
from plodek.core.grid.grid import Grid

#: Cells with a scaled Jacobian below this are as good as folded: no solver can use them.
DEGENERATE = 1e-6
#: Bytes of other metrics that are kept, those last asked for.
_MOST_OTHERS = 256 * 1024**2


@dataclass(frozen=True)
class Summary:
    """One metric over the ``cells`` of the grid that it says something of."""

    metric: Metric
    cells: int
    worst: float
    mean: float
    best: float


@dataclass(frozen=True)
class CellValues(Measured):
    """A measured grid with all its metrics: the others are worked out as they are asked for, and kept."""

    _others: Cache[Floats] = field(default_factory=lambda: Cache(_MOST_OTHERS, _bytes), repr=False)

    @property
    def most_others(self) -> int:
        """Bytes of the other metrics that may be kept."""
        return min(8 * len(BY_KEY) * self.grid.cells, _MOST_OTHERS)

    def of(self, key: str) -> Floats:
        """Give one metric of all cells (cells,): NaN where it says nothing of a cell."""
        if key in BASIC:
            return np.asarray(self.basic[list(BASIC).index(key)])
        found = self._others.get(key)
        if found is None:
            made = work_out(key, self)
            for one, values in made.items():
                self._others.keep(one, values)
            found = made[key]
        return found

    @property
    def at_hand(self) -> list[str]:
        """The metrics that can be told of a cell at once: all, or in a huge grid those that are kept."""
        all_fit = self.most_others < _MOST_OTHERS
        return [key for key in BY_KEY if all_fit or key in BASIC or key in self._others]

    @cached_property
    def summary(self) -> tuple[Summary, ...]:
        """Every metric that says something of a cell, summed up."""
        found = {}
        for keys in in_families():  # what is worked out together is there together, and need not be kept
            for key in keys:
                metric, values = BY_KEY[key], there(self.of(key))
                if len(values):
                    worst, mean, best = metric.worst(values), float(values.mean()), metric.best(values)
                    found[key] = Summary(metric, len(values), worst, mean, best)
        return tuple(found[key] for key in BY_KEY if key in found)

    @cached_property
    def leaks(self) -> tuple[Leak, ...]:
        """Where blocks overlap, or lie on each other without being joined."""
        return leaks_of(self.grid, self.centres, self.signs)

    def scaled(self, factor: float) -> CellValues:
        """Measure the same grid with all lengths multiplied by a factor."""
        if factor == 1.0:
            return self
        units = self.wall_units and self.wall_units.scaled(factor)
        return measure(self.grid.scaled(factor), units, either_hand=bool(self.left))


def _bytes(values: Floats) -> int:
    return values.nbytes


def measure(grid: Grid, wall_units: WallUnits | None = None, *, either_hand: bool = False) -> CellValues:
    """Measure every cell of a grid, with the faces across interfaces; y⁺ where there are ``wall_units``.

    With ``either_hand`` blocks whose volume is negative are taken for left-handed, and measured turned round:
    their indices run the other way, and their cells are sound. Else these count as folded.
    """
    count = grid.cells
    basic = np.empty((len(BASIC), count))
    volume, centres = np.empty(count), np.empty((3, count))
    folded, poles = np.empty(count, dtype=bool), np.empty(count, dtype=bool)
    own, beside = basic[:-2], basic[-2:]
    left: list[int] = []
    for block, nodes in enumerate(grid.xyz):
        rows, begin = in_rows(nodes, grid.dim), grid.starts[block]
        measure_cells(rows, grid.dim == 2, tuple(own), volume, centres, folded, poles, begin)
        part = slice(begin, begin + grid.block_cells(block))
        if either_hand and volume[part].sum() < 0:
            left.append(block)
            shape = tuple(n - 1 for n in rows.shape[:3])
            turned = np.ascontiguousarray(rows[:, :, ::-1])
            measure_cells(turned, grid.dim == 2, tuple(own), volume, centres, folded, poles, begin)
            for values in (*own, volume, *centres, folded, poles):
                values[part] = values[part].reshape(shape)[:, :, ::-1].ravel()
        measure_inner_faces(rows, volume, centres, beside[0], beside[1], begin)
    np.logical_or(folded, own[0] < DEGENERATE, out=folded)
    joined = Joined.of(grid, grid.interfaces)
    apart = (centres[:, joined.theirs] - centres[:, joined.ours]).T
    for index in (joined.ours, joined.theirs):
        # A cell in a block's corner meets several interfaces: keep the largest.
        np.maximum.at(beside[0], index, ratios(volume[joined.ours], volume[joined.theirs]))
        np.maximum.at(beside[1], index, slants(joined.normal, apart))
    return CellValues(grid, joined, basic, volume, centres, folded, poles, wall_units, tuple(left))

"""What an analyst reads off the metrics: summary, histogram, worst cells, and the gate."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from plodek.core.arrays import Bools, Floats, Place, place
from plodek.core.check.groups import cells_of_part
from plodek.core.check.kernels.spread import range_of, spread
from plodek.core.check.limits import OwnLimit
from plodek.core.check.measure import CellValues
from plodek.core.check.metric import CREASE, LEAKS, LENGTH, MISFIT, SAG, SAG_OF_CELL, Metric, there
from plodek.core.check.metrics import BY_KEY
from plodek.core.check.walls import GuideFit, Walls
from plodek.core.grid.grid import Grid

#: So many leaks are told one by one.
_TOLD = 3


#: Metrics of guides, with how each is told of the sides on one.
_OF_GUIDES: Mapping[str, tuple[Metric, Callable[[GuideFit], float]]] = {
    MISFIT.key: (MISFIT, lambda fit: fit.share),
    SAG.key: (SAG, lambda fit: fit.sag / fit.size if fit.size > 0 else 0.0),
    SAG_OF_CELL.key: (SAG_OF_CELL, lambda fit: fit.sag_share),
    CREASE.key: (CREASE, lambda fit: fit.crease.degrees if fit.crease else 0.0),
}


@dataclass(frozen=True)
class WorstCell:
    """A cell by its number: its block's index, its index (i, j, k) there from 1, its value and centre."""

    cell: int
    block: int
    index: tuple[int, int, int]
    value: float
    at: Place


@dataclass(frozen=True)
class Verdict:
    """One limit of the gate: how many cells, or guides, miss it, and the worst value.

    ``part`` says where it holds; nothing for the whole grid, and ``own`` that it is that part's own limit.
    Of no cell ``worst`` is NaN, and it is missed. ``words`` tell the outcome where figures do not.
    ``at_poles`` is how many of the cells that miss it have a shrunk edge: what is poor there is the pole.
    """

    metric: Metric
    limit: float
    worst: float
    missed: int
    noun: str = "cell"
    part: str = ""
    unit: str = ""
    own: bool = False
    words: str = ""
    at_poles: int = 0

    @property
    def sentence(self) -> str:
        """Say whether the limit is met, and if not why not."""
        if self.words:
            return f"{self.metric.label}: {self.words}"
        word = "below" if self.metric.better == "high" else "above"
        what = f"{self.metric.label}{self.part}"
        if np.isnan(self.worst):
            return f"{what}: there is no {self.noun} that has it"
        worst, limit = self.metric.told(self.worst, self.unit), self.metric.told(self.limit, self.unit, 6)
        if not self.missed:
            return f"{what}: worst {worst}, limit {limit}"
        count = f"{self.missed:,}".replace(",", " ")
        noun = f"{self.noun} is" if self.missed == 1 else f"{self.noun}s are"
        poles = "all" if self.at_poles == self.missed else f"{self.at_poles:,} of them".replace(",", " ")
        where = f", {poles} at poles" if self.at_poles else ""
        return f"{what}: {count} {noun} {word} {limit}{where}, the worst {worst}"


@dataclass(frozen=True)
class Gate:
    """The outcome of the gate: the number of folded cells, and each limit's verdict."""

    folded: int
    verdicts: tuple[Verdict, ...]

    @property
    def passed(self) -> bool:
        """Whether no cell is folded and every limit is met."""
        return self.folded == 0 and not any(v.missed for v in self.verdicts)


@dataclass(frozen=True)
class Histogram:
    """How the values of a metric are spread: ``bounds`` (bars + 1,), and what each bar holds.

    ``counts`` are cells, ``volumes`` their volumes, in the project's unit to the third.
    """

    bounds: Floats
    counts: list[int]
    volumes: list[float]


def gate(
    cells: CellValues,
    limits: Mapping[str, float],
    walls: Walls | None = None,
    own: Sequence[OwnLimit] = (),
    unit: str = "",
    labels: Mapping[str, str] | None = None,
) -> Gate:
    """Hold every cell, the sides on guides, and how blocks meet, against the limits, by metric key.

    Where a part has its ``own`` limit, this one holds there, and not the general one. Lengths are told in
    ``unit``, blocks by their ``labels``.
    """
    verdicts: list[Verdict] = []
    free: dict[str, Bools] = {}
    for one in own:
        part = cells_of_part(cells.grid, one.part, one.names)
        free.setdefault(one.metric, np.ones(cells.grid.cells, dtype=bool))[part] = False
        values = cells.of(one.metric)[part]
        verdict = _verdict(one.bound, one.limit, values, cells.poles[part], unit, one.words)
        verdicts.append(replace(verdict, own=True))
    general = []
    for key, limit in limits.items():
        if key in _OF_GUIDES:
            metric, value = _OF_GUIDES[key]
            shares = np.array([value(fit) for fit in walls.fits] if walls else [])
            if len(shares):
                off = int(metric.misses(shares, limit).sum())
                general.append(Verdict(metric, limit, float(shares.max()), off, "guide"))
            continue
        if key == LEAKS.key:
            general.append(_leaks(cells, limit, labels or {}))
            continue
        values, poles = cells.of(key), cells.poles
        if key in free:
            values, poles = values[free[key]], poles[free[key]]
        if len(values) or key not in free:
            elsewhere = " elsewhere" if key in free else ""
            general.append(_verdict(BY_KEY[key], limit, values, poles, unit, elsewhere))
    return Gate(int(cells.folded.sum()), (*general, *verdicts))


def _leaks(cells: CellValues, limit: float, labels: Mapping[str, str]) -> Verdict:
    """Hold the pairs of blocks that leak against how many there may be."""
    names = [labels.get(name, name) for name in cells.grid.names]
    count = len(cells.leaks)
    told = "; ".join(leak.told(names) for leak in cells.leaks[:_TOLD])
    more = f"; and {count - _TOLD} more" if count > _TOLD else ""
    return Verdict(
        LEAKS, limit, count, count if count > limit else 0, "pair", words=f"{told}{more}" or "none"
    )


def _verdict(metric: Metric, limit: float, values: Floats, poles: Bools, unit: str, part: str) -> Verdict:
    known = there(values)
    if not len(known):
        return Verdict(metric, limit, np.nan, 1, part=part, unit=unit)
    misses = metric.misses(values, limit)
    at_poles = int((misses & poles).sum())
    return Verdict(
        metric, limit, metric.worst(known), int(misses.sum()), part=part, unit=unit, at_poles=at_poles
    )


def histogram(cells: CellValues, key: str, bars: int = 40, *, log: bool | None = None) -> Histogram:
    """Spread a metric's values over bars, in steps of equal factors where ``log``, or as the metric asks.

    Values below or equal to 0 have no factor: bars are of equal width then.
    """
    low, high = range_of(np.ascontiguousarray(cells.of(key))) or (0.0, 1.0)
    return spread_over(cells, key, bounds_over(BY_KEY[key], low, high, bars, log=log))


def bounds_over(metric: Metric, low: float, high: float, bars: int, *, log: bool | None = None) -> Floats:
    """Give the bounds (bars + 1,) of bars from one value of a metric to another."""
    if high - low < 1e-9 * max(abs(high), 1e-300):
        # A bar of some width around the one value, within what the metric can be.
        least, most = metric.possible
        room = 0.5 * abs(high) if metric.unit == LENGTH else 0.5
        low, high = min(low, max(low - room, least)), max(high, min(high + room, most))
    by_factors = (metric.log if log is None else log) and low > 0
    bounds = np.geomspace(low, high, bars + 1) if by_factors else np.linspace(low, high, bars + 1)
    bounds[0], bounds[-1] = low, high
    return np.asarray(bounds)


def spread_over(cells: CellValues, key: str, bounds: Floats) -> Histogram:
    """Spread a metric's values over bars with given bounds (bars + 1,)."""
    counts, volumes = spread(np.ascontiguousarray(cells.of(key)), cells.volume, bounds)
    return Histogram(bounds, counts.tolist(), volumes.tolist())


def worst_cells(grid: Grid, cells: CellValues, key: str, most: int = 20) -> list[WorstCell]:
    """List the worst cells of a metric, the worst first."""
    values = cells.of(key)
    ranked = values if BY_KEY[key].better == "high" else -values  # NaN comes last
    count = min(most, int(np.count_nonzero(~np.isnan(values))))
    if not count:
        return []
    chosen = np.argpartition(ranked, count - 1)[:count]
    chosen = chosen[np.argsort(ranked[chosen], kind="stable")]
    return [_cell(grid, int(cell), float(values[cell])) for cell in chosen]


def cells_between(
    grid: Grid, cells: CellValues, key: str, low: float, high: float, most: int
) -> list[WorstCell]:
    """List up to ``most`` cells whose value lies between two bounds, those included."""
    values = cells.of(key)
    chosen = np.flatnonzero((values >= low) & (values <= high))[:most]
    return [_cell(grid, int(cell), float(values[cell])) for cell in chosen]


def _cell(grid: Grid, cell: int, value: float) -> WorstCell:
    block = int(np.searchsorted(grid.starts, cell, side="right")) - 1
    i, j, k = (int(n) for n in np.unravel_index(cell - grid.starts[block], grid.shape_of(block)))
    corner = grid.xyz[block][i : i + 2, j : j + 2, k : k + 2]
    return WorstCell(cell, block, (i + 1, j + 1, k + 1), value, place(corner.mean(axis=(0, 1, 2))))

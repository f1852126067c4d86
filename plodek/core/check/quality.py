"""What an analyst reads off the metrics: summary, histogram, worst cells, and the gate."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.check.measure import CellValues
from plodek.core.check.metric import BY_KEY, METRICS, MISFIT, Metric
from plodek.core.check.walls import Walls
from plodek.core.grid.grid import Grid


@dataclass(frozen=True)
class Summary:
    """One metric over the whole grid."""

    metric: Metric
    worst: float
    mean: float
    best: float


@dataclass(frozen=True)
class WorstCell:
    """A cell: its block's index, its logical index (i, j, k) from 1, its value and its centre."""

    block: int
    index: tuple[int, int, int]
    value: float
    at: Place


@dataclass(frozen=True)
class Verdict:
    """One limit of the gate: how many cells, or guides, miss it, and the worst value."""

    metric: Metric
    limit: float
    worst: float
    missed: int
    noun: str = "cell"

    @property
    def sentence(self) -> str:
        """Say whether the limit is met, and if not why not."""
        word = "below" if self.metric.better == "high" else "above"
        unit = self.metric.unit
        if not self.missed:
            return f"{self.metric.label}: worst {self.worst:.3g}{unit}, limit {self.limit:g}{unit}"
        count = f"{self.missed:,}".replace(",", " ")
        noun = f"{self.noun} is" if self.missed == 1 else f"{self.noun}s are"
        return (
            f"{self.metric.label}: {count} {noun} {word} {self.limit:g}{unit}, "
            f"the worst {self.worst:.3g}{unit}"
        )


@dataclass(frozen=True)
class Gate:
    """The outcome of the gate: the number of folded cells, and each limit's verdict."""

    folded: int
    verdicts: tuple[Verdict, ...]

    @property
    def passed(self) -> bool:
        """Whether no cell is folded and every limit is met."""
        return self.folded == 0 and not any(v.missed for v in self.verdicts)


def summary(cells: CellValues) -> list[Summary]:
    """Sum up every metric."""
    found = []
    for metric, values in zip(METRICS, cells.values, strict=True):
        low, high = float(values.min()), float(values.max())
        worst, best = (low, high) if metric.better == "high" else (high, low)
        found.append(Summary(metric, worst, float(values.mean()), best))
    return found


def gate(cells: CellValues, limits: Mapping[str, float], walls: Walls | None = None) -> Gate:
    """Hold every cell, and the sides on guides, against the limits, by metric key."""
    verdicts = []
    for key, limit in limits.items():
        if key == MISFIT.key:
            shares = [fit.share for fit in walls.fits] if walls else []
            off = sum(share > limit for share in shares)
            if shares:
                verdicts.append(Verdict(MISFIT, limit, max(shares), off, "guide"))
            continue
        metric, values = BY_KEY[key], cells.of(key)
        missed = values < limit if metric.better == "high" else values > limit
        worst = values.min() if metric.better == "high" else values.max()
        verdicts.append(Verdict(metric, limit, float(worst), int(missed.sum())))
    return Gate(int(cells.folded.sum()), tuple(verdicts))


def histogram(cells: CellValues, key: str, bars: int = 40) -> tuple[Floats, list[int]]:
    """Give the bounds (bars + 1,) and counts of a metric's histogram; ratios in steps of equal factors."""
    values = cells.of(key)
    finite = values[np.isfinite(values)]
    low, high = (float(finite.min()), float(finite.max())) if len(finite) else (0.0, 1.0)
    if high - low < 1e-9 * max(abs(high), 1.0):
        # A bar of some width around the one value, within what the metric can be.
        least, most = BY_KEY[key].possible
        low, high = min(low, max(low - 0.5, least)), max(high, min(high + 0.5, most))
    if key.endswith("_ratio") and low > 0:
        bounds = np.geomspace(low, high, bars + 1)
    else:
        bounds = np.linspace(low, high, bars + 1)
    bounds[0], bounds[-1] = low, high
    return bounds, [int(n) for n in np.histogram(finite, bounds)[0]]


def worst_cells(grid: Grid, cells: CellValues, key: str, most: int = 20) -> list[WorstCell]:
    """List the worst cells of a metric, the worst first."""
    values = cells.of(key)
    ranked = values if BY_KEY[key].better == "high" else -values
    count = min(most, len(ranked))
    chosen = np.argpartition(ranked, count - 1)[:count]
    chosen = chosen[np.argsort(ranked[chosen], kind="stable")]
    return [_cell(grid, cells, int(cell), float(values[cell])) for cell in chosen]


def cells_between(
    grid: Grid, cells: CellValues, key: str, low: float, high: float, most: int
) -> list[WorstCell]:
    """List up to ``most`` cells whose value lies between two bounds, those included."""
    values = cells.of(key)
    chosen = np.flatnonzero((values >= low) & (values <= high))[:most]
    return [_cell(grid, cells, int(cell), float(values[cell])) for cell in chosen]


def _cell(grid: Grid, cells: CellValues, cell: int, value: float) -> WorstCell:
    block = int(np.searchsorted(cells.starts, cell, side="right")) - 1
    i, j, k = (int(n) for n in np.unravel_index(cell - cells.starts[block], grid.shape_of(block)))
    corner = grid.xyz[block][i : i + 2, j : j + 2, k : k + 2]
    return WorstCell(block, (i + 1, j + 1, k + 1), value, place(corner.mean(axis=(0, 1, 2))))

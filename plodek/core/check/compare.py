"""Two measured grids side by side: their metrics, how these are spread, and how far nodes lie apart."""

from __future__ import annotations

from dataclasses import dataclass
from math import isclose
from typing import Literal

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.check.kernels.spread import range_of
from plodek.core.check.measure import CellValues, Summary
from plodek.core.check.metric import Metric
from plodek.core.check.metrics import BY_KEY
from plodek.core.check.quality import Histogram, bounds_over, spread_over
from plodek.core.grid.grid import Grid

Verdict = Literal["better", "worse", "same", "not comparable"]
#: Values that differ by less than this share of them are told as the same.
_SAME = 1e-3


@dataclass(frozen=True)
class Pair:
    """A metric of two grids; ``verdict`` says what the worst of ours is against theirs."""

    metric: Metric
    ours: Summary | None
    theirs: Summary | None
    verdict: Verdict


@dataclass(frozen=True)
class Apart:
    """How far nodes of two grids lie apart: the largest and the mean distance, and where it is largest."""

    largest: float
    mean: float
    at: Place


def compare(ours: CellValues, theirs: CellValues) -> list[Pair]:
    """Compare every metric that says something of a cell of either grid. Lengths are in the same unit."""
    one, other = ({s.metric.key: s for s in cells.summary} for cells in (ours, theirs))
    return [
        Pair(metric, one.get(key), other.get(key), _verdict(metric, one.get(key), other.get(key)))
        for key, metric in BY_KEY.items()
        if key in one or key in other
    ]


def _verdict(metric: Metric, ours: Summary | None, theirs: Summary | None) -> Verdict:
    if ours is None or theirs is None:
        return "not comparable"
    if isclose(ours.worst, theirs.worst, rel_tol=_SAME):
        return "same"
    return "better" if (ours.worst > theirs.worst) == (metric.better == "high") else "worse"


def both_spread(
    ours: CellValues, theirs: CellValues, key: str, bars: int = 40, *, log: bool | None = None
) -> tuple[Histogram, Histogram]:
    """Spread a metric's values of two grids over the same bars."""
    ranges = [range_of(np.ascontiguousarray(cells.of(key))) for cells in (ours, theirs)]
    lows, highs = zip(*[own for own in ranges if own] or [(0.0, 1.0)], strict=True)
    bounds = bounds_over(BY_KEY[key], min(lows), max(highs), bars, log=log)
    return spread_over(ours, key, bounds), spread_over(theirs, key, bounds)


def apart(ours: Grid, theirs: Grid) -> Apart | None:
    """Tell how far the nodes of two grids lie apart; None where their blocks do not have the same counts.

    Blocks of the same names go together, else those in the same order.
    """
    if ours.dim != theirs.dim or len(ours.xyz) != len(theirs.xyz):
        return None
    named = set(ours.names) == set(theirs.names)
    order = [theirs.names.index(name) for name in ours.names] if named else range(len(ours.xyz))
    pairs = [(one, theirs.xyz[n]) for one, n in zip(ours.xyz, order, strict=True)]
    if any(one.shape != other.shape for one, other in pairs):
        return None
    largest, total, count, at = -1.0, 0.0, 0, np.zeros(3)
    for one, other in pairs:
        off: Floats = np.linalg.norm(one - other, axis=-1)
        total, count = total + float(off.sum()), count + off.size
        if off.max() > largest:
            largest = float(off.max())
            at = one[np.unravel_index(int(off.argmax()), off.shape)]
    return Apart(largest, total / count, place(at))

"""A quality metric: its name, its unit, which way is better, the usual limit; and how it registers itself.

Metrics that are worked out together are a family: a function of a measured grid that gives their values. The
families are in `metrics`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from math import inf
from typing import Literal, TypeAlias

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.check.measured import Measured

#: What a metric looks at; where it is a size, its unit may be that of the project.
Group = Literal["cell", "size", "wall", "joint"]
LENGTH = "length"
#: Values that miss a limit by less than this share of it meet it.
SLACK = 1e-9
#: What rounding leaves of a zero is less than this.
_ZERO = 1e-12


@dataclass(frozen=True)
class Metric:
    """A metric: its key, the words for it, its unit, which way is better, and the usual limit if it has one.

    ``unit`` is “°”, nothing, or `LENGTH`: the project's. ``possible`` are the least and the most that a value
    can be; ``log`` tells that values are spread by factors.
    """

    key: str
    label: str
    unit: str
    better: Literal["high", "low"]
    limit: float | None
    possible: tuple[float, float]
    group: Group = "cell"
    log: bool = False

    def worst(self, values: Floats) -> float:
        """Give the worst of values (n,), none of them NaN."""
        return float(values.min() if self.better == "high" else values.max())

    def best(self, values: Floats) -> float:
        """Give the best of values (n,), none of them NaN."""
        return float(values.max() if self.better == "high" else values.min())

    def told(self, value: float, unit: str = "", digits: int = 3) -> str:
        """Write a value with its unit, lengths in ``unit``; what rounding leaves of a zero as one."""
        shown = (f" {unit}" if unit else "") if self.unit == LENGTH else self.unit
        return f"{0.0 if abs(value) < _ZERO else value:.{digits}g}{shown}"

    def misses(self, values: Floats, limit: float) -> Bools:
        """Tell which values (n,) miss a limit by more than rounding; those that are NaN do not."""
        slack = SLACK * abs(limit)
        return np.asarray(values < limit - slack if self.better == "high" else values > limit + slack)


#: The metrics that every cell is measured by at once, in the order that they are kept.
BASIC: Mapping[str, Metric] = {
    metric.key: metric
    for metric in (
        Metric("scaled_jacobian", "scaled Jacobian", "", "high", 0.3, (-1.0, 1.0)),
        Metric("smallest_angle", "smallest included angle", "°", "high", 35.0, (0.0, 180.0)),
        Metric("largest_angle", "largest included angle", "°", "low", 145.0, (0.0, 360.0)),
        Metric("skewness", "equiangle skewness", "", "low", 0.65, (0.0, 1.0)),
        Metric("aspect_ratio", "aspect ratio", "", "low", 1000.0, (1.0, inf), log=True),
        Metric("smallest_edge", "smallest edge", LENGTH, "high", None, (0.0, inf), "size", log=True),
        Metric("volume_ratio", "volume ratio", "", "low", 3.0, (1.0, inf), log=True),
        Metric("non_orthogonality", "non-orthogonality", "°", "low", 65.0, (0.0, 180.0)),
    )
}
#: How far nodes lie off the guides they should lie on, as a share of the size of the domain: no cell's value.
MISFIT = Metric("misfit", "misfit to guides, of the size", "", "low", 1e-6, (0.0, inf))
#: How far middles of faces are off such guides, over the length of the face, and over the size of the domain.
SAG_OF_CELL = Metric("sag_of_cell", "sag on guides, of the face's length", "", "low", None, (0.0, inf))
SAG = Metric("sag", "sag on guides, of the size", "", "low", None, (0.0, inf))
#: By how much a guide turns within a face or an edge: at a sharp line or corner that no node is on.
CREASE = Metric("crease", "turn of guides within a face", "°", "low", None, (0.0, 180.0))
#: How many pairs of blocks overlap, or lie on each other without being joined: no cell's value either.
LEAKS = Metric("leaks", "leaks", "", "low", 0.0, (0.0, inf))
#: What is limited where that is wished, of guides and not of cells.
OF_GUIDES = (SAG, SAG_OF_CELL, CREASE)
DEFAULT_LIMITS: Mapping[str, float] = {
    metric.key: metric.limit for metric in (*BASIC.values(), MISFIT, LEAKS) if metric.limit is not None
}

#: Works a family out: the values (cells,) of its metrics in order, NaN where one says nothing of a cell.
Work: TypeAlias = Callable[[Measured], Sequence[Floats]]
#: The other metrics: each family with how it is worked out.
FAMILIES: list[tuple[tuple[Metric, ...], Work]] = []


def family(*metrics: Metric) -> Callable[[Work], Work]:
    """Register metrics as what a function works out."""

    def keep(work: Work) -> Work:
        FAMILIES.append((metrics, work))
        return work

    return keep


def there(values: Floats) -> Floats:
    """Give the values (n,) that are there: NaN is none."""
    gone = np.isnan(values)
    return values[~gone] if gone.any() else values


def nothing(cells: int) -> Floats:
    """Give the values (cells,) of a metric that says nothing of any cell; they take no room."""
    return np.broadcast_to(np.nan, cells)

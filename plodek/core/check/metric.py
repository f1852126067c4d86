"""The quality metrics: their names, units, which way is better, and the usual limits of the gate.

Definitions as in the Verdict Library Reference Manual (Knupp et al., SAND2007-1751) where it has them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import inf
from typing import Literal


@dataclass(frozen=True)
class Metric:
    """A metric: its key, the words for it, its unit, which way is better, and the usual gate limit."""

    key: str
    label: str
    unit: str
    better: Literal["high", "low"]
    limit: float
    #: The least and the most that a value can be.
    possible: tuple[float, float]


#: In the order of the columns that the kernel fills; the last two are faces' values.
METRICS = (
    Metric("scaled_jacobian", "scaled Jacobian", "", "high", 0.3, (-1.0, 1.0)),
    Metric("smallest_angle", "smallest included angle", "°", "high", 35.0, (0.0, 180.0)),
    Metric("largest_angle", "largest included angle", "°", "low", 145.0, (0.0, 360.0)),
    Metric("skewness", "equiangle skewness", "", "low", 0.65, (0.0, 1.0)),
    Metric("aspect_ratio", "aspect ratio", "", "low", 1000.0, (1.0, inf)),
    Metric("volume_ratio", "volume ratio", "", "low", 3.0, (1.0, inf)),
    Metric("non_orthogonality", "non-orthogonality", "°", "low", 65.0, (0.0, 180.0)),
)
#: How far nodes lie off the guides they should lie on, as a share of the size of the domain: no cell's value.
MISFIT = Metric("misfit", "misfit to guides, of the size", "", "low", 1e-6, (0.0, inf))
BY_KEY: Mapping[str, Metric] = {metric.key: metric for metric in METRICS}
DEFAULT_LIMITS: Mapping[str, float] = {metric.key: metric.limit for metric in (*METRICS, MISFIT)}

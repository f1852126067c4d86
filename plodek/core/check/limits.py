"""Limits of the gate that hold on a part of the grid only."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from plodek.core.check.groups import Part
from plodek.core.check.metric import Metric
from plodek.core.check.metrics import BY_KEY


@dataclass(frozen=True)
class OwnLimit:
    """A metric's ``limit`` on a part: at a patch, in a region, or in blocks by their ``names`` in the grid.

    ``words`` say where, after the metric's name. The limit is a bound on the side on which the metric is
    worse, or on the other side than that which is said to be ``better``.
    """

    metric: str
    limit: float
    part: Part
    names: tuple[str, ...]
    words: str
    better: Literal["high", "low"] | None = None

    @property
    def bound(self) -> Metric:
        """The metric as it is held against the limit."""
        metric = BY_KEY[self.metric]
        return metric if self.better is None else replace(metric, better=self.better)

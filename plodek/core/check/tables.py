"""Tables of a metric by block, region, patch or tier: cells, worst, mean, and the share beyond a limit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.check.groups import Groups
from plodek.core.check.measure import CellValues
from plodek.core.check.metric import there
from plodek.core.check.metrics import BY_KEY


@dataclass(frozen=True)
class Row:
    """The values of a metric over the cells of one group; ``beyond`` is the share that misses the limit."""

    name: str
    cells: int
    worst: float
    mean: float
    beyond: float


def table(cells: CellValues, key: str, groups: Groups, limit: float | None) -> list[Row]:
    """Sum a metric up over groups of cells, the worst group first; those without cells are left out."""
    values, metric = cells.of(key), BY_KEY[key]
    rows = []
    for name, group in groups.items():
        own = there(values[group])
        if len(own):
            missed = 0.0 if limit is None else float(np.mean(metric.misses(own, limit)))
            rows.append(Row(name, len(own), metric.worst(own), float(own.mean()), missed))
    return sorted(rows, key=lambda row: row.worst if metric.better == "high" else -row.worst)

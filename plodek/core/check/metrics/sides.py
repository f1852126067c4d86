"""Metrics of the sides of cells: warpage, face skewness and alignment."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

import numpy as np

from plodek.core.arrays import Floats, dot
from plodek.core.check.geometry import in_rows, over
from plodek.core.check.kernels.sides import measure_sides
from plodek.core.check.measured import Measured
from plodek.core.check.metric import Metric, family


@family(
    Metric("alignment", "alignment", "", "high", 0.4, (-1.0, 1.0)),
    Metric("face_skewness", "face skewness", "", "low", 0.8, (0.0, inf)),
    Metric("warpage", "warpage", "°", "low", 30.0, (0.0, 180.0)),
)
def sides(cells: Measured) -> Sequence[Floats]:
    """Measure the sides of cells, those at interfaces with the cell beyond."""
    grid = cells.grid
    alignment, skewness, warpage = (np.empty(grid.cells) for _ in range(3))
    for block, nodes in enumerate(grid.xyz):
        begin = grid.starts[block]
        measure_sides(in_rows(nodes, grid.dim), cells.centres, alignment, skewness, warpage, begin)
    joined = cells.joined
    one, other = cells.centres[:, joined.ours].T, cells.centres[:, joined.theirs].T
    apart, ahead = other - one, dot(other - one, joined.normal)
    size = np.linalg.norm(apart, axis=1) * np.linalg.norm(joined.normal, axis=1)
    share = over(dot(joined.middle - one, joined.normal), ahead)
    off = np.linalg.norm(one + share[:, None] * apart - joined.middle, axis=1)
    for index in (joined.ours, joined.theirs):
        np.minimum.at(alignment, index, over(ahead, size))
        np.maximum.at(skewness, index, over(off, np.linalg.norm(apart, axis=1)))
    return alignment, skewness, warpage

"""Metrics of the sides of cells: warpage, face skewness and alignment."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf
from typing import TYPE_CHECKING

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.geometry import cells_at, face_centres, face_normals, in_rows
from plodek.core.check.kernels.sides import measure_sides
from plodek.core.check.metric import Metric, family

if TYPE_CHECKING:
    from plodek.core.check.measure import CellValues


@family(
    Metric("alignment", "alignment", "", "high", 0.4, (-1.0, 1.0)),
    Metric("face_skewness", "face skewness", "", "low", 0.8, (0.0, inf)),
    Metric("warpage", "warpage", "°", "low", 30.0, (0.0, 180.0)),
)
def sides(cells: CellValues) -> Sequence[Floats]:
    """Measure the sides of cells, those at interfaces with the cell beyond."""
    grid = cells.grid
    alignment, skewness, warpage = (np.empty(grid.cells) for _ in range(3))
    for block, nodes in enumerate(grid.xyz):
        begin = grid.starts[block]
        measure_sides(in_rows(nodes, grid.dim), cells.centres, alignment, skewness, warpage, begin)
    for joint in grid.interfaces:
        ours = cells_at(grid, joint.first).ravel()
        theirs = joint.orientation.apply(cells_at(grid, joint.second)).ravel()
        normal, middle = face_normals(grid, joint.first), face_centres(grid, joint.first)
        one, other = cells.centres[:, ours].T, cells.centres[:, theirs].T
        apart, ahead = other - one, np.einsum("nk,nk->n", other - one, normal)
        size = np.linalg.norm(apart, axis=1) * np.linalg.norm(normal, axis=1)
        share = _over(np.einsum("nk,nk->n", middle - one, normal), ahead)
        off = _over(
            np.linalg.norm(one + share[:, None] * apart - middle, axis=1), np.linalg.norm(apart, axis=1)
        )
        outward = 1.0 if joint.first.end else -1.0
        for index in (ours, theirs):
            np.minimum.at(alignment, index, _over(outward * ahead, size))
            np.maximum.at(skewness, index, off)
    return alignment, skewness, warpage


def _over(one: Floats, other: Floats) -> Floats:
    """Divide numbers (n,); 0 where there is nothing to divide by."""
    return np.divide(one, other, out=np.zeros(one.shape), where=other != 0)

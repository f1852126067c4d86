"""Metrics where blocks meet: the jump of volumes there, and how square cells stand on twin sides."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf
from typing import TYPE_CHECKING

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.geometry import cells_at, face_normals, ratios, slants
from plodek.core.check.metric import Metric, family, nothing

if TYPE_CHECKING:
    from plodek.core.check.measure import CellValues


@family(
    Metric("joint_ratio", "volume ratio at joints", "", "low", 2.0, (1.0, inf), "joint", log=True),
    Metric("twin_angle", "non-orthogonality at twins", "°", "low", 65.0, (0.0, 90.0), "joint"),
)
def joints(cells: CellValues) -> Sequence[Floats]:
    """Measure the cells at interfaces and twins against those beyond, which are moved here at twins."""
    grid = cells.grid
    if not grid.interfaces and not grid.periodic:
        return nothing(grid.cells), nothing(grid.cells)
    ratio, angle = np.full(grid.cells, np.nan), np.full(grid.cells, np.nan)
    for joint in (*grid.interfaces, *grid.periodic):
        ours = cells_at(grid, joint.first).ravel()
        theirs = joint.orientation.apply(cells_at(grid, joint.second)).ravel()
        jump = ratios(cells.volume[ours], cells.volume[theirs])
        for index in (ours, theirs):
            np.fmax.at(ratio, index, jump)
        if joint.move is not None:
            apart = joint.move.back(cells.centres[:, theirs].T) - cells.centres[:, ours].T
            for index in (ours, theirs):
                np.fmax.at(angle, index, slants(face_normals(grid, joint.first), apart))
    return ratio, angle

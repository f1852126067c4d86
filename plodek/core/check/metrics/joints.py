"""Metrics where blocks meet: the jump of volumes there, and how square cells stand on twin sides."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.geometry import Joined, cells_beyond, ratios, slants
from plodek.core.check.measured import Measured
from plodek.core.check.metric import Metric, family, nothing


@family(
    Metric("joint_ratio", "volume ratio at joints", "", "low", 2.0, (1.0, inf), "joint", log=True),
    Metric("twin_angle", "non-orthogonality at twins", "°", "low", 65.0, (0.0, 90.0), "joint"),
)
def joints(cells: Measured) -> Sequence[Floats]:
    """Measure the cells at interfaces and twins against those beyond, which are moved here at twins."""
    grid = cells.grid
    if not grid.interfaces and not grid.periodic:
        return nothing(grid.cells), nothing(grid.cells)
    ratio, angle = np.full(grid.cells, np.nan), np.full(grid.cells, np.nan)
    twins = Joined.of(grid, grid.periodic)
    for joined in (cells.joined, twins):
        jump = ratios(cells.volume[joined.ours], cells.volume[joined.theirs])
        for index in (joined.ours, joined.theirs):
            np.fmax.at(ratio, index, jump)
    moved = [
        joint.move.back(cells.centres[:, cells_beyond(grid, joint).ravel()].T)
        for joint in grid.periodic
        if joint.move
    ]
    if moved:
        slant = slants(twins.normal, np.concatenate(moved) - cells.centres[:, twins.ours].T)
        for index in (twins.ours, twins.theirs):
            np.fmax.at(angle, index, slant)
    return ratio, angle

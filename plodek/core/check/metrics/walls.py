"""Metrics at walls, of the cells that stand on them: first height, y⁺, wall angle, growth, layers."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

import numpy as np

from plodek.core.arrays import Floats, dot
from plodek.core.check.geometry import cells_at, face_centres, face_normals, over, ratios
from plodek.core.check.lines import Lines
from plodek.core.check.measured import Measured
from plodek.core.check.metric import LENGTH, Metric, family, nothing
from plodek.core.grid.window import Window
from plodek.core.tolerances import ROUNDING

#: Cells of which the growth away from a wall is told.
_GROWING = 10
#: Cells that are counted at most within the boundary layer.
_MOST_LAYERS = 200


@family(
    Metric("first_height", "first height", LENGTH, "low", None, (0.0, inf), "wall", log=True),
    Metric("y_plus", "y⁺ of the first height", "", "low", None, (0.0, inf), "wall", log=True),
    Metric("wall_angle", "wall angle off square", "°", "low", 30.0, (0.0, 90.0), "wall"),
    Metric("wall_growth", "growth over ten cells", "", "low", 1.3, (1.0, inf), "wall"),
    Metric("boundary_cells", "cells in the boundary layer", "", "high", 10.0, (0.0, inf), "wall"),
)
def walls(cells: Measured) -> Sequence[Floats]:
    """Measure the cells at the patches that are walls; where one stands on several, the worst counts."""
    grid = cells.grid
    windows = [window for patch in grid.patches if patch.type == "wall" for window in patch.windows]
    if not windows:
        return (nothing(grid.cells),) * 5
    found = np.full((5, grid.cells), np.nan)
    height, angle, growth, layers = _over(cells, windows)
    here = np.concatenate([cells_at(grid, window).ravel() for window in windows])
    unit = cells.wall_units.height if cells.wall_units else np.nan
    for row, worse, values in (
        (0, np.fmin, height), (1, np.fmax, height / unit), (2, np.fmax, angle), (3, np.fmax, growth),
        (4, np.fmin, layers),
    ):  # fmt: skip
        worse.at(found[row], here, values)
    return tuple(found)


def _over(cells: Measured, windows: Sequence[Window]) -> tuple[Floats, Floats, Floats, Floats]:
    """Give height, angle, growth and cells in the boundary layer over the faces of windows (n,)."""
    grid = cells.grid
    inward = np.concatenate([face_normals(grid, w) * (-1.0 if w.end else 1.0) for w in windows])
    start = np.concatenate([face_centres(grid, window) for window in windows])
    if grid.dim == 2:
        start[:, 2] -= 0.5
    lines = Lines(grid, windows)
    across = lines.far - start
    size, length = np.linalg.norm(inward, axis=1), np.linalg.norm(across, axis=1)
    up = over(dot(across, inward), size)
    cosine = np.clip(over(up, length), -1.0, 1.0)
    angle = np.degrees(np.arccos(np.where(cosine > 1.0 - ROUNDING, 1.0, cosine)))
    depth = cells.wall_units.thickness if cells.wall_units else 0.0
    growth, counted = np.ones(len(size)), (length <= depth).astype(float)
    before, reached, last = length, length.copy(), lines.far.copy()
    for n in range(1, _MOST_LAYERS):
        lines.step()
        going = lines.cell >= 0
        counting = going & (reached <= depth)
        if not (counting.any() or (n < _GROWING and going.any())):
            break
        own = np.linalg.norm(lines.far - last, axis=1)
        if n < _GROWING:
            growth = np.where(going, np.maximum(growth, ratios(own, before)), growth)
        reached += own
        counted += counting & (reached <= depth)
        before, last = np.where(going, own, before), lines.far.copy()
    return up, angle, growth, counted if cells.wall_units else np.full(len(size), np.nan)

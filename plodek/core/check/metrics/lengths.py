"""Metrics of the lengths of cells: smallest height, cell size, and the growth of edges along lines."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.geometry import in_rows, ratios
from plodek.core.check.kernels.lengths import measure_lengths
from plodek.core.check.measured import Measured
from plodek.core.check.metric import LENGTH, Metric, family
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window


@family(
    Metric("edge_growth", "edge growth", "", "low", 1.5, (1.0, inf), log=True),
    Metric("smallest_height", "smallest height", LENGTH, "high", None, (0.0, inf), "size", log=True),
    Metric("cell_size", "cell size", LENGTH, "low", None, (0.0, inf), "size", log=True),
)
def lengths(cells: Measured) -> Sequence[Floats]:
    """Measure the lengths of cells, those at interfaces against the edges that go on beyond."""
    grid = cells.grid
    growth, height = np.empty(grid.cells), np.empty(grid.cells)
    for block, nodes in enumerate(grid.xyz):
        part = slice(grid.starts[block], grid.starts[block + 1])
        measure_lengths(
            in_rows(nodes, grid.dim), grid.dim == 2, cells.volume[part], growth[part], height[part]
        )
    jumps: list[Floats] = []
    for joint in grid.interfaces:
        ours, theirs = _edges_from(grid, joint.first), _edges_from(grid, joint.second)
        theirs = joint.orientation.apply(theirs)
        gone = (ours == 0) & (theirs == 0)
        found = np.where(gone, 1.0, ratios(ours, theirs))
        for axis in range(3):
            if found.shape[axis] > 1:
                n = found.shape[axis] - 1
                found = np.maximum(np.take(found, range(n), axis), np.take(found, range(1, n + 1), axis))
        jumps.append(found.ravel())
    for index in (cells.joined.ours, cells.joined.theirs):
        np.maximum.at(growth, index, np.concatenate([np.empty(0), *jumps]))
    root = np.cbrt if grid.dim == 3 else np.sqrt
    return growth, height, root(np.abs(cells.volume))


def _edges_from(grid: Grid, window: Window) -> Floats:
    """Give the lengths of the edges that leave the nodes of a window, with the window's own axis."""
    nodes = grid.xyz[window.block]
    index = list(window.slices(nodes.shape[:3]))
    here = nodes[tuple(index)]
    index[window.axis] = slice(-2, -1) if window.end else slice(1, 2)
    return np.asarray(np.linalg.norm(nodes[tuple(index)] - here, axis=-1))

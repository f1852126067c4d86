"""A run over a grid, by what its settings ask for."""

from __future__ import annotations

from plodek.core.grid.grid import Grid
from plodek.core.smooth.outcome import Smoothed, Watch
from plodek.core.smooth.settings import RunSettings, ShapeSettings
from plodek.core.smooth.shaping.shape import shape
from plodek.core.smooth.sides import Sides
from plodek.core.smooth.smooth import smooth


def run_over(grid: Grid, sides: Sides, settings: RunSettings, watch: Watch | None = None) -> Smoothed:
    """Smooth, untangle or polish a grid; the input stays as it is. Never makes it worse."""
    if isinstance(settings, ShapeSettings):
        return shape(grid, sides, settings, watch)
    return smooth(grid, sides, settings, watch)

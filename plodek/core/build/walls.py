"""The walls of a built grid: held against the guides they lie on, and their first heights."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.build.heights import guide_of, heights_over, lines_from
from plodek.core.check.measured import WallUnits
from plodek.core.check.walls import GuideFit, WallHeights, Walls, guide_fit, wall_heights
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.model.model import Model
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.units import factor


def guide_fits(model: Model, grid: Grid, *, made: bool = True, creased: bool = True) -> tuple[GuideFit, ...]:
    """Measure the outer sides of a grid that lie on a guide, by the names of guides, the furthest off first.

    In the plane these are edges along curves. A side on a surface that a lift ``made`` counts for its curve;
    such sides can be left out. Creases take a while, and need not be looked for.
    """
    number = {name: n for n, name in enumerate(grid.names)}
    found: dict[str, list[tuple[Curve | Surface, Floats]]] = {}
    for side, use in model.layout.outer.items():
        name = guide_of(model.layout, side)
        guide = model.guides.get(name or "")
        if name is None or not isinstance(guide, Curve | Surface):
            continue
        if not made and name not in model.own_guides:
            continue
        nodes = grid.nodes(Window(number[use.block], use.axis, use.end))
        found.setdefault(model.shown_guide(name), []).append((guide, nodes))
    size = model.layout.size()
    fits = [guide_fit(name, sides, size, creased=creased) for name, sides in found.items()]
    return tuple(sorted(fits, key=lambda fit: -fit.misfit))


def first_heights(model: Model, grid: Grid) -> tuple[WallHeights, ...]:
    """Measure the first heights over every patch that is a wall, in the order of the patches."""
    number = {name: n for n, name in enumerate(grid.names)}
    found: dict[str, list[Floats]] = {}
    wanted: dict[str, list[Floats]] = {}
    for side, patch in model.patch_of.items():
        use = model.layout.outer.get(side)
        if use is None or patch.type != "wall":
            continue
        lines = lines_from(grid.xyz[number[use.block]], use)
        heights = heights_over(model, side, lines, np.ones(lines.shape[:2], dtype=bool))
        found.setdefault(patch.name, []).append(heights)
        if side in model.layered:
            corners = heights.reshape(lines.shape[:2])[np.ix_([0, -1], [0, -1])]
            wanted.setdefault(patch.name, []).append(corners.ravel())
    return tuple(
        wall_heights(
            name,
            np.concatenate(heights),
            float(np.median(np.concatenate(wanted[name]))) if name in wanted else None,
        )
        for name, heights in found.items()
    )


def wall_units_of(model: Model) -> WallUnits | None:
    """Give what the walls of a model are measured by, where it says what flows along them."""
    if model.flow is None:
        return None
    wall, metres = model.flow.wall, factor(model.unit, "m")
    return WallUnits(wall.height / metres, wall.thickness / metres)


def walls_of(model: Model, grid: Grid) -> Walls:
    """Tell of all walls of a grid."""
    return Walls(guide_fits(model, grid), first_heights(model, grid))

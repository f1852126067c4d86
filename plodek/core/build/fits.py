"""The sides of a built grid that lie on guides, held against them."""

from __future__ import annotations

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Side, edge_of
from plodek.core.check.fit import GuideFit, guide_fit
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.model.model import Model
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface


def guide_fits(model: Model, grid: Grid) -> tuple[GuideFit, ...]:
    """Measure the outer sides of a grid that lie on a guide, by the names of guides, the furthest off first.

    In the plane these are edges along curves. A side on a surface that a lift made counts for its curve.
    """
    number = {name: n for n, name in enumerate(grid.names)}
    found: dict[str, list[tuple[Curve | Surface, Floats]]] = {}
    for side, use in model.layout.outer.items():
        name = _guide_of(model, side)
        guide = model.guides.get(name or "")
        if name is None or not isinstance(guide, Curve | Surface):
            continue
        nodes = grid.nodes(Window(number[use.block], use.axis, use.end))
        if model.layout.dim == 2:
            nodes = nodes.reshape(-1, 1, 3)
        found.setdefault(model.shown_guide(name), []).append((guide, nodes))
    size = model.layout.size()
    fits = [guide_fit(name, sides, size) for name, sides in found.items()]
    return tuple(sorted(fits, key=lambda fit: -fit.misfit))


def _guide_of(model: Model, side: Side) -> str | None:
    """Give the guide that an outer side lies on, None where there is none."""
    if model.layout.dim == 3:
        return model.layout.lies.get(side)
    follow = model.layout.follows.get(edge_of(*side))
    return None if follow is None else follow.guide

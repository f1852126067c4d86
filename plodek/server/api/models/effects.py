"""What a model comes to in numbers, for the card that tells what a draft would do."""

from __future__ import annotations

from plodek.core.build.build import coarse, filled_grid
from plodek.core.build.walls import guide_fits
from plodek.core.check.measure import measure
from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.errors import PlodekError
from plodek.core.model.model import Model
from plodek.core.spacing.jumps import worst_growth
from plodek.server.api.grids.pictures import finite
from plodek.server.api.models.messages import Effect

#: Cells on a tier at most, and blocks, for the quick fill that an effect in space is measured on.
_COARSE, _MOST_BLOCKS = 5, 60
_MOST_CELLS = 400_000
#: An angle that is worse by less than this, in degrees, is no worse.
_LOST = 1.0


def effect_or_none(model: Model) -> Effect | None:
    """Give the effect of a model in numbers; None where it has none, as its spacing cannot be laid."""
    try:
        return effect_of(model)
    except PlodekError:
        return None


def makes_worse(before: Effect | None, after: Effect | None) -> bool:
    """Whether more cells are folded, or an angle that the gate asks for by default is missed by more."""
    if before is None or after is None or before.folded is None or after.folded is None:
        return False
    low, high = DEFAULT_LIMITS["smallest_angle"], DEFAULT_LIMITS["largest_angle"]
    least_before, least_after = (one.smallest_angle or 0.0 for one in (before, after))
    most_before, most_after = (one.largest_angle or 0.0 for one in (before, after))
    return (
        after.folded > before.folded
        or least_after < min(low, least_before - _LOST)
        or most_after > max(high, most_before + _LOST)
    )


def effect_of(model: Model) -> Effect | None:
    """Give the effect of a model in numbers; None before there are blocks."""
    if not model.layout.blocks:
        return None
    corners = model.facts.angles.degrees
    found = Effect(
        coarse=False,
        cells=model.cells,
        blocks=len(model.layout.filled),
        smallest_corner=float(corners.min()),
        largest_corner=float(corners.max()),
        folded=None,
        smallest_angle=None,
        largest_angle=None,
        jump=None,
        growth=worst_growth(model.laid),
        jumps=len(model.jumps),
    )
    if model.layout.dim == 3:
        if len(model.layout.filled) > _MOST_BLOCKS:
            return found
        tried = coarse(model, _COARSE)
        found.coarse = tried.cells < model.cells
        model = tried
    elif model.cells > _MOST_CELLS:
        return found
    grid = filled_grid(model)
    cells = measure(grid)
    fits = guide_fits(model, grid, made=False, creased=False)
    found.misfit = max((fit.misfit for fit in fits), default=None)
    found.folded = int(cells.folded.sum())
    found.smallest_angle = float(cells.of("smallest_angle").min())
    found.largest_angle = float(cells.of("largest_angle").max())
    if model.layout.dim == 2:  # a coarse fill says nothing about jumps
        found.jump = finite(float(cells.of("volume_ratio").max()))
    return found

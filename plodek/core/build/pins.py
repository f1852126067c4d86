"""The pinned corners that keep a grid folded: found by setting them free on trial."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.build.sides import sides_of
from plodek.core.grid.grid import Grid
from plodek.core.model.model import Model
from plodek.core.smooth.outcome import TRYING, Smoothed, Watch, quiet
from plodek.core.smooth.settings import ShapeSettings
from plodek.core.smooth.shaping.shape import shape


def pins_in_the_way(
    model: Model,
    grid: Grid,
    blocks: Mapping[str, Floats],
    settings: ShapeSettings,
    run: Smoothed,
    watch: Watch | None,
) -> tuple[str, ...]:
    """Name the pinned inner corners that keep cells folded after a ``run``; none where something else does.

    None are named where that is stopped, either: the run stays as it is.

    All are set free on trial, then those alone that went furthest by it: one, two, four and so on, until they
    do as well.
    """
    layout, loose = model.layout, settings.parts.loose
    inside = set(layout.corners).difference(corner for side in layout.outer for corner in side)
    held = tuple(c for c in layout.corners if c in inside and layout.corners[c].sign == "pinned")
    pinned = tuple(c for c in held if c not in loose)
    if not pinned:
        return ()

    ask = quiet(watch, run.progress, lambda: run.blocks, TRYING)

    def tried(free: tuple[str, ...]) -> Smoothed:
        freed = replace(settings, parts=replace(settings.parts, loose=(*loose, *free)))
        return shape(grid, sides_of(model, blocks, freed), freed, ask)

    every = tried(pinned)
    if every.progress.note == "stopped" or every.progress.folded >= run.progress.folded:
        return ()
    first = sorted(pinned, key=lambda corner: -_way(model, corner, blocks, every.blocks))
    count = 1
    while count < len(first):
        found = tried(tuple(first[:count])).progress
        if found.note == "stopped":
            return ()
        if found.folded <= every.progress.folded:
            break
        count *= 2
    return tuple(first[:count])


def _way(model: Model, corner: str, before: Mapping[str, Floats], after: Mapping[str, Floats]) -> float:
    """Give how far a corner has gone, in the shortest edges at it."""
    name = next(n for n in before if corner in model.layout.blocks[n].corners)
    at = model.layout.blocks[name].corners.index(corner)
    nodes, dim = before[name], model.layout.dim
    ends = tuple(-1 if at >> axis & 1 else 0 for axis in range(3))
    sizes = [
        np.linalg.norm(
            nodes[tuple((-2 if e else 1) if a == axis else e for a, e in enumerate(ends))] - nodes[ends]
        )
        for axis in range(dim)
    ]
    return float(np.linalg.norm(after[name][ends] - nodes[ends])) / max(float(min(sizes)), 1e-300)

"""What the parts of blocks do while a grid is smoothed, in terms of its blocks."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface


class Part(NamedTuple):
    """A corner, edge or side of a block, or all of it: the end along each axis, None all along it."""

    block: int
    ends: tuple[int | None, ...]


@dataclass(frozen=True)
class Plane:
    """The plane through ``at`` with the unit ``normal``, both (3,), of a flat side without a guide."""

    at: Floats
    normal: Floats


@dataclass(frozen=True)
class HeldWall:
    """A wall that holds its heights and right angles.

    ``away`` (na, nb, n) are the distances from it, along its normal, that the nodes of each line shall
    have, from the wall; nb is 1 in the plane.
    """

    window: Window
    away: Floats


@dataclass(frozen=True)
class Gliding:
    """An outer side whose nodes move on what it lies on; in the plane it is an edge, on a curve perhaps."""

    window: Window
    on: Surface | Plane | Curve


@dataclass(frozen=True)
class Kept:
    """An inner part whose nodes stay on a guide."""

    part: Part
    on: Surface | Curve


@dataclass(frozen=True)
class Sides:
    """What the parts of a grid do: those not named hold where they are outer, and are free inside."""

    fixed: tuple[Part, ...] = ()
    walls: tuple[HeldWall, ...] = ()
    gliding: tuple[Gliding, ...] = ()
    #: Outer sides whose nodes are smoothed within what they lie on before the inside is; then they hold.
    spread: tuple[Gliding, ...] = ()
    kept: tuple[Kept, ...] = ()
    free_twins: bool = True


def coarser(grid: Grid, sides: Sides) -> tuple[Grid, Sides]:
    """Give the grid of every second node, from both ends of each line, and its sides."""
    picks = [tuple(every_second(n) for n in block.shape[:3]) for block in grid.xyz]
    xyz = tuple(block[np.ix_(*pick)] for block, pick in zip(grid.xyz, picks, strict=True))
    walls = tuple(
        replace(wall, away=wall.away[np.ix_(*_seen_from(wall.window, picks[wall.window.block]))])
        for wall in sides.walls
    )
    return replace(grid, xyz=xyz), replace(sides, walls=walls)


def every_second(nodes: int) -> npt.NDArray[np.int64]:
    """Give the indices of every second node, the same from either end; all where there are few."""
    if nodes <= 4:
        return np.arange(nodes)
    half = np.arange(0, (nodes + 1) // 2, 2)
    return np.unique(np.concatenate([half, nodes - 1 - half]))


def _seen_from(window: Window, pick: tuple[npt.NDArray[np.int64], ...]) -> tuple[npt.NDArray[np.int64], ...]:
    """Give the indices along a side's two axes and away from it."""
    a, b = (pick[axis] for axis in range(3) if axis != window.axis)
    return a, b, pick[window.axis]

"""What the parts of blocks do while a grid is smoothed, in terms of its blocks."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from plodek.core.arrays import Floats
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

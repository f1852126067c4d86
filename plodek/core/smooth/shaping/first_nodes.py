"""The first nodes of lines from walls: they slide along the wall at their height, or stay."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.smooth.ghosted import Ghosted, Slots
from plodek.core.smooth.movable import Movable
from plodek.core.smooth.sides import Sides
from plodek.core.smooth.walls import Walls

#: A wall is sharp where its faces turn from their mean by more than this cosine: nodes over it stay.
_SHARP = 0.9
#: A line that leaves within so many degrees of the normal leaves squarely: its first node stays too.
_SQUARE = 5.0


@dataclass(frozen=True)
class FirstNodes:
    """The first nodes of lines from one wall, in slots (m,), with the wall near each.

    The wall is at ``base`` (m, 3) with the unit ``normal`` (m, 3); along the unit ``ways`` (m, 2, 3) it
    bends towards the normal by the curvatures ``bent`` (m, 2). Nodes were at ``height`` (m,) over it;
    those that ``stay`` (m,) may not move at all.
    """

    slots: Slots
    base: Floats
    normal: Floats
    ways: Floats
    bent: Floats
    height: Floats
    stay: Bools

    def heights(self, places: Floats) -> Floats:
        """Give how far places (m, 3) are from the wall, to second order in how far they have slid."""
        off = places - self.base
        along = np.einsum("nai,ni->na", self.ways, off)
        return np.asarray(np.einsum("ni,ni->n", off, self.normal) - 0.5 * (self.bent * along**2).sum(axis=1))

    def put_back(self, xyz: Floats, ghosted: Ghosted, free: Bools) -> None:
        """Put those that are free slots (n,) back to their height, in place."""
        to = ghosted.mover[self.slots]
        chosen = (to >= 0) & free[np.maximum(to, 0)]
        off = self.height - self.heights(xyz[np.maximum(to, 0)])
        xyz[to[chosen]] += off[chosen][:, None] * self.normal[chosen]


def with_heights_of(before: Grid, grid: Grid, sides: Sides) -> Grid:
    """Give a grid with the first nodes of its walls at the heights that they had before its sides moved."""
    movable = Movable.of(grid, sides)
    ghosted, xyz = movable.ghosted, movable.xyz
    now = first_nodes(Walls(ghosted, xyz.copy(), sides.walls))
    then = first_nodes(Walls(ghosted, ghosted.taken(before.xyz), sides.walls))
    for one, old in zip(now, then, strict=True):
        replace(one, height=old.height).put_back(xyz, ghosted, movable.free)
    ghosted.renew(xyz)
    return replace(grid, xyz=ghosted.given(xyz))


def first_nodes(walls: Walls) -> list[FirstNodes]:
    """Give the first nodes of all walls, as they are now."""
    found = []
    for lines, (normal, cosine) in zip(walls.lines if walls else [], walls.at_walls(), strict=True):
        at = walls.xyz[lines[:, :, 0]]
        first = walls.xyz[lines[:, :, 1]]
        way = first - at
        upright = np.einsum("abi,abi->ab", way, normal) / np.maximum(np.linalg.norm(way, axis=-1), 1e-300)
        square = upright > np.cos(np.radians(_SQUARE))
        bends = [_bent(at, normal, axis) for axis in (0, 1)]
        m = at.shape[0] * at.shape[1]
        one = FirstNodes(
            lines[:, :, 1].ravel(),
            at.reshape(m, 3),
            normal.reshape(m, 3),
            np.stack([ways.reshape(m, 3) for ways, _ in bends], axis=1),
            np.stack([bent.ravel() for _, bent in bends], axis=1),
            np.zeros(m),
            (square | (cosine < _SHARP)).ravel(),
        )
        one.height[:] = one.heights(first.reshape(m, 3))
        found.append(one)
    return found


def _bent(at: Floats, normal: Floats, axis: int) -> tuple[Floats, Floats]:
    """Give the unit ways (na, nb, 3) of a wall's lines along an axis, and how much they bend up (na, nb)."""
    ways, bent = np.zeros_like(at), np.zeros(at.shape[:2])
    if at.shape[axis] < 3:
        return ways, bent
    steps = np.diff(at, axis=axis)
    size = np.maximum(np.linalg.norm(steps, axis=-1, keepdims=True), 1e-300)
    low, high = slice(-1), slice(1, None)

    def take(values: Floats, part: slice) -> Floats:
        return np.moveaxis(np.moveaxis(values, axis, 0)[part], 0, axis)

    turn = np.diff(steps / size, axis=axis) / (0.5 * (take(size, low) + take(size, high)))
    along = take(steps, low) + take(steps, high)
    along /= np.maximum(np.linalg.norm(along, axis=-1, keepdims=True), 1e-300)
    # At the ends as beside them.
    wide = [(1, 1) if a == axis else (0, 0) for a in (0, 1)]
    ways = np.pad(along, [*wide, (0, 0)], mode="edge")
    return ways, np.einsum("abi,abi->ab", np.pad(turn, [*wide, (0, 0)], mode="edge"), normal)

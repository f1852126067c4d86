"""The nodes of a grid that may move in a run, and what binds them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.smooth.constraints import Constraints, Pulled, fixed_nodes, gliding_of
from plodek.core.smooth.ghosted import Ghosted
from plodek.core.smooth.rows import Scheme, through
from plodek.core.smooth.sides import Sides


@dataclass
class Movable:
    """Nodes in slots (n, 3), of which the ``free`` movers (n,) may move: inner ones, and those that glide."""

    ghosted: Ghosted
    scheme: Scheme
    xyz: Floats
    free: Bools
    glides: Pulled
    constraints: Constraints

    @staticmethod
    def of(grid: Grid, sides: Sides) -> Movable:
        """Take all inner nodes that are not fixed, and those of outer sides that glide."""
        ghosted = Ghosted.of(grid, free_twins=sides.free_twins)
        fixed = fixed_nodes(ghosted, sides)
        glides = gliding_of(grid, ghosted, sides, fixed)
        free: Bools = (ghosted.mover == np.arange(ghosted.count)) & ~ghosted.outer & ~fixed[ghosted.node]
        free[glides.slots] = True
        bound = Constraints.of(ghosted, (*sides.gliding, *sides.spread), sides.kept, free)
        return Movable(ghosted, through(ghosted), ghosted.taken(grid.xyz), free, glides, bound)


def nodes_of(grid: Grid, ghosted: Ghosted, xyz: Floats) -> dict[str, Floats]:
    """Give the nodes of each block of a grid from those in slots (n, 3)."""
    found = dict(zip(grid.names, ghosted.given(xyz), strict=True))
    if grid.dim == 2:  # the plane stays one, to the bit
        for name in found:
            found[name][..., 2] = grid.xyz[0][0, 0, 0, 2]
    return found

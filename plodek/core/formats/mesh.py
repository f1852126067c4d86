"""A grid of cells as a file holds it: points, cells by kind, and the faces of patches."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import HEXA, PENTA, PYRA, Cells, Kind
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchType
from plodek.core.shape.move import Move

#: The faces of cells, looking outward, by the places of their corners; a triangle holds its last one twice.
SIDES: Mapping[Kind, tuple[tuple[int, int, int, int], ...]] = {
    HEXA: ((0, 3, 2, 1), (4, 5, 6, 7), (0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7)),
    PENTA: ((0, 2, 1, 1), (3, 4, 5, 5), (0, 1, 4, 3), (1, 2, 5, 4), (2, 0, 3, 5)),
    PYRA: ((0, 3, 2, 1), (0, 1, 4, 4), (1, 2, 4, 4), (2, 3, 4, 4), (3, 0, 4, 4)),
}


@dataclass(frozen=True)
class Twins:
    """Faces (n, 4) periodic with others (n, 4), corner by corner, and the move from one to the other."""

    ours: Ints
    theirs: Ints
    move: Move


@dataclass(frozen=True)
class Mesh:
    """``points`` (n, 3), ``solids`` the corners (m, corners) of cells by kind, ``faces`` (m, 4) by patch.

    A triangle among the faces holds its last corner twice. ``unit`` is "" where the file says none; ``notes``
    as those of a grid.
    """

    points: Floats
    solids: Mapping[Kind, Ints]
    faces: Mapping[str, Ints]
    types: Mapping[str, PatchType] = field(default_factory=dict)
    unit: str = ""
    twins: tuple[Twins, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def cells(self) -> int:
        """Number of cells."""
        return sum(len(corners) for corners in self.solids.values())


def mesh_of(grid: Grid, unit: str = "") -> Mesh:
    """Give a grid of space as a mesh; its cells in the order of `Cells`."""
    cells = Cells.of(grid)
    points = np.concatenate([nodes for _, nodes in cells.points(Cargo(grid))])
    return Mesh(
        points,
        {kind: np.concatenate(list(cells.solids(kind))) for kind in cells.counts},
        {
            patch.name: np.concatenate([four(corners) for corners in cells.faces(patch).values()])
            for patch in grid.patches
            if cells.faces(patch)
        },
        {patch.name: patch.type for patch in grid.patches},
        unit,
        tuple(Twins(*cells.facing(joint), joint.move) for joint in grid.periodic if joint.move is not None),
    )


def four(corners: Ints) -> Ints:
    """Give faces (n, 3) or (n, 4) four corners each: a triangle its last one twice."""
    return corners if corners.shape[1] == 4 else np.column_stack([corners, corners[:, -1]])

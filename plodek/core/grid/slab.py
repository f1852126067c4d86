"""A grid of the plane as one of space, one cell deep."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.orientation import Orientation
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, Window


def slab(grid: Grid) -> tuple[Grid, float]:
    """Give a grid of the plane one cell deep, and how deep it is.

    Its last patches are its front and its back, planes of symmetry. It is as deep as the mean cell is wide,
    to the side from which the plane as a whole is right-handed: a left-handed block among others stays so.
    """
    normal = sum((_area(nodes) for nodes in grid.xyz), np.zeros(3))
    size = float(np.linalg.norm(normal))
    deep = float(np.sqrt(size / grid.cells)) or 1.0
    step = (normal / size if size else np.array([0.0, 0.0, 1.0])) * deep
    whole = range(len(grid.xyz))
    taken = {patch.name for patch in grid.patches}
    ends = tuple(
        PatchFaces(_free(name, taken), "symmetry", tuple(Window(block, 2, end) for block in whole))
        for name, end in (("front", 1), ("back", 0))
    )
    lifted = replace(
        grid,
        dim=3,
        xyz=tuple(np.concatenate([nodes, nodes + step], axis=2) for nodes in grid.xyz),
        interfaces=tuple(map(_joint, grid.interfaces)),
        periodic=tuple(map(_joint, grid.periodic)),
        patches=(
            *(replace(p, windows=tuple(map(_window, p.windows))) for p in grid.patches if p.windows),
            *ends,
        ),
        unnamed=tuple(map(_window, grid.unnamed)),
        poles=tuple(replace(pole, ends=(*pole.ends[:2], None)) for pole in grid.poles),
        seams=tuple(
            replace(seam, ends=(*seam.ends[:2], None), other_ends=(*seam.other_ends[:2], None))
            for seam in grid.seams
        ),
    )
    return lifted, deep


def _area(nodes: Floats) -> Floats:
    """Give the area vector (3,) of all faces of a block (ni, nj, 1, 3)."""
    flat = nodes[:, :, 0]
    across = np.cross(flat[1:, 1:] - flat[:-1, :-1], flat[:-1, 1:] - flat[1:, :-1])
    return np.asarray(0.5 * across.sum(axis=(0, 1)))


def _free(name: str, taken: set[str]) -> str:
    """Give a name that no patch has."""
    while name in taken:
        name += "_"
    return name


def _window(one: Window) -> Window:
    if one.low is None or one.high is None:
        return one
    return replace(one, low=(one.low[0], 0), high=(one.high[0], 1))


def _joint(one: Interface) -> Interface:
    turn = Orientation((*one.orientation.axes[:2], 3))
    return replace(one, first=_window(one.first), second=_window(one.second), orientation=turn)

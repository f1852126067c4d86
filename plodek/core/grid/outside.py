"""The outside of a grid: which faces belong to no patch, interface or pole, and which to several."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plodek.core.arrays import Bools
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import rectangles
from plodek.core.grid.window import Window


def rest_of(grid: Grid) -> tuple[Window, ...]:
    """Find the outer faces of a grid that are in no patch, no interface and no pole, as windows."""
    taken, found = _taken(grid), []
    for block in range(len(grid.xyz)):
        for axis in range(grid.dim):
            for end in (0, 1):
                found += _left(grid, Window(block, axis, end), taken.get((block, axis, end), []))
    return tuple(found)


def is_free(grid: Grid, window: Window) -> bool:
    """Whether no patch, interface or pole of a grid has any of a window's faces."""
    side = Window(window.block, window.axis, window.end)
    taken = _taken(grid).get((window.block, window.axis, window.end), [])
    if not taken:
        return True
    parts = window.slices(grid.shape_of(window.block), cells=True)
    own = tuple(part for axis, part in enumerate(parts) if axis != window.axis)
    return bool(_free(grid, side, taken)[own].all())


def doubled_faces(grid: Grid) -> dict[int, int]:
    """Count in each block that has any the faces that several patches or interfaces hold at once."""
    found: dict[int, int] = {}
    for side, taken in _taken(replace(grid, periodic=())).items():  # periodic faces are in a patch as well
        if len(taken) > 1:
            free = _free(grid, Window(*side), taken)
            count = sum(grid.faces(window) for window in taken) - int((~free).sum())
            if count:
                found[side[0]] = found.get(side[0], 0) + count
    return found


def _taken(grid: Grid) -> dict[tuple[int, int, int], list[Window]]:
    """Give the windows of patches, interfaces and poles on each side; twins are in their patches, if any."""
    found: dict[tuple[int, int, int], list[Window]] = {}
    named = {window for patch in grid.patches for window in patch.windows}
    joints = [w for joint in grid.interfaces for w in (joint.first, joint.second)]
    twins = [w for joint in grid.periodic for w in (joint.first, joint.second) if w not in named]
    for window in (*joints, *twins, *(w for patch in grid.patches for w in patch.windows)):
        found.setdefault((window.block, window.axis, window.end), []).append(window)
    for pole in grid.poles:
        if pole.side is not None:
            side = Window(pole.block, *pole.side)
            windows = found.setdefault((pole.block, *pole.side), [])
            if side not in windows:
                windows.append(side)
    return found


def _left(grid: Grid, side: Window, taken: list[Window]) -> list[Window]:
    if side in taken:
        return []
    if not taken:
        return [side]
    return windows_on(side, _free(grid, side, taken), grid.xyz[side.block].shape[:3])


def windows_on(side: Window, faces: Bools, shape: tuple[int, ...]) -> list[Window]:
    """Give the windows of some ``faces`` (na, nb) of a side of a block of ``shape`` nodes."""
    last = tuple(n - 1 for axis, n in enumerate(shape) if axis != side.axis)
    return [
        side.narrowed(low, (min(high[0], last[0]), min(high[1], last[1])), shape)  # a plane has no depth
        for low, high in rectangles(faces)
    ]


def _free(grid: Grid, side: Window, taken: list[Window]) -> Bools:
    """Say of the faces of a side (na, nb) whether none of the windows on it holds them."""
    shape = grid.shape_of(side.block)
    free = np.ones(shape, dtype=bool)[side.slices(shape, cells=True)]
    for window in taken:
        parts = window.slices(shape, cells=True)
        free[tuple(slice(None) if axis == side.axis else part for axis, part in enumerate(parts))] = False
    return np.squeeze(free, axis=side.axis)

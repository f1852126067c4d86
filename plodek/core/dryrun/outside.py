"""A flow as it is seen on the outside of a grid: the values of its faces, and lines of equal potential."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Ints, dot
from plodek.core.dryrun.flow import Flow
from plodek.core.dryrun.volumes import Volumes
from plodek.core.formats.mesh import Mesh

#: So many lines of equal potential are drawn.
LINES = 40


@dataclass(frozen=True)
class Outside:
    """Outer ``faces`` (m, 4) of ``points`` (n, 3) with their ``patch``, ``potential`` and ``speed`` (m,).

    ``patch`` counts in ``names``; ``lines`` (k, 2, 3) are pieces of lines of equal potential.
    """

    names: tuple[str, ...]
    points: Floats
    faces: Ints
    patch: Ints
    potential: Floats
    speed: Floats
    lines: Floats


def seen_from_outside(mesh: Mesh, volumes: Volumes, flow: Flow, only: str | None = None) -> Outside:
    """Give a flow on the outside of the mesh that it was solved on; on ``only`` one patch of it, by name."""
    outer = volumes.outer
    names = tuple(name for name, _ in volumes.patches)
    shown = slice(None) if only is None else outer.patch == names.index(only)
    cell, corners = outer.cell[shown], outer.corners[shown]
    used, faces = np.unique(corners, return_inverse=True)
    faces = faces.reshape(corners.shape)
    points = mesh.points[used]
    # On a face: from the middle of its cell on along the gradient.
    way = outer.middle[shown] - volumes.centre[cell]
    potential = flow.solved.values[cell] + dot(flow.solved.gradient[cell], way)
    at_points = _at_points(len(points), faces, potential)
    lines = level_lines(points, faces, at_points, LINES)
    return Outside(names, points, faces, outer.patch[shown], potential, flow.speed[cell], lines)


def _at_points(count: int, faces: Ints, values: Floats) -> Floats:
    """Give the mean of the values of the faces round each point."""
    times = np.bincount(faces.ravel(), minlength=count)
    return np.asarray(np.bincount(faces.ravel(), np.repeat(values, 4), count) / np.maximum(times, 1))


def level_lines(points: Floats, faces: Ints, values: Floats, count: int) -> Floats:
    """Give pieces (k, 2, 3) of the lines on faces (m, 4) where values at points are equal: at so many levels.

    Each face is cut into four triangles about its middle, in which values are linear.
    """
    middles, means = points[faces].mean(axis=1), values[faces].mean(axis=1)
    low, high = float(values.min()), float(values.max())
    levels = low + (high - low) * (np.arange(count) + 0.5) / count
    places = np.concatenate([points, middles])
    every = np.concatenate([values, means])
    centre = len(points) + np.arange(len(faces))
    triangles = np.concatenate(
        [np.column_stack([faces[:, n], faces[:, (n + 1) % 4], centre]) for n in range(4)]
    )
    pieces = []
    for level in levels:
        above = every[triangles] > level
        cut = triangles[above.any(axis=1) & ~above.all(axis=1)]
        if not len(cut):
            continue
        above = every[cut] > level
        # The corner that is alone on its side of the level; both ways from it are cut.
        alone = np.argmax(above == (above.sum(axis=1) == 1)[:, None], axis=1)
        rows = np.arange(len(cut))
        tip = cut[rows, alone]
        ends = []
        for step in (1, 2):
            other = cut[rows, (alone + step) % 3]
            share = (level - every[tip]) / (every[other] - every[tip])
            ends.append(places[tip] + share[:, None] * (places[other] - places[tip]))
        pieces.append(np.stack(ends, axis=1))
    return np.concatenate(pieces) if pieces else np.empty((0, 2, 3))

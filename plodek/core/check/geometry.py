"""What metrics are made of: cells behind windows, normals of faces, ratios and slants."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Ints, dot
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, Window
from plodek.core.tolerances import ROUNDING


def in_rows(nodes: Floats, dim: int) -> Floats:
    """Give the nodes of a block (na, nb, nc, 3) so that its cells lie in rows along the last axis.

    Those of a plane grid are (2, ni, nj, 3): the first axis is the depth, and nothing is turned over.
    """
    rows: Floats = np.ascontiguousarray(nodes if dim == 3 else np.moveaxis(solid(nodes, dim), 2, 0))
    return rows


def solid(nodes: Floats, dim: int) -> Floats:
    """Give nodes (ni, nj, 1, 3) of a plane grid a second layer at unit depth; those of space stay."""
    if dim == 3:
        return np.ascontiguousarray(nodes)
    both = np.repeat(nodes, 2, axis=2)
    both[:, :, 1, 2] += 1.0
    return both


def ratios(one: Floats, other: Floats) -> Floats:
    """Give the larger over the smaller of volumes (n,), whatever their signs; infinite where one is 0."""
    a, b = np.abs(one), np.abs(other)
    small = np.minimum(a, b)
    large = np.maximum(a, b)
    return np.asarray(np.divide(large, small, out=np.full(small.shape, np.inf), where=small > 0))


def slants(normal: Floats, apart: Floats) -> Floats:
    """Give the angles (n,) in degrees between normals of faces and lines across (n, 3), either way round."""
    size = np.linalg.norm(normal, axis=1) * np.linalg.norm(apart, axis=1)
    cosine = over(np.abs(dot(normal, apart)), size)
    return np.asarray(np.degrees(np.arccos(np.where(cosine > 1.0 - ROUNDING, 1.0, cosine))))


def over(one: Floats, other: Floats) -> Floats:
    """Divide numbers (n,); 0 where there is nothing to divide by."""
    return np.divide(one, other, out=np.zeros(one.shape), where=other != 0)


def face_normals(grid: Grid, window: Window) -> Floats:
    """Give the area vectors (faces, 3), doubled, of the faces of a window, towards the higher index."""
    nodes = grid.xyz[window.block]
    nodes = solid(nodes[window.slices(nodes.shape[:3])], grid.dim)
    nodes = np.squeeze(nodes, axis=window.axis)
    one, other = nodes[1:, 1:] - nodes[:-1, :-1], nodes[:-1, 1:] - nodes[1:, :-1]
    normal = np.cross(one, other) * (-1.0 if window.axis == 1 else 1.0)
    return np.asarray(normal.reshape(-1, 3))


def cells_at(grid: Grid, window: Window) -> Ints:
    """Give the indices of the cells behind a window, with the window's own axis."""
    shape = grid.shape_of(window.block)
    spans = [np.arange(n)[part] for n, part in zip(shape, window.slices(shape, cells=True), strict=True)]
    return grid.starts[window.block] + np.ravel_multi_index(np.ix_(*spans), shape)


@dataclass(frozen=True)
class Joined:
    """The faces (n,) at interfaces: the cells on both sides, and the face's ``normal`` and ``middle`` (n, 3).

    The normal, doubled, looks from ``ours`` to ``theirs``.
    """

    ours: Ints
    theirs: Ints
    normal: Floats
    middle: Floats

    @staticmethod
    def of(grid: Grid, joints: Sequence[Interface]) -> Joined:
        """Gather the faces of all interfaces among some."""
        none = np.empty(0, dtype=np.int64), np.empty((0, 3))
        return Joined(
            np.concatenate([none[0], *(cells_at(grid, joint.first).ravel() for joint in joints)]),
            np.concatenate([none[0], *(cells_beyond(grid, joint).ravel() for joint in joints)]),
            np.concatenate(
                [none[1], *(face_normals(grid, j.first) * (1.0 if j.first.end else -1.0) for j in joints)]
            ),
            np.concatenate([none[1], *(face_centres(grid, joint.first) for joint in joints)]),
        )


def cells_beyond(grid: Grid, joint: Interface) -> Ints:
    """Give the cells behind the second window of an interface, as the first one's cells lie."""
    return joint.orientation.apply(cells_at(grid, joint.second))


def face_centres(grid: Grid, window: Window) -> Floats:
    """Give the middles (faces, 3) of the faces of a window, those of a plane at half its unit depth."""
    nodes = grid.xyz[window.block]
    nodes = np.squeeze(solid(nodes[window.slices(nodes.shape[:3])], grid.dim), axis=window.axis)
    return np.asarray(0.25 * (nodes[1:, 1:] + nodes[:-1, :-1] + nodes[:-1, 1:] + nodes[1:, :-1])).reshape(
        -1, 3
    )

"""The faces of a mesh: between which cells, in which patches, and what is wrong with them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints, dot
from plodek.core.errors import BadFile
from plodek.core.formats.mesh import SIDES, Mesh

#: A face that belongs to nothing.
NONE = -1


@dataclass(frozen=True)
class Faces:
    """The faces (n, 4) of a mesh, each once, looking out of its ``owner``.

    ``beyond`` is the cell on the other side and ``patch`` the number of the patch, -1 for none.
    ``doubled`` counts outer faces in several patches, ``within`` faces of patches between two cells,
    ``loose`` those at no cell, ``crowded`` faces of more than two cells.
    """

    corners: Ints
    owner: Ints
    beyond: Ints
    patch: Ints
    doubled: int
    within: int
    loose: int
    crowded: int

    @property
    def outer(self) -> Bools:
        """Which faces have a cell on one side only."""
        return np.asarray(self.beyond == NONE)


def faces_of(mesh: Mesh) -> Faces:
    """Find the faces of a mesh; cells count in the order of its kinds."""
    corners, owner, start = [], [], 0
    for kind, solids in mesh.solids.items():
        for side in SIDES[kind]:
            corners.append(solids[:, side])
            owner.append(np.arange(start, start + len(solids)))
        start += len(solids)
    of_cells = sum(map(len, owner))
    for number, faces in enumerate(mesh.faces.values()):
        corners.append(faces)
        owner.append(np.full(len(faces), -1 - number))
    every, holder = np.concatenate(corners), np.concatenate(owner)
    low, high, flat = keys(every)
    order = np.lexsort((np.arange(len(every)), high, low))
    order = order[~flat[order]]  # faces at poles that have shrunk to a line
    fresh = np.append(True, (np.diff(low[order]) != 0) | (np.diff(high[order]) != 0))
    begins = np.flatnonzero(fresh)
    counts = np.diff(np.append(begins, len(order)))
    is_cell = order < of_cells  # those of cells come first among equal ones
    cells = np.add.reduceat(is_cell.astype(int), begins) if len(begins) else np.empty(0, int)
    patches = counts - cells
    chosen = cells > 0
    first = order[begins[chosen]]
    second = order[np.minimum(begins[chosen] + 1, len(order) - 1)]
    third = order[np.minimum(begins[chosen] + cells[chosen], len(order) - 1)]
    inner = cells[chosen] > 1
    return Faces(
        every[first],
        holder[first],
        np.where(inner, holder[second], NONE),
        np.where(~inner & (patches[chosen] > 0), -1 - holder[third], NONE),
        int(((patches > 1) & (cells == 1)).sum()),
        int(patches[cells > 1].sum()),
        int(patches[cells == 0].sum()),
        int((cells > 2).sum()),
    )


def keys(corners: Ints) -> tuple[Ints, Ints, Bools]:
    """Give two numbers that tell which corners a face (n, 4) has, and whether these are a line or less."""
    by_number = np.sort(corners, axis=1)
    again = np.diff(by_number, axis=1) == 0
    by_number[:, 1:][again] = NONE
    by_number.sort(axis=1)
    low = by_number[:, 0] * 2**32 + by_number[:, 1]
    return low, by_number[:, 2] * 2**32 + by_number[:, 3], again.sum(axis=1) > 1


def found_among(corners: Ints, wanted: Ints) -> Ints:
    """Give the indices of periodic faces (n, 4) among others (m, 4). Raises BadFile where one is missing."""
    low, high, _ = keys(np.concatenate([corners, wanted]))
    order = np.lexsort((np.arange(len(low)), high, low))
    place = np.empty(len(order), dtype=np.int64)
    place[order] = np.arange(len(order))
    at = order[np.maximum(place[len(corners) :] - 1, 0)]  # a wanted face comes right after the one it is
    here = np.arange(len(corners), len(low))
    if np.any(at >= len(corners)) or np.any(low[at] != low[here]) or np.any(high[at] != high[here]):
        raise BadFile("a periodic face is no face of a cell", remedy="write the file again")
    return np.asarray(at)


def areas(points: Floats, corners: Ints) -> Floats:
    """Give the area vectors (n, 3) of faces, those of the bilinear surfaces between their corners."""
    a, b, c, d = (points[corners[:, n]] for n in range(4))
    return np.asarray(0.5 * np.cross(c - a, d - b))


def middles(points: Floats, corners: Ints) -> Floats:
    """Give the centres of area (n, 3) of faces, each cut into triangles about the mean of its corners."""
    ring = [points[corners[:, n]] for n in range(4)]
    mean = 0.25 * (ring[0] + ring[1] + ring[2] + ring[3])
    total, weight = np.zeros(mean.shape), np.zeros((len(mean), 1))
    for n in range(4):
        one, other = ring[n], ring[(n + 1) % 4]
        size = np.linalg.norm(np.cross(one - mean, other - mean), axis=1)[:, None]
        total += size * (mean + one + other) / 3
        weight += size
    return np.where(weight > 0, total / np.where(weight > 0, weight, 1.0), mean)


def bodies(cells: int, faces: Faces, area: Floats, middle: Floats) -> tuple[Floats, Floats]:
    """Give volumes (cells,) and centres (cells, 3), of the pyramids from a middle to the faces of a cell.

    ``area`` and ``middle`` (n, 3) are those of the faces.
    """
    inner = ~faces.outer
    sides = [(faces.owner, area, middle), (faces.beyond[inner], -area[inner], middle[inner])]
    count = sum(np.bincount(cell, minlength=cells) for cell, _, _ in sides)
    mean = np.empty((cells, 3))
    for axis in range(3):
        mean[:, axis] = sum(np.bincount(cell, m[:, axis], cells) for cell, _, m in sides)
    mean /= np.maximum(count, 1)[:, None]
    volume, moment = np.zeros(cells), np.zeros((cells, 3))
    for cell, outward, m in sides:
        pyramid = dot(outward, m - mean[cell]) / 3
        volume += np.bincount(cell, pyramid, cells)
        for axis in range(3):
            top = 0.75 * m[:, axis] + 0.25 * mean[cell, axis]
            moment[:, axis] += np.bincount(cell, pyramid * top, cells)
    flat = volume == 0
    centre = np.where(flat[:, None], mean, moment / np.where(flat, 1.0, volume)[:, None])
    return volume, centre

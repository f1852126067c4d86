"""Sheets of faces through hexahedra: where blocks of them must end, since they are not regular there."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Bools, Ints
from plodek.core.blocks import tables
from plodek.core.formats.faces import keys

#: The corners of the faces of a cell, and of its edges; a face is number 2 axis + end.
FACES = np.array([corners for _, _, corners in tables.sides(3)])
_EDGES = np.array([(low, high) for _, low, high in tables.edges(3)])
#: For each edge the two faces that it is on.
_BESIDE = np.array(
    [[2 * b + (low >> b & 1) for b in range(3) if b != axis] for axis, low, _ in tables.edges(3)]
)
#: Cells around an edge: within, and on the boundary at most, where cells lie as in a block.
_WITHIN, _OUTSIDE = 4, 2


@dataclass(frozen=True)
class Neighbours:
    """Of cells (m, 8), corners i + 2j + 4k: the cell beyond each face (m, 6), -1 outside, and its face there.

    ``outer`` (n, 2) are the cells and faces of the boundary.
    """

    corners: Ints
    cell: Ints
    face: Ints

    @staticmethod
    def of(corners: Ints) -> Neighbours:
        """Find the neighbours of cells; faces of more than two cells count as outside."""
        low, high, _ = keys(corners[:, FACES].reshape(-1, 4))
        order = np.lexsort((high, low))
        same = (np.diff(low[order]) == 0) & (np.diff(high[order]) == 0)
        pairs = np.flatnonzero(same & ~np.append(False, same[:-1]) & ~np.append(same[1:], False))
        one, other = order[pairs], order[pairs + 1]
        beyond = np.full(len(corners) * 6, -1)
        beyond[one], beyond[other] = other, one
        cell, face = np.where(beyond < 0, -1, beyond // 6), beyond % 6
        return Neighbours(corners, cell.reshape(-1, 6), face.reshape(-1, 6))

    @cached_property
    def edges(self) -> Ints:
        """The numbers (m, 12) of the edges."""
        ends = np.sort(self.corners[:, _EDGES], axis=2)
        key = ends[..., 0] * (int(self.corners.max()) + 1) + ends[..., 1]
        return np.asarray(np.unique(key, return_inverse=True)[1].reshape(-1, 12))

    def begin(self, groups: Ints) -> Bools:
        """Mark (m, 6) the faces within at edges where cells do not lie as in a block, or parts meet.

        ``groups`` (m, 6) are numbers of what faces on the boundary belong to.
        """
        edges = self.edges
        count = int(edges.max()) + 1
        around = np.bincount(edges.ravel(), minlength=count)
        outside = np.zeros(count, dtype=bool)
        low, high = np.full(count, np.iinfo(np.int64).max), np.full(count, -1)
        for edge, beside in enumerate(_BESIDE):
            for face in beside:
                free = self.cell[:, face] < 0
                at = edges[free, edge]
                outside[at] = True
                np.minimum.at(low, at, groups[free, face])
                np.maximum.at(high, at, groups[free, face])
        odd = np.where(outside, (around > _OUTSIDE) | (low < high), around != _WITHIN)
        marked = np.zeros(self.cell.shape, dtype=bool)
        for edge, beside in enumerate(_BESIDE):
            for face in beside:
                marked[:, face] |= odd[edges[:, edge]] & (self.cell[:, face] >= 0)
        return marked

    def spread(self, marked: Bools) -> Bools:
        """Let marked faces go on across edges, to the faces opposite, until the boundary."""
        cells, faces = np.nonzero(marked)
        _spread(self.corners, self.cell, self.face, marked, np.stack([cells, faces], axis=1))
        return marked


@dataclass(frozen=True)
class Boxes:
    """Which box (m,) each cell is in, and which of its corners (m, 3) it has at its own low one.

    ``offset`` (m, 8) tells for each corner of a cell where it is in the box's own axes: bits i + 2j + 4k.
    """

    box: Ints
    place: Ints
    offset: Ints


def boxes(neighbours: Neighbours, marked: Bools) -> Boxes:
    """Walk through cells over faces that are not marked, and number them as in a block."""
    count = len(neighbours.cell)
    found = Boxes(
        np.full(count, -1), np.zeros((count, 3), dtype=np.int64), np.zeros((count, 8), dtype=np.int64)
    )
    _walk(neighbours.corners, neighbours.cell, neighbours.face, marked, found.box, found.place, found.offset)
    return found


def disagreeing(neighbours: Neighbours, marked: Bools, found: Boxes) -> tuple[int, int] | None:
    """Give a face where two cells of one box do not lie beside each other in it, as where it closes round."""
    cell, face = _disagree(
        neighbours.corners, neighbours.cell, neighbours.face, marked, found.place, found.offset
    )
    return None if cell < 0 else (cell, face)


@numba.njit(cache=True, nogil=True)
def _edge_with(corners: Ints, cell: int, a: int, b: int) -> int:
    for edge in range(12):
        p, q = corners[cell, _EDGES[edge, 0]], corners[cell, _EDGES[edge, 1]]
        if (p == a and q == b) or (p == b and q == a):
            return edge
    return -1


@numba.njit(cache=True, nogil=True)
def _spread(corners: Ints, beyond: Ints, there: Ints, marked: Bools, first: Ints) -> None:
    stack = [(first[n, 0], first[n, 1]) for n in range(len(first))]
    while stack:
        cell, face = stack.pop()
        for edge in range(12):
            if _BESIDE[edge, 0] == face:
                other = _BESIDE[edge, 1]
            elif _BESIDE[edge, 1] == face:
                other = _BESIDE[edge, 0]
            else:
                continue
            after = beyond[cell, other]
            if after < 0:
                continue
            own = _edge_with(corners, after, corners[cell, _EDGES[edge, 0]], corners[cell, _EDGES[edge, 1]])
            back = there[cell, other]
            on = _BESIDE[own, 1] if _BESIDE[own, 0] == back else _BESIDE[own, 0]
            if beyond[after, on] >= 0 and not marked[after, on]:
                marked[after, on] = True
                stack.append((after, on))
                marked[beyond[after, on], there[after, on]] = True
                stack.append((beyond[after, on], there[after, on]))


@numba.njit(cache=True, nogil=True)
def _walk(
    corners: Ints, beyond: Ints, there: Ints, marked: Bools, box: Ints, place: Ints, offset: Ints
) -> None:
    number = 0
    for seed in range(len(box)):
        if box[seed] >= 0:
            continue
        box[seed] = number
        offset[seed] = np.arange(8)
        stack = [seed]
        while stack:
            cell = stack.pop()
            for face in range(6):
                after = beyond[cell, face]
                if after < 0 or marked[cell, face] or box[after] >= 0:
                    continue
                box[after] = number
                _lay_beside(corners, cell, face, after, there[cell, face], place, offset)
                stack.append(after)
        number += 1


@numba.njit(cache=True, nogil=True)
def _lay_beside(
    corners: Ints, cell: int, face: int, after: int, back: int, place: Ints, offset: Ints
) -> None:
    """Say where the cell beyond a face lies, and where its corners are."""
    every, none = 7, 0
    for n in range(4):
        every &= offset[cell, FACES[face, n]]
        none |= offset[cell, FACES[face, n]]
    step, bit = (1, every) if every else (-1, 7 & ~none)
    axis = 0 if bit == 1 else 1 if bit == 2 else 2
    for d in range(3):
        place[after, d] = place[cell, d]
    place[after, axis] += step
    across = 1 << (back // 2)
    for n in range(4):
        node = corners[cell, FACES[face, n]]
        for m in range(4):
            own = FACES[back, m]
            if corners[after, own] == node:
                offset[after, own] = offset[cell, FACES[face, n]] ^ bit
                offset[after, own ^ across] = offset[cell, FACES[face, n]]


@numba.njit(cache=True, nogil=True)
def _disagree(
    corners: Ints, beyond: Ints, there: Ints, marked: Bools, place: Ints, offset: Ints
) -> tuple[int, int]:
    for cell in range(len(beyond)):
        for face in range(6):
            after = beyond[cell, face]
            if after < 0 or marked[cell, face]:
                continue
            for n in range(4):
                here = FACES[face, n]
                for m in range(4):
                    own = FACES[there[cell, face], m]
                    if corners[after, own] != corners[cell, here]:
                        continue
                    for d in range(3):
                        mine = place[cell, d] + (offset[cell, here] >> d & 1)
                        if mine != place[after, d] + (offset[after, own] >> d & 1):
                            return cell, face
    return -1, -1

"""A grid as unstructured cells: numbered nodes, cells with the corners they truly have, faces outward."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, Ints
from plodek.core.formats.cargo import PIECE, Cargo
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import Interface, PatchFaces, Window


@dataclass(frozen=True)
class Kind:
    """A kind of cell or face: its name, how many corners it has, and its numbers in CGNS and in VTK.

    Corners go as in CGNS (SIDS 3.3): those of the first face so that its normal looks into the cell. VTK and
    XDMF read them so as well.
    """

    name: str
    corners: int
    cgns: int
    vtk: int


HEXA = Kind("HEXA_8", 8, 17, 12)
PENTA = Kind("PENTA_6", 6, 14, 13)
PYRA = Kind("PYRA_5", 5, 12, 14)
QUAD = Kind("QUAD_4", 4, 7, 9)
TRI = Kind("TRI_3", 3, 5, 5)
SOLIDS = (HEXA, PENTA, PYRA)
#: The corners i + 2j + 4k of a cell in the order of a hexahedron.
_AROUND = (0, 1, 3, 2, 4, 5, 7, 6)


@dataclass(frozen=True)
class Cells:
    """A right-handed grid of space as cells, with one number from 0 for each node.

    Cells go kind by kind, each in the order of blocks and of the cells in them. A cell with an edge
    shrunk so that it is neither a wedge nor a pyramid stays a hexahedron that holds a node twice.
    """

    grid: Grid
    numbering: Numbering

    @staticmethod
    def of(grid: Grid) -> Cells:
        """Give the cells of a grid."""
        return Cells(grid, Numbering.of(grid))

    def points(self, cargo: Cargo) -> Iterator[tuple[int, Floats]]:
        """Give the nodes in the order of their numbers: from which number on, and (n, 3)."""
        start = 0
        for block, ids in enumerate(self.numbering.ids):
            for low, nodes in cargo.rows(block):
                numbers = ids[low : low + len(nodes)].ravel()
                own = numbers >= start  # numbers rise with blocks and nodes: the others were there before
                if own.any():
                    found = np.empty((int(numbers.max()) + 1 - start, 3))
                    found[numbers[own] - start] = nodes.reshape(-1, 3)[own]
                    yield start, found
                    start += len(found)

    def solids(self, kind: Kind) -> Iterator[Ints]:
        """Give the corners (n, corners) of all cells of a kind, piece by piece."""
        return (corners for _, corners in self._pieces(kind))

    def by_block(self, kind: Kind) -> Iterator[tuple[int, int]]:
        """Give, piece by piece in the order of cells, the block and how many cells of a kind it has there."""
        if self._shrunk:
            yield from ((block, len(corners)) for block, corners in self._pieces(kind))
        elif kind is HEXA:
            yield from ((block, self.grid.block_cells(block)) for block in range(len(self.grid.xyz)))

    def _pieces(self, kind: Kind) -> Iterator[tuple[int, Ints]]:
        for block, ids in enumerate(self.numbering.ids):
            if kind is not HEXA and block not in self._shrunk:
                continue
            step = max(PIECE // (4 * max(ids[0].size, 1)), 1)
            for low in range(0, len(ids) - 1, step):
                corners = _corners(ids[low : low + step + 1])
                if block in self._shrunk:
                    corners = _of_kind(corners, kind)
                yield block, corners

    @cached_property
    def counts(self) -> dict[Kind, int]:
        """How many cells there are of each kind that there is."""
        odd = {kind: sum(len(part) for part in self.solids(kind)) for kind in (PENTA, PYRA) if self._shrunk}
        return {
            kind: n
            for kind, n in ({HEXA: self.grid.cells - sum(odd.values())} | odd).items()
            if n or kind is HEXA
        }

    def faces(self, patch: PatchFaces) -> dict[Kind, Ints]:
        """Give the corners (n, corners) of a patch's faces by kind, so that their normals look outward."""
        quads = np.concatenate([self.window(window) for window in patch.windows])
        doubled = quads == np.roll(quads, -1, axis=1)
        times = doubled.sum(axis=1)
        found = {QUAD: quads[times == 0]}
        once = quads[times == 1]
        if len(once):
            at = (np.argmax(doubled[times == 1], axis=1)[:, None] + np.arange(1, 4)) % 4
            found[TRI] = np.take_along_axis(once, at, axis=1)
        return {kind: corners for kind, corners in found.items() if len(corners)}

    def window(self, window: Window) -> Ints:
        """Give the corners (n, 4) of a window's faces, so that their normals look outward."""
        ids = self.numbering.ids[window.block]
        ids = np.squeeze(ids[window.slices(ids.shape)], axis=window.axis)
        quads = faces_between(ids)
        return quads[:, [0, 3, 2, 1]] if (window.end == 0) != (window.axis == 1) else quads

    def facing(self, joint: Interface) -> tuple[Ints, Ints]:
        """Give the corners (n, 4) of the faces on both sides of an interface, corner by corner alike."""
        return faces_between(self.vertices(joint.first)), faces_between(
            facing(joint, self.vertices(joint.second))
        )

    def vertices(self, window: Window) -> Ints:
        """Give the numbers (na, nb) of a window's nodes."""
        ids = self.numbering.ids[window.block]
        return np.squeeze(ids[window.slices(ids.shape)], axis=window.axis)

    @cached_property
    def _shrunk(self) -> frozenset[int]:
        return frozenset(pole.block for pole in self.grid.poles)


def facing(joint: Interface, theirs: Ints) -> Ints:
    """Turn the nodes (na, nb) of the second window of an interface so that they lie as those of the first."""
    whole = np.expand_dims(theirs, joint.second.axis)
    return np.squeeze(joint.orientation.apply(whole), axis=joint.first.axis)


def faces_between(ids: Ints) -> Ints:
    """Give the corners (n, 4) of the faces between nodes (na, nb)."""
    around = ids[:-1, :-1], ids[1:, :-1], ids[1:, 1:], ids[:-1, 1:]
    return np.stack(around, axis=-1).reshape(-1, 4)


def _corners(ids: Ints) -> Ints:
    """Give the corners (n, 8) of the cells between the nodes (ni, nj, nk)."""
    shape = tuple(n - 1 for n in ids.shape)
    found = np.empty((*shape, 8), dtype=np.int64)
    for n, corner in enumerate(_AROUND):
        found[..., n] = ids[
            tuple(slice(corner >> a & 1, (corner >> a & 1) + size) for a, size in enumerate(shape))
        ]
    return found.reshape(-1, 8)


def _of_kind(hexahedra: Ints, kind: Kind) -> Ints:
    """Give those of cells (n, 8) that are truly of a kind, with its corners."""
    in_order = np.sort(hexahedra, axis=1)
    distinct = 1 + np.count_nonzero(np.diff(in_order, axis=1), axis=1)
    bits = hexahedra[:, np.argsort(_AROUND)]
    left, found = np.ones(len(bits), dtype=bool), []
    for one, corners, doubles in _SHRUNK:
        fits = left & (distinct == one.corners)
        for a, b in doubles:
            fits &= bits[:, a] == bits[:, b]
        left &= ~fits
        if one is kind:
            found.append(bits[fits][:, corners])
    return hexahedra[left] if kind is HEXA else np.concatenate(found)


def _shrunk_ways() -> Iterator[tuple[Kind, Sequence[int], Sequence[tuple[int, int]]]]:
    """Give every way in which a side of a cell can shrink: its kind then, its corners, and which are one."""
    for a, end, along in product(range(3), (0, 1), (1, 2)):
        b, c = (a + along) % 3, (a - along) % 3
        low, far = end << a, (1 - end) << a
        side = [(low | up << c, low | up << c | 1 << b) for up in (0, 1)]
        if along == 1:
            base = [far, far | 1 << b, far | 1 << b | 1 << c, far | 1 << c]
            around = base if end else base[::-1]
            yield PYRA, [*around, low], [*side, (low, low | 1 << c)]
        triangle = [low, far, far | 1 << b]
        if (end == 0) != (along == 1):
            triangle = [low, far | 1 << b, far]
        yield PENTA, [*triangle, *(corner | 1 << c for corner in triangle)], side


_SHRUNK = tuple(_shrunk_ways())

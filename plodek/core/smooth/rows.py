"""The rows that kernels sweep along: of nodes by colour, and of cells, through blocks or over sheets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, TypeAlias

import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Bools, Floats
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.smooth import sheet_kernels, space_kernels
from plodek.core.smooth.ghosted import Ghosted, Slots
from plodek.core.smooth.kernels import Singles
from plodek.core.smooth.sides import Gliding, Plane

Rows: TypeAlias = npt.NDArray[np.int64]


class Piece(NamedTuple):
    """The slots of a block (ni, nj, nk), or of a sheet (na, nb), and the steps of slots along its axes."""

    slots: Slots
    strides: tuple[int, ...]


class Kernels(NamedTuple):
    """The compiled work of one kind of rows."""

    sweep: Callable[..., tuple[float, float]]
    keep_spacing: Callable[..., None]
    even_out: Callable[..., None]
    squareness: Callable[..., None]
    mark_corners: Callable[..., None]
    cells_at: Callable[..., None]


def _kernels(module: Any) -> Kernels:
    return Kernels(*(getattr(module, name) for name in Kernels._fields))


@dataclass(frozen=True)
class Scheme:
    """What is swept: ``pieces`` of as many axes as logical directions, with the kernels for these."""

    pieces: Sequence[Piece]
    kernels: Kernels
    #: The normals that quadrangles of a sheet had (n, 3), or one for all of them, by rows and across.
    normals: Floats | None = None
    #: Whether no slot is in two pieces.
    apart: bool = True

    @property
    def axes(self) -> int:
        """Number of logical directions."""
        return len(self.pieces[0].strides)

    def squareness(self, xyz: Floats, cells: Rows, found: Singles) -> None:
        """Give each cell's least scaled Jacobian, at its first slot, in place; folded where not above 0."""
        more = () if self.normals is None else (self.normals,)
        self.kernels.squareness(xyz, cells, *more, found)

    def rows(self, chosen: Bools) -> tuple[Rows, Rows]:
        """Give the rows (r, 4) along the last axis with chosen nodes, by colour, and each colour's bounds.

        Of a row that are its first slot, how many nodes, and the strides across it; on a sheet the step from
        one node to the next and the one across.
        """
        rows, colours = [], []
        for slots, strides in self.pieces:
            inside = chosen[slots]
            at = np.nonzero(inside.any(axis=-1))
            low = inside[at].argmax(axis=1)
            count = slots.shape[-1] - inside[at][:, ::-1].argmax(axis=1) - low
            rows.append(self._together(slots[(*at, low)], count, strides))
            colours.append(sum((n & 1) << shift for shift, n in enumerate(at)))
        colour = np.concatenate(colours)
        order = np.argsort(colour, kind="stable")
        bounds = np.concatenate([[0], np.cumsum(np.bincount(colour, minlength=2 ** (self.axes - 1)))])
        return np.concatenate(rows)[order], bounds.astype(np.int64)

    def cells(self) -> Rows:
        """Give the rows (r, 4) of all cells, by their first nodes."""
        found = []
        for slots, strides in self.pieces:
            first = (slots[:-1, :-1, 0] if self.axes == 3 else slots[:-1, 0]).ravel()
            found.append(self._together(first, np.full(len(first), slots.shape[-1] - 1), strides))
        return np.concatenate(found)

    def cells_at(self, chosen: Bools) -> tuple[Slots, Rows]:
        """Give the cells (m, 4) with any chosen node, by colours that share none, and the colours' bounds.

        Of a cell that are its first slot and the steps along the axes; on a sheet the last one is 0.
        """
        cells, colours = [], []
        for n, (slots, strides) in enumerate(self.pieces):
            first = slots[(slice(-1),) * self.axes]
            touched = np.zeros(first.shape, dtype=bool)
            for shift in np.ndindex(*(2,) * self.axes):
                corner = tuple(slice(1, None) if n else slice(-1) for n in shift)
                touched |= chosen[slots[corner]]
            at = np.nonzero(touched)
            ways = strides if self.axes == 3 else (*strides[::-1], 0)
            own = np.empty((len(at[0]), 4), dtype=np.int32)
            own[:, 0], own[:, 1:] = first[at], ways
            cells.append(own)
            own_colours = 0 if self.apart else n << self.axes
            colours.append(own_colours + sum((k & 1) << axis for axis, k in enumerate(at)))
        colour = np.concatenate(colours)
        order = np.argsort(colour, kind="stable")
        bounds = np.concatenate([[0], np.cumsum(np.bincount(colour, minlength=2**self.axes))])
        return np.concatenate(cells)[order], bounds.astype(np.int64)

    def normals_at(self, cells: Slots) -> Floats:
        """Give the unit normals (m, 3) of cells (m, 4) of sheets; none (0, 3) of those in space."""
        if self.normals is None:
            return np.zeros((0, 3))
        found = np.broadcast_to(self.normals[cells[:, 0] if len(self.normals) > 1 else 0], (len(cells), 3))
        return np.asarray(found / np.maximum(np.linalg.norm(found, axis=1), 1e-300)[:, None])

    def _together(self, first: Slots, count: npt.NDArray[np.int64], strides: tuple[int, ...]) -> Rows:
        ways = strides[:2] if self.axes == 3 else strides[::-1]
        return np.stack([first, count, *(np.full(len(first), way) for way in ways)], axis=1).astype(np.int64)


def through(ghosted: Ghosted) -> Scheme:
    """Give the rows through blocks of space, or over those of the plane."""
    if ghosted.dim == 3:
        pieces = [Piece(slots, strides) for slots, strides in zip(ghosted.own, ghosted.strides, strict=True)]
        return Scheme(pieces, _kernels(space_kernels))
    own = zip(ghosted.own, ghosted.strides, strict=True)
    pieces = [Piece(slots[:, :, 0], strides[:2]) for slots, strides in own]
    return Scheme(pieces, _kernels(sheet_kernels), np.array([[0.0, 0.0, -1.0]]))


def over(ghosted: Ghosted, xyz: Floats, sides: Sequence[Gliding]) -> Scheme:
    """Give the rows over sides of blocks of space, whose nodes are at ``xyz`` (n, 3)."""
    normals = np.zeros((ghosted.count, 3))
    pieces = []
    for window, guide in ((side.window, side.on) for side in sides):
        slots = ghosted.own[window.block]
        a, b = (axis for axis in range(3) if axis != window.axis)
        strides = ghosted.strides[window.block]
        sheet = np.take(slots, -1 if window.end else 0, axis=window.axis)
        pieces.append(Piece(sheet, (strides[a], strides[b])))
        at = xyz[sheet]
        normals[sheet[:-1, :-1]] = _normals(at, guide)
    return Scheme(pieces, _kernels(sheet_kernels), normals, apart=False)


def _normals(at: Floats, guide: Surface | Plane | Curve) -> Floats:
    """Give the normals of quadrangles between nodes (na, nb, 3): those of what they lie on, all one way."""
    own = np.cross(at[:-1, 1:] - at[1:, :-1], at[1:, 1:] - at[:-1, :-1])
    middle = 0.25 * (at[:-1, :-1] + at[1:, :-1] + at[:-1, 1:] + at[1:, 1:]).reshape(-1, 3)
    if isinstance(guide, Surface):
        found = guide.normal(guide.nearest(middle)).reshape(own.shape)
    elif isinstance(guide, Plane):
        found = np.broadcast_to(guide.normal, own.shape)
    else:
        return own
    return found if np.sum(found * own) > 0 else -found

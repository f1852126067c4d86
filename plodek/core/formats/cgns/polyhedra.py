"""Cells by their faces (NGON_n and NFACE_n): each face once, inner ones first and then patch by patch.

See `structured` for the standard. A face looks out of the first of its two parents, the second is 0 at outer
ones; a cell names its faces, with a minus where they look into it.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from plodek.core.arrays import Bools, Ints
from plodek.core.doors.hdf5 import Node as Read
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA, PENTA, PYRA, Cells, Kind
from plodek.core.formats.cgns.nodes import Node
from plodek.core.formats.cgns.tree import data_of, title
from plodek.core.formats.faces import NONE, faces_of
from plodek.core.formats.mesh import Mesh, four
from plodek.core.grid.window import PatchFaces

#: The kinds of elements: faces of any number of corners, and cells by their faces.
NGON, NFACE = 22, 23
_FACES, _CELLS = "Faces", "Cells"
_REMEDY = (
    "give hexahedra, wedges or pyramids by faces of three or four corners, with NFACE_n (since version 3.4)"
)
#: The kinds of cells by how many faces they have, and how many of these are triangles; whether a triangle is
#: the first one of the corners.
_SORTS = {(6, 0): (HEXA, False), (5, 2): (PENTA, True), (5, 4): (PYRA, False)}


def put(
    zone: Node, cells: Cells, patches: Iterable[PatchFaces], periodic: Iterable[tuple[PatchFaces, str]]
) -> dict[str, tuple[int, int]]:
    """Write the cells of a zone by their faces; gives the first and last number of those of each patch.

    Faces of ``periodic`` patches, which no condition names, are sections by themselves, with the name of the
    patch that they are of.
    """
    solids = {kind: np.concatenate(list(cells.solids(kind))) for kind in cells.counts}
    plain, paired = list(patches), list(periodic)
    every = [*plain, *(patch for patch, _ in paired)]
    parts = [list(cells.faces(patch).values()) for patch in every]
    of_patches = {
        patch.name: np.concatenate([four(corners) for corners in part])
        if part
        else np.empty((0, 4), np.int64)
        for patch, part in zip(every, parts, strict=True)
    }
    found = faces_of(Mesh(np.empty((0, 3)), solids, of_patches))
    # Inner ones, those of patches, those of none, and those of periodic patches.
    none = len(plain) + 1
    group = np.where(found.patch == NONE, none, found.patch + 1 + (found.patch >= len(plain)))
    group = np.where(found.outer, group, 0)
    order = np.lexsort((found.owner, group))
    corners, owner, beyond, group = (one[order] for one in (found.corners, found.owner, found.beyond, group))
    count = len(corners)
    ends = np.searchsorted(group, np.arange(none + len(paired) + 2))
    parents = np.stack([owner, beyond]) + np.where(np.stack([owner, beyond]) == NONE, 1, count + 1)
    _put_faces(zone, _FACES, corners, parents, 0, int(ends[none + 1]))
    for n, (patch, of) in enumerate(paired, none + 1):
        if ends[n] < ends[n + 1]:
            name = f"{patch.name}_" if patch.name in (_FACES, _CELLS) else patch.name
            section = _put_faces(zone, name, corners, parents, int(ends[n]), int(ends[n + 1]))
            if name != of:
                section.child("Patch", "Descriptor_t", of)
    inner = np.flatnonzero(beyond != NONE)
    holder = np.concatenate([owner, beyond[inner]])
    named = np.concatenate([np.arange(1, count + 1), -(inner + 1)])
    total = sum(map(len, solids.values()))
    section = _section(zone, _CELLS, NFACE, count + 1, count + total)
    section.child("ElementStartOffset", "DataArray_t", _offsets(np.bincount(holder, minlength=total)))
    section.child(
        "ElementConnectivity", "DataArray_t", named[np.argsort(holder, kind="stable")].astype(np.int32)
    )
    return {
        patch.name: (int(ends[n]) + 1, int(ends[n + 1]))
        for n, patch in enumerate(plain, 1)
        if ends[n] < ends[n + 1]
    }


def _put_faces(zone: Node, name: str, corners: Ints, parents: Ints, low: int, high: int) -> Node:
    """Write the faces (n, 4) from one index to before another as a section."""
    own = corners[low:high] != np.roll(corners[low:high], -1, axis=1)
    section = _section(zone, name, NGON, low + 1, high)
    section.child("ElementStartOffset", "DataArray_t", _offsets(own.sum(axis=1)))
    section.child("ElementConnectivity", "DataArray_t", (corners[low:high][own] + 1).astype(np.int32))
    section.child("ParentElements", "DataArray_t", parents[:, low:high].astype(np.int32))
    return section


def _section(zone: Node, name: str, kind: int, first: int, last: int) -> Node:
    section = zone.child(name, "Elements_t", np.array([kind, 0], dtype=np.int32))
    section.child("ElementRange", "IndexRange_t", np.array([first, last], dtype=np.int32))
    return section


def _offsets(sizes: Ints) -> np.ndarray[tuple[int], np.dtype[np.int32]]:
    return np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)


def taken(
    faces: list[Read], cells: list[Read], where: str
) -> tuple[dict[Kind, Ints], list[tuple[Ints, Ints, str, Read]]]:
    """Read cells by their faces, from sections of either.

    Gives the corners of cells by kind, from 0, and by section the numbers of faces with one cell alone, and
    their corners (n, 4). Raises BadFile for cells that are none of ours, by what they are.
    """
    if not cells or not faces:
        what = "faces (NGON_n) without cells (NFACE_n)" if faces else "cells (NFACE_n) without faces (NGON_n)"
        raise BadFile(f"it holds polyhedra: {what}", where=where, remedy=_REMEDY)
    firsts, corners, sizes = [], [], []
    for section in faces:
        first, own, counts = _rows(section, where)
        wide = np.unique(counts)
        if np.any((wide < 3) | (wide > 4)):
            raise BadFile(
                f"it holds polyhedra (NGON_n) with faces of {int(wide.max())} corners",
                where=where,
                remedy=_REMEDY,
            )
        starts = np.cumsum(counts) - counts
        corners.append(own[starts[:, None] + np.minimum(np.arange(4), counts[:, None] - 1)] - 1)
        sizes.append(counts)
        firsts.append(first + np.arange(len(counts)))
    number, corner, size = (np.concatenate(part) for part in (firsts, corners, sizes))
    rising = np.argsort(number)
    number, corner, size = number[rising], corner[rising], size[rising]
    rows = [_rows(section, where) for section in cells]
    named, held = np.concatenate([own for _, own, _ in rows]), np.concatenate([n for *_, n in rows])
    at = np.searchsorted(number, np.abs(named))
    if np.any(at >= len(number)) or np.any(number[np.minimum(at, len(number) - 1)] != np.abs(named)):
        raise BadFile("a cell names a face that is not there", where=where, remedy=_REMEDY)
    solids = _solids(corner, size, at, named < 0, held, where)
    outer = np.bincount(at, minlength=len(number)) == 1
    parts = []
    for section, own in zip(faces, firsts, strict=True):
        here = np.isin(number, own) & outer
        parts.append((number[here], corner[here], title(section), section))
    return solids, parts


def _rows(section: Read, where: str) -> tuple[int, Ints, Ints]:
    """Give the first number of a section, what its elements name in one row, and how much each does."""
    if "ElementStartOffset" not in section:
        raise BadFile("it holds polyhedra as before version 3.4 of the standard", where=where, remedy=_REMEDY)
    first = int(data_of(section["ElementRange"]).ravel()[0])
    offsets = data_of(section["ElementStartOffset"]).ravel().astype(np.int64)
    named = data_of(section["ElementConnectivity"]).ravel().astype(np.int64)
    counts = np.diff(offsets)
    if len(offsets) < 1 or offsets[0] != 0 or np.any(counts < 1) or offsets[-1] != len(named):
        raise BadFile("its elements have other numbers of corners", where=where, remedy=_REMEDY)
    return first, named, counts


def _solids(corner: Ints, size: Ints, at: Ints, inward: Bools, held: Ints, where: str) -> dict[Kind, Ints]:
    """Give the corners of cells by kind: their faces are ``at`` those, ``held`` by each so many."""
    starts = np.cumsum(held) - held
    triangles = np.add.reduceat((size[at] == 3).astype(int), starts) if len(starts) else held
    found, left = {}, np.ones(len(held), dtype=bool)
    for (faces, three), (kind, by_triangle) in _SORTS.items():
        own = np.flatnonzero((held == faces) & (triangles == three))
        left[own] = False
        if not len(own):
            continue
        each = starts[own][:, None] + np.arange(faces)
        # The face that a cell stands on comes first.
        stands = (size[at[each]] == 3) == by_triangle
        first = np.argsort(~stands, axis=1, kind="stable")
        each = np.take_along_axis(each, first, axis=1)
        found[kind] = _cell(corner[at[each]], size[at[each]], inward[each[:, 0]], kind, where)
    if left.any():
        cell = int(np.argmax(left))
        what = "tetrahedra" if held[cell] == 4 else f"polyhedra with {held[cell]} faces"
        raise BadFile(f"it holds {what} (NFACE_n)", where=where, remedy=_REMEDY)
    return found


def _cell(faces: Ints, size: Ints, inward: Bools, kind: Kind, where: str) -> Ints:
    """Give the corners (n, corners) of cells with ``faces`` (n, f, 4), the first being what they stand on.

    Over each corner of that stands the other neighbour of it on the face beside.
    """
    below = 3 if kind is PENTA else 4
    base = faces[:, 0, :below]
    base = np.where(inward[:, None], base, base[:, ::-1])
    tops, rows = [], np.arange(len(faces))
    for n in range(1 if kind is PYRA else below):
        a, b = base[:, n, None], base[:, (n + 1) % below, None]
        beside = (faces[:, 1:] == a[..., None]).any(axis=2) & (faces[:, 1:] == b[..., None]).any(axis=2)
        if not beside.any(axis=1).all():
            raise BadFile("the faces of a cell do not close", where=where, remedy=_REMEDY)
        which = 1 + np.argmax(beside, axis=1)
        face, many = faces[rows, which], size[rows, which]
        here = np.argmax(face == a, axis=1)
        ahead, behind = face[rows, (here + 1) % many], face[rows, (here - 1) % many]
        tops.append(np.where(ahead == b[:, 0], behind, ahead))
    return np.column_stack([base, *tops])

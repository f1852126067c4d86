"""The elements of an unstructured zone: cells and faces by kind, whatever sections they stand in."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NoReturn

import numba
import numpy as np

from plodek.core.arrays import Ints
from plodek.core.doors.hdf5 import Node
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA, PENTA, PYRA, QUAD, TRI, Kind
from plodek.core.formats.cgns import polyhedra
from plodek.core.formats.cgns.tree import data_of, labelled, text, title
from plodek.core.formats.cgns.words import ELEMENTS
from plodek.core.formats.mesh_file import KINDS

_PLAIN = {kind.cgns: kind for kind in KINDS}
#: Kinds with nodes between their corners, which stand first.
_CURVED = {6: TRI, 8: QUAD, 9: QUAD, 13: PYRA, 21: PYRA, 15: PENTA, 16: PENTA, 18: HEXA, 19: HEXA}
_MIXED = 20
#: Elements that bound nothing: nodes and bars.
_THIN = (2, 3, 4)
_SIZES = np.array([ELEMENTS.get(code, ("", 0))[1] for code in range(24)], dtype=np.int64)
_REMEDY = "give hexahedra, wedges or pyramids, and quadrangles or triangles for patches"


@dataclass
class Elements:
    """The elements of a zone: ``solids`` by kind; faces with the numbers of each, their kind and corners.

    With them stand their section, and the patch that they are of where no condition names them.
    """

    solids: dict[Kind, list[Ints]] = field(default_factory=dict)
    faces: list[tuple[Ints, Ints, str, str]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def elements_of(zone: Node, name: str) -> Elements:
    """Read the elements of a zone. Raises BadFile for kinds that cannot be used, by their name."""
    found = Elements()
    by_faces: dict[int, list[Node]] = {polyhedra.NGON: [], polyhedra.NFACE: []}
    for section in labelled(zone, "Elements_t"):
        where = f"{name}, {title(section)}"
        code = int(data_of(section).ravel()[0])
        if code in by_faces:
            by_faces[code].append(section)
            continue
        connectivity = data_of(section["ElementConnectivity"]).ravel().astype(np.int64)
        first = int(data_of(section["ElementRange"]).ravel()[0])
        if code == _MIXED:
            _take_mixed(found, section, connectivity, first, where)
        else:
            size = int(_SIZES[code]) if 0 < code < len(_SIZES) else 0
            if not size:
                _refuse(code, where)
            if len(connectivity) % size:
                raise BadFile("its elements have other numbers of nodes", where=where, remedy=_REMEDY)
            corners = connectivity.reshape(-1, size)
            _take(found, code, np.arange(first, first + len(corners)), corners, section, where)
    if any(by_faces.values()):
        solids, outer = polyhedra.taken(by_faces[polyhedra.NGON], by_faces[polyhedra.NFACE], name)
        for kind, corners in solids.items():
            found.solids.setdefault(kind, []).append(corners)
        found.faces += [(numbers, corners, section, _patch_of(of)) for numbers, corners, section, of in outer]
    return found


def _take_mixed(found: Elements, section: Node, connectivity: Ints, first: int, where: str) -> None:
    """Take a section whose elements each say of what kind they are."""
    starts = _starts(connectivity, _SIZES)
    if len(starts) and starts[-1] < 0:
        _refuse(int(connectivity[starts[-2]]), where)
    codes = connectivity[starts]
    for code in np.unique(codes).tolist():
        own = np.flatnonzero(codes == code)
        corners = connectivity[starts[own][:, None] + 1 + np.arange(_SIZES[code])]
        _take(found, code, first + own, corners, section, where)


@numba.njit(cache=True, nogil=True)
def _starts(connectivity: Ints, sizes: Ints) -> Ints:
    """Give where elements of a mixed section begin; -1 comes after one that is of no kind, or not whole."""
    starts = np.empty(len(connectivity) + 1, dtype=np.int64)
    count, at = 0, 0
    while at < len(connectivity):
        code = connectivity[at]
        starts[count] = at
        count += 1
        size = sizes[code] if 0 < code < len(sizes) else 0
        if size == 0 or at + size >= len(connectivity):
            starts[count] = -1
            return starts[: count + 1]
        at += 1 + size
    return starts[:count]


def _take(found: Elements, code: int, numbers: Ints, corners: Ints, section: Node, where: str) -> None:
    kind = _PLAIN.get(code) or _CURVED.get(code)
    if code in _THIN:
        found.notes.append(f"section {title(section)} is left out: it holds {ELEMENTS[code][0]}")
        return
    if kind is None:
        _refuse(code, where)
    if code in _CURVED:
        found.notes.append(f"cells of the kind {ELEMENTS[code][0]} are read by their corners")
    corners = corners[:, : kind.corners] - 1
    if kind in (QUAD, TRI):
        found.faces.append((numbers, corners, title(section), _patch_of(section)))
    else:
        found.solids.setdefault(kind, []).append(corners)


def _patch_of(section: Node) -> str:
    """Give the patch that a section is of where no condition names it."""
    words = (text(one) for one in labelled(section, "Descriptor_t") if title(one) == "Patch")
    return next(words, title(section))


def _refuse(code: int, where: str) -> NoReturn:
    named = ELEMENTS.get(code, (f"the kind {code}", 0))[0]
    more = " (tetrahedra)" if named.startswith("TETRA") else ""
    raise BadFile(f"it holds {named}{more}", where=where, remedy=_REMEDY)

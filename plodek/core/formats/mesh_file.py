"""What readers of cells share: sorting mixed cells into kinds, and what must hold of them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.doors.places import need_places
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA, PENTA, PYRA, QUAD, TRI, Kind
from plodek.core.formats.mesh import Mesh, Twins, four
from plodek.core.grid.window import PatchType

KINDS = (HEXA, PENTA, PYRA, QUAD, TRI)


def by_kind(codes: Ints, corners: Ints, names: Mapping[int, Kind], name: str) -> dict[Kind, Ints]:
    """Sort cells into kinds, keeping their order: their ``codes`` (n,), and their corners in one row.

    Raises BadFile for a kind that is none of hexahedra, wedges, pyramids and the faces of these.
    """
    unknown = sorted(set(np.unique(codes).tolist()) - set(names))
    if unknown:
        raise BadFile(
            f"it holds cells of the kind {unknown[0]}", where=name,
            remedy="give hexahedra, wedges and pyramids, with faces of three or four corners",
        )  # fmt: skip
    sizes = np.zeros(max(names) + 1, dtype=np.int64)
    for code, kind in names.items():
        sizes[code] = kind.corners
    starts = np.cumsum(sizes[codes]) - sizes[codes]
    if len(corners) != int(sizes[codes].sum()):
        raise BadFile("its cells have other numbers of corners than they say", where=name, remedy=_AGAIN)
    found = {}
    for code, kind in names.items():
        at = starts[codes == code]
        if len(at):
            found[kind] = corners[at[:, None] + np.arange(kind.corners)]
    return found


def meshed(
    name: str,
    points: Floats,
    solids: Mapping[Kind, Ints],
    faces: Mapping[str, Ints],
    types: Mapping[str, PatchType],
    unit: str,
    twins: tuple[Twins, ...] = (),
) -> Mesh:
    """Make a mesh of what was read. Raises BadFile for no cells, corners that are no points, no numbers."""
    if not any(len(corners) for corners in solids.values()):
        raise BadFile("it holds no cell", where=name, remedy=_AGAIN)
    for corners in (*solids.values(), *faces.values()):
        need_corners(name, corners, len(points))
    need_places(points, name, "points")
    return Mesh(points, solids, {n: four(f) for n, f in faces.items()}, types, unit, twins)


def need_corners(name: str, corners: Ints, points: int) -> None:
    """Look whether corners are numbers of points, of which there are so many. Raises BadFile."""
    if corners.size and (corners.min() < 0 or corners.max() >= points):
        wrong = int(corners.max() if corners.max() >= points else corners.min())
        raise BadFile(
            f"a cell or face has the corner {wrong + 1}, and there are {points} points",
            where=name,
            remedy=_AGAIN,
        )


_AGAIN = "write the file again: it contradicts itself, or is of another sort"

"""Reading VTKHDF: cells of one unstructured grid, or a collection of such and of surfaces, as patches.

The public file format description: https://docs.vtk.org, "VTKHDF file format". A part may have pieces, each
with numbers of its own points.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.budget import need
from plodek.core.doors.hdf5 import Node, opened
from plodek.core.errors import BadFile
from plodek.core.formats.cells import Kind
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.mesh_file import KINDS, by_kind

_NAMES = {kind.vtk: kind for kind in KINDS}
_REMEDY = "give an unstructured grid, or a collection of unstructured grids and surfaces"
_PARTS = ("UnstructuredGrid", "PolyData")
#: A piece: its name, points (n, 3), and its cells by kind or its faces.
_Piece: TypeAlias = tuple[str, Floats, Mapping[Kind, Ints], Ints | None]


def read(path: Path) -> tuple[Mesh, str]:
    """Read one unstructured grid, or a collection: cells, and a patch for each surface.

    Points at one place are one. Raises BadFile.
    """
    with opened(path, "a VTKHDF file", _REMEDY) as file:
        root = file["VTKHDF"]
        kind = root.words("Type") or ""
        if kind in _PARTS:
            parts = [(path.stem, root)]
        elif "Points" not in root:
            parts = [(n, g) for n, g in root.groups() if n != "Assembly" and "Points" in g]
        else:
            parts = []
        if not parts:
            raise BadFile(f"it holds “{kind}” and no part with cells", where=path.name, remedy=_REMEDY)
        order = {name: n for n, (name, _) in enumerate(parts)}
        parts.sort(key=lambda part: (_index(part[1], order[part[0]]), order[part[0]]))
        need("cells", sum(group.array("Types").shape[0] for _, group in parts if "Types" in group))
        pieces = [piece for name, group in parts for piece in _pieces(group, name, path.name)]
    return joined(path.name, pieces), ""


def _index(group: Node, otherwise: int) -> int:
    """Give the place of a part in the collection: by its attribute, or as it comes."""
    try:
        return group.number("Index")
    except KeyError:
        return otherwise


def _pieces(group: Node, name: str, file: str) -> Iterator[_Piece]:
    """Give the pieces of a part: each has its own points, cells and numbers of these."""
    points = group.array("Points").read().astype(float)
    own = group if "Types" in group else group["Polygons"]
    corners, offsets = (own.array(key).read().astype(np.int64) for key in ("Connectivity", "Offsets"))
    types = group.array("Types").read().astype(np.int64) if "Types" in group else None
    counts = [
        of.array(key).read().astype(np.int64) if key in of else np.array([whole])
        for of, key, whole in (
            (group, "NumberOfPoints", len(points)),
            (own, "NumberOfCells", len(offsets) - 1),
            (own, "NumberOfConnectivityIds", len(corners)),
        )
    ]
    if len({len(one) for one in counts}) != 1 or any(np.any(one < 0) for one in counts):
        raise BadFile("its pieces do not fit each other", where=file, remedy="write it again")
    at_point = at_cell = at_corner = at_offset = 0
    for nodes, cells, ids in zip(*(one.tolist() for one in counts), strict=True):
        chosen = corners[at_corner : at_corner + ids]
        places = points[at_point : at_point + nodes]
        if types is not None:
            yield name, places, by_kind(types[at_cell : at_cell + cells], chosen, _NAMES, file), None
        elif cells:
            sizes = np.diff(offsets[at_offset : at_offset + cells + 1])
            if len(sizes) != cells or np.any(sizes != sizes[0]) or len(chosen) != int(sizes.sum()):
                raise BadFile(
                    f"the faces of {name} have different numbers of corners", where=file,
                    remedy="give faces of four corners, or of three, in a patch",
                )  # fmt: skip
            yield name, places, {}, chosen.reshape(cells, -1)
        at_point, at_cell, at_corner = at_point + nodes, at_cell + cells, at_corner + ids
        at_offset += cells + 1

"""Reading VTKHDF collections of cells and patches; see `write` for the format."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.budget import need
from plodek.core.doors.hdf5 import Node, opened
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.mesh_file import KINDS, by_kind

_NAMES = {kind.vtk: kind for kind in KINDS}


def read(path: Path) -> tuple[Mesh, str]:
    """Read a collection of unstructured grids and surfaces: cells, and a patch for each surface.

    Points at one place are one. Raises BadFile.
    """
    with opened(path, "a VTKHDF file", "give a collection of unstructured grids and surfaces") as file:
        parts = [
            (name, group)
            for name, group in file["VTKHDF"].groups()
            if name != "Assembly" and "Points" in group
        ]
        if not parts:
            raise KeyError("no part of it has points")
        parts.sort(key=lambda part: part[1].number("Index"))
        need("cells", sum(group.array("Types").shape[0] for _, group in parts if "Types" in group))
        pieces = [
            (name, group.array("Points").read().astype(float), *_cells(group, path.name))
            for name, group in parts
        ]
    return joined(path.name, pieces), ""


def _cells(group: Node, name: str) -> tuple[Any, Ints | None]:
    """Give the cells of an unstructured grid by kind, or the faces of a surface."""
    if "Types" in group:
        types, corners = (group.array(key).read().astype(np.int64) for key in ("Types", "Connectivity"))
        return by_kind(types, corners, _NAMES, name), None
    faces = group["Polygons"]
    corners, offsets = (faces.array(key).read().astype(np.int64) for key in ("Connectivity", "Offsets"))
    return {}, corners.reshape(len(offsets) - 1, -1)

"""Reading VTKHDF collections of cells and patches; see `write` for the format."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import h5py
import numpy as np

from plodek.core.arrays import Ints
from plodek.core.budget import need
from plodek.core.errors import BadFile
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.mesh_file import KINDS, by_kind

_NAMES = {kind.vtk: kind for kind in KINDS}


def read(path: Path) -> tuple[Mesh, str]:
    """Read a collection of unstructured grids and surfaces: cells, and a patch for each surface.

    Points at one place are one. Raises BadFile.
    """
    try:
        with h5py.File(path, "r") as file:
            parts = [
                (name, group)
                for name, group in file["VTKHDF"].items()
                if name != "Assembly" and "Points" in group
            ]
            parts.sort(key=lambda part: int(part[1].attrs["Index"]))
            need("cells", sum(len(g["Types"]) for _, g in parts if "Types" in g))
            pieces = [
                (name, group["Points"][()].astype(float), *_cells(group, path.name)) for name, group in parts
            ]
    except (OSError, KeyError, ValueError, IndexError, RuntimeError, TypeError, AttributeError) as error:
        raise BadFile(
            f"it is no VTKHDF file that can be read ({error})", where=path.name,
            remedy="give a collection of unstructured grids and surfaces",
        ) from error  # fmt: skip
    return joined(path.name, pieces), ""


def _cells(group: h5py.Group, name: str) -> tuple[Any, Ints | None]:
    """Give the cells of an unstructured grid by kind, or the faces of a surface."""
    if "Types" in group:
        return by_kind(
            group["Types"][()].astype(np.int64), group["Connectivity"][()].astype(np.int64), _NAMES, name
        ), None
    corners, offsets = (group["Polygons"][key][()].astype(np.int64) for key in ("Connectivity", "Offsets"))
    return {}, corners.reshape(len(offsets) - 1, -1)

"""Reading XDMF: one grid of cells or one block, its arrays in HDF5 or in place; `write` has the format."""

from __future__ import annotations

import math
from collections.abc import Mapping
from pathlib import Path
from xml.etree.ElementTree import Element

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.budget import need
from plodek.core.doors.hdf5 import opened
from plodek.core.doors.numerals import numbers_in
from plodek.core.doors.xml import parsed
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA, PENTA, PYRA, QUAD, TRI, Kind
from plodek.core.formats.mesh import Mesh, four
from plodek.core.formats.mesh_file import by_kind, meshed
from plodek.core.formats.received import from_nodes
from plodek.core.formats.xdmf.write import CODES
from plodek.core.grid.grid import Grid

_NAMES = {code: kind for kind, code in CODES.items()}
#: The kinds of a topology of one kind, by the names that the standard has.
_SORTS = {"hexahedron": HEXA, "wedge": PENTA, "pyramid": PYRA, "quadrilateral": QUAD, "triangle": TRI}
_WHAT, _AGAIN = "XDMF file", "write it again"


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read one grid: cells of one kind or mixed, with the numbers of patches if it tells them; or a block.

    Arrays stand in an HDF5 file beside it, or in the description itself. Raises BadFile.
    """
    try:
        grids = list(parsed(path.read_bytes(), path.name, _WHAT, _AGAIN).iter("Grid"))
        whole = [grid for grid in grids if grid.find("Topology") is not None]
        if len(whole) != 1:
            raise ValueError(f"it holds {len(whole)} grids, where there should be one")
        return _grid(path, whole[0])
    except (OSError, ValueError, TypeError, KeyError) as error:
        raise BadFile(
            f"it is no {_WHAT} that can be read ({error})", where=path.name, remedy=_AGAIN
        ) from error


def _grid(path: Path, grid: Element) -> tuple[Grid | Mesh, str]:
    told, topology = grid.find("Information"), grid.find("Topology")
    geometry = grid.find("Geometry")
    if topology is None or geometry is None:
        raise ValueError("a grid without cells or points")
    if geometry.get("GeometryType", "XYZ").upper() != "XYZ":
        raise ValueError(f"points told as {geometry.get('GeometryType')}, where XYZ is read")
    points = _array(path, grid, "Geometry").astype(float).reshape(-1, 3)
    sort = topology.get("TopologyType", topology.get("Type", "")).lower()
    unit = told.get("Value", "") if told is not None and told.get("Name") == "names" else ""
    if sort == "3dsmesh":
        words = topology.get("Dimensions", topology.get("NumberOfElements", "")).split()
        shape = [int(word) for word in words]  # the slowest first
        if len(shape) != 3 or math.prod(shape) != len(points):
            raise ValueError(f"{len(points)} points, where it tells of {' × '.join(words)}")
        need("cells", len(points))
        return from_nodes(path, [np.ascontiguousarray(points.reshape(*shape, 3).transpose(2, 1, 0, 3))])
    corners = _array(path, grid, "Topology").astype(np.int64)
    if sort == "mixed":
        count = int(topology.get("NumberOfElements", "0").split()[0])
        need("cells", count)
        codes, flat = _apart(corners.ravel(), count, path.name)
    else:
        kind = _SORTS.get(sort)
        if kind is None:
            raise ValueError(f"cells of the kind {topology.get('TopologyType')}")
        need("cells", corners.size // kind.corners)
        flat = corners.ravel()
        codes = np.full(corners.size // kind.corners, CODES[kind])
    kinds = by_kind(codes, flat, _NAMES, path.name)
    solids = {kind: found for kind, found in kinds.items() if kind not in (QUAD, TRI)}
    faces = _patches(path, grid, told, codes, kinds)
    return meshed(path.name, points, solids, faces, {}, unit), unit


def _patches(
    path: Path, grid: Element, told: Element | None, codes: Ints, kinds: Mapping[Kind, Ints]
) -> dict[str, Ints]:
    """Give the faces of each patch whose number the cells tell; none where they do not."""
    if grid.find("Attribute[@Name='patch']") is None:
        return {}
    numbers = _array(path, grid, "Attribute[@Name='patch']").ravel().astype(np.int64)
    if len(numbers) != len(codes):
        raise ValueError(f"{len(numbers)} numbers of patches for {len(codes)} cells")
    names = () if told is None else parsed(told.text or "<main/>", path.name, _WHAT, _AGAIN)
    patches = {int(one.text or 0): one.get("key", "") for one in names if one.get("dim") == "2"}
    faces: dict[str, Ints] = {}
    for kind in (QUAD, TRI):
        own = numbers[codes == CODES[kind]]
        for number, name in patches.items():
            part = kinds[kind][own == number] if kind in kinds else np.empty((0, 4), np.int64)
            if len(part):
                faces[name] = np.concatenate([faces.get(name, np.empty((0, 4), np.int64)), four(part)])
    return faces


def _array(path: Path, grid: Element, at: str) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    """Read the array of a part of the grid: it stands there, or in a file beside it."""
    item = grid.find(f"{at}/DataItem")
    if item is None:
        raise ValueError(f"{at} has no array")
    if item.get("Format", "XML").upper() == "XML":
        return numbers_in(item.text or "")
    file, _, place = (item.text or "").strip().partition(":")
    beside = path.parent / file
    if not file or beside.resolve().parent != path.parent.resolve():
        raise ValueError(f"{at} points to no file beside it")
    with opened(beside, "a file of arrays", _AGAIN) as arrays:
        found: np.ndarray[tuple[int, ...], np.dtype[np.float64]] = arrays.array(place).read()
    return found


def _apart(mixed: Ints, count: int, name: str) -> tuple[Ints, Ints]:
    """Part a mixed topology, a code before the corners of each cell, into codes and corners."""
    sizes: dict[int, Kind] = _NAMES
    runs, at, done = [], 0, 0
    while at < len(mixed) and done < count:  # cells of a kind stand together: one step for each kind
        code = int(mixed[at])
        if code not in sizes:
            raise BadFile(
                f"it holds cells of the kind {code}", where=name, remedy="give hexahedra and wedges"
            )
        step = sizes[code].corners + 1
        same = np.flatnonzero(mixed[at::step][: count - done] != code)
        many = int(same[0]) if len(same) else min(count - done, -(-(len(mixed) - at) // step))
        runs.append(mixed[at : at + many * step].reshape(many, step))
        at, done = at + many * step, done + many
    if at != len(mixed) or done != count:
        raise BadFile(
            "its cells have other numbers of corners than they say", where=name, remedy="write it again"
        )
    return np.concatenate([run[:, 0] for run in runs]), np.concatenate([run[:, 1:].ravel() for run in runs])

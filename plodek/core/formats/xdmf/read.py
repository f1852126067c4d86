"""Reading XDMF with its arrays in HDF5, as `write` writes it."""

from __future__ import annotations

from pathlib import Path
from xml.etree.ElementTree import Element

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.budget import need
from plodek.core.doors.hdf5 import opened
from plodek.core.doors.xml import parsed
from plodek.core.errors import BadFile
from plodek.core.formats.cells import QUAD, TRI, Kind
from plodek.core.formats.mesh import Mesh, four
from plodek.core.formats.mesh_file import by_kind, meshed
from plodek.core.formats.xdmf.write import CODES

_NAMES = {code: kind for kind, code in CODES.items()}
_WHAT, _AGAIN = "XDMF file", "write it again"


def read(path: Path) -> tuple[Mesh, str]:
    """Read one grid of mixed cells with the numbers of its patches. Raises BadFile."""
    try:
        grid = parsed(path.read_bytes(), path.name, _WHAT, _AGAIN).find("Domain/Grid")
        if grid is None:
            raise ValueError("it holds no grid")
        told = grid.find("Information")
        names = () if told is None else parsed(told.text or "<main/>", path.name, _WHAT, _AGAIN)
        patches = {int(one.text or 0): one.get("key", "") for one in names if one.get("dim") == "2"}
        points, mixed = (_array(path, grid, at) for at in ("Geometry", "Topology"))
        numbers = _array(path, grid, "Attribute[@Name='patch']").astype(np.int64)
    except (OSError, ValueError, TypeError) as error:
        raise BadFile(
            f"it is no {_WHAT} that can be read ({error})", where=path.name, remedy=_AGAIN
        ) from error
    need("cells", len(numbers))
    codes, corners = _apart(mixed.astype(np.int64), len(numbers), path.name)
    kinds = by_kind(codes, corners, _NAMES, path.name)
    solids = {kind: found for kind, found in kinds.items() if kind not in (QUAD, TRI)}
    faces: dict[str, Ints] = {}
    for kind in (QUAD, TRI):
        own = numbers[codes == CODES[kind]]
        for number, name in patches.items():
            part = kinds[kind][own == number] if kind in kinds else np.empty((0, 4), np.int64)
            if len(part):
                faces[name] = np.concatenate([faces.get(name, np.empty((0, 4), np.int64)), four(part)])
    unit = told.get("Value", "") if told is not None else ""
    return meshed(path.name, points.astype(float), solids, faces, {}, unit), unit


def _array(path: Path, grid: Element, at: str) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    """Read the array that a part of the grid points to, in a file beside it."""
    item = grid.find(f"{at}/DataItem")
    file, _, place = (item.text or "").strip().partition(":") if item is not None else ("", "", "")
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

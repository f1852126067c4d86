"""VTKHDF: a collection of unstructured grids, one for each region, and of patches, in one HDF5 file.

The public file format description: https://docs.vtk.org, "VTKHDF file format", version 2.2.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import h5py
import numpy as np

from plodek.core.doors.hdf5 import made
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import SOLIDS, Cells
from plodek.core.formats.vtk.write import faces_of
from plodek.core.grid.window import PatchFaces

_VERSION = (2, 2)
#: What a surface may consist of; only the last but one is used.
_SORTS = ("Vertices", "Lines", "Polygons", "Strips")


def write(path: Path, cargo: Cargo) -> list[Path]:
    """Write a grid of space."""
    grid = cargo.grid
    regions = grid.regions or {"cells": tuple(range(len(grid.xyz)))}
    with made(path, track_order=True) as file:
        root = file.create_group("VTKHDF", track_order=True)
        _mark(root, "PartitionedDataSetCollection")
        assembly = root.create_group("Assembly", track_order=True)
        # In the collection names are those of regions and patches, which may be alike.
        for index, (name, blocks) in enumerate(regions.items()):
            group = _part(root, assembly, f"region_{name}", index)
            _write_cells(group, cargo, blocks)
        for index, patch in enumerate(grid.patches, len(regions)):
            _write_patch(_part(root, assembly, patch.name, index), cargo, patch)
    return [path]


def _mark(group: h5py.Group, kind: str) -> None:
    group.attrs["Version"] = np.array(_VERSION, dtype=np.int64)
    group.attrs.create("Type", np.bytes_(kind.encode()), dtype=h5py.string_dtype("ascii", len(kind)))


def _part(root: h5py.Group, assembly: h5py.Group, name: str, index: int) -> h5py.Group:
    group = root.create_group(name, track_order=True)
    group.attrs["Index"] = np.int64(index)
    assembly.create_group(name, track_order=True)[name] = h5py.SoftLink(f"/VTKHDF/{name}")
    return group


def _write_cells(group: h5py.Group, cargo: Cargo, blocks: tuple[int, ...]) -> None:
    part = cargo.grid.only(blocks)
    cells = Cells.of(part)
    _mark(group, "UnstructuredGrid")
    kinds = [kind for kind in SOLIDS if cells.counts.get(kind)]
    counts = [cells.counts[kind] for kind in kinds]
    sizes = np.repeat([kind.corners for kind in kinds], counts)
    _counted(group, points=cells.numbering.count, cells=len(sizes), corners=int(sizes.sum()))
    group["Offsets"] = np.concatenate([[0], np.cumsum(sizes)])
    group["Types"] = np.repeat(np.array([kind.vtk for kind in kinds], dtype=np.uint8), counts)
    points = group.create_dataset("Points", (cells.numbering.count, 3), dtype=np.float64)
    for start, nodes in cells.points(Cargo(part, cargo.unit, cargo.factor, "", cargo.told)):
        points[start : start + len(nodes)] = nodes
    connectivity = group.create_dataset("Connectivity", (int(sizes.sum()),), dtype=np.int64)
    start = 0
    for kind in kinds:
        for corners in cells.solids(kind):
            connectivity[start : start + corners.size] = corners.ravel()
            start += corners.size


def _write_patch(group: h5py.Group, cargo: Cargo, patch: PatchFaces) -> None:
    places, faces = faces_of(cargo, patch)
    _mark(group, "PolyData")
    group["NumberOfPoints"] = np.array([len(places)])
    group["Points"] = places
    for sort in _SORTS:
        own = faces if sort == "Polygons" else faces[:0]
        below = group.create_group(sort)
        _counted(below, cells=len(own), corners=own.size)
        below["Offsets"] = np.arange(len(own) + 1) * faces.shape[1]
        below["Connectivity"] = own.ravel()


def _counted(group: h5py.Group, *, cells: int, corners: int, points: int | None = None) -> None:
    told: dict[str, Any] = {"NumberOfCells": cells, "NumberOfConnectivityIds": corners}
    if points is not None:
        told["NumberOfPoints"] = points
    for name, count in told.items():
        group[name] = np.array([count], dtype=np.int64)

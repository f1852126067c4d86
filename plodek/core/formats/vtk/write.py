"""VTK XML: a .vtm that gathers one .vts per block, or one .vtu per region, and one .vtp per patch.

The public file format description: https://docs.vtk.org, "VTK XML formats". Data are appended raw.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.errors import NotReady
from plodek.core.formats import block_map
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import SOLIDS, Cells
from plodek.core.grid.window import PatchFaces

_HEAD = (
    '<?xml version="1.0"?>\n'
    '<VTKFile type="{}" version="1.0" byte_order="LittleEndian" header_type="UInt64">\n'
)


def write(path: Path, cargo: Cargo, *, blocks: bool = True) -> list[Path]:
    """Write a grid as ``path`` (.vtm) and a folder of its pieces; gives all files written.

    The blocks stand under their regions, the patches by themselves; beside blocks stands their map. Cells
    (``blocks`` False) are written of grids in space only: raises NotReady for one of the plane.
    """
    grid = cargo.grid
    folder = path.with_suffix("")
    folder.mkdir(parents=True, exist_ok=True)
    groups: dict[str, list[tuple[str, Path]]] = {}
    regions = grid.regions or {"blocks": tuple(range(len(grid.xyz)))}
    if not blocks:
        if grid.dim != 3:
            raise NotReady(
                "unstructured cells are written of grids in space only", remedy="take blocks, or extrude"
            )
        for region, of in regions.items():
            piece = folder / f"{region}.vtu"
            _write_cells(piece, cargo, of)
            groups[region] = [(region, piece)]
    else:
        for region, of in regions.items():
            for n in of:
                piece = folder / f"block{n + 1:04d}.vts"
                _write_block(piece, cargo, n)
                groups.setdefault(region, []).append((f"block {n + 1}", piece))
    groups["patches"] = []
    for patch in grid.patches:
        piece = folder / f"{patch.name}.vtp"
        _write_patch(piece, cargo, patch)
        groups["patches"].append((patch.name, piece))
    lines = [_HEAD.format("vtkMultiBlockDataSet"), " <vtkMultiBlockDataSet>\n"]
    for index, (title, pieces) in enumerate(groups.items()):
        lines.append(f'  <Block index="{index}" name={quoteattr(title)}>\n')
        for n, (name, piece) in enumerate(pieces):
            place = f"{folder.name}/{piece.name}"
            lines.append(f'   <DataSet index="{n}" name={quoteattr(name)} file={quoteattr(place)}/>\n')
        lines.append("  </Block>\n")
    lines.append(" </vtkMultiBlockDataSet>\n</VTKFile>\n")
    path.write_text("".join(lines))
    files = [path, *(piece for pieces in groups.values() for _, piece in pieces)]
    return files + (block_map.write(path, cargo) if blocks else [])


@dataclass
class _Data:
    """Data that are appended to a file: how they are told of in its head, and what comes."""

    kind: str
    name: str
    size: int
    parts: Iterable[np.ndarray[Any, Any]]
    components: int = 1


def _write_block(path: Path, cargo: Cargo, block: int) -> None:
    nodes = cargo.grid.xyz[block]
    extent = " ".join(f"0 {n - 1}" for n in nodes.shape[:3])
    places = (points for _, points in cargo.points(block))
    _write_appended(
        path,
        "StructuredGrid",
        f' <StructuredGrid WholeExtent="{extent}">\n  <Piece Extent="{extent}">\n',
        {"Points": [_Data("Float64", "Points", nodes.nbytes, places, 3)]},
    )


def _write_cells(path: Path, cargo: Cargo, blocks: tuple[int, ...]) -> None:
    part = cargo.grid.only(blocks)
    cells = Cells.of(part)
    own = Cargo(part, cargo.unit, cargo.factor, "", cargo.told)
    kinds = [kind for kind in SOLIDS if cells.counts.get(kind)]
    counts = [cells.counts[kind] for kind in kinds]
    sizes = np.repeat([kind.corners for kind in kinds], counts)
    connectivity = (corners for kind in kinds for corners in cells.solids(kind))
    total, corners = sum(counts), int(sizes.sum())
    _write_appended(
        path,
        "UnstructuredGrid",
        f' <UnstructuredGrid>\n  <Piece NumberOfPoints="{cells.numbering.count}" NumberOfCells="{total}">\n',
        {
            "Points": [
                _Data("Float64", "Points", 24 * cells.numbering.count, (x for _, x in cells.points(own)), 3)
            ],
            "Cells": [
                _Data("Int64", "connectivity", 8 * corners, connectivity),
                _Data("Int64", "offsets", 8 * total, [np.cumsum(sizes)]),
                _Data(
                    "UInt8", "types", total, [np.repeat(np.array([k.vtk for k in kinds], np.uint8), counts)]
                ),
            ],
        },
    )


def _write_patch(path: Path, cargo: Cargo, patch: PatchFaces) -> None:
    places, faces = faces_of(cargo, patch)
    sizes = np.arange(1, len(faces) + 1, dtype=np.int64) * faces.shape[1]
    sort = "Lines" if cargo.grid.dim == 2 else "Polys"
    _write_appended(
        path,
        "PolyData",
        f' <PolyData>\n  <Piece NumberOfPoints="{len(places)}" NumberOf{sort}="{len(faces)}">\n',
        {
            "Points": [_Data("Float64", "Points", places.nbytes, [places], 3)],
            sort: [
                _Data("Int64", "connectivity", faces.nbytes, [faces]),
                _Data("Int64", "offsets", sizes.nbytes, [sizes]),
            ],
        },
    )


def faces_of(cargo: Cargo, patch: PatchFaces) -> tuple[Floats, Ints]:
    """Give the nodes (n, 3) of a patch's windows, and its faces (m, 4) or, in the plane, edges (m, 2)."""
    points, faces, start = [], [], 0
    for window in patch.windows:
        nodes = np.squeeze(cargo.grid.nodes(window), axis=window.axis)
        na, nb = nodes.shape[:2]
        index = start + np.arange(na * nb).reshape(na, nb)
        if cargo.grid.dim == 2:
            around = [index[:-1, 0], index[1:, 0]]
        else:
            around = [index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]]
            if (window.end == 0) != (window.axis == 1):  # outward, as the block is right-handed
                around.reverse()
        faces.append(np.stack([a.ravel() for a in around], axis=1))
        points.append(nodes.reshape(-1, 3) * cargo.factor)
        start += na * nb
    return np.concatenate(points), np.concatenate(faces)


def _write_appended(path: Path, kind: str, opening: str, groups: dict[str, list[_Data]]) -> None:
    head, offset = [_HEAD.format(kind), opening], 0
    for group, arrays in groups.items():
        head.append(f"   <{group}>\n")
        for array in arrays:
            head.append(
                f'    <DataArray type="{array.kind}" Name="{array.name}" '
                f'NumberOfComponents="{array.components}" format="appended" offset="{offset}"/>\n'
            )
            offset += array.size + 8
        head.append(f"   </{group}>\n")
    head.append(f'  </Piece>\n </{kind}>\n <AppendedData encoding="raw">\n_')
    with path.open("wb") as file:
        file.write("".join(head).encode())
        for array in (array for arrays in groups.values() for array in arrays):
            file.write(np.uint64(array.size).tobytes())
            for part in array.parts:
                file.write(np.ascontiguousarray(part).data)
        file.write(b"\n </AppendedData>\n</VTKFile>\n")

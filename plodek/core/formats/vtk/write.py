"""VTK XML: a .vtm that gathers one .vts per block and one .vtp per patch.

The public file format description: https://docs.vtk.org, "VTK XML formats". Data are appended raw.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchFaces

_HEAD = (
    '<?xml version="1.0"?>\n'
    '<VTKFile type="{}" version="1.0" byte_order="LittleEndian" header_type="UInt64">\n'
)


def write(path: Path, grid: Grid) -> list[Path]:
    """Write a grid of space as ``path`` (.vtm) and a folder of its pieces; returns all files written.

    The blocks stand under their regions, the patches by themselves.
    """
    folder = path.with_suffix("")
    folder.mkdir(parents=True, exist_ok=True)
    groups: dict[str, list[tuple[str, Path]]] = {}
    regions = grid.regions or {"blocks": tuple(range(len(grid.xyz)))}
    for region, blocks in regions.items():
        for n in blocks:
            piece = folder / f"block{n + 1:04d}.vts"
            _write_block(piece, grid.xyz[n])
            groups.setdefault(region, []).append((f"block {n + 1}", piece))
    groups["patches"] = []
    for patch in grid.patches:
        piece = folder / f"{patch.name}.vtp"
        _write_patch(piece, grid, patch)
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
    return [path, *(piece for pieces in groups.values() for _, piece in pieces)]


def _write_block(path: Path, nodes: Floats) -> None:
    ni, nj, nk = (n - 1 for n in nodes.shape[:3])
    extent = f"0 {ni} 0 {nj} 0 {nk}"
    flat = np.ascontiguousarray(nodes.transpose(2, 1, 0, 3)).reshape(-1, 3)  # i runs fastest
    body = (
        f' <StructuredGrid WholeExtent="{extent}">\n  <Piece Extent="{extent}">\n   <Points>\n'
        + _array("Float64", "Points", 0, 3)
        + "   </Points>\n  </Piece>\n </StructuredGrid>\n"
    )
    _write_appended(path, "StructuredGrid", body, [flat])


def _write_patch(path: Path, grid: Grid, patch: PatchFaces) -> None:
    points, quads, start = [], [], 0
    for window in patch.windows:
        nodes = np.squeeze(grid.nodes(window), axis=window.axis)
        na, nb = nodes.shape[:2]
        index = start + np.arange(na * nb).reshape(na, nb)
        around = (index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:])
        quads.append(np.stack([a.ravel() for a in around], axis=1))
        points.append(nodes.reshape(-1, 3))
        start += na * nb
    places, faces = np.concatenate(points), np.concatenate(quads).astype(np.int64)
    offsets = 4 * np.arange(1, len(faces) + 1, dtype=np.int64)
    after_points = places.nbytes + 8
    body = (
        f' <PolyData>\n  <Piece NumberOfPoints="{len(places)}" NumberOfPolys="{len(faces)}">\n   <Points>\n'
        + _array("Float64", "Points", 0, 3)
        + "   </Points>\n   <Polys>\n"
        + _array("Int64", "connectivity", after_points)
        + _array("Int64", "offsets", after_points + faces.nbytes + 8)
        + "   </Polys>\n  </Piece>\n </PolyData>\n"
    )
    _write_appended(path, "PolyData", body, [places, faces, offsets])


def _array(kind: str, name: str, offset: int, components: int = 1) -> str:
    return (
        f'    <DataArray type="{kind}" Name="{name}" NumberOfComponents="{components}" '
        f'format="appended" offset="{offset}"/>\n'
    )


def _write_appended(path: Path, kind: str, body: str, arrays: list[np.ndarray[Any, Any]]) -> None:
    with path.open("wb") as file:
        file.write((_HEAD.format(kind) + body + ' <AppendedData encoding="raw">\n_').encode())
        for array in arrays:
            file.write(np.uint64(array.nbytes).tobytes())
            file.write(np.ascontiguousarray(array).tobytes())
        file.write(b"\n </AppendedData>\n</VTKFile>\n")

"""Reading VTK XML: grids (.vts, .vtr) or cells (.vtu, .vtp) that a .vtm gathers, or one alone.

The public file format description: https://docs.vtk.org, "VTK XML formats": data appended or in place, raw,
base64 or as text, packed by zlib, LZMA or LZ4 or not at all.
"""

from __future__ import annotations

import base64
import math
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.budget import need
from plodek.core.doors.numerals import numbers_in
from plodek.core.doors.unpacking import DAMAGE, unpacked
from plodek.core.doors.xml import parsed
from plodek.core.errors import BadFile
from plodek.core.formats.block_map import map_path
from plodek.core.formats.cells import Kind
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.mesh_file import KINDS, by_kind
from plodek.core.formats.received import from_nodes
from plodek.core.grid.grid import Grid

_REMEDY = "give structured or rectilinear grids (.vts, .vtr) or cells (.vtu), or a .vtm that gathers such"
_PACKED = {
    "vtkZLibDataCompressor": "zlib",
    "vtkLZMADataCompressor": "lzma",
    "vtkLZ4DataCompressor": "lz4",
}
_KINDS = {
    "Float32": "f4", "Float64": "f8", "Int8": "i1", "UInt8": "u1", "Int16": "i2", "UInt16": "u2",
    "UInt32": "u4", "UInt64": "u8", "Int32": "i4", "Int64": "i8",
}  # fmt: skip
_NAMES = {kind.vtk: kind for kind in KINDS}
_DAMAGE = (ValueError, IndexError, KeyError, OverflowError, *DAMAGE)


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read the structured grids of a file, with the map beside it if there is one; or cells and patches.

    Interfaces come from the map, or from nodes that lie at one place. Raises BadFile.
    """
    ending = path.suffix.lower()
    if ending in _GRIDS:
        return from_nodes(path, [_GRIDS[ending](path)], [path.stem])
    if ending == ".vtu":
        return joined(path.name, _cells(path.stem, path)), ""
    pieces, cells = _pieces(path, tuple(_GRIDS)), _pieces(path, (".vtu",))
    if cells and not pieces:
        every = (*cells, *_pieces(path, (".vtp",)))
        return joined(path.name, [part for piece in every for part in _cells(*piece)]), ""
    if not pieces:
        raise BadFile("it gathers no grid, and no cells", where=path.name, remedy=_REMEDY)
    if map_path(path).is_file():
        pieces.sort(key=lambda piece: piece[1].name)  # the map tells of blocks in the order of their files
    nodes = [_GRIDS[piece.suffix.lower()](piece) for _, piece in pieces]
    return from_nodes(path, nodes, [name for name, _ in pieces])


def _pieces(path: Path, endings: tuple[str, ...]) -> list[tuple[str, Path]]:
    """Give the names and paths of the pieces that a .vtm gathers whose files end so."""
    root, _ = _parsed(path)
    found = []
    for entry in root.iter("DataSet"):
        file = entry.get("file", "")
        if file.lower().endswith(endings):
            piece = (path.parent / file).resolve()
            if not piece.is_relative_to(path.parent.resolve()):
                raise BadFile(f"it points outside its folder: {file}", where=path.name, remedy=_REMEDY)
            found.append((entry.get("name") or piece.stem, piece))
    names = [name for name, _ in found]
    if len(set(names)) < len(names):
        found = [(piece.stem, piece) for _, piece in found]
    return found


def _cells(title: str, path: Path) -> list[tuple[str, Floats, dict[Kind, Ints], Ints | None]]:
    """Read the points and cells of the pieces of a .vtu file, or the faces of a .vtp."""
    root, appended = _parsed(path)
    try:
        pieces = root.findall("*/Piece")
        if not pieces:
            raise ValueError("no piece")
        data = _Data(root, appended)
        return [_piece(title, path, data, piece) for piece in pieces]
    except _DAMAGE as error:
        raise BadFile(f"its cells cannot be read ({error})", where=path.name, remedy=_REMEDY) from error


def _piece(
    title: str, path: Path, data: _Data, piece: Element
) -> tuple[str, Floats, dict[Kind, Ints], Ints | None]:
    points, polygons = piece.find("Points/DataArray"), "NumberOfPolys" in piece.attrib
    if points is None:
        raise ValueError("a piece without points")
    own = piece.find("Polys" if polygons else "Cells")
    where = {} if own is None else {array.get("Name"): array for array in own.findall("DataArray")}
    count = int(piece.attrib["NumberOfPolys" if polygons else "NumberOfCells"])
    need("cells", max(count, int(piece.attrib["NumberOfPoints"])), where=path.name)
    places = data.of(points, 3 * int(piece.attrib["NumberOfPoints"])).reshape(-1, 3)
    offsets = data.of(where["offsets"], count).astype(np.int64)
    corners = data.of(where["connectivity"], int(offsets[-1]) if count else 0).astype(np.int64)
    if polygons:
        if np.any(np.diff(offsets, prepend=0) != len(corners) / max(count, 1)):
            raise ValueError("faces with different numbers of corners")
        return title, places, {}, corners.reshape(count, -1)
    codes = data.of(where["types"], count).astype(np.int64)
    return title, places, by_kind(codes, corners, _NAMES, path.name), None


def _nodes(path: Path) -> Floats:
    """Read the nodes (ni, nj, nk, 3) of a .vts file."""
    root, appended = _parsed(path)
    array = root.find("StructuredGrid/Piece/Points/DataArray")
    try:
        shape = _shape(root.findall("StructuredGrid/Piece"), path)
        if array is None:
            raise ValueError("it holds no points")
        values = _Data(root, appended).of(array, 3 * math.prod(shape))
    except _DAMAGE as error:
        raise BadFile(f"its points cannot be read ({error})", where=path.name, remedy=_REMEDY) from error
    return np.ascontiguousarray(values.reshape(*shape[::-1], 3).transpose(2, 1, 0, 3))


def _straight(path: Path) -> Floats:
    """Read the nodes (ni, nj, nk, 3) of a .vtr file: the coordinates stand apart, along each axis."""
    root, appended = _parsed(path)
    arrays = root.findall("RectilinearGrid/Piece/Coordinates/DataArray")
    try:
        shape = _shape(root.findall("RectilinearGrid/Piece"), path)
        if len(arrays) != 3:
            raise ValueError(f"{len(arrays)} arrays of coordinates, where there should be three")
        data = _Data(root, appended)
        along = [data.of(array, count) for array, count in zip(arrays, shape, strict=True)]
    except _DAMAGE as error:
        raise BadFile(f"its coordinates cannot be read ({error})", where=path.name, remedy=_REMEDY) from error
    return np.stack(np.meshgrid(*along, indexing="ij"), axis=-1)


def _shape(pieces: list[Element], path: Path) -> list[int]:
    """Give how many nodes the one piece has along each axis. Raises ValueError."""
    if len(pieces) != 1:
        raise ValueError(f"{len(pieces)} pieces, where there should be one")
    extent = [int(word) for word in (pieces[0].get("Extent") or "").split()]
    shape = [high - low + 1 for low, high in zip(extent[::2], extent[1::2], strict=True)]
    if len(shape) != 3 or min(shape) < 1:
        raise ValueError(f"an extent of {extent}")
    need("cells", math.prod(max(n - 1, 1) for n in shape), where=path.name)
    return shape


#: What reads the nodes of a grid, by the ending of its file.
_GRIDS: dict[str, Callable[[Path], Floats]] = {".vts": _nodes, ".vtr": _straight}


def _parsed(path: Path) -> tuple[Element, bytes]:
    """Give the description in a file, and the bytes appended to it."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise BadFile(
            f"it cannot be read ({error.strerror})", where=path.name, remedy="keep its pieces beside it"
        ) from error
    head, mark, tail = data.partition(b"<AppendedData")
    return parsed(head + (b"</VTKFile>" if mark else b""), path.name, "VTK XML file", _REMEDY), tail


class _Data:
    """The arrays of a file, from what its head says of them."""

    def __init__(self, root: Element, appended: bytes) -> None:
        self._order = ">" if root.get("byte_order") == "BigEndian" else "<"
        self._count = np.dtype(self._order + _KINDS[root.get("header_type", "UInt32")])
        self._compressor = root.get("compressor")
        if self._compressor not in (None, *_PACKED):
            raise ValueError(f"packed by {self._compressor}")
        opening, _, rest = appended.partition(b">")
        self._raw = b'"raw"' in opening
        self._appended = rest.lstrip()[1:]  # after the underscore

    def of(self, array: Element, count: int) -> Floats:
        """Give the ``count`` numbers of an array. Raises ValueError where it has others."""
        kind = _KINDS.get(array.get("type", ""), "")
        if not kind:
            raise ValueError(f"numbers of the type {array.get('type')}")
        way = array.get("format", "ascii")
        if way == "ascii":
            values = numbers_in(array.text or "")
        else:
            data = self._bytes(array, way, count * int(kind[1:]))
            values = np.frombuffer(data, dtype=self._order + kind).astype(float)
        if len(values) != count:
            raise ValueError(f"{len(values)} numbers, where {count} are told of")
        return values

    def _bytes(self, array: Element, way: str, most: int) -> bytes:
        if way == "appended":
            data, raw = self._appended[int(array.get("offset", "0")) :], self._raw
        else:
            data, raw = (array.text or "").strip().encode(), False
        size = self._count.itemsize
        if self._compressor is None:
            head, rest = self._head(data, 1, raw=raw, together=True)
            length = int(head[0])
            if raw:
                return data[size : size + length]
            return base64.b64decode(data[: -(-(size + length) // 3) * 4])[size : size + length]
        (blocks,), _ = self._head(data, 1, raw=raw, together=False)
        if not blocks:
            return b""
        head, rest = self._head(data, 3 + int(blocks), raw=raw, together=False)
        whole, last = int(head[1]), int(head[2])
        sizes = [whole] * int(blocks) if not last else [whole] * (int(blocks) - 1) + [last]
        if sum(sizes) != most:
            raise ValueError(f"{sum(sizes)} bytes, where {most} are told of")
        packed = rest if raw else base64.b64decode(rest[: -(-int(head[3:].sum()) // 3) * 4])
        ends = np.concatenate([[0], np.cumsum(head[3:])]).astype(int)
        way = _PACKED[self._compressor]
        pieces = zip(pairwise(ends), sizes, strict=True)
        return b"".join(unpacked(packed[a:b], way, size) for (a, b), size in pieces)

    def _head(
        self, data: bytes, count: int, *, raw: bool, together: bool
    ) -> tuple[np.ndarray[Any, Any], bytes]:
        """Give the numbers before the data of an array, and what comes after them."""
        size = count * self._count.itemsize
        long = size if raw else -(-size // 3) * 4
        head = data[:long] if raw else base64.b64decode(data[:long])
        if len(head) < size:
            raise ValueError("it breaks off")
        return np.frombuffer(head[:size], dtype=self._count), b"" if together else data[long:]

"""Reading legacy VTK files (.vtk): one grid of blocks or of cells, as text or as big-endian bytes.

The public file format description: https://docs.vtk.org, "VTK legacy file format", versions 1 to 5.1.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from pathlib import Path

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.budget import need
from plodek.core.doors.numerals import numbers_in
from plodek.core.errors import BadFile
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.mesh_file import KINDS, by_kind
from plodek.core.formats.received import from_nodes
from plodek.core.grid.grid import Grid

_NAMES = {kind.vtk: kind for kind in KINDS}
_REMEDY = "give a structured, a rectilinear or an unstructured grid"
_TYPES = {
    "float": "f4", "double": "f8", "int": "i4", "unsigned_int": "u4", "long": "i8", "unsigned_long": "u8",
    "vtktypeint64": "i8", "vtktypeuint64": "u8", "vtkidtype": "i8", "short": "i2", "unsigned_short": "u2",
    "char": "i1", "unsigned_char": "u1",
}  # fmt: skip
_COORDINATES = ("X_COORDINATES", "Y_COORDINATES", "Z_COORDINATES")


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read the grid of a file. Raises BadFile."""
    try:
        file = _File(path.read_bytes())
        kind = file.header()
        if kind not in _KINDS:
            raise ValueError(f"a data set of the kind {kind}")
        return _KINDS[kind](path, file)
    except (OSError, ValueError, IndexError, KeyError, UnicodeDecodeError) as error:
        raise BadFile(
            f"it is no legacy VTK file that can be read ({error})", where=path.name, remedy=_REMEDY
        ) from error


class _File:
    """The bytes of a file, and how far they have been read."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at, self.is_text = data, 0, True

    def header(self) -> str:
        """Read the first lines, and give the kind of the data set."""
        if not self._line().startswith("# vtk DataFile"):
            raise ValueError("it does not begin as such")
        self._line()
        way = self._line().strip().upper()
        if way not in ("ASCII", "BINARY"):
            raise ValueError(f"its numbers are told as “{way}”")
        self.is_text = way == "ASCII"
        words = self.keyword()
        if words[:1] != ["DATASET"]:
            raise ValueError("it tells of no data set")
        return words[1].upper()

    def _line(self) -> str:
        end = self.data.find(b"\n", self.at)
        end = len(self.data) if end < 0 else end
        line = self.data[self.at : end].decode("latin-1")
        self.at = min(end + 1, len(self.data))
        return line

    def keyword(self) -> list[str]:
        """Give the words of the next line that is not empty, the first in capitals; none at the end.

        Notes that programs leave between (METADATA) are passed over.
        """
        while self.at < len(self.data):
            words = self._line().split()
            if words and words[0].upper() == "METADATA":
                while self.at < len(self.data) and self._line().strip():
                    pass
            elif words:
                return [words[0].upper(), *words[1:]]
        return []

    def numbers(self, count: int, kind: str) -> Floats:
        """Read so many numbers of a kind."""
        if self.is_text:
            end = re.compile(rb"\n\s*[A-Za-z_]").search(self.data, self.at)
            stop = end.start() if end else len(self.data)
            found = numbers_in(self.data[self.at : stop].decode("latin-1"))
            self.at = stop
        else:
            of = np.dtype(">" + _TYPES[kind.lower()])
            data = self.data[self.at : self.at + count * of.itemsize]
            found = np.frombuffer(data, dtype=of).astype(float)
            self.at += count * of.itemsize
        if len(found) != count:
            raise ValueError(f"{len(found)} numbers, where {count} are told of")
        return found

    def parts(self, wanted: dict[str, Callable[[list[str]], None]]) -> None:
        """Read the parts by their keywords, until data on points or cells begin."""
        while words := self.keyword():
            if words[0] in ("POINT_DATA", "CELL_DATA"):
                break
            if words[0] == "FIELD":
                raise ValueError("fields before the grid")
            if words[0] not in wanted:
                raise ValueError(f"a part “{words[0]}”")
            wanted[words[0]](words)


def _blocks(path: Path, file: _File) -> tuple[Grid, str]:
    """Read nodes by their places, by coordinates along each axis, or by an origin and steps."""
    shape: list[int] = []
    points: list[Floats] = []
    along: dict[str, Floats] = {}
    even: dict[str, list[float]] = {}

    def dimensions(words: list[str]) -> None:
        shape[:] = [int(word) for word in words[1:4]]
        if len(shape) != 3 or min(shape) < 1:
            raise ValueError(f"dimensions {' × '.join(words[1:])}")
        need("cells", math.prod(max(n - 1, 1) for n in shape), where=path.name)

    def axis(words: list[str]) -> None:
        along[words[0]] = file.numbers(int(words[1]), words[2])

    def told(words: list[str]) -> None:
        even[words[0].replace("ASPECT_RATIO", "SPACING")] = [float(word) for word in words[1:4]]

    file.parts(
        {
            "DIMENSIONS": dimensions,
            "POINTS": lambda words: points.append(file.numbers(3 * int(words[1]), words[2])),
            **dict.fromkeys(_COORDINATES, axis),
            **dict.fromkeys(("ORIGIN", "SPACING", "ASPECT_RATIO"), told),
        }
    )
    if even and not points:
        starts, steps = even.get("ORIGIN", [0.0] * 3), even["SPACING"]
        lines = [s + d * np.arange(n) for s, d, n in zip(starts, steps, shape, strict=True)]
    else:
        lines = [along[name] for name in _COORDINATES] if not points else []
    if lines:
        if [len(one) for one in lines] != shape:
            raise ValueError("coordinates that do not fit the dimensions")
        nodes = np.stack(np.meshgrid(*lines, indexing="ij"), axis=-1)
    else:
        nodes = points[0].reshape(*shape[::-1], 3).transpose(2, 1, 0, 3)
    return from_nodes(path, [np.ascontiguousarray(nodes)], [path.stem])


def _cells(path: Path, file: _File) -> tuple[Mesh, str]:
    found: dict[str, Ints | Floats] = {}

    def cells(words: list[str]) -> None:
        count, size = int(words[1]), int(words[2])
        at = file.at
        below = file.keyword()
        if below[:1] == ["OFFSETS"]:  # since version 5.1; there is one offset more than cells
            offsets = file.numbers(count, below[1]).astype(np.int64)
            name, kind = file.keyword()[:2]
            if name != "CONNECTIVITY":
                raise ValueError("offsets without what they are of")
            found["corners"] = file.numbers(size, kind).astype(np.int64)
            found["sizes"] = np.diff(offsets)
            return
        file.at = at
        mixed = file.numbers(size, "int").astype(np.int64)
        found["sizes"], found["corners"] = _apart(mixed, count)

    def types(words: list[str]) -> None:
        found["types"] = file.numbers(int(words[1]), "int").astype(np.int64)

    def points(words: list[str]) -> None:
        found["points"] = file.numbers(3 * int(words[1]), words[2]).reshape(-1, 3)

    file.parts({"POINTS": points, "CELLS": cells, "CELL_TYPES": types})
    codes, corners = (np.asarray(found[key], dtype=np.int64) for key in ("types", "corners"))
    need("cells", len(codes), where=path.name)
    cells_of = by_kind(codes, corners, _NAMES, path.name)
    wanted = np.array([_NAMES[code].corners for code in np.unique(codes).tolist()])
    if np.any(wanted[np.searchsorted(np.unique(codes), codes)] != found["sizes"]):
        raise ValueError("cells with other numbers of corners than their kinds have")
    return joined(path.name, [(path.stem, np.asarray(found["points"], dtype=float), cells_of, None)]), ""


def _apart(mixed: Ints, count: int) -> tuple[Ints, Ints]:
    """Part rows of how many corners and which into sizes (n,) and corners in one row."""
    sizes, kept, at = np.empty(count, dtype=np.int64), np.ones(len(mixed), dtype=bool), 0
    done = 0
    while done < count:  # cells of a size stand together: one step for each run
        size = int(mixed[at])
        if size < 1:
            raise ValueError(f"a cell with {size} corners")
        column = mixed[at :: size + 1][: count - done]
        other = np.flatnonzero(column != size)
        run = int(other[0]) if len(other) else len(column)
        sizes[done : done + run] = size
        kept[at : at + run * (size + 1) : size + 1] = False
        at, done = at + run * (size + 1), done + run
    if at != len(mixed):
        raise ValueError("cells with other numbers of corners than they say")
    return sizes, mixed[kept]


_KINDS: dict[str, Callable[[Path, _File], tuple[Grid | Mesh, str]]] = {
    "STRUCTURED_GRID": _blocks,
    "RECTILINEAR_GRID": _blocks,
    "STRUCTURED_POINTS": _blocks,
    "UNSTRUCTURED_GRID": _cells,
}

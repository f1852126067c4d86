"""Writing PLOT3D multi-block grids: all x of a block, then all y, then all z, i running fastest.

NASA TM-101235 (Walatka, Buning, Pierce & Elson 1990), grids without blanking. A binary file is the numbers
alone; with Fortran records each record stands between its length in bytes, as sequential unformatted files
have it.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from plodek.core.errors import BadValue
from plodek.core.formats import block_map
from plodek.core.formats.cargo import Cargo, unheard
from plodek.core.formats.registry import Choices

#: The length of a record is a 32-bit integer.
_MOST_RECORD = 2**31 - 9


def write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    """Write the nodes of a grid of space, or x and y of one of the plane, and the map beside them.

    Raises BadValue for a block too large for a Fortran record.
    """
    dim = cargo.grid.dim
    counts = [nodes.shape[:dim] for nodes in cargo.grid.xyz]
    if choices["form"] == "text":
        _write_text(path, cargo, counts, 17 if choices["precision"] == "double" else 9)
    else:
        order = "<" if choices["bytes"] == "little-endian" else ">"
        kind = np.dtype(order + ("f8" if choices["precision"] == "double" else "f4"))
        with path.open("wb") as file:
            _Binary(file, order, kind, records=choices["form"] != "binary").write(cargo, counts)
    return [path, *block_map.write(path, cargo)]


class _Binary:
    def __init__(self, file: BinaryIO, order: str, kind: np.dtype[Any], *, records: bool) -> None:
        self._file, self._order, self._kind, self._records = file, order, kind, records

    def write(self, cargo: Cargo, counts: list[tuple[int, ...]]) -> None:
        """Write the number of blocks, their counts, and each block."""
        for numbers in ([len(counts)], np.ravel(counts)):
            data = np.asarray(numbers, dtype=self._order + "i4").tobytes()
            self._mark(len(data))
            self._file.write(data)
            self._mark(len(data))
        for block, shape in enumerate(counts):
            one = int(np.prod(shape)) * self._kind.itemsize
            size = one * len(shape)
            if self._records and size > _MOST_RECORD:
                raise BadValue(
                    f"block {block + 1} has {size / 1e9:.1f} GB, more than a Fortran record holds",
                    remedy="take the binary form, single precision, or cut the block",
                )
            self._mark(size)
            start = self._file.tell()
            for low, fields in cargo.fields(block):
                for axis, values in enumerate(fields[: len(shape)]):
                    self._file.seek(start + axis * one + low * values[0].size * self._kind.itemsize)
                    self._file.write(np.ascontiguousarray(values, dtype=self._kind).data)
            self._file.seek(start + size)
            self._mark(size)

    def _mark(self, size: int) -> None:
        if self._records:
            self._file.write(np.asarray(size, dtype=self._order + "i4").tobytes())


def _write_text(path: Path, cargo: Cargo, counts: list[tuple[int, ...]], digits: int) -> None:
    number = f"{{:.{digits}g}}".format
    silent = replace(cargo, told=unheard)
    with path.open("w", encoding="ascii") as file:
        file.write(f"{len(counts)}\n")
        file.writelines(" ".join(map(str, shape)) + "\n" for shape in counts)
        for block, shape in enumerate(counts):
            for axis in range(len(shape)):
                for _, fields in (cargo if axis == 0 else silent).fields(block):
                    file.write("\n".join(map(number, fields[axis].ravel().tolist())) + "\n")

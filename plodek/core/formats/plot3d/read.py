"""Reading PLOT3D multi-block grids in every form; which one a file has, its own size tells."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import product
from pathlib import Path
from typing import Any, NoReturn

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.doors.numerals import numbers_in
from plodek.core.errors import BadFile
from plodek.core.formats.received import from_nodes
from plodek.core.grid.grid import Grid

#: Bytes at the beginning of a file that tell text from numbers.
_LOOK = 4096
_TEXT = b"0123456789+-.eEdD \t\r\n,"
_REMEDY = "give a PLOT3D grid of several blocks, binary, with Fortran records or as text"


@dataclass(frozen=True)
class _Form:
    """A binary form: byte order, size of numbers, dimension, blanking, records, with a count of blocks."""

    order: str
    size: int
    dim: int
    blanked: bool
    records: bool
    several: bool

    @property
    def head(self) -> int:
        """Bytes before the counts."""
        return (4 if self.several else 0) + (8 if self.several and self.records else 0)

    @property
    def node(self) -> int:
        """Bytes of a node."""
        return self.dim * self.size + 4 * self.blanked

    def counts(self, data: np.ndarray[Any, Any]) -> Ints | None:
        """Give the counts (blocks, dim) of a file of which this is the form by its size; else None."""
        mark = 4 * self.records
        if len(data) < 2 * self.head + 8:
            return None
        blocks = _ints(data, mark, 1, self.order)[0] if self.several else 1
        if not 0 < blocks <= len(data) // 8:
            return None
        start = self.head + mark
        numbers = _ints(data, start, int(blocks) * self.dim, self.order)
        if len(numbers) < blocks * self.dim or numbers.min() < 1 or numbers.max() > len(data):
            return None
        found = numbers.reshape(-1, self.dim)
        nodes = np.prod(found.astype(object), axis=1)
        whole = self.head + 2 * mark + 4 * found.size + sum(int(n) * self.node + 2 * mark for n in nodes)
        return found if whole == len(data) and self._marked(data, found) else None

    def _marked(self, data: np.ndarray[Any, Any], counts: Ints) -> bool:
        """Whether the records have the lengths that they say."""
        if not self.records:
            return True
        at = self.head
        for size in (4 * counts.size, *(int(np.prod(one)) * self.node for one in counts.astype(object))):
            marks = [_ints(data, place, 1, self.order)[0] for place in (at, at + 4 + size)]
            if marks != [size, size]:
                return False
            at += size + 8
        return True

    def blocks(self, data: np.ndarray[Any, Any], counts: Ints) -> Iterator[Floats]:
        """Give the nodes of each block."""
        at = self.head + 8 * self.records + 4 * counts.size
        for shape in counts:
            nodes = int(np.prod(shape))
            at += 4 * self.records
            size = nodes * self.dim * self.size
            values = np.frombuffer(data[at : at + size], dtype=f"{self.order}f{self.size}")
            yield _placed(values, tuple(int(n) for n in shape))
            at += nodes * self.node + 4 * self.records


def read(path: Path) -> tuple[Grid, str]:
    """Read a multi-block or a single grid, of space or of the plane, blanked or not, with its map if there.

    Interfaces come from the map beside it, or from nodes that lie at one place. Raises BadFile.
    """
    try:
        size = path.stat().st_size
        data = np.memmap(path, dtype=np.uint8, mode="r") if size else np.empty(0, dtype=np.uint8)
    except OSError as error:
        raise BadFile(
            f"it cannot be read ({error.strerror})", where=path.name, remedy="check the path"
        ) from error
    if len(data) and not bytes(data[:_LOOK]).strip(_TEXT):
        xyz = _from_text(path)
    else:
        forms = [
            (form, counts)
            for several, records, order, size, dim, blanked in product(
                (True, False), (False, True), "<>", (8, 4), (3, 2), (False, True)
            )
            if (counts := (form := _Form(order, size, dim, blanked, records, several)).counts(data))
            is not None
        ]
        if not forms:
            _refuse(data, path.name)
        form, counts = forms[0]
        xyz = list(form.blocks(data, counts))
    return from_nodes(path, xyz)


def _refuse(data: np.ndarray[Any, Any], name: str) -> NoReturn:
    """Say what a file of numbers tells that it has none of the forms."""
    for order, records in product("<>", (False, True)):
        (blocks,) = _ints(data, 4 * records, 1, order) if len(data) >= 12 else (0,)
        head = 4 + 12 * records
        counts = _ints(data, head, 3 * int(blocks), order) if 0 < blocks <= 100_000 else np.empty(0, int)
        if len(counts) == 3 * blocks > 0 and counts.min() > 0 and counts.max() < 2**24:
            nodes = sum(int(np.prod(one.astype(object))) for one in counts.reshape(-1, 3))
            raise BadFile(
                f"it tells of {int(blocks)} blocks with {nodes} nodes, which would be {24 * nodes} bytes "
                f"in double or {12 * nodes} in single precision; it has {len(data)}",
                where=name,
                remedy="it may break off, or mix precisions: write or copy it again",
            )
    raise BadFile("no form of a PLOT3D grid fits its size and first numbers", where=name, remedy=_REMEDY)


def _ints(data: np.ndarray[Any, Any], at: int, count: int, order: str) -> Ints:
    part = data[at : at + 4 * count]
    return np.frombuffer(part[: len(part) // 4 * 4].tobytes(), dtype=order + "i4").astype(np.int64)


def _placed(values: np.ndarray[Any, Any], shape: tuple[int, ...]) -> Floats:
    """Give nodes (ni, nj, nk, 3) from all x, then all y, then all z."""
    fields = values.reshape(len(shape), *shape[::-1])
    nodes = np.zeros((*shape, *(1,) * (3 - len(shape)), 3))
    for axis, field in enumerate(fields):
        nodes[..., axis] = field.T.reshape(nodes.shape[:3])
    return nodes


def _from_text(path: Path) -> list[Floats]:
    values = _numbers(path)
    for several, dim, blanked in product((True, False), (3, 2), (False, True)):
        blocks = values[0] if several else 1.0
        first = int(several)
        if not (0 < blocks < len(values) / dim and blocks == round(blocks)):
            continue
        counts = values[first : first + int(blocks) * dim].reshape(-1, dim)
        at = first + counts.size
        nodes = np.prod(counts, axis=1)
        fits = np.all(counts >= 1) and np.all(counts == np.round(counts))
        if not fits or at + nodes.sum() * (dim + blanked) != len(values):
            continue
        found = []
        for shape in counts.astype(int):
            size = int(np.prod(shape))
            found.append(_placed(values[at : at + size * dim], tuple(int(n) for n in shape)))
            at += size * (dim + blanked)
        return found
    raise BadFile(
        f"no form of a PLOT3D grid fits its {len(values)} numbers: it may break off",
        where=path.name,
        remedy=_REMEDY,
    )


def _numbers(path: Path) -> Floats:
    """Read the numbers of a text, parted by blanks or commas, exponents with e or d."""
    try:
        return numbers_in(path.read_text("ascii").translate(str.maketrans(",Dd", " ee")))
    except ValueError as error:
        raise BadFile("it holds what is no number", where=path.name, remedy=_REMEDY) from error

"""Reading PLOT3D multi-block grids in every form; which one a file has, its own size tells."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from pathlib import Path
from typing import Any, NoReturn

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.budget import most
from plodek.core.doors.numerals import repeated_in
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA, Kind
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.received import from_nodes
from plodek.core.grid.grid import Grid

#: Bytes at the beginning of a file that tell text from numbers.
_LOOK = 4096
_TEXT = b"0123456789+-.eEdD* \t\r\n,"
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

    def blocks(self, data: np.ndarray[Any, Any], counts: Ints) -> Iterator[tuple[Floats, Bools | None]]:
        """Give the nodes of each block, and which of them are blanked out, if any can be."""
        at = self.head + 8 * self.records + 4 * counts.size
        for shape in counts:
            nodes = int(np.prod(shape))
            at += 4 * self.records
            size = nodes * self.dim * self.size
            values = np.frombuffer(data[at : at + size], dtype=f"{self.order}f{self.size}")
            own = tuple(int(n) for n in shape)
            yield _placed(values, own), _blanked(data, at + size, own, self.order) if self.blanked else None
            at += nodes * self.node + 4 * self.records


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read a multi-block or a single grid, of space or of the plane, with its map if there.

    Interfaces come from the map beside it, or from nodes that lie at one place. Where nodes are blanked out,
    the cells at them are holes: the others are given as a mesh. Raises BadFile.
    """
    try:
        size = path.stat().st_size
        data = np.memmap(path, dtype=np.uint8, mode="r") if size else np.empty(0, dtype=np.uint8)
    except OSError as error:
        raise BadFile(
            f"it cannot be read ({error.strerror})", where=path.name, remedy="check the path"
        ) from error
    if len(data) and not bytes(data[:_LOOK]).strip(_TEXT):
        blocks = _from_text(path)
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
        blocks = list(form.blocks(data, counts))
    if any(blank is not None and blank.any() for _, blank in blocks):
        return _with_holes(path.name, blocks), ""
    return from_nodes(path, [nodes for nodes, _ in blocks])


def _with_holes(name: str, blocks: Sequence[tuple[Floats, Bools | None]]) -> Mesh:
    """Give the cells at none of whose corners a node is blanked out. Raises BadFile in the plane."""
    pieces: list[tuple[str, Floats, Mapping[Kind, Ints], Ints | None]] = []
    left = 0
    for number, (nodes, blank) in enumerate(blocks, 1):
        if min(nodes.shape[:3]) < 2:
            raise BadFile(
                "nodes are blanked out of a plane grid", where=f"{name}, block {number}",
                remedy="leave holes out as blocks of their own",
            )  # fmt: skip
        ni, nj, nk = nodes.shape[:3]
        ids: Ints = np.arange(ni * nj * nk).reshape(ni, nj, nk)
        ends = ((0, 0), (1, 0), (1, 1), (0, 1))
        parts = [
            (slice(i, ni - 1 + i), slice(j, nj - 1 + j), slice(k, nk - 1 + k))
            for k in (0, 1)
            for i, j in ends
        ]
        out: Bools = np.zeros((ni - 1, nj - 1, nk - 1), dtype=np.bool_)
        if blank is not None:
            for part in parts:
                out |= blank[part]
        left += int(out.sum())
        corners = np.stack([ids[part][~out] for part in parts], axis=1)
        pieces.append(("", nodes.reshape(-1, 3), {HEXA: corners}, None))
    note = f"{left} cells at nodes that are blanked out (iblank 0) are left out as holes"
    return replace(joined(name, pieces), notes=(note,))


def _blanked(data: np.ndarray[Any, Any], at: int, shape: tuple[int, ...], order: str) -> Bools:
    """Tell which nodes (ni, nj, nk) of a block are blanked out."""
    return _shaped(_ints(data, at, int(np.prod(shape)), order) == 0, shape)


def _shaped(values: np.ndarray[Any, Any], shape: tuple[int, ...]) -> Bools:
    return np.ascontiguousarray(values.reshape(shape[::-1]).T.reshape((*shape, *(1,) * (3 - len(shape)))))


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


def _from_text(path: Path) -> list[tuple[Floats, Bools | None]]:
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
            size, own = int(np.prod(shape)), tuple(int(n) for n in shape)
            blank = values[at + size * dim : at + size * (dim + 1)] == 0
            nodes = _placed(values[at : at + size * dim], own)
            found.append((nodes, _shaped(blank, own) if blanked else None))
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
        text = path.read_text("ascii").translate(str.maketrans(",Dd", " ee"))
        return repeated_in(text, 4 * most("cells"))
    except ValueError as error:
        raise BadFile("it holds what is no number", where=path.name, remedy=_REMEDY) from error

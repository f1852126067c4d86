"""The one door of HDF5 files: nothing outside one is opened, no more taken than it holds.

The format lets a file name others (external links and storage, virtual datasets), say that it holds what was
never written, and unpack to far more than was packed. The public description:
https://support.hdfgroup.org/documentation/hdf5/latest/_f_m_t3.html
"""

from __future__ import annotations

import math
import zlib
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from h5py import h5a, h5d, h5g, h5l, h5o, h5s, h5t, h5z

from plodek.core.budget import CELL_BYTES, most, variable
from plodek.core.errors import BadFile, OverBudget

#: Filters that values may have gone through: those whose unpacked size can be known beforehand.
_FILTERS = (h5z.FILTER_DEFLATE, h5z.FILTER_SHUFFLE, h5z.FILTER_FLETCHER32)
#: How many times more than its packed bytes deflate unpacks to at most, by its own design (RFC 1951).
_DEFLATED = 1032
#: Bytes that a packed piece may come to without being looked into, and bytes of a checksum beside values.
_LITTLE, _CHECKED = 64 * 1024**2, 8
#: Values of an attribute, and bytes of one of them, at most.
_MOST_IN_ATTRIBUTE, _MOST_OF_ATTRIBUTE = 4096, 65_536
_DAMAGE = (OSError, KeyError, ValueError, IndexError, StopIteration, RuntimeError, TypeError, AttributeError)
_SAFELY = "write it again with plain arrays of numbers, unpacked or packed by gzip"


@contextmanager
def opened(path: Path, what: str, remedy: str) -> Iterator[Node]:
    """Open a file to read, and give its root; all values go with the context.

    Raises BadFile with ``what`` it should be for one that is none, breaks off, or names other files, also
    where that is met within the context; OverBudget for values beyond what the largest grid needs.
    """
    try:
        with h5py.File(path, "r") as file:
            need_within(file, path.name)
            yield Node(h5g.open(file.id, b"/"), _Taken(path.name))
    except _DAMAGE as error:
        raise BadFile(
            f"it is not {what} that can be read ({error})", where=path.name, remedy=remedy
        ) from error


def made(path: Path | str, **how: Any) -> h5py.File:
    """Make a file to write, a new one; ``how`` is as h5py takes it."""
    return h5py.File(path, "w", **how)


def need_within(file: h5py.File, name: str) -> None:
    """Raise BadFile where any link of a file leads out of it; links are looked at, not followed."""

    def outside(link: bytes, info: Any) -> bytes | None:
        return None if info.type in (h5l.TYPE_HARD, h5l.TYPE_SOFT) else link

    found = file.id.links.visit(outside, info=True)
    if found is not None:
        raise BadFile(
            f"its “{found.decode(errors='replace')[-60:]}” leads to another file, and that is not followed",
            where=name,
            remedy="put what it leads to into this file",
        )


class _Taken:
    """How much of a file has been read, of what may be."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.most = CELL_BYTES * most("cells")
        self._bytes = 0

    def need(self, count: int, what: str) -> None:
        """Count bytes that are about to be read. Raises OverBudget."""
        self._bytes += count
        if self._bytes > self.most:
            raise OverBudget(
                f"it says that it holds {self._bytes // 10**6} MB up to {what}, more than a grid of "
                f"{most('cells')} cells has",
                where=self.name,
                remedy=f"take fewer cells; {variable('cells')} sets another limit",
            )

    def refused(self, what: str, words: str, remedy: str = _SAFELY) -> BadFile:
        """Give the error for values that are not read."""
        return BadFile(f"its “{what[-60:]}” {words}", where=self.name, remedy=remedy)


def readable(words: bytes) -> str:
    """Give words as text: UTF-8, or Latin 1 as older files have it."""
    try:
        return words.decode()
    except UnicodeDecodeError:
        return words.decode("latin-1")


class Node:
    """A group of a file: groups and arrays by their names, and attributes."""

    def __init__(self, group: h5g.GroupID, taken: _Taken) -> None:
        self._group, self._taken = group, taken

    def __contains__(self, name: str) -> bool:
        return name.encode() in self._group

    def __getitem__(self, name: str) -> Node:
        found = h5o.open(self._group, name.encode())
        if not isinstance(found, h5g.GroupID):
            raise KeyError(f"“{name}” is no group")
        return Node(found, self._taken)

    def groups(self) -> Iterator[tuple[str, Node]]:
        """Give the groups in this one by their names."""
        for name in self._group:
            with suppress(KeyError):  # a link that leads to nothing
                if isinstance(found := h5o.open(self._group, name), h5g.GroupID):
                    yield readable(name), Node(found, self._taken)

    def array(self, name: str) -> Array:
        """Give an array in this group, not read yet. Raises KeyError, BadFile for what is not read."""
        found = h5o.open(self._group, name.encode())
        if not isinstance(found, h5d.DatasetID):
            raise KeyError(f"“{name}” is no array")
        return Array(found, name, self._taken)

    def words(self, name: str) -> str | None:
        """Give an attribute of words; None where there is none."""
        found = self._attribute(name, h5t.STRING)
        if found is None:
            return None
        return readable(bytes(found)) if isinstance(found, bytes) else str(found)

    def number(self, name: str) -> int:
        """Give an attribute of one whole number. Raises KeyError without it."""
        found = self._attribute(name, h5t.INTEGER)
        if found is None:
            raise KeyError(f"there is no attribute “{name}”")
        return int(found)

    def _attribute(self, name: str, wanted: int) -> Any:
        """Give the first value of an attribute of a class; None where there is none."""
        if not h5a.exists(self._group, name.encode()):
            return None
        there = h5a.open(self._group, name.encode())
        kind, count = there.get_type(), there.get_space().get_simple_extent_npoints()
        loose = isinstance(kind, h5t.TypeStringID) and kind.is_variable_str()
        small = 0 < count <= (1 if loose else _MOST_IN_ATTRIBUTE) and kind.get_size() <= _MOST_OF_ATTRIBUTE
        if kind.get_class() != wanted or not small:
            raise self._taken.refused(name, "is no attribute that is read")
        found = np.empty(there.shape, dtype=there.dtype)
        there.read(found)
        return found.ravel()[0]


class Array:
    """An array of numbers of a file, read by `read` alone."""

    def __init__(self, stored: h5d.DatasetID, name: str, taken: _Taken) -> None:
        self._stored, self._name, self._taken = stored, name, taken
        #: How many values it has along each axis, as the file says.
        self.shape: tuple[int, ...] = stored.shape or ()
        self._dtype: np.dtype[Any] = stored.dtype
        self._bytes = math.prod(self.shape) * self._dtype.itemsize
        self._piece = self._looked_at()

    def read(self) -> np.ndarray[Any, Any]:
        """Read all values. Raises OverBudget before they are read, BadFile where they unpack to more."""
        self._taken.need(max(self._bytes, self._piece), self._name)
        if self._piece:
            self._need_as_large()
        found = np.empty(self.shape, dtype=self._dtype)
        if found.size:
            self._stored.read(h5s.ALL, h5s.ALL, found)
        return found

    def _looked_at(self) -> int:
        """Give the bytes of each packed piece, 0 without any.

        Raises BadFile for values that lie elsewhere, were never written, or are no plain numbers.
        """
        made = self._stored.get_create_plist()
        layout = made.get_layout()
        if self._stored.get_type().get_class() not in (h5t.INTEGER, h5t.FLOAT):
            raise self._taken.refused(self._name, "holds what is no number")
        if made.get_external_count() or layout == h5d.VIRTUAL:
            raise self._taken.refused(
                self._name, "has its values in another file, and that is not opened",
                "put all values into this file",
            )  # fmt: skip
        filters = [made.get_filter(n)[0] for n in range(made.get_nfilters())]
        if not set(filters) <= set(_FILTERS) or len(set(filters)) < len(filters):
            raise self._taken.refused(self._name, "is packed in a way that is not read")
        pieces = made.get_chunk() if layout == h5d.CHUNKED else ()
        if not self._bytes or layout == h5d.COMPACT:
            whole = True
        elif pieces:
            needed = math.prod(-(-n // c) for n, c in zip(self.shape, pieces, strict=True))
            whole = self._stored.get_num_chunks() >= needed
        else:
            whole = self._stored.get_storage_size() >= self._bytes
        if not whole:
            raise self._taken.refused(
                self._name, f"is said to hold {self._bytes} bytes, and not all of them were ever written"
            )
        return math.prod(pieces) * self._dtype.itemsize if filters else 0

    def _need_as_large(self) -> None:
        """Raise BadFile where a piece whose packed size would allow it unpacks to far more than it should."""
        suspect: list[tuple[int, ...]] = []

        def look(info: Any) -> None:
            if info.size * _DEFLATED > _LITTLE:
                suspect.append(tuple(info.chunk_offset))

        self._stored.chunk_iter(look)
        for offset in suspect:
            left, size = self._stored.read_direct_chunk(offset)[1], 0
            unpacking = zlib.decompressobj()
            try:
                while left and size <= self._piece + _CHECKED and not unpacking.eof:
                    size += len(unpacking.decompress(left, 1 << 20))
                    left = unpacking.unconsumed_tail
            except zlib.error:
                continue  # it is not packed, or damaged: reading it says so
            if size > self._piece + _CHECKED:
                raise self._taken.refused(self._name, "unpacks to more than it says")

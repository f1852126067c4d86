"""The nodes of a CGNS file as HDF5 groups, written through the low level of h5py.

A grid of many blocks has tens of thousands of small nodes, most of them like one that came before. The first
of its kind is made in a file in memory and copied from there, which takes a third of the time of making it;
copied with those below it, less than half of that.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from h5py import h5a, h5d, h5g, h5o, h5p, h5s, h5t
from propcache.api import cached_property

from plodek.core.doors.hdf5 import made

_VERSION = 3.4
#: Data up to this size in bytes stand in the node itself, and are copied with it.
_SMALL = 1024
_FLAGS = np.array([1], dtype=np.int32)
_TYPES = {np.dtype(kind): name for kind, name in (("f8", "R8"), ("f4", "R4"), ("i4", "I4"), ("i1", "C1"))}
_DATA = b" data"
#: The bounds that the standard's own library sets.
_BOUNDS = ("v108", "v110")


@dataclass(frozen=True)
class Part:
    """A node to be made: its name, its label, and its data, which are written ``later`` perhaps."""

    name: str
    label: str
    data: np.ndarray[Any, Any] | None = None
    later: bool = False

    @property
    def is_small(self) -> bool:
        """Whether its data stand in the node itself."""
        return self.data is not None and self.data.nbytes <= _SMALL and not self.later

    @property
    def like(self) -> tuple[Any, ...]:
        """What nodes that are copies of one another have in common."""
        kind = None if self.data is None else self.data.dtype
        return self.name, self.label, kind, self.data.shape if self.data is not None and self.is_small else ()


class _Makers:
    """What all nodes of a file are made with, and the first of each kind in ``memory``."""

    def __init__(self, memory: Any) -> None:
        self._memory = memory
        self._patterns: dict[tuple[Any, ...], bytes] = {}

    @cached_property
    def _scalar(self) -> Any:
        return h5s.create(h5s.SCALAR)

    @cached_property
    def _ordered(self) -> Any:
        """Properties of a group whose children keep their order, as the standard's library makes it."""
        found = h5p.create(h5p.GROUP_CREATE)
        found.set_link_creation_order(h5p.CRT_ORDER_TRACKED | h5p.CRT_ORDER_INDEXED)
        found.set_obj_track_times(False)
        return found

    @cached_property
    def _inside(self) -> Any:
        """Properties of a dataset whose values stand in its header."""
        found = _timeless()
        found.set_layout(h5d.COMPACT)
        return found

    @cached_property
    def _texts(self) -> dict[int, Any]:
        found = {}
        for size in (3, 33):
            kind = h5t.C_S1.copy()
            kind.set_size(size)
            found[size] = kind
        return found

    def mark(self, group: Any, name: str, label: str, kind: str) -> None:
        """Give a group what makes it a node of CGNS, but its flags, which the root has not."""
        for key, text, size in ((b"name", name, 33), (b"label", label, 33), (b"type", kind, 3)):
            attribute = h5a.create(group, key, self._texts[size], self._scalar)
            attribute.write(np.array(text.encode(), dtype=f"S{size}"), self._texts[size])

    def add(self, above: Any, part: Part, below: Sequence[Part] = ()) -> None:
        """Make a node below the group ``above``, with some below it."""
        to = self._copied(above, part, *below)
        for path, one in ((to, part), *((to + b"/" + one.name.encode(), one) for one in below)):
            if one.data is not None:
                there = (
                    h5d.open(above, path + b"/" + _DATA) if one.is_small else _dataset(above, path, one.data)
                )
                there.write(h5s.ALL, h5s.ALL, np.ascontiguousarray(one.data))

    def empty(self, above: Any, name: str, label: str, shape: tuple[int, ...], kind: type) -> Any:
        """Make a node below the group ``above`` whose data are written later, and give their dataset."""
        later = np.broadcast_to(np.dtype(kind).type(0), shape)
        return _dataset(above, self._copied(above, Part(name, label, later, later=True)), later)

    def _copied(self, above: Any, part: Part, *below: Part) -> bytes:
        """Copy the first node of a kind, with those below it, and give its name."""
        key = tuple(one.like for one in (part, *below))
        if key not in self._patterns:
            self._patterns[key] = self._pattern(part, below)
        to = part.name.encode()
        h5o.copy(self._memory, self._patterns[key], above, to)
        return to

    def _pattern(self, part: Part, below: Sequence[Part]) -> bytes:
        """Make the first node of a kind in memory, with those below it, and give its name there."""
        found = str(len(self._patterns)).encode()
        group = self._made(self._memory, found, part)
        for one in below:
            self._made(group, one.name.encode(), one)
        return found

    def _made(self, above: Any, to: bytes, part: Part) -> Any:
        group = h5g.create(above, to, gcpl=self._ordered)
        self.mark(group, part.name, part.label, "MT" if part.data is None else _TYPES[part.data.dtype])
        flags = h5a.create(group, b"flags", h5t.NATIVE_INT32, h5s.create_simple((1,)))
        flags.write(_FLAGS, h5t.NATIVE_INT32)
        if part.data is not None and part.is_small:
            space, kind = h5s.create_simple(part.data.shape), h5t.py_create(part.data.dtype)
            h5d.create(group, _DATA, kind, space, self._inside)
        return group


def _dataset(above: Any, name: bytes, data: np.ndarray[Any, Any]) -> Any:
    """Make the dataset of a node for data that do not stand in the node itself."""
    space = h5s.create_simple(data.shape)
    return h5d.create(above, name + b"/" + _DATA, h5t.py_create(data.dtype), space, _timeless())


def _timeless() -> Any:
    """Properties of a dataset that keeps no times: files of the same grid are alike to the byte."""
    found = h5p.create(h5p.DATASET_CREATE)
    found.set_obj_track_times(False)
    return found


@dataclass(frozen=True)
class Rows:
    """Data of a node that are written some rows, along the first axis, at a time."""

    _there: Any

    def put(self, start: int, values: np.ndarray[Any, Any]) -> None:
        """Write rows from ``start`` on."""
        if not values.size:
            return
        space = self._there.get_space()
        space.select_hyperslab((start, *(0,) * (values.ndim - 1)), values.shape)
        self._there.write(h5s.create_simple(values.shape), space, np.ascontiguousarray(values))


@dataclass(frozen=True)
class Node:
    """A node that is being written."""

    _above: Any
    _name: str
    _makers: _Makers

    @cached_property
    def _group(self) -> Any:
        return h5g.open(self._above, self._name.encode())

    def child(
        self,
        name: str,
        label: str,
        data: np.ndarray[Any, Any] | str | None = None,
        below: Sequence[Part] = (),
    ) -> Node:
        """Add a node below this one, with its data, an array or a text, and with nodes below it: at once."""
        if isinstance(data, str):
            data = np.frombuffer(data.encode(), dtype=np.int8)
        self._makers.add(self._group, Part(name, label, data), below)
        return Node(self._group, name, self._makers)

    def rows(self, name: str, label: str, shape: tuple[int, ...], kind: type) -> tuple[Node, Rows]:
        """Add a node below this one whose data come some rows at a time."""
        there = self._makers.empty(self._group, name, label, shape, kind)
        return Node(self._group, name, self._makers), Rows(there)


@contextmanager
def open_file(path: Path) -> Iterator[Node]:
    """Begin a CGNS file and give its root."""
    with (
        made("patterns", driver="core", backing_store=False, libver=_BOUNDS) as memory,
        made(path, libver=_BOUNDS, track_order=True) as file,
    ):
        makers = _Makers(h5g.open(memory.id, b"/"))
        root = h5g.open(file.id, b"/")
        makers.mark(root, "HDF5 MotherNode", "Root Node of HDF5 File", "MT")
        for name, text, size in (
            (" format", "IEEE_LITTLE_32", 15),
            (" hdf5version", "HDF5 Version 1.10", 33),
        ):
            file.create_dataset(name, data=np.frombuffer(text.encode().ljust(size, b"\0"), dtype=np.int8))
        node = Node(root, ".", makers)
        node.child("CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([_VERSION], dtype=np.float32))
        yield node

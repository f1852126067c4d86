"""The nodes of a CGNS file as HDF5 groups, written through the low level of h5py.

A grid of many blocks has tens of thousands of small nodes: types and spaces of their attributes are made
once for a file, not once for each.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from h5py import h5a, h5d, h5g, h5p, h5s, h5t

_VERSION = 3.4
_FLAGS = np.array([1], dtype=np.int32)
_TYPES = {"float64": "R8", "float32": "R4", "int32": "I4", "int8": "C1"}


class _Makers:
    """What all nodes of a file are made with."""

    def __init__(self) -> None:
        self._spaces: dict[tuple[int, ...], Any] = {}
        self._kinds: dict[str, Any] = {}

    @cached_property
    def scalar(self) -> Any:
        return h5s.create(h5s.SCALAR)

    @cached_property
    def group(self) -> Any:
        """Properties of a group whose children keep their order, as the standard's library makes it."""
        found = h5p.create(h5p.GROUP_CREATE)
        found.set_link_creation_order(h5p.CRT_ORDER_TRACKED | h5p.CRT_ORDER_INDEXED)
        return found

    @cached_property
    def texts(self) -> dict[int, Any]:
        found = {}
        for size in (3, 33):
            kind = h5t.C_S1.copy()
            kind.set_size(size)
            found[size] = kind
        return found

    @cached_property
    def flags(self) -> Any:
        return h5s.create_simple((1,))

    def mark(self, group: Any, name: str, label: str, kind: str, *, flags: bool = True) -> None:
        for key, text, size in ((b"name", name, 33), (b"label", label, 33), (b"type", kind, 3)):
            attribute = h5a.create(group, key, self.texts[size], self.scalar)
            attribute.write(np.array(text.encode(), dtype=f"S{size}"), self.texts[size])
        if flags:
            attribute = h5a.create(group, b"flags", h5t.NATIVE_INT32, self.flags)
            attribute.write(_FLAGS, h5t.NATIVE_INT32)

    def data(self, group: Any, values: np.ndarray[Any, Any]) -> None:
        space = self._spaces.setdefault(values.shape, h5s.create_simple(values.shape))
        kind = self._kinds.setdefault(values.dtype.str, h5t.py_create(values.dtype))
        there = h5d.create(group, b" data", kind, space)
        there.write(h5s.ALL, h5s.ALL, np.ascontiguousarray(values), kind)


@dataclass(frozen=True)
class Node:
    """A node that is being written."""

    group: Any
    _makers: _Makers

    def child(self, name: str, label: str, data: np.ndarray[Any, Any] | str | None = None) -> Node:
        """Add a node below this one, with its data, an array or a text."""
        group = h5g.create(self.group, name.encode(), gcpl=self._makers.group)
        if isinstance(data, str):
            data = np.frombuffer(data.encode(), dtype=np.int8)
        self._makers.mark(group, name, label, "MT" if data is None else _TYPES[data.dtype.name])
        if data is not None:
            self._makers.data(group, data)
        return Node(group, self._makers)


@contextmanager
def open_file(path: Path) -> Iterator[Node]:
    """Begin a CGNS file and give its root."""
    makers = _Makers()
    with h5py.File(path, "w", libver=("earliest", "v110"), track_order=True) as file:
        root = file.id if isinstance(file.id, h5g.GroupID) else h5g.open(file.id, b"/")
        makers.mark(root, "HDF5 MotherNode", "Root Node of HDF5 File", "MT", flags=False)
        for name, text, size in (
            (" format", "IEEE_LITTLE_32", 15),
            (" hdf5version", "HDF5 Version 1.10", 33),
        ):
            file.create_dataset(name, data=np.frombuffer(text.encode().ljust(size, b"\0"), dtype=np.int8))
        node = Node(root, makers)
        node.child("CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([_VERSION], dtype=np.float32))
        yield node

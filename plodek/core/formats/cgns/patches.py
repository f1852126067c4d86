"""Where the conditions of structured zones lie: ranges and lists of nodes, faces or cells, as windows."""

from __future__ import annotations

from typing import Any

import numpy as np

from plodek.core.doors.hdf5 import Node
from plodek.core.errors import BadFile
from plodek.core.formats.cgns.tree import data_of, labelled, text
from plodek.core.formats.windows import ranged
from plodek.core.grid.outside import windows_on
from plodek.core.grid.window import Window

_AXES = {"IFaceCenter": 0, "JFaceCenter": 1, "KFaceCenter": 2}


def windows_of(
    condition: Node, block: int, shape: tuple[int, int, int], dim: int, where: str
) -> list[Window]:
    """Give the windows on the sides of a block of ``shape`` nodes that a condition names; none within it.

    Raises BadFile for ranges outside the block, and places that are named in another way.
    """
    location = next((text(node) for node in labelled(condition, "GridLocation_t")), "Vertex")
    if location not in ("Vertex", "FaceCenter", "CellCenter", *_AXES):
        raise BadFile(f"it lies on what the file calls {location}", where=where, remedy="name nodes or faces")
    for name in ("PointRange", "PointList"):
        if name in condition:
            values = data_of(condition[name]).reshape(-1, dim).astype(np.int64)
            if name == "PointList":
                return listed(values, location, block, shape, dim, where)
            span = _of_nodes(values, location, shape, dim, where)
            return [] if span is None else [ranged(block, span, shape, where)]
    raise BadFile("it names neither nodes nor faces", where=where, remedy="give a PointRange or a PointList")


def _of_nodes(
    span: np.ndarray[Any, Any], location: str, shape: tuple[int, int, int], dim: int, where: str
) -> np.ndarray[Any, Any] | None:
    """Give the range (2, dim) of nodes of a range of nodes, faces or cells; None where it is on no side."""
    low, high = np.sort(span, axis=0)
    ends = np.array(shape[:dim])
    if np.any(low < 1) or np.any(high > ends):
        return span  # it is told where that is
    if location == "CellCenter":
        axes = [a for a in range(dim) if low[a] == high[a] and low[a] in (1, ends[a] - 1)]
        at = {a: 1 if low[a] == 1 else int(ends[a]) for a in axes}
    else:
        axes = [a for a in range(dim) if low[a] == high[a] and low[a] in (1, ends[a])]
        at = {a: int(low[a]) for a in axes}
    if location in _AXES:
        axes = [a for a in axes if a == _AXES[location]]
    elif location == "FaceCenter" and len(axes) > 1:
        axes = [a for a in axes if low[a] == ends[a]] or axes  # no cell has that index: it is a face's
    if location == "Vertex":
        flat = [a for a in range(dim) if low[a] == high[a]]
        return span if len(flat) == 1 and flat == axes else None
    if len(axes) > 1:
        raise BadFile(
            "its range is a row of faces that may be on several sides",
            where=where, remedy="say IFaceCenter, JFaceCenter or KFaceCenter",
        )  # fmt: skip
    if not axes:
        return None
    others = [a for a in range(dim) if a != axes[0]]
    low[axes[0]] = high[axes[0]] = at[axes[0]]
    high[others] += 1
    return np.stack([low, high])


def listed(
    points: np.ndarray[Any, Any], location: str, block: int, shape: tuple[int, int, int], dim: int, where: str
) -> list[Window]:
    """Give the windows of the faces whose nodes, or which themselves, are in a list (n, dim)."""
    if len(points) and (points.min() < 1 or np.any(points > np.array(shape[:dim]))):
        raise BadFile(
            f"its list reaches outside the {shape[:dim]} nodes", where=where, remedy="list its nodes"
        )
    if location in ("FaceCenter", "CellCenter"):
        raise BadFile(f"its list is of {location}s", where=where, remedy="list nodes, or say IFaceCenter …")
    index = np.zeros((len(points), 3), dtype=np.int64)
    index[:, :dim] = points - 1
    named = np.zeros(shape, dtype=bool)
    named[tuple(index.T)] = True
    found: list[Window] = []
    for axis in range(dim) if location == "Vertex" else [_AXES[location]]:
        for end in (0, 1):
            side = np.take(named, -1 if end else 0, axis=axis)
            if location == "Vertex":
                faces = side[1:] & side[:-1]
                faces = faces[:, 1:] & faces[:, :-1] if dim == 3 else faces
            else:
                faces = side[:-1, :-1] if dim == 3 else side[:-1]
            if faces.any():
                found += windows_on(Window(block, axis, end), faces, shape)
    return found

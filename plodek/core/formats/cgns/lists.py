"""Sides of structured zones that lists of nodes join, as windows and how they lie against each other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.blocks.orientation import Orientation
from plodek.core.doors.hdf5 import Node
from plodek.core.errors import BadFile
from plodek.core.formats.cgns.patches import listed
from plodek.core.formats.cgns.tree import data_of, labelled, text
from plodek.core.formats.windows import ranged
from plodek.core.grid.window import Window

Shape: TypeAlias = tuple[int, int, int]


def joined_by_lists(
    link: Node, blocks: tuple[int, int], shapes: Sequence[Shape], dim: int, where: str
) -> list[tuple[Window, Window, Orientation]]:
    """Give the windows that a connectivity joins node by node (SIDS 8.4), ours and the donor's.

    None of them where its lists are not of nodes, or pair no whole rectangles. Raises BadFile where they
    reach outside their blocks.
    """
    location = next((text(node) for node in labelled(link, "GridLocation_t")), "Vertex")
    if location != "Vertex" or "PointList" not in link or "PointListDonor" not in link:
        return []
    ours, theirs = (data_of(link[name]).reshape(-1, dim) for name in ("PointList", "PointListDonor"))
    shape, other = (shapes[block] for block in blocks)
    if len(ours) != len(theirs):
        raise BadFile(
            f"it pairs {len(ours)} nodes with {len(theirs)}", where=where, remedy="write the file again"
        )
    windows = listed(ours, "Vertex", blocks[0], shape, dim, where)
    listed(theirs, "Vertex", blocks[1], other, dim, where)  # for its bounds
    keys = np.ravel_multi_index(tuple((ours - 1).T), shape[:dim])
    order = np.argsort(keys)
    found = []
    for window in windows:
        index = _nodes(window, shape, dim)
        own = np.ravel_multi_index(tuple(np.moveaxis(index, -1, 0)), shape[:dim])
        donors = theirs[order[np.searchsorted(keys[order], own)]] - 1
        pair = _against(window, donors, blocks[1], other, where)
        if pair is None:
            return []
        found.append((window, *pair))
    return found


def _nodes(window: Window, shape: Shape, dim: int) -> Ints:
    """Give the indices (…, dim) of the nodes of a window, in the three directions of its block."""
    spans = (np.arange(n)[part] for n, part in zip(shape, window.slices(shape), strict=True))
    return np.stack(np.meshgrid(*spans, indexing="ij"), axis=-1)[..., :dim]


def _against(
    window: Window, donors: Ints, block: int, shape: Shape, where: str
) -> tuple[Window, Orientation] | None:
    """Give the window of the nodes that stand for those of one, and how it lies; None where it is none."""
    dim = donors.shape[-1]
    low, high = (donors.reshape(-1, dim).min(axis=0), donors.reshape(-1, dim).max(axis=0))
    flat = [axis for axis in range(dim) if low[axis] == high[axis]]
    if len(flat) != 1 or low[flat[0]] not in (0, shape[flat[0]] - 1):
        return None
    theirs = ranged(block, np.stack([low, high]) + 1, shape, where)
    axes = [0] * dim
    axes[window.axis] = (theirs.axis + 1) * (1 if window.end != theirs.end else -1)
    first = donors[0, 0, 0]
    for axis in range(dim):
        if axis != window.axis:
            step = donors[tuple(int(axis == n) for n in range(3))] - first
            along = int(np.argmax(np.abs(step)))
            axes[axis] = (along + 1) * int(np.sign(step[along]))
    if sorted(map(abs, axes)) != list(range(1, dim + 1)):
        return None
    orientation = Orientation(tuple(axes))
    same = np.array_equal(orientation.apply(_nodes(theirs, shape, dim)), donors)
    return (theirs, orientation) if same else None

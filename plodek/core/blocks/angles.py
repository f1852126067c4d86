"""The angles at the corners of blocks, between the edges that meet there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of


@dataclass(frozen=True)
class CornerAngles:
    """Angles in degrees (n,), each at a corner of a block between two of its edges.

    ``at`` (n, 4) are the index of the filled block, the corner's number in it, and the two axes.
    """

    layout: Layout
    degrees: Floats
    at: Ints

    def where(self, n: int) -> tuple[str, str, Edge, Edge]:
        """Give the block and the corner of an angle, and the two edges it lies between."""
        block, number, a, b = (int(k) for k in self.at[n])
        name = self.layout.filled[block]
        corners = self.layout.blocks[name].corners
        first, second = (edge_of(corners[number], corners[number ^ 1 << axis]) for axis in (a, b))
        return name, corners[number], first, second


def corner_angles(layout: Layout, paths: Mapping[Edge, EdgePath]) -> CornerAngles:
    """Measure the angles at all corners of filled blocks: one per corner and pair of axes.

    In the plane an angle turns from the first axis to the second, so that it may pass 180°.
    """
    pairs = [(a, b) for a in range(layout.dim) for b in range(a + 1, layout.dim)]
    if not layout.filled:
        return CornerAngles(layout, np.empty(0), np.empty((0, 4), dtype=np.int64))
    number = {corner: k for k, corner in enumerate(layout.corners)}
    ids = np.array([[number[c] for c in layout.blocks[name].corners] for name in layout.filled])
    leaving = leaving_ways(layout, paths, ids)
    bits = np.arange(ids.shape[1])
    found = np.empty((*ids.shape, len(pairs)))
    is_one = np.empty(found.shape, dtype=bool)
    for k, (a, b) in enumerate(pairs):
        u, v = leaving[a], leaving[b]
        degrees = np.degrees(np.arccos(np.clip(np.einsum("mnx,mnx->mn", u, v), -1.0, 1.0)))
        if layout.dim == 2:
            across = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
            across = np.where((bits >> a ^ bits >> b) & 1, -across, across)
            degrees = np.where(across < 0, 360.0 - degrees, degrees)
        found[..., k] = degrees
        one, other = ids[:, bits ^ 1 << a], ids[:, bits ^ 1 << b]
        is_one[..., k] = (one != ids) & (other != ids) & (one != other)  # nothing has shrunk there
    blocks, corners, which = np.nonzero(is_one)
    return CornerAngles(layout, found[is_one], np.column_stack([blocks, corners, np.array(pairs)[which]]))


def leaving_ways(layout: Layout, paths: Mapping[Edge, EdgePath], ids: Ints) -> Floats:
    """Give the unit directions in which edges leave the corners of blocks: (axes, blocks, corners, 3)."""
    xyz = layout.places(layout.corners)[ids]
    bits = np.arange(ids.shape[1])
    found = np.stack([xyz[:, bits ^ 1 << axis] - xyz for axis in range(layout.dim)])
    found /= np.maximum(np.linalg.norm(found, axis=-1), 1e-300)[..., None]
    index = {name: k for k, name in enumerate(layout.filled)}
    for edge, path in paths.items():
        if path.curve is None:
            continue
        ways = dict(zip(edge, path.directions(), strict=True))
        for name, axis in layout.edges[edge]:
            corners = layout.blocks[name].corners
            for low, high in tables.parallel(layout.dim, axis):
                if name in index and edge_of(corners[low], corners[high]) == edge:
                    found[axis, index[name], low] = ways[corners[low]]
                    found[axis, index[name], high] = ways[corners[high]]
    return np.asarray(found)


def opens_smoothly(layout: Layout, first: Edge, second: Edge) -> str | None:
    """Give the guide that both edges follow, None where they do not follow one together."""
    one, other = layout.follows.get(first), layout.follows.get(second)
    return one.guide if one and other and one.guide == other.guide else None


def shrunk(layout: Layout) -> list[str]:
    """Find the filled blocks with an edge that has shrunk to a point."""
    return [
        name
        for name in layout.filled
        if any(
            layout.blocks[name].corners[a] == layout.blocks[name].corners[b]
            for _, a, b in tables.edges(layout.dim)
        )
    ]

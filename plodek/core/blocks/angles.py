"""The angles at the corners of blocks, between the edges that meet there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of


@dataclass(frozen=True)
class CornerAngles:
    """Angles in degrees (n,), each with its block, its corner and the two edges it lies between."""

    degrees: Floats
    where: tuple[tuple[str, str, Edge, Edge], ...]


def corner_angles(layout: Layout, paths: Mapping[Edge, EdgePath]) -> CornerAngles:
    """Measure the angles at all corners of filled blocks: one per corner and pair of axes.

    In the plane an angle turns from the first axis to the second, so that it may pass 180°.
    """
    leaving = _directions(layout, paths)
    first: list[Floats] = []
    second: list[Floats] = []
    turned: list[bool] = []
    where = []
    for name in layout.filled:
        corners = layout.blocks[name].corners
        for n, corner in enumerate(corners):
            for a in range(layout.dim):
                for b in range(a + 1, layout.dim):
                    ends = corners[n ^ 1 << a], corners[n ^ 1 << b]
                    if corner in ends or ends[0] == ends[1]:
                        continue
                    first.append(leaving[corner, ends[0]])
                    second.append(leaving[corner, ends[1]])
                    turned.append(bool((n >> a & 1) ^ (n >> b & 1)))
                    where.append((name, corner, edge_of(corner, ends[0]), edge_of(corner, ends[1])))
    if not where:
        return CornerAngles(np.empty(0), ())
    u, v = np.array(first), np.array(second)
    cosine = np.clip(np.einsum("nk,nk->n", u, v), -1.0, 1.0)
    degrees = np.degrees(np.arccos(cosine))
    if layout.dim == 2:
        across = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
        across = np.where(turned, -across, across)
        degrees = np.where(across < 0, 360.0 - degrees, degrees)
    return CornerAngles(degrees, tuple(where))


def _directions(layout: Layout, paths: Mapping[Edge, EdgePath]) -> dict[tuple[str, str], Floats]:
    """Give the unit direction (3,) in which each edge leaves each of its corners."""
    edges = list(paths)
    ends = layout.places(c for edge in edges for c in edge).reshape(len(edges), 2, 3)
    ways = ends[:, 1] - ends[:, 0]
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1), 1e-300)[:, None]
    found = {}
    for (a, b), way in zip(edges, ways, strict=True):
        path = paths[a, b]
        first, second = (way, -way) if path.curve is None else path.directions()
        found[a, b], found[b, a] = first, second
    return found


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

"""Normals of sides at their corners, and how squarely edges leave walls."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.continuing import leaving
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Layout, Side, Use, edge_of
from plodek.core.blocks.sides import block_normal, side_corners
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface


def slants(
    layout: Layout, guides: Mapping[str, Guide], paths: Mapping[Edge, EdgePath], walls: Iterable[Side]
) -> dict[Edge, dict[str, float]]:
    """Give for each edge that leaves walls, at each of its corners there, its cosine with their normal.

    Where it leaves several walls at once, as round the corner of a box, the smallest: the distance from the
    nearest of them counts. The normal is that of the guide that the wall lies on, or of the wall's own edges.
    """
    found: dict[Edge, dict[str, float]] = {}
    for wall in walls:
        for edge, corners in leaving(layout, [wall]).items():
            path = paths.get(edge)
            if path is None:
                continue
            for corner in corners:
                way = path.directions()[edge.index(corner)]
                cosine = abs(float(way @ _normal(layout, guides, paths, wall, corner)))
                ends = found.setdefault(edge, {})
                ends[corner] = min(cosine, ends.get(corner, 1.0))
    return found


def _normal(
    layout: Layout, guides: Mapping[str, Guide], paths: Mapping[Edge, EdgePath], wall: Side, corner: str
) -> Floats:
    """Give the unit normal (3,) of a wall at one of its corners."""
    surface = guides.get(layout.lies.get(wall, ""))
    if isinstance(surface, Surface):
        normal = surface.normal(surface.nearest(layout.places([corner])))[0]
        if np.any(normal):
            return np.asarray(normal)
    return _across(layout, layout.outer[wall], corner, paths.get)


def corner_normal(layout: Layout, guides: Mapping[str, Guide], use: Use, corner: str) -> Floats:
    """Give the unit normal (3,) of a block's side at one of its corners, away from the block.

    Where one of its edges there is bent it is across the edges' directions, so that blocks that meet on a
    smooth wall agree; else that of the whole side.
    """
    whole = block_normal(layout, use)
    own = [e for e in _edges_at(layout, use, corner) if e in layout.follows or e in layout.bends]
    if not own:
        return whole
    normal = _across(layout, use, corner, lambda edge: edge_path(layout, guides, edge))
    return normal if float(normal @ whole) >= 0 else -normal


def _edges_at(layout: Layout, use: Use, corner: str) -> list[Edge]:
    """Give the edges of a block's side that meet in one of its corners, those that have shrunk left out."""
    around = side_corners(layout, use)
    n = around.index(corner)
    others = [around[n ^ bit] for bit in (1, 2)[: layout.dim - 1]]
    return [edge_of(corner, other) for other in others if other != corner]


def _across(layout: Layout, use: Use, corner: str, path_of: Callable[[Edge], EdgePath | None]) -> Floats:
    """Give the unit normal (3,) across the edges of a side at a corner; else that of the whole side."""
    ways = []
    for edge in _edges_at(layout, use, corner):
        path = path_of(edge)
        if path is not None:
            ways.append(path.directions()[edge.index(corner)])
    if len(ways) < layout.dim - 1:
        return block_normal(layout, use)
    if layout.dim == 2:
        return np.array([ways[0][1], -ways[0][0], 0.0])
    across = np.cross(ways[0], ways[1])
    size = float(np.linalg.norm(across))
    return np.asarray(across / size) if size > 1e-6 else block_normal(layout, use)

"""Normals of sides at their corners, and how squarely edges leave walls."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.continuing import leaving
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Layout, Side, Use, edge_of
from plodek.core.blocks.sides import block_normal, side_corners
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface

#: How far from its corner a place within a side is looked for, in shares of the layout's size.
_WITHIN = 1e-3


def slants(
    layout: Layout, guides: Mapping[str, Guide], paths: Mapping[Edge, EdgePath], walls: Iterable[Side]
) -> dict[Edge, dict[str, float]]:
    """Give for each edge that leaves walls, at each of its corners there, its cosine with their normal.

    Where it leaves several walls at once, as round the corner of a box, their mean by areas: the thin end
    of a vane leaves the heights on its sides as they are. The normal is that of the guide that the wall lies
    on, or of the wall's own edges.
    """
    weights, sums = (defaultdict[Edge, dict[str, float]](dict) for _ in range(2))
    for wall in walls:
        size = side_size(layout, layout.outer[wall])
        for edge, corners in leaving(layout, [wall]).items():
            path = paths.get(edge)
            if path is None:
                continue
            for corner in corners:
                way = path.directions()[edge.index(corner)]
                cosine = abs(float(way @ _normal(layout, guides, paths, wall, corner)))
                weights[edge][corner] = weights[edge].get(corner, 0.0) + size
                sums[edge][corner] = sums[edge].get(corner, 0.0) + size * cosine
    return {
        edge: {corner: total / weights[edge][corner] for corner, total in ends.items()}
        for edge, ends in sums.items()
    }


def side_size(layout: Layout, use: Use) -> float:
    """Give the area of a side between its corners, never 0; in the plane its length."""
    xyz = layout.places(side_corners(layout, use))
    if len(xyz) == 2:
        return float(np.linalg.norm(xyz[1] - xyz[0]))
    return max(0.5 * float(np.linalg.norm(np.cross(xyz[3] - xyz[0], xyz[2] - xyz[1]))), 1e-300)


def _normal(
    layout: Layout, guides: Mapping[str, Guide], paths: Mapping[Edge, EdgePath], wall: Side, corner: str
) -> Floats:
    """Give the unit normal (3,) of a wall at one of its corners."""
    surface, use = guides.get(layout.lies.get(wall, "")), layout.outer[wall]
    if isinstance(surface, Surface):
        at = layout.places([corner])
        within = at + _WITHIN * layout.size() * np.sum(_ways(layout, use, corner, paths.get), axis=0)
        normal = surface.normals_beside(at, within)[0]
        if np.any(normal):
            return np.asarray(normal)
    return _across(layout, use, corner, paths.get)


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


def _ways(layout: Layout, use: Use, corner: str, path_of: Callable[[Edge], EdgePath | None]) -> list[Floats]:
    """Give the unit directions (3,) in which the edges of a side leave a corner."""
    found = ((edge, path_of(edge)) for edge in _edges_at(layout, use, corner))
    return [path.directions()[edge.index(corner)] for edge, path in found if path is not None]


def _across(layout: Layout, use: Use, corner: str, path_of: Callable[[Edge], EdgePath | None]) -> Floats:
    """Give the unit normal (3,) across the edges of a side at a corner; else that of the whole side."""
    ways = _ways(layout, use, corner, path_of)
    if len(ways) < layout.dim - 1:
        return block_normal(layout, use)
    if layout.dim == 2:
        return np.array([ways[0][1], -ways[0][0], 0.0])
    across = np.cross(ways[0], ways[1])
    size = float(np.linalg.norm(across))
    return np.asarray(across / size) if size > 1e-6 else block_normal(layout, use)

"""How squarely edges leave walls: what of a step along an edge is height over the wall."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.continuing import leaving
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, Side, edge_of
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
    use = layout.outer[wall]
    around = side_corners(layout, use)
    n = around.index(corner)
    ways = []
    for bit in (1, 2)[: layout.dim - 1]:
        edge = edge_of(corner, around[n ^ bit])
        if edge not in paths:  # it has shrunk
            return block_normal(layout, use)
        ways.append(paths[edge].directions()[edge.index(corner)])
    if layout.dim == 2:
        return np.array([ways[0][1], -ways[0][0], 0.0])
    across = np.cross(ways[0], ways[1])
    size = float(np.linalg.norm(across))
    return np.asarray(across / size) if size > 1e-6 else block_normal(layout, use)

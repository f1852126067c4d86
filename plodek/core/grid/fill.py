"""Filling blocks: transfinite interpolation from the nodes of their edges.

Gordon & Hall 1973 (Int. J. Numer. Meth. Eng. 7, 461) with blending functions from the arc-length
parameters of the four edges, intersected as in Soni 1985 (AIAA 85-1526).
"""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Block, Edge, Layout, edge_of
from plodek.core.spacing.spread import LaidOut


def fill_plane(layout: Layout, laid: LaidOut) -> dict[str, Floats]:
    """Fill every filled block of a plane layout: its nodes (ni, nj, 1, 3).

    Edge nodes are worked out once per edge, so that blocks share them to the bit.
    """
    xyz = {edge: laid.paths[edge].at(laid.nodes[edge]) for edge in laid.nodes}
    return {name: _fill(layout.blocks[name], laid, xyz)[:, :, None, :] for name in layout.filled}


def _fill(block: Block, laid: LaidOut, xyz: dict[Edge, Floats]) -> Floats:
    c0, c1, c2, c3 = block.corners
    (s1, south), (s2, north) = _along(laid, xyz, c0, c1), _along(laid, xyz, c2, c3)
    (t1, west), (t2, east) = _along(laid, xyz, c0, c2), _along(laid, xyz, c1, c3)
    s1, s2, t1, t2 = s1[:, None], s2[:, None], t1[None, :], t2[None, :]
    both = 1 - (s2 - s1) * (t2 - t1)
    u = (((1 - t1) * s1 + t1 * s2) / both)[:, :, None]
    v = (((1 - s1) * t1 + s1 * t2) / both)[:, :, None]
    nodes = (
        (1 - u) * west[None] + u * east[None] + (1 - v) * south[:, None] + v * north[:, None]
        - (1 - u) * ((1 - v) * south[0] + v * north[0]) - u * ((1 - v) * south[-1] + v * north[-1])
    )  # fmt: skip
    nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1] = south, north, west, east
    return np.asarray(nodes)


def _along(laid: LaidOut, xyz: dict[Edge, Floats], a: str, b: str) -> tuple[Floats, Floats]:
    """Give the node fractions and places of an edge from corner a to corner b."""
    edge = edge_of(a, b)
    if edge[0] == a:
        return laid.nodes[edge], xyz[edge]
    return 1.0 - laid.nodes[edge][::-1], xyz[edge][::-1]

"""The edges of moulds: their curves through the received nodes, and where nodes of the grid lie on them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.lattice import snapped


def edges_through(moulds: Iterable[Mould]) -> tuple[dict[Edge, Curve], dict[Edge, Floats]]:
    """Give the curves of the edges of moulds through their nodes, and where these lie on them (n,)."""
    bends: dict[Edge, Curve] = {}
    nodes: dict[Edge, Floats] = {}
    for mould in moulds:
        for _, low, high in tables.edges(mould.dim):
            first, second = (low, high) if mould.corners[low] < mould.corners[high] else (high, low)
            edge = mould.corners[first], mould.corners[second]
            if edge[0] != edge[1] and edge not in bends:
                bends[edge] = line = mould.line(first, second)
                nodes[edge] = line.fractions(np.linspace(0.0, 1.0, round(line.count) + 1))
    return bends, nodes


def indices_along(mould: Mould, first: int, second: int, path: EdgePath | None, s: Floats) -> Floats:
    """Give the indices (n, 3) of the nodes at fractions (n,) of the way from one corner to another.

    ``path`` is that of the edge, None where it has shrunk. Where it runs through the lattice's nodes
    these get their whole indices; else the fractions are those of the lattice's own line.
    """
    start, end = mould.index[first], mould.index[second]
    return snapped(start + shares_along(mould, first, second, path, s)[:, None] * (end - start))


def shares_along(mould: Mould, first: int, second: int, path: EdgePath | None, s: Floats) -> Floats:
    """Give which shares (n,) of the lattice's steps lie before fractions (n,); see `indices_along`."""
    if path is None:
        return s
    if mould.corners[first] < mould.corners[second]:
        share = path.shares(s)
    else:
        back = path.shares(1.0 - s)
        share = None if back is None else 1.0 - back
    if share is None:
        line = mould.line(first, second)
        share = line.steps(s) / line.count
    return share

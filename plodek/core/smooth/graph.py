"""The nodes of a multi-block plane grid as one graph: coincident nodes are one, interfaces vanish.

An inner node where four cells meet has eight neighbours, anticlockwise: E, NE, N, NW, W, SW, S, SE.
Where three, five or more cells meet a node has only its edge neighbours.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numba as nb
import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.grid.from_layout import interfaces_of, poles_of, seams_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering

Indices = npt.NDArray[np.int32]


@dataclass(frozen=True)
class NodeGraph:
    """``xy`` (n, 2) the nodes; ``cells`` (q, 4) their indices around each cell, anticlockwise.

    ``ids`` the (ni, nj) node indices of each block; ``edges`` the node indices of each layout edge
    from its first corner; ``stencil`` (n, 8), -1 where a node is on the boundary or irregular;
    ``start``/``near`` the edge neighbours of the irregular inner nodes, in compressed rows.
    """

    xy: Floats
    cells: Indices
    ids: Mapping[str, Indices]
    edges: Mapping[Edge, Indices]
    stencil: Indices
    start: Indices
    near: Indices
    boundary: npt.NDArray[np.bool_]


def graph_of(layout: Layout, blocks: Mapping[str, Floats]) -> NodeGraph:
    """Make the graph of plane blocks (ni, nj, 1, 3): number the nodes and find their neighbours."""
    grid = Grid(
        2,
        tuple(blocks),
        tuple(blocks.values()),
        interfaces_of(layout),
        poles=poles_of(layout),
        seams=seams_of(layout),
    )
    numbering = Numbering.of(grid)
    plain = {name: ids[:, :, 0] for name, ids in zip(grid.names, numbering.ids, strict=True)}
    edges: dict[Edge, Indices] = {}
    visits = []
    for name, index in plain.items():
        c0, c1, c2, c3 = layout.blocks[name].corners
        for a, b, line in (
            (c0, c1, index[:, 0]), (c2, c3, index[:, -1]), (c0, c2, index[0]), (c1, c3, index[-1])
        ):  # fmt: skip
            along = line if a <= b else line[::-1]
            visits += [along[:1], along[-1:], along[1:-1]]
            if a != b:
                edges.setdefault(edge_of(a, b), along.astype(np.int32))
        visits.append(index[1:-1, 1:-1].ravel())
    order = _rank(np.concatenate(visits), numbering.count)
    ids = {name: order[index] for name, index in plain.items()}
    xy = np.empty((numbering.count, 2))
    for name, nodes in blocks.items():
        xy[ids[name]] = nodes[:, :, 0, :2]
    cells = np.concatenate([_cells(index) for index in ids.values()])
    stencil, start, near, boundary = _neighbours(numbering.count, cells)
    lines = {edge: order[line] for edge, line in edges.items()}
    return NodeGraph(xy, cells, ids, lines, stencil, start, near, boundary)


def _rank(visits: npt.NDArray[np.int64], count: int) -> Indices:
    """Give each node its place in the order in which a walk first comes to it.

    Corners and edges first, block by block: sweeps go over the nodes in this order.
    """
    _, first = np.unique(visits, return_index=True)
    found = np.empty(count, dtype=np.int32)
    found[np.argsort(first, kind="stable")] = np.arange(count, dtype=np.int32)
    return found


def blocks_of(graph: NodeGraph, xy: Floats, z: float) -> dict[str, Floats]:
    """Put nodes (n, 2) back into block arrays (ni, nj, 1, 3) in the plane at ``z``."""
    after = {}
    for name, index in graph.ids.items():
        nodes = np.full((*index.shape, 1, 3), z)
        nodes[:, :, 0, :2] = xy[index]
        after[name] = nodes
    return after


def _cells(index: Indices) -> Indices:
    around = (index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:])
    return np.stack([a.ravel() for a in around], axis=1)


@nb.njit(cache=True)
def _neighbours(count: int, cells: Indices) -> tuple[Indices, Indices, Indices, npt.NDArray[np.bool_]]:
    uses = np.zeros(count + 1, dtype=np.int32)
    for q in range(len(cells)):
        for c in range(4):
            uses[cells[q, c] + 1] += 1
    row = np.cumsum(uses)
    fill = row[:-1].copy()
    entries = np.empty(row[-1], dtype=np.int32)  # 4 * cell + corner
    for q in range(len(cells)):
        for c in range(4):
            node = cells[q, c]
            entries[fill[node]] = 4 * q + c
            fill[node] += 1
    stencil = np.full((count, 8), -1, dtype=np.int32)
    boundary = np.zeros(count, dtype=np.bool_)
    start = np.zeros(count + 1, dtype=np.int32)
    near = np.empty(row[-1], dtype=np.int32)
    used = 0
    for node in range(count):
        n = row[node + 1] - row[node]
        around = np.empty(2 * n, dtype=np.int32)
        entry = entries[row[node]]
        whole = True
        for step in range(n):
            q, c = entry // 4, entry % 4
            around[2 * step] = cells[q, (c + 1) % 4]
            around[2 * step + 1] = cells[q, (c + 2) % 4]
            last = cells[q, (c + 3) % 4]
            found = -1
            for e in range(row[node], row[node + 1]):
                other = entries[e]
                if cells[other // 4, (other % 4 + 1) % 4] == last:
                    found = other
            if found < 0:
                whole = False
                break
            entry = found
        boundary[node] = not whole
        if whole and n == 4:
            stencil[node] = around
        elif whole:
            near[used : used + n] = around[::2]
            used += n
        start[node + 1] = used
    return stencil, start, near[:used].copy(), boundary

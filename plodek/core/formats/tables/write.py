"""Writing nodes and block edges as CSV tables."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np

from plodek.core.blocks import tables
from plodek.core.formats import block_map
from plodek.core.formats.cargo import Cargo
from plodek.core.grid.window import part_of

#: The ending of the table of nodes along block edges.
EDGES = ".edges.csv"


def write(path: Path, cargo: Cargo) -> list[Path]:
    """Write ``NAME.csv`` with all nodes, ``NAME.edges.csv`` with those along block edges, and the map.

    Indices count from 1. Along an edge stand the distance from its first node, and the size of the cell
    that follows.
    """
    grid = cargo.grid
    with path.open("w", newline="", encoding="utf-8") as file:
        out = csv.writer(file)
        out.writerow(["block", "i", "j", "k", "x", "y", "z"])
        for block in range(len(grid.xyz)):
            for low, nodes in cargo.rows(block):
                i, j, k = (index.ravel() + 1 for index in np.indices(nodes.shape[:3]))
                columns = [i + low, j, k, *nodes.reshape(-1, 3).T]
                out.writerows(zip([block + 1] * len(i), *(c.tolist() for c in columns), strict=True))
    edges = path.with_suffix(EDGES)
    with edges.open("w", newline="", encoding="utf-8") as file:
        out = csv.writer(file)
        out.writerow(
            ["block", "along", "first_i", "first_j", "first_k", "node", "x", "y", "z", "distance", "cell"]
        )
        for block, nodes in enumerate(grid.xyz):
            for axis, low, _ in tables.edges(grid.dim):
                ends = tuple(None if a == axis else low >> a & 1 for a in range(3))
                line = nodes[part_of(ends)].reshape(-1, 3) * cargo.factor
                size = np.linalg.norm(np.diff(line, axis=0), axis=1)
                first = [1 if end in (0, None) else n for end, n in zip(ends, nodes.shape, strict=False)]
                distance = np.concatenate([[0.0], np.cumsum(size)])
                columns = [
                    range(1, len(line) + 1),
                    *(c.tolist() for c in line.T),
                    distance.tolist(),
                    [*size.tolist(), ""],
                ]
                out.writerows([block + 1, "ijk"[axis], *first, *row] for row in zip(*columns, strict=True))
    return [path, edges, *block_map.write(path, cargo)]

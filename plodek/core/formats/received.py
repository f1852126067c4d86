"""A grid made from a file of nodes: with the map beside it, or with what the nodes themselves tell."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.budget import need
from plodek.core.doors.places import need_places
from plodek.core.errors import BadFile
from plodek.core.formats import block_map
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import matched, poles_in
from plodek.core.grid.outside import rest_of


def from_nodes(path: Path, xyz: list[Floats], names: list[str] | None = None) -> tuple[Grid, str]:
    """Make a grid of the nodes of blocks (ni, nj, nk, 3) read from a file, and give its unit.

    A grid is plane where every block has one layer. Raises BadFile for blocks without cells or nodes
    without a place.
    """
    dim = 2 if all(nodes.shape[2] == 1 for nodes in xyz) else 3
    for block, nodes in enumerate(xyz, 1):
        where = f"{path.name}, block {block}"
        if min(nodes.shape[:dim]) < 2:
            raise BadFile(
                f"{' × '.join(map(str, nodes.shape[:3]))} nodes make no cell",
                where=where, remedy="give two along each axis at least",
            )  # fmt: skip
        need_places(nodes, where, "nodes")
    names = names or [f"block{n}" for n in range(1, len(xyz) + 1)]
    need("cells", sum(int(np.prod([max(n - 1, 1) for n in nodes.shape[:3]])) for nodes in xyz))
    told = block_map.with_map(path, names, xyz, dim)
    if told is not None:
        return told
    grid = Grid(dim, tuple(names), tuple(xyz), matched(xyz, dim), poles=poles_in(xyz, dim))
    return replace(grid, unnamed=rest_of(grid)), ""

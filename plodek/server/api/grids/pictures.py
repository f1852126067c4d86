"""Binary pictures of a grid, and its cells as messages.

A picture is one binary message: the length of a JSON index (uint32, little endian), the index padded
to 4 bytes, then the arrays one after the other. Only faces are sent, never the volume: the cells of a
plane grid, or of one in space the outer faces, those around chosen blocks, or a layer.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import edge_of
from plodek.core.budget import need
from plodek.core.check.measure import CellValues
from plodek.core.check.quality import WorstCell
from plodek.core.grid.fill import Layer
from plodek.core.grid.from_layout import windows_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.model.model import Model
from plodek.server.api.grids.messages import CellOut
from plodek.server.api.packing import packed

#: A face of no patch, and one inside the grid, in the list of face groups.
UNNAMED, INNER = 65535, 65534


def cell_out(grid: Grid, cell: WorstCell, label: str) -> CellOut:
    """Give a cell with its corners."""
    i, j, k = (n - 1 for n in cell.index)
    box = grid.xyz[cell.block][i : i + 2, j : j + 2, k : k + 2]
    corners = box.transpose(2, 1, 0, 3).reshape(-1, 3)
    return CellOut(
        cell=cell.cell,
        block=label,
        index=list(cell.index),
        value=finite(cell.value),
        at=list(cell.at),
        corners=corners.tolist(),
    )


def finite(value: float) -> float:
    """JSON knows no infinity: a ratio over a cell without volume is told as 1e30."""
    return value if np.isfinite(value) else 1e30


@dataclass(frozen=True)
class Sheet:
    """The nodes at one index along an axis of a block of a grid."""

    block: int
    axis: int
    at: int


#: A sheet, and the number of its patch.
Shown: TypeAlias = tuple[Sheet, int]


def outer_sheets(grid: Grid) -> list[Shown]:
    """Give the outer sides of a grid in space, or the blocks of a plane one."""
    if grid.dim == 2:
        return [(Sheet(b, 2, 0), UNNAMED) for b in range(len(grid.xyz))]
    named = [(window, n) for n, patch in enumerate(grid.patches) for window in patch.windows]
    return [(_at(grid, w), n) for w, n in named] + [(_at(grid, w), UNNAMED) for w in grid.unnamed]


def block_sheets(grid: Grid, names: Collection[str]) -> list[Shown]:
    """Give the sides around blocks of a grid in space, those between two of them left out."""
    chosen = {n for n, name in enumerate(grid.names) if name in names}
    between = {
        _at(grid, side)
        for joint in grid.interfaces
        if joint.first.block in chosen and joint.second.block in chosen
        for side in (joint.first, joint.second)
    }
    patches = dict(outer_sheets(grid))
    sides = (_at(grid, Window(b, axis, end)) for b in sorted(chosen) for axis in range(3) for end in (0, 1))
    return [(sheet, patches.get(sheet, INNER)) for sheet in sides if sheet not in between]


def layer_sheets(grid: Grid, layer: Layer) -> list[Shown]:
    """Give the sheets of a layer."""
    return [(Sheet(n, *layer[name]), INNER) for n, name in enumerate(grid.names) if name in layer]


def _at(grid: Grid, side: Window) -> Sheet:
    return Sheet(side.block, side.axis, grid.xyz[side.block].shape[side.axis] - 1 if side.end else 0)


def grid_picture(
    grid: Grid,
    cells: CellValues | None = None,
    metric: str | None = None,
    model: Model | None = None,
    shown: Sequence[Shown] | None = None,
    *,
    coarse: bool = False,
) -> bytes:
    """Draw a grid, or the sheets of it that are ``shown``.

    There are nodes, faces with their patch and side, lines, borders, and perhaps a metric per face, with its
    cell. With its model, the sides of a grid in space say which plane edge or block end they came from, and
    a plane grid says which nodes lie on each edge of the layout, from its first corner. Raises OverBudget
    for too many faces.
    """
    groups = outer_sheets(grid) if shown is None else shown
    need("faces", sum(grid.block_cells(one.block) // grid.shape_of(one.block)[one.axis] for one, _ in groups))
    nodes, faces, lines, borders, group, sides = [], [], [], [], [], []
    start, face_cells = 0, []
    for at, (sheet, number) in enumerate(groups):
        xyz = np.take(grid.xyz[sheet.block], sheet.at, axis=sheet.axis)
        na, nb = xyz.shape[:2]
        ids = start + np.arange(na * nb, dtype=np.uint32).reshape(na, nb)
        nodes.append(xyz.reshape(-1, 3))
        quads = np.stack([ids[:-1, :-1], ids[1:, :-1], ids[1:, 1:], ids[:-1, 1:]], axis=-1).reshape(-1, 4)
        faces.append(quads)
        along = np.stack([ids[:-1], ids[1:]], axis=-1).reshape(-1, 2)
        across = np.stack([ids[:, :-1], ids[:, 1:]], axis=-1).reshape(-1, 2)
        lines += [along, across]
        borders += [np.stack([r[:-1], r[1:]], axis=-1) for r in (ids[0], ids[-1], ids[:, 0], ids[:, -1])]
        group.append(np.full(len(quads), number, dtype=np.uint16))
        sides.append(np.full(len(quads), at, dtype=np.uint32))
        shape = grid.shape_of(sheet.block)
        index = grid.starts[sheet.block] + np.arange(grid.block_cells(sheet.block)).reshape(shape)
        beside = min(sheet.at, shape[sheet.axis] - 1)
        face_cells.append(np.take(index, beside, axis=sheet.axis).ravel())
        start += na * nb
    places = np.concatenate(nodes)
    origin = 0.5 * (places.min(axis=0) + places.max(axis=0))
    arrays: dict[str, np.ndarray[Any, Any]] = {
        "nodes": (places - origin).astype(np.float32),
        "faces": np.concatenate(faces).astype(np.uint32),
        "lines": np.concatenate(lines).astype(np.uint32),
        "borders": np.concatenate(borders).astype(np.uint32),
        "groups": np.concatenate(group),
        "sides": np.concatenate(sides),
    }
    if cells is not None and metric is not None:
        arrays["face_cells"] = np.concatenate(face_cells).astype(np.uint32)
        arrays["values"] = cells.of(metric)[arrays["face_cells"]].astype(np.float32)
    index_out = {
        "dim": grid.dim,
        "cells": grid.cells,
        "coarse": coarse,
        "origin": origin.tolist(),
        "patches": [p.name for p in grid.patches],
        "origins": _origins(model, grid, groups) if model and grid.dim == 3 else [],
        "edges": _edge_nodes(model, grid) if model and grid.dim == 2 else {},
    }
    return packed(index_out, arrays)


def _origins(model: Model, grid: Grid, sheets: Sequence[Shown]) -> list[str]:
    """Name the layout's side that each sheet is; nothing where it is none of the outer ones."""
    if grid.names != tuple(model.layout.filled):
        return [""] * len(sheets)
    windows = windows_of(model.layout)
    names = {_at(grid, w): "|".join(side) for side in model.layout.outer for w in windows[side]}
    return [names.get(sheet, "") for sheet, _ in sheets]


def _edge_nodes(model: Model, grid: Grid) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    start = 0
    for name, nodes in zip(grid.names, grid.xyz, strict=True):
        ni, nj = nodes.shape[:2]
        ids = start + np.arange(ni * nj).reshape(ni, nj)
        c = model.layout.blocks[name].corners
        for a, b, line in ((0, 1, ids[:, 0]), (2, 3, ids[:, -1]), (0, 2, ids[0]), (1, 3, ids[-1])):
            way = line if c[a] < c[b] else line[::-1]
            found["|".join(edge_of(c[a], c[b]))] = way.tolist()
        start += ni * nj
    return found


def plane_picture(names: list[str], blocks: list[Floats]) -> bytes:
    """Draw plane blocks (ni, nj, 1, 3) as a grid that is still on its way."""
    return grid_picture(Grid(2, tuple(names), tuple(blocks)))

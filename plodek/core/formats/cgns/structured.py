"""Writing CGNS: structured zones with 1-to-1 interfaces, periodic ones too, families with types, and units.

The open standard AIAA R-101A: SIDS (data) and its HDF5 mapping, https://cgns.github.io. Nodes are
HDF5 groups with the attributes name, label, type and flags and their data in a dataset " data";
array indices run fastest first, so C-ordered arrays go in transposed.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cgns.base import LENGTH, add_condition, add_move, axes_of, open_base
from plodek.core.formats.cgns.nodes import Node, Part
from plodek.core.formats.windows import span_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, Window

#: The family of sides that have shrunk to a pole.
_POLES = "poles"


def write(path: Path, cargo: Cargo) -> list[Path]:
    """Write a grid of space or of the plane, a zone for each block; regions are families of zones.

    Raises BadValue for a patch or region whose name the file needs itself.
    """
    grid = cargo.grid
    joints: dict[int, list[Interface]] = {}
    for joint in (*grid.interfaces, *grid.periodic):
        for way in (joint, joint.turned()):
            joints.setdefault(way.first.block, []).append(way)
    own: dict[int, list[tuple[PatchFaces, Window]]] = {}
    for patch in grid.patches:
        for window in patch.windows:
            own.setdefault(window.block, []).append((patch, window))
    region_of = {block: region for region, blocks in grid.regions.items() for block in blocks}
    with open_base(path, cargo, map(zone_name, range(len(grid.xyz)))) as base:
        for block in range(len(grid.xyz)):
            zone = _zone(base, block, cargo)
            ours = own.get(block, [])
            named = {window: patch for patch, window in ours}
            twins = _connectivity(zone, cargo, joints.get(block, []), named)
            _conditions(zone, grid, block, [one for one in ours if one[1] not in twins])
            if block in region_of:
                zone.child("FamilyName", "FamilyName_t", region_of[block])
    return [path]


def zone_name(block: int) -> str:
    """Give the name of a block's zone."""
    return f"Block{block + 1:04d}"


def _zone(base: Node, block: int, cargo: Cargo) -> Node:
    dim = cargo.grid.dim
    counts = cargo.grid.xyz[block].shape[:dim]
    sizes = np.array([counts, [n - 1 for n in counts], [0] * dim], dtype=np.int32)
    zone = base.child(zone_name(block), "Zone_t", sizes)
    zone.child("ZoneType", "ZoneType_t", "Structured")
    places = zone.child("GridCoordinates", "GridCoordinates_t")
    lines = []
    for letter in axes_of(cargo.grid):
        line, rows = places.rows(f"Coordinate{letter}", "DataArray_t", counts[::-1], np.float64)
        line.child("DimensionalExponents", "DimensionalExponents_t", LENGTH)
        lines.append(rows)
    for start, fields in cargo.fields(block):
        for rows, values in zip(lines, fields, strict=False):  # a plane has no z
            rows.put(start, values if dim == 3 else values[0])
    return zone


def _connectivity(
    zone: Node, cargo: Cargo, joints: list[Interface], named: dict[Window, PatchFaces]
) -> set[Window]:
    """Write the interfaces of a block; returns the windows of those that are periodic."""
    if not joints:
        return set()
    grid, twins = cargo.grid, set()
    links = zone.child("ZoneGridConnectivity", "ZoneGridConnectivity_t")
    for number, joint in enumerate(joints, 1):
        there = zone_name(joint.second.block)
        name = "Interface" if joint.move is None else "Periodic"
        below = []
        if joint.orientation.axes != tuple(range(1, grid.dim + 1)):  # which stands where it is left out
            transform = np.array(joint.orientation.axes, dtype=np.int32)  # (SIDS 8.2)
            below.append(Part("Transform", '"int[IndexDimension]"', transform))
        below.append(Part("PointRange", "IndexRange_t", _range(grid, joint.first)))
        below.append(Part("PointRangeDonor", "IndexRange_t", _donor_range(grid, joint)))
        link = links.child(f"{name}{number}", "GridConnectivity1to1_t", there, below)
        if joint.move is not None:
            add_move(link, joint.move.in_unit(cargo.factor), named.get(joint.first), len(axes_of(grid)))
            twins.add(joint.first)
    return twins


def _conditions(zone: Node, grid: Grid, block: int, own: list[tuple[PatchFaces, Window]]) -> None:
    shrunk = {pole.side for pole in grid.poles if pole.block == block and pole.side is not None}
    if not own and not shrunk:
        return
    conditions = zone.child("ZoneBC", "ZoneBC_t")
    for number, (patch, window) in enumerate(own, 1):
        condition = add_condition(conditions, number, patch)
        condition.child("PointRange", "IndexRange_t", _range(grid, window))
    for number, (axis, end) in enumerate(sorted(shrunk), 1):
        condition = conditions.child(f"{_POLES}_{number}", "BC_t", "BCDegenerateLine")
        condition.child("PointRange", "IndexRange_t", _range(grid, Window(block, axis, end)))


def _range(grid: Grid, window: Window) -> np.ndarray[Any, Any]:
    """Give the node range of a window, (2, dim) counted from 1: the layout of an IndexRange_t in HDF5."""
    return np.array(span_of(window, grid.xyz[window.block].shape[:3]), dtype=np.int32)[:, : grid.dim]


def _donor_range(grid: Grid, joint: Interface) -> np.ndarray[Any, Any]:
    """Give the donor's node range in the order in which our range runs over it."""
    span = _range(grid, joint.second)
    for axis, signed in enumerate(joint.orientation.axes):
        if axis != joint.first.axis and signed < 0:
            span[:, abs(signed) - 1] = span[::-1, abs(signed) - 1]
    return span

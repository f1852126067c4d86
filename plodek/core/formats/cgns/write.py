"""Writing CGNS: structured zones with 1-to-1 interfaces, families with types, and units.

The open standard AIAA R-101A: SIDS (data) and its HDF5 mapping, https://cgns.github.io. Nodes are
HDF5 groups with the attributes name, label, type and flags and their data in a dataset " data";
array indices run fastest first, so C-ordered arrays go in transposed.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.formats.cgns.nodes import Node, open_file
from plodek.core.formats.cgns.words import BC_TYPES, UNITS
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, Window

#: Exponents of mass, length, time, temperature and angle in a coordinate.
_LENGTH = np.array([0, 1, 0, 0, 0], dtype=np.float32)
_AXES = "XYZ"
#: The family of sides that have shrunk to a pole.
_POLES = "poles"


def write(path: Path, grid: Grid, unit: str) -> list[Path]:
    """Write a grid of space; ``unit`` is that of its coordinates, "" for one without a name. Gives the files.

    Regions are families of zones. Raises BadValue for a patch or region whose name the file needs itself.
    """
    _check_names(grid)
    joints: dict[int, list[Interface]] = {}
    for joint in grid.interfaces:
        for way in (joint, joint.turned()):
            joints.setdefault(way.first.block, []).append(way)
    own: dict[int, list[tuple[PatchFaces, Window]]] = {}
    for patch in grid.patches:
        for window in patch.windows:
            own.setdefault(window.block, []).append((patch, window))
    region_of = {block: region for region, blocks in grid.regions.items() for block in blocks}
    with open_file(path) as root:
        base = root.child("Base", "CGNSBase_t", np.array([3, 3], dtype=np.int32))
        base.child("DataClass", "DataClass_t", "Dimensional")
        words = ["Kilogram", UNITS.get(unit, "UserDefined"), "Second", "Kelvin", "Radian"]
        table = np.array([list(f"{w:<32}".encode()) for w in words], dtype=np.int8)
        base.child("DimensionalUnits", "DimensionalUnits_t", table)
        for patch in grid.patches:
            family = base.child(patch.name, "Family_t")
            family.child("FamilyBC", "FamilyBC_t", BC_TYPES[patch.type])
            if BC_TYPES[patch.type] == "BCGeneral":
                family.child("PatchType", "Descriptor_t", patch.type)
        for region in grid.regions:
            base.child(region, "Family_t")
        for block, nodes in enumerate(grid.xyz):
            zone = _zone(base, block, nodes)
            _connectivity(zone, grid, joints.get(block, []))
            _conditions(zone, grid, block, own.get(block, []))
            if block in region_of:
                zone.child("FamilyName", "FamilyName_t", region_of[block])
    return [path]


def zone_name(block: int) -> str:
    """Give the name of a block's zone."""
    return f"Block{block + 1:04d}"


def _check_names(grid: Grid) -> None:
    taken = {"DataClass", "DimensionalUnits", *(zone_name(block) for block in range(len(grid.xyz)))}
    names = [("patch", patch.name) for patch in grid.patches] + [("region", name) for name in grid.regions]
    for noun, name in names:
        if name in taken:
            raise BadValue(
                f"a CGNS file uses the name “{name}” itself, or twice", remedy=f"give the {noun} another name"
            )
        taken.add(name)


def _zone(base: Node, block: int, nodes: Floats) -> Node:
    sizes = np.array([nodes.shape[:3], [n - 1 for n in nodes.shape[:3]], [0, 0, 0]], dtype=np.int32)
    zone = base.child(zone_name(block), "Zone_t", sizes)
    zone.child("ZoneType", "ZoneType_t", "Structured")
    places = zone.child("GridCoordinates", "GridCoordinates_t")
    for axis, letter in enumerate(_AXES):
        values = np.ascontiguousarray(nodes[..., axis].T)
        line = places.child(f"Coordinate{letter}", "DataArray_t", values)
        line.child("DimensionalExponents", "DimensionalExponents_t", _LENGTH)
    return zone


def _connectivity(zone: Node, grid: Grid, joints: list[Interface]) -> None:
    if not joints:
        return
    links = zone.child("ZoneGridConnectivity", "ZoneGridConnectivity_t")
    for number, joint in enumerate(joints, 1):
        there = zone_name(joint.second.block)
        link = links.child(f"Interface{number}", "GridConnectivity1to1_t", there)
        if joint.orientation.axes != (1, 2, 3):  # which stands where it is left out (SIDS 8.2)
            transform = np.array(joint.orientation.axes, dtype=np.int32)
            link.child("Transform", '"int[IndexDimension]"', transform)
        link.child("PointRange", "IndexRange_t", _range(grid, joint.first))
        link.child("PointRangeDonor", "IndexRange_t", _donor_range(grid, joint))


def _conditions(zone: Node, grid: Grid, block: int, own: list[tuple[PatchFaces, Window]]) -> None:
    shrunk = {pole.side for pole in grid.poles if pole.block == block and pole.side is not None}
    if not own and not shrunk:
        return
    conditions = zone.child("ZoneBC", "ZoneBC_t")
    for number, (patch, window) in enumerate(own, 1):
        condition = conditions.child(f"{patch.name[:27]}_{number}", "BC_t", "FamilySpecified")
        condition.child("PointRange", "IndexRange_t", _range(grid, window))
        condition.child("FamilyName", "FamilyName_t", patch.name)
    for number, (axis, end) in enumerate(sorted(shrunk), 1):
        condition = conditions.child(f"{_POLES}_{number}", "BC_t", "BCDegenerateLine")
        condition.child("PointRange", "IndexRange_t", _range(grid, Window(block, axis, end)))


def _range(grid: Grid, window: Window) -> np.ndarray[Any, Any]:
    """Give the node range of a window, (2, 3) counted from 1: the layout of an IndexRange_t in HDF5."""
    shape = grid.xyz[window.block].shape[:3]
    spans = [range(n)[part] for n, part in zip(shape, window.slices(shape), strict=True)]
    return np.array([[span[0] + 1 for span in spans], [span[-1] + 1 for span in spans]], dtype=np.int32)


def _donor_range(grid: Grid, joint: Interface) -> np.ndarray[Any, Any]:
    """Give the donor's node range in the order in which our range runs over it."""
    span = _range(grid, joint.second)
    for axis, signed in enumerate(joint.orientation.axes):
        if axis != joint.first.axis and signed < 0:
            span[:, abs(signed) - 1] = span[::-1, abs(signed) - 1]
    return span

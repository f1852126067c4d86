"""CGNS: structured zones with 1-to-1 interfaces, families with types, and units; written and read by h5py.

The open standard AIAA R-101A: SIDS (data) and its HDF5 mapping, https://cgns.github.io. Nodes are
HDF5 groups with the attributes name, label, type and flags and their data in a dataset " data";
array indices run fastest first, so C-ordered arrays go in transposed.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import h5py
import numpy as np

from plodek.core.blocks.tables import Orientation
from plodek.core.errors import BadFile, BadValue
from plodek.core.grid.grid import BlockSide, Grid, Interface, PatchFaces, PatchType

#: The FamilyBC types of the SIDS (9.7) for our patch types; those without one of their own keep their
#: word in a descriptor beside it.
BC_TYPES: Mapping[PatchType, str] = {
    "wall": "BCWall",
    "inlet": "BCInflow",
    "outlet": "BCOutflow",
    "symmetry": "BCSymmetryPlane",
    "periodic": "BCGeneral",
    "far field": "BCFarfield",
    "general": "BCGeneral",
}
_UNITS = {"m": "Meter", "cm": "Centimeter", "mm": "Millimeter", "in": "Inch", "ft": "Foot"}
_VERSION = 3.4
#: Exponents of mass, length, time, temperature and angle in a coordinate.
_LENGTH = np.array([0, 1, 0, 0, 0], dtype=np.float32)
_AXES = "XYZ"


def write(path: Path, grid: Grid, unit: str) -> None:
    """Write a grid of space; ``unit`` is that of its coordinates.

    Raises BadValue for a patch whose name the file needs itself.
    """
    own = {"DataClass", "DimensionalUnits", *(zone_name(block) for block in range(len(grid.xyz)))}
    clash = next((patch.name for patch in grid.patches if patch.name in own), None)
    if clash is not None:
        raise BadValue(f"a CGNS file uses the name “{clash}” itself", remedy="give the patch another name")
    with h5py.File(path, "w", libver=("earliest", "v110"), track_order=True) as file:
        _root(file)
        base = _node(file, "Base", "CGNSBase_t", np.array([3, 3], dtype=np.int32))
        _node(base, "DataClass", "DataClass_t", "Dimensional")
        words = ["Kilogram", _UNITS[unit], "Second", "Kelvin", "Radian"]
        table = np.array([list(f"{w:<32}".encode()) for w in words], dtype=np.int8)
        _node(base, "DimensionalUnits", "DimensionalUnits_t", table)
        for patch in grid.patches:
            family = _node(base, patch.name, "Family_t")
            _node(family, "FamilyBC", "FamilyBC_t", BC_TYPES[patch.type])
            if BC_TYPES[patch.type] == "BCGeneral":
                _node(family, "PatchType", "Descriptor_t", patch.type)
        for block, nodes in enumerate(grid.xyz):
            _zone(base, grid, block, nodes)


def _zone(base: h5py.Group, grid: Grid, block: int, nodes: np.ndarray[Any, Any]) -> None:
    sizes = np.array([nodes.shape[:3], [n - 1 for n in nodes.shape[:3]], [0, 0, 0]], dtype=np.int32)
    zone = _node(base, zone_name(block), "Zone_t", sizes)
    _node(zone, "ZoneType", "ZoneType_t", "Structured")
    places = _node(zone, "GridCoordinates", "GridCoordinates_t")
    for axis, letter in enumerate(_AXES):
        values = np.ascontiguousarray(nodes[..., axis].T)
        line = _node(places, f"Coordinate{letter}", "DataArray_t", values)
        _node(line, "DimensionalExponents", "DimensionalExponents_t", _LENGTH)
    joins = [j for i in grid.interfaces for j in _both_ways(i) if j[0].block == block]
    if joins:
        links = _node(zone, "ZoneGridConnectivity", "ZoneGridConnectivity_t")
        for number, (ours, theirs, orientation) in enumerate(joins, 1):
            low, high = _range(grid, ours), _donor_range(grid, ours, theirs, orientation)
            link = _node(links, f"Interface{number}", "GridConnectivity1to1_t", zone_name(theirs.block))
            transform = np.array(orientation.axes, dtype=np.int32)
            _node(link, "Transform", '"int[IndexDimension]"', transform)
            _node(link, "PointRange", "IndexRange_t", low)
            _node(link, "PointRangeDonor", "IndexRange_t", high)
    own = [(p, side) for p in grid.patches for side in p.sides if side.block == block]
    if own:
        conditions = _node(zone, "ZoneBC", "ZoneBC_t")
        for number, (patch, side) in enumerate(own, 1):
            condition = _node(conditions, f"{patch.name[:27]}_{number}", "BC_t", "FamilySpecified")
            _node(condition, "PointRange", "IndexRange_t", _range(grid, side))
            _node(condition, "FamilyName", "FamilyName_t", patch.name)


def zone_name(block: int) -> str:
    """Give the name of a block's zone."""
    return f"Block{block + 1:04d}"


def _both_ways(interface: Interface) -> Iterator[tuple[BlockSide, BlockSide, Orientation]]:
    yield interface.first, interface.second, interface.orientation
    yield interface.second, interface.first, interface.orientation.inverse()


def _range(grid: Grid, side: BlockSide) -> np.ndarray[Any, Any]:
    """Give the node range of a side, (2, 3) counted from 1: the layout of an IndexRange_t in HDF5."""
    counts = grid.xyz[side.block].shape[:3]
    low, high = [1, 1, 1], list(counts)
    low[side.axis] = high[side.axis] = counts[side.axis] if side.end else 1
    return np.array([low, high], dtype=np.int32)


def _donor_range(
    grid: Grid, ours: BlockSide, theirs: BlockSide, orientation: Orientation
) -> np.ndarray[Any, Any]:
    """Give the donor's node range in the order in which our range runs over it."""
    span = _range(grid, theirs)
    for axis, signed in enumerate(orientation.axes):
        if axis != ours.axis and signed < 0:
            span[:, abs(signed) - 1] = span[::-1, abs(signed) - 1]
    return span


def _root(file: h5py.File) -> None:
    _mark(file, "HDF5 MotherNode", "Root Node of HDF5 File", "MT", flags=False)
    for name, text, size in (
        (" format", "IEEE_LITTLE_32", 15),
        (" hdf5version", "HDF5 Version 1.10", 33),
    ):
        file.create_dataset(name, data=np.frombuffer(text.encode().ljust(size, b"\0"), dtype=np.int8))
    _node(file, "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([_VERSION], dtype=np.float32))


_TYPES = {"float64": "R8", "float32": "R4", "int32": "I4", "int8": "C1"}


def _node(
    parent: h5py.Group, name: str, label: str, data: np.ndarray[Any, Any] | str | None = None
) -> h5py.Group:
    group = parent.create_group(name, track_order=True)
    if isinstance(data, str):
        data = np.frombuffer(data.encode(), dtype=np.int8)
    _mark(group, name, label, "MT" if data is None else _TYPES[data.dtype.name])
    if data is not None:
        group.create_dataset(" data", data=data)
    return group


def _mark(group: h5py.Group, name: str, label: str, kind: str, *, flags: bool = True) -> None:
    for key, text, size in (("name", name, 33), ("label", label, 33), ("type", kind, 3)):
        group.attrs.create(key, np.bytes_(text.encode()), dtype=h5py.string_dtype("ascii", size))
    if flags:
        group.attrs.create("flags", np.array([1], dtype=np.int32))


def read(path: Path) -> tuple[Grid, str]:
    """Read the structured zones of a CGNS file: the grid, and its length unit ("" where it has none).

    Raises BadFile for what is no HDF5 CGNS file, has no structured zone of space, or contradicts itself.
    """
    try:
        with h5py.File(path, "r") as file:
            return _read(file, path.name)
    except (OSError, KeyError, ValueError, IndexError, StopIteration) as error:
        raise BadFile(
            f"it is not a CGNS file that can be read ({error})",
            where=path.name,
            remedy="give a CGNS file in HDF5 form with structured zones",
        ) from error


def _read(file: h5py.File, name: str) -> tuple[Grid, str]:
    base = next(_labelled(file, "CGNSBase_t"), None)
    if base is None:
        raise BadFile("it holds no CGNS base", where=name, remedy="give a CGNS file in HDF5 form")
    zones = list(_labelled(base, "Zone_t"))
    if not zones or any(_text(zone["ZoneType"]) != "Structured" for zone in zones):
        raise BadFile(
            "it holds no zone, or one that is not structured",
            where=name,
            remedy="give structured zones",
        )
    index = {_name(zone): n for n, zone in enumerate(zones)}
    xyz = []
    for zone in zones:
        places = next(_labelled(zone, "GridCoordinates_t"))
        parts = [places[f"Coordinate{letter}"][" data"][()].T for letter in _AXES]
        if parts[0].ndim != 3:
            raise BadFile("a zone is not in space", where=name, remedy="give zones with three indices")
        xyz.append(np.stack(parts, axis=-1).astype(np.float64))
    interfaces: list[Interface] = []
    patches: dict[str, list[BlockSide]] = {}
    taken: set[BlockSide] = set()
    families = {_name(f): f for f in _labelled(base, "Family_t")}
    for block, zone in enumerate(zones):
        shape = xyz[block].shape[:3]
        for link in _labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity1to1_t"):
            other = index[_text(link)]
            ours = _side(block, link["PointRange"][" data"][()], shape, name)
            theirs = _side(other, link["PointRangeDonor"][" data"][()], xyz[other].shape[:3], name)
            taken.add(ours)
            if (ours.block, ours.axis, ours.end) < (theirs.block, theirs.axis, theirs.end):
                axes = tuple(int(n) for n in link["Transform"][" data"][()])
                interfaces.append(Interface(ours, theirs, Orientation(axes)))
        for condition in _labelled_below(zone, "ZoneBC_t", "BC_t"):
            side = _side(block, condition["PointRange"][" data"][()], shape, name)
            family = _text(condition["FamilyName"]) if "FamilyName" in condition else _name(condition)
            patches.setdefault(family, []).append(side)
            taken.add(side)
    every = [BlockSide(b, axis, end) for b in range(len(xyz)) for axis in range(3) for end in (0, 1)]
    named = tuple(
        PatchFaces(patch, _type_of(families.get(patch)), tuple(sides)) for patch, sides in patches.items()
    )
    grid = Grid(
        3,
        tuple(index),
        tuple(xyz),
        tuple(interfaces),
        named,
        tuple(side for side in every if side not in taken),
    )
    return grid, _unit_of(base)


def _type_of(family: h5py.Group | None) -> PatchType:
    if family is None:
        return "general"
    word = next((_text(node) for node in _labelled(family, "Descriptor_t")), None)
    bc = next((_text(node) for node in _labelled(family, "FamilyBC_t")), "")
    fitting = [kind for kind, code in BC_TYPES.items() if code == bc]
    return next((kind for kind in fitting if kind == word), fitting[-1] if fitting else "general")


def _unit_of(base: h5py.Group) -> str:
    for node in _labelled(base, "DimensionalUnits_t"):
        word = bytes(node[" data"][()].astype(np.uint8)[1]).decode().strip()
        return next((unit for unit, name in _UNITS.items() if name == word), "")
    return ""


def _side(block: int, span: np.ndarray[Any, Any], shape: tuple[int, ...], name: str) -> BlockSide:
    low, high = np.sort(span, axis=0)
    flat = [axis for axis in range(3) if low[axis] == high[axis] and shape[axis] > 1]
    whole = [axis for axis in range(3) if low[axis] == 1 and high[axis] == shape[axis]]
    if len(flat) != 1 or len(whole) < 2:
        raise BadFile(
            f"a range of block {block + 1} is not a whole side of it",
            where=name,
            remedy="only patches and interfaces that cover whole block sides are read",
        )
    return BlockSide(block, flat[0], int(low[flat[0]] > 1))


def _labelled(group: h5py.Group, label: str) -> Iterator[h5py.Group]:
    for child in group.values():
        if isinstance(child, h5py.Group) and child.attrs.get("label", b"").decode() == label:
            yield child


def _labelled_below(zone: h5py.Group, above: str, label: str) -> Iterator[h5py.Group]:
    for parent in _labelled(zone, above):
        yield from _labelled(parent, label)


def _name(group: h5py.Group) -> str:
    return str(group.attrs["name"].decode())


def _text(group: h5py.Group) -> str:
    return bytes(group[" data"][()].astype(np.uint8)).decode().strip()

"""Reading the structured zones of a CGNS file; see `write` for the standard."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import h5py
import numpy as np

from plodek.core.blocks.orientation import Orientation
from plodek.core.errors import BadFile
from plodek.core.formats.cgns.words import BC_TYPES, UNITS
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, PatchType, Window

_DEGENERATE = ("BCDegenerateLine", "BCDegeneratePoint")


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
            "it holds no zone, or one that is not structured", where=name, remedy="give structured zones"
        )
    index = {_name(zone): n for n, zone in enumerate(zones)}
    xyz = [_places(zone, name) for zone in zones]
    shapes = [nodes.shape[:3] for nodes in xyz]
    interfaces: list[Interface] = []
    patches: dict[str, list[Window]] = {}
    regions: dict[str, list[int]] = {}
    taken: set[tuple[int, int, int]] = set()
    for block, zone in enumerate(zones):
        for joint in _joints(zone, block, index, shapes, name):
            taken.add(_side(joint.first))
            if _side(joint.first) < _side(joint.second):
                interfaces.append(joint)
        for condition in _labelled_below(zone, "ZoneBC_t", "BC_t"):
            window = _window(block, condition["PointRange"][" data"][()], shapes[block], name)
            taken.add(_side(window))
            if _text(condition) in _DEGENERATE:
                continue
            family = _text(condition["FamilyName"]) if "FamilyName" in condition else _name(condition)
            patches.setdefault(family, []).append(window)
        for family_name in _labelled(zone, "FamilyName_t"):
            regions.setdefault(_text(family_name), []).append(block)
    families = {_name(family): family for family in _labelled(base, "Family_t")}
    every = [Window(b, axis, end) for b in range(len(xyz)) for axis in range(3) for end in (0, 1)]
    grid = Grid(
        3,
        tuple(index),
        tuple(xyz),
        tuple(interfaces),
        tuple(PatchFaces(n, _type_of(families.get(n)), tuple(ws)) for n, ws in patches.items()),
        tuple(window for window in every if _side(window) not in taken),
        {region: tuple(blocks) for region, blocks in regions.items()},
    )
    return grid, _unit_of(base)


def _places(zone: h5py.Group, name: str) -> np.ndarray[Any, np.dtype[np.float64]]:
    places = next(_labelled(zone, "GridCoordinates_t"))
    parts = [places[f"Coordinate{letter}"][" data"][()].T for letter in "XYZ"]
    if parts[0].ndim != 3:
        raise BadFile("a zone is not in space", where=name, remedy="give zones with three indices")
    return np.stack(parts, axis=-1).astype(np.float64)


def _joints(
    zone: h5py.Group, block: int, index: dict[str, int], shapes: list[tuple[int, ...]], name: str
) -> Iterator[Interface]:
    for link in _labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity1to1_t"):
        other = index[_text(link)]
        ours = _window(block, link["PointRange"][" data"][()], shapes[block], name)
        theirs = _window(other, link["PointRangeDonor"][" data"][()], shapes[other], name)
        turned = link["Transform"][" data"][()] if "Transform" in link else (1, 2, 3)
        axes = tuple(int(n) for n in turned)
        yield Interface(ours, theirs, Orientation(axes))


def _side(window: Window) -> tuple[int, int, int]:
    return window.block, window.axis, window.end


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
        return next((unit for unit, name in UNITS.items() if name == word), "")
    return ""


def _window(block: int, span: np.ndarray[Any, Any], shape: tuple[int, ...], name: str) -> Window:
    low, high = np.sort(span, axis=0)
    flat = [axis for axis in range(3) if low[axis] == high[axis] and low[axis] in (1, shape[axis])]
    whole = [axis for axis in range(3) if low[axis] == 1 and high[axis] == shape[axis]]
    if len(flat) != 1 or len(whole) < 2:
        raise BadFile(
            f"a range of block {block + 1} is not a whole side of it",
            where=name,
            remedy="only patches and interfaces that cover whole block sides are read",
        )
    return Window(block, flat[0], int(low[flat[0]] > 1))


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

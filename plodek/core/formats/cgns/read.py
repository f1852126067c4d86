"""Reading a CGNS file, of structured zones or of cells; see `structured` for the standard."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.orientation import Orientation
from plodek.core.budget import need
from plodek.core.doors.hdf5 import Node, opened
from plodek.core.doors.places import need_places
from plodek.core.errors import BadFile
from plodek.core.formats.cgns.read_cells import read_cells
from plodek.core.formats.cgns.tree import (
    data_of,
    labelled,
    labelled_below,
    move_of,
    text,
    title,
    type_of,
    unit_of,
)
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.windows import ranged
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import poles_in
from plodek.core.grid.outside import rest_of
from plodek.core.grid.window import Interface, PatchFaces, Window

_DEGENERATE = ("BCDegenerateLine", "BCDegeneratePoint")
_REMEDY = "give a CGNS file in HDF5 form with structured zones, or one unstructured zone"


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read the structured zones of a CGNS file as a grid, or its one unstructured zone as a mesh.

    Gives its length unit, "" where it has none. Raises BadFile for what is no HDF5 CGNS file, has no zone
    of either sort, or contradicts itself.
    """
    with opened(path, "a CGNS file", _REMEDY) as file:
        base = next(labelled(file, "CGNSBase_t"), None)
        if base is None:
            raise BadFile("it holds no CGNS base", where=path.name, remedy=_REMEDY)
        kinds = {text(zone["ZoneType"]) for zone in labelled(base, "Zone_t")}
        if kinds == {"Unstructured"}:
            return read_cells(base, path.name)
        return _File(base, path.name).read()


@dataclass
class _Outside:
    """What the zones say of their sides."""

    interfaces: list[Interface] = field(default_factory=list)
    periodic: list[Interface] = field(default_factory=list)
    patches: dict[str, list[Window]] = field(default_factory=dict)
    regions: dict[str, list[int]] = field(default_factory=dict)
    told: set[Window] = field(default_factory=set)


class _File:
    def __init__(self, base: Node, name: str) -> None:
        self._name = name
        self._base = base
        self._zones = list(labelled(base, "Zone_t"))
        odd = next((z for z in self._zones if text(z["ZoneType"]) != "Structured"), None)
        if odd is not None or not self._zones:
            what = "it holds no zone" if odd is None else f"zone {title(odd)} is not structured"
            raise BadFile(what, where=name, remedy="give structured zones")
        self._index = {title(zone): n for n, zone in enumerate(self._zones)}
        dims = {len(data_of(zone)[0]) for zone in self._zones}
        if not dims <= {2, 3} or len(dims) != 1:
            raise BadFile("its zones have other than two or three indices", where=name, remedy=_REMEDY)
        (self._dim,) = dims
        self._shapes = [self._shape(zone) for zone in self._zones]

    def read(self) -> tuple[Grid, str]:
        """Read the grid, and its length unit."""
        need("cells", sum(int(np.prod([max(n - 1, 1) for n in shape])) for shape in self._shapes))
        xyz = tuple(self._places(zone, shape) for zone, shape in zip(self._zones, self._shapes, strict=True))
        outside = _Outside()
        for block, zone in enumerate(self._zones):
            self._joints(zone, block, outside)
            self._conditions(zone, block, outside)
            for family in labelled(zone, "FamilyName_t"):
                outside.regions.setdefault(text(family), []).append(block)
        families = {title(family): family for family in labelled(self._base, "Family_t")}
        grid = Grid(
            self._dim,
            tuple(self._index),
            xyz,
            tuple(outside.interfaces),
            tuple(PatchFaces(n, type_of(families.get(n)), tuple(ws)) for n, ws in outside.patches.items()),
            regions={region: tuple(blocks) for region, blocks in outside.regions.items()},
            periodic=tuple(_exact(joint, xyz) for joint in outside.periodic),
            poles=poles_in(xyz, self._dim),
        )
        return replace(grid, unnamed=rest_of(grid)), unit_of(self._base)

    def _shape(self, zone: Node) -> tuple[int, int, int]:
        """Give the counts of nodes that a zone says, which its coordinates must have."""
        told = [int(n) for n in data_of(zone)[0]]
        where = f"{self._name}, zone {title(zone)}"
        if min(told) < 2:
            raise BadFile(f"{' × '.join(map(str, told))} nodes make no cell", where=where, remedy=_REMEDY)
        places = next(labelled(zone, "GridCoordinates_t"), None)
        if places is None:
            raise BadFile("it has no coordinates", where=where, remedy=_REMEDY)
        for letter in "XYZ"[: self._dim]:
            found = places[f"Coordinate{letter}"].array(" data").shape[::-1]
            if list(found) != told:
                raise BadFile(
                    f"Coordinate{letter} has {' × '.join(map(str, found))} values for "
                    f"{' × '.join(map(str, told))} nodes",
                    where=where, remedy="write the file again: it contradicts itself",
                )  # fmt: skip
        return told[0], told[1], told[2] if self._dim == 3 else 1

    def _places(self, zone: Node, shape: tuple[int, int, int]) -> Floats:
        places = next(labelled(zone, "GridCoordinates_t"))
        nodes = np.zeros((*shape, 3))
        for axis, letter in enumerate("XYZ"):
            if f"Coordinate{letter}" in places:
                values = data_of(places[f"Coordinate{letter}"])
                nodes[..., axis] = values.T.reshape(shape)
        need_places(nodes, f"{self._name}, zone {title(zone)}", "nodes")
        return nodes

    def _joints(self, zone: Node, block: int, outside: _Outside) -> None:
        for link in labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity1to1_t"):
            where = f"{self._name}, zone {title(zone)}, {title(link)}"
            if text(link) not in self._index:
                raise BadFile(f"there is no zone {text(link)}", where=where, remedy="write the file again")
            other = self._index[text(link)]
            span, away = data_of(link["PointRange"]), data_of(link["PointRangeDonor"])
            ours, theirs = self._window(block, span, where), self._window(other, away, where)
            turned = data_of(link["Transform"]) if "Transform" in link else range(1, self._dim + 1)
            axes = tuple(int(n) for n in turned)
            if sorted(map(abs, axes)) != list(range(1, self._dim + 1)):
                raise BadFile(f"{list(axes)} is no transform", where=where, remedy="write the file again")
            move = move_of(link)
            joint = Interface(ours, theirs, Orientation(axes), move)
            if abs(axes[ours.axis]) - 1 != theirs.axis or not self._agree(joint):
                raise BadFile(
                    f"its two ranges, {span.tolist()} and {away.tolist()}, do not go with its transform",
                    where=where, remedy="write the file again: it contradicts itself",
                )  # fmt: skip
            if move is not None:
                for descriptor in labelled(link, "Descriptor_t"):
                    if title(descriptor) == "Patch":
                        outside.patches.setdefault(text(descriptor), []).append(ours)
            if theirs not in outside.told or ours not in outside.told:
                (outside.interfaces if move is None else outside.periodic).append(joint)
            outside.told |= {ours, theirs}

    def _agree(self, joint: Interface) -> bool:
        first, second = self._shapes[joint.first.block], self._shapes[joint.second.block]
        index = [np.empty([len(range(n)[p]) for n, p in zip(s, w.slices(s), strict=True)], dtype=np.int8)
                 for s, w in ((first, joint.first), (second, joint.second))]  # fmt: skip
        return joint.orientation.apply(index[1]).shape == index[0].shape

    def _conditions(self, zone: Node, block: int, outside: _Outside) -> None:
        for condition in labelled_below(zone, "ZoneBC_t", "BC_t"):
            if text(condition) in _DEGENERATE:
                continue
            where = f"{self._name}, zone {title(zone)}, {title(condition)}"
            window = self._window(block, data_of(condition["PointRange"]), where)
            named = next(labelled(condition, "FamilyName_t"), None)
            family = title(condition) if named is None else text(named)
            outside.patches.setdefault(family, []).append(window)

    def _window(self, block: int, span: np.ndarray[Any, Any], where: str) -> Window:
        return ranged(block, span.astype(np.int64), self._shapes[block], where)


def _exact(joint: Interface, xyz: Sequence[Floats]) -> Interface:
    """Make the move of a periodic joint, which files hold in single precision, exact from its nodes."""
    assert joint.move is not None
    ours, theirs = (xyz[w.block][w.slices(xyz[w.block].shape[:3])] for w in (joint.first, joint.second))
    first, second = ours.reshape(-1, 3), joint.orientation.apply(theirs).reshape(-1, 3)
    return replace(joint, move=joint.move.fitted(first, second))

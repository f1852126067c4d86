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
from plodek.core.formats.cgns.coordinates import coordinates, need_coordinates
from plodek.core.formats.cgns.lists import joined_by_lists
from plodek.core.formats.cgns.patches import windows_of
from plodek.core.formats.cgns.read_cells import read_cells
from plodek.core.formats.cgns.tree import (
    data_of,
    is_periodic,
    labelled,
    labelled_below,
    left_out,
    move_of,
    text,
    title,
    type_of,
)
from plodek.core.formats.cgns.words import DEGENERATE
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.windows import ranged
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import matched, poles_in
from plodek.core.grid.outside import is_free, rest_of
from plodek.core.grid.window import Interface, PatchFaces, PatchType, Window
from plodek.core.units import factor

#: So many notes are told.
_NOTES = 20
_REMEDY = "give a CGNS file in HDF5 form with structured zones, or one unstructured zone"


def read(path: Path) -> tuple[Grid | Mesh, str]:
    """Read the structured zones of a CGNS file as a grid, or its unstructured zones as a mesh.

    Gives its length unit, "" where it has none. Raises BadFile for what is no HDF5 CGNS file, has no zone
    of either sort, or contradicts itself.
    """
    with opened(path, "a CGNS file", _REMEDY) as file:
        bases = [base for base in labelled(file, "CGNSBase_t") if any(True for _ in labelled(base, "Zone_t"))]
        if not bases:
            raise BadFile("it holds no CGNS base with zones", where=path.name, remedy=_REMEDY)
        base, *others = bases
        kinds = {text(zone["ZoneType"]) for zone in labelled(base, "Zone_t")}
        found, unit = (
            read_cells(base, path.name) if kinds == {"Unstructured"} else _File(base, path.name).read()
        )
        left = tuple(f"base {title(other)} is left out: {title(base)} is read" for other in others)
        notes = (*left, *found.notes)
        more = (f"and {len(notes) - _NOTES} more of such",) if len(notes) > _NOTES else ()
        return replace(found, notes=(*notes[:_NOTES], *more)), unit


@dataclass
class _Outside:
    """What the zones say of their sides."""

    interfaces: list[Interface] = field(default_factory=list)
    periodic: list[Interface] = field(default_factory=list)
    patches: dict[str, list[Window]] = field(default_factory=dict)
    types: dict[str, PatchType] = field(default_factory=dict)
    regions: dict[str, list[int]] = field(default_factory=dict)
    told: set[Window] = field(default_factory=set)
    by_nodes: bool = False


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
        self._families = {title(family): family for family in labelled(base, "Family_t")}
        self._notes: list[str] = []

    def read(self) -> tuple[Grid, str]:
        """Read the grid, and its length unit."""
        need("cells", sum(int(np.prod([max(n - 1, 1) for n in shape])) for shape in self._shapes))
        xyz, unit = self._places()
        outside = _Outside()
        for block, zone in enumerate(self._zones):
            self._notes += left_out(zone)
            self._others(zone, block, outside)
            self._joints(zone, block, outside)
            self._conditions(zone, block, outside)
            for family in labelled(zone, "FamilyName_t"):
                outside.regions.setdefault(text(family), []).append(block)
        grid = Grid(
            self._dim,
            tuple(self._index),
            xyz,
            tuple(outside.interfaces),
            tuple(
                PatchFaces(n, outside.types.get(n) or self._type_by_family(n), tuple(ws))
                for n, ws in outside.patches.items()
            ),
            regions={region: tuple(blocks) for region, blocks in outside.regions.items()},
            periodic=tuple(_exact(joint, xyz) for joint in outside.periodic),
            poles=poles_in(xyz, self._dim),
            notes=tuple(dict.fromkeys(self._notes)),
        )
        if outside.by_nodes:
            near = matched(xyz, self._dim)
            free = tuple(j for j in near if is_free(grid, j.first) and is_free(grid, j.second))
            grid = replace(grid, interfaces=(*grid.interfaces, *free))
        return replace(grid, unnamed=rest_of(grid)), unit

    def _type_by_family(self, name: str) -> PatchType:
        """Give the type of a patch that no condition names, as those of periodic sides."""
        return type_of("FamilySpecified", self._families.get(name))[0]

    def _shape(self, zone: Node) -> tuple[int, int, int]:
        """Give the counts of nodes that a zone says."""
        told = [int(n) for n in data_of(zone)[0]]
        where = f"{self._name}, zone {title(zone)}"
        if min(told) < 2:
            what = f"{' × '.join(map(str, told))} nodes make no cell"
            raise BadFile(what, where=where, remedy=_REMEDY)
        need_coordinates(zone, told, where)
        return told[0], told[1], told[2] if self._dim == 3 else 1

    def _places(self) -> tuple[tuple[Floats, ...], str]:
        """Give the nodes of all zones, in the unit of the first."""
        found: list[Floats] = []
        unit = ""
        for zone, shape in zip(self._zones, self._shapes, strict=True):
            where = f"{self._name}, zone {title(zone)}"
            values, own = coordinates(zone, self._base, shape[: self._dim], where)
            unit = unit or own
            times = factor(own, unit) if own and own != unit else 1.0
            nodes = np.zeros((*shape, 3))
            for axis, along in enumerate(values):
                nodes[..., axis] = along.T.reshape(shape)
            need_places(nodes, where, "nodes")
            found.append(nodes if times == 1.0 else nodes * times)
        return tuple(found), unit

    def _others(self, zone: Node, block: int, outside: _Outside) -> None:
        """Look at connectivities that are not told by ranges of nodes."""
        for link in labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity_t"):
            kind = next((text(node) for node in labelled(link, "GridConnectivityType_t")), "Overset")
            if kind == "Abutting1to1" and not is_periodic(link):
                outside.by_nodes = True  # whose nodes are which is told by their places
                continue
            joints = self._by_lists(link, zone, block) if kind == "Abutting1to1" else []
            for joint in joints:
                self._keep(joint, link, outside)
            if not joints:
                word = f"periodic {kind}" if is_periodic(link) else kind
                why = ", and its lists pair no sides node by node" if kind == "Abutting1to1" else ""
                self._notes.append(
                    f"connectivity {title(link)} of zone {title(zone)} is left out: it is {word}{why}"
                )
        for above in labelled(zone, "ZoneGridConnectivity_t"):
            if any(True for _ in labelled(above, "OversetHoles_t")):
                self._notes.append(f"holes of zone {title(zone)} are left out")

    def _by_lists(self, link: Node, zone: Node, block: int) -> list[Interface]:
        """Give the periodic sides that lists of nodes join; none of zones that are not read."""
        if text(link) not in self._index:
            return []
        where = f"{self._name}, zone {title(zone)}, {title(link)}"
        pair, move = (block, self._index[text(link)]), move_of(link, zone, self._base)
        return [
            Interface(ours, theirs, orientation, move)
            for ours, theirs, orientation in joined_by_lists(link, pair, self._shapes, self._dim, where)
        ]

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
            move = move_of(link, zone, self._base)
            joint = Interface(ours, theirs, Orientation(axes), move)
            if abs(axes[ours.axis]) - 1 != theirs.axis or not self._agree(joint):
                raise BadFile(
                    f"its two ranges, {span.tolist()} and {away.tolist()}, do not go with its transform",
                    where=where, remedy="write the file again: it contradicts itself",
                )  # fmt: skip
            self._keep(joint, link, outside)

    @staticmethod
    def _keep(joint: Interface, link: Node, outside: _Outside) -> None:
        """Keep a joint, unless it is told from its other side already, with the patch of its first."""
        ours, theirs, move = joint.first, joint.second, joint.move
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
            word = text(condition)
            if word in DEGENERATE:
                continue
            called = f"condition {title(condition)} of zone {title(zone)}"
            windows = windows_of(condition, block, self._shapes[block], self._dim, f"{self._name}, {called}")
            if not windows:
                self._notes.append(f"{called} is left out: it lies on no side of its zone")
                continue
            named = next(labelled(condition, "FamilyName_t"), None)
            name = title(condition) if named is None else text(named)
            kind, note = type_of(word, None if named is None else self._families.get(name))
            if note:
                self._notes.append(f"{called} {note}")
            if outside.types.setdefault(name, kind) != kind:
                self._notes.append(f"{called} is {kind}, and others of its name are {outside.types[name]}")
            outside.patches.setdefault(name, []).extend(windows)

    def _window(self, block: int, span: np.ndarray[Any, Any], where: str) -> Window:
        return ranged(block, span.astype(np.int64), self._shapes[block], where)


def _exact(joint: Interface, xyz: Sequence[Floats]) -> Interface:
    """Make the move of a periodic joint, which files hold in single precision, exact from its nodes."""
    assert joint.move is not None
    ours, theirs = (xyz[w.block][w.slices(xyz[w.block].shape[:3])] for w in (joint.first, joint.second))
    first, second = ours.reshape(-1, 3), joint.orientation.apply(theirs).reshape(-1, 3)
    return replace(joint, move=joint.move.fitted(first, second))

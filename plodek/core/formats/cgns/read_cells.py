"""Reading the unstructured zones of a CGNS file; see `structured` for the standard."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.budget import need
from plodek.core.doors.hdf5 import Node
from plodek.core.errors import BadFile
from plodek.core.formats.cells import Kind
from plodek.core.formats.cgns.coordinates import coordinates
from plodek.core.formats.cgns.elements import elements_of
from plodek.core.formats.cgns.tree import (
    data_of,
    labelled,
    labelled_below,
    left_out,
    move_of,
    text,
    title,
    type_of,
)
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh, Twins, four
from plodek.core.formats.mesh_file import meshed
from plodek.core.grid.window import PatchType
from plodek.core.units import factor


def read_cells(base: Node, name: str) -> tuple[Mesh, str]:
    """Read the unstructured zones below a base as one mesh, and its length unit.

    Points of several zones are one where they are equal to the bit. Raises BadFile for cells other than
    hexahedra, wedges and pyramids.
    """
    zones = list(labelled(base, "Zone_t"))
    need("cells", sum(int(data_of(zone).ravel()[1]) for zone in zones))
    families = {title(family): family for family in labelled(base, "Family_t")}
    found = [_Zone(zone, base, name, families) for zone in zones]
    types: dict[str, PatchType] = {}
    for one in found:
        types |= {patch: kind for patch, kind in one.types.items() if patch not in types}
    unit = next((one.unit for one in found if one.unit), "")
    notes = tuple(dict.fromkeys(note for one in found for note in one.notes))
    if len(found) == 1:
        (one,) = found
        mesh = meshed(name, one.points, one.solids, one.patches, types, unit, one.twins)
        return replace(mesh, notes=notes), unit
    pieces: list[tuple[str, Floats, dict[Kind, Ints], Ints | None]] = []
    places = [
        one.points * (factor(one.unit, unit) if one.unit != unit and one.unit else 1.0) for one in found
    ]
    pieces += [("", points, one.solids, None) for points, one in zip(places, found, strict=True)]
    pieces += [
        (patch, points, {}, corners)
        for points, one in zip(places, found, strict=True)
        for patch, corners in one.patches.items()
    ]
    return replace(joined(name, pieces, unit), types=types, notes=notes), unit


class _Zone:
    """The points, cells, patches and periodic faces of a zone."""

    def __init__(self, zone: Node, base: Node, name: str, families: Mapping[str, Node]) -> None:
        where = f"{name}, zone {title(zone)}"
        count = int(data_of(zone).ravel()[0])
        values, self.unit = coordinates(zone, base, (count,), where)
        if len(values) < 3:
            values.append(np.zeros(count))
        self.points = np.stack(values, axis=1)
        elements = elements_of(zone, where)
        self.notes = [*left_out(zone), *elements.notes]
        self.solids = {kind: np.concatenate(parts) for kind, parts in elements.solids.items()}
        self.patches: dict[str, Ints] = {}
        self.types: dict[str, PatchType] = {}
        self._faces = elements.faces
        self._conditions(zone, families, where)
        self.twins = _twins(zone, base, self.points, self.patches)
        self._keep_corners()

    def _conditions(self, zone: Node, families: Mapping[str, Node], where: str) -> None:
        """Take the faces of each condition by its family; sections that none names are patches themselves."""
        taken: set[str] = set()
        for condition in labelled_below(zone, "ZoneBC_t", "BC_t"):
            named = next(labelled(condition, "FamilyName_t"), None)
            name = title(condition) if named is None else text(named)
            kind, note = type_of(text(condition), None if named is None else families.get(name))
            called = f"condition {title(condition)} of zone {title(zone)}"
            if note:
                self.notes.append(f"{called} {note}")
            parts = list(self._named_by(condition, where))
            if not parts:
                self.notes.append(f"{called} is left out: it names no faces that are there")
                continue
            taken |= {section for section, _ in parts}
            self.types.setdefault(name, kind)
            self._add(name, (corners for _, corners in parts))
        for _, corners, section, patch in self._faces:
            if section not in taken:
                self._add(patch, [corners])
                self.types.setdefault(patch, type_of("FamilySpecified", families.get(patch))[0])

    def _add(self, name: str, parts: Iterable[Ints]) -> None:
        before = self.patches.get(name, np.empty((0, 4), np.int64))
        self.patches[name] = np.concatenate([before, *(four(corners) for corners in parts)])

    def _named_by(self, condition: Node, where: str) -> Iterator[tuple[str, Ints]]:
        """Give the faces that a condition names, by their sections: by numbers, or by all of their nodes."""
        location = next((text(node) for node in labelled(condition, "GridLocation_t")), "Vertex")
        key = next(
            (k for k in ("ElementRange", "ElementList", "PointRange", "PointList") if k in condition), ""
        )
        if not key:
            raise BadFile("it names neither faces nor nodes", where=where, remedy="give a range or a list")
        values = data_of(condition[key]).ravel().astype(np.int64)

        def named(numbers: Ints) -> Bools:
            if key.endswith("Range"):  # of whatever length, and not laid out
                return np.asarray((numbers >= values.min()) & (numbers <= values.max()))
            return np.isin(numbers, values)

        by_nodes = key.startswith("Point") and location == "Vertex"
        for numbers, corners, section, _ in self._faces:
            inside = named(corners + 1).all(axis=1) if by_nodes else named(numbers)
            if inside.any():
                yield section, corners[inside]

    def _keep_corners(self) -> None:
        """Leave out the points that no cell has: those between the corners of curved ones."""
        parts = [*self.solids.values(), *self.patches.values()]
        used = np.zeros(len(self.points), dtype=bool)
        for corners in parts:
            if corners.size and corners.min() >= 0 and corners.max() < len(used):
                used[corners.ravel()] = True
            else:
                return  # it is told as wrong where the mesh is made
        if used.all() or self.twins:
            return
        number = np.cumsum(used) - 1
        self.points = self.points[used]
        self.solids = {kind: number[corners] for kind, corners in self.solids.items()}
        self.patches = {name: number[corners] for name, corners in self.patches.items()}


def _twins(zone: Node, base: Node, points: Floats, patches: dict[str, Ints]) -> tuple[Twins, ...]:
    """Give the faces that are periodic with others: those all of whose corners a connectivity names."""
    found: list[Twins] = []
    for link in labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity_t"):
        move = move_of(link, zone, base)
        if move is None:
            continue
        ours, theirs = (
            data_of(link[key]).ravel().astype(np.int64) - 1 for key in ("PointList", "PointListDonor")
        )
        patch = next((text(node) for node in labelled(link, "Descriptor_t") if title(node) == "Patch"), "")
        faces = patches.get(patch)
        if faces is None:
            continue
        to = np.full(max(int(faces.max()), int(ours.max())) + 1, -1)
        to[ours] = theirs
        whole = faces[(to[faces] >= 0).all(axis=1)]
        if len(whole) and not any(
            np.array_equal(np.sort(pair.theirs, axis=None), np.sort(whole, axis=None)) for pair in found
        ):
            found.append(Twins(whole, to[whole], move.fitted(points[ours], points[theirs])))
    return tuple(found)

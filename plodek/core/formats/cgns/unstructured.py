"""Writing CGNS: unstructured zones, one or one for each region, with wedges and pyramids at poles.

See `structured` for the standard. The faces of a patch are a section, and a boundary condition on it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.errors import BadValue, NotReady
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import QUAD, SOLIDS, TRI, Cells, facing
from plodek.core.formats.cgns import polyhedra
from plodek.core.formats.cgns.base import LENGTH, add_condition, add_move, open_base
from plodek.core.formats.cgns.nodes import Node
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, Window

_ALL = "Grid"
#: Indices in a zone are 32-bit integers.
_MOST = 2**31 - 1


def write(path: Path, cargo: Cargo, *, by_region: bool, by_faces: bool = False) -> list[Path]:
    """Write a grid of space as one zone, or a zone for each region that says how it meets the others.

    Cells stand there by their corners, or ``by_faces``.

    Raises NotReady for a grid of the plane, BadValue for more than a zone can hold or a name taken twice.
    """
    grid = cargo.grid
    if grid.dim != 3:
        raise NotReady(
            "unstructured zones are written of grids in space only",
            remedy="take structured zones, or extrude",
        )
    if 8 * grid.cells > _MOST:
        raise BadValue(
            f"{grid.cells} cells are more than an unstructured zone takes", remedy="take structured zones"
        )
    split = by_region and len(grid.regions) > 1
    parts = {f"Zone_{name}"[:32]: blocks for name, blocks in grid.regions.items()} if split else {
        _ALL: tuple(range(len(grid.xyz)))
    }  # fmt: skip
    zones = {name: _Zone(grid, blocks) for name, blocks in parts.items()}
    with open_base(path, cargo, zones) as base:
        for name, one in zones.items():
            zone = one.write(base, name, cargo, by_faces=by_faces)
            _connectivity(zone, grid, one, zones, cargo.factor)
            if split:
                zone.child(
                    "FamilyName", "FamilyName_t", next(r for r, b in grid.regions.items() if b == one.blocks)
                )
    return [path]


class _Zone:
    """Some blocks of a grid as a zone."""

    def __init__(self, grid: Grid, blocks: Sequence[int]) -> None:
        self.blocks = tuple(blocks)
        self.grid = grid.only(self.blocks)
        self.cells = Cells.of(self.grid)
        self._own = {block: n for n, block in enumerate(self.blocks)}
        # Those that are periodic with sides of other zones are so too.
        pairs = (window for joint in grid.periodic for window in (joint.first, joint.second))
        self._periodic = {self._here(window) for window in pairs if window.block in self._own}

    def vertices(self, window: Window) -> Ints | None:
        """Give the numbers of the nodes of a window of the whole grid; None where it is not in this zone."""
        return self.cells.vertices(self._here(window)) if window.block in self._own else None

    def _here(self, window: Window) -> Window:
        return replace(window, block=self._own[window.block])

    def write(self, base: Node, name: str, cargo: Cargo, *, by_faces: bool) -> Node:
        """Write nodes, cells, and the faces of patches with their conditions."""
        count = self.cells.numbering.count
        zone = base.child(name, "Zone_t", np.array([[count], [self.grid.cells], [0]], dtype=np.int32))
        zone.child("ZoneType", "ZoneType_t", "Unstructured")
        places = zone.child("GridCoordinates", "GridCoordinates_t")
        lines = []
        for letter in "XYZ":
            line, rows = places.rows(f"Coordinate{letter}", "DataArray_t", (count,), np.float64)
            line.child("DimensionalExponents", "DimensionalExponents_t", LENGTH)
            lines.append(rows)
        part = Cargo(self.grid, cargo.unit, cargo.factor, "", cargo.told)
        for start, nodes in self.cells.points(part):
            for axis, rows in enumerate(lines):
                rows.put(start, nodes[:, axis])
        if by_faces:
            self._by_faces(zone)
            return zone
        done = 0
        for kind in SOLIDS:
            if not (many := self.cells.counts.get(kind, 0)):
                continue
            section = _section(zone, kind.name, kind.cgns, done, many)
            _, rows = section.rows("ElementConnectivity", "DataArray_t", (many * kind.corners,), np.int32)
            start = 0
            for corners in self.cells.solids(kind):
                rows.put(start, (corners + 1).astype(np.int32).ravel())
                start += corners.size
            done += many
        self._patches(zone, done)
        return zone

    def _by_faces(self, zone: Node) -> None:
        parts = list(self._parts())
        plain = [patch for patch, paired, _ in parts if not paired]
        periodic = [(patch, of) for patch, paired, of in parts if paired]
        numbers = polyhedra.put(zone, self.cells, plain, periodic)
        conditions = zone.child("ZoneBC", "ZoneBC_t") if self.grid.patches else None
        for number, patch in enumerate(plain, 1):
            if conditions is not None and patch.name in numbers:
                _face_condition(conditions, number, patch, *numbers[patch.name])

    def _patches(self, zone: Node, done: int) -> None:
        conditions = zone.child("ZoneBC", "ZoneBC_t") if self.grid.patches else None
        for number, (patch, paired, of) in enumerate(self._parts(), 1):
            first = done
            faces = self.cells.faces(patch)
            for kind in (QUAD, TRI):
                if kind in faces:
                    name = patch.name if kind is QUAD else f"{patch.name[:28]}_{TRI.corners}"
                    section = _section(zone, name, kind.cgns, done, len(faces[kind]))
                    connectivity = (faces[kind] + 1).astype(np.int32).ravel()
                    section.child("ElementConnectivity", "DataArray_t", connectivity)
                    if name != of:
                        section.child("Patch", "Descriptor_t", of)
                    done += len(faces[kind])
            if conditions is None or paired:
                continue
            _face_condition(conditions, number, patch, first + 1, done)

    def _parts(self) -> Iterator[tuple[PatchFaces, bool, str]]:
        """Give patches, whether they are periodic, and their names: sides of either sort by themselves."""
        for patch in self.grid.patches:
            for paired in (False, True):
                windows = tuple(w for w in patch.windows if (w in self._periodic) == paired)
                if windows:
                    both = paired and len(windows) < len(patch.windows)
                    name = f"{patch.name[:23]}_periodic" if both else patch.name
                    yield replace(patch, name=name, windows=windows), paired, patch.name


def _face_condition(conditions: Node, number: int, patch: PatchFaces, first: int, last: int) -> None:
    """Write the condition of a patch, on the faces from one number to another."""
    condition = add_condition(conditions, number, patch)
    condition.child("PointRange", "IndexRange_t", np.array([[first], [last]], dtype=np.int32))
    condition.child("GridLocation", "GridLocation_t", "FaceCenter")


def _section(zone: Node, name: str, kind: int, done: int, many: int) -> Node:
    section = zone.child(name, "Elements_t", np.array([kind, 0], dtype=np.int32))
    section.child("ElementRange", "IndexRange_t", np.array([done + 1, done + many], dtype=np.int32))
    return section


def _connectivity(zone: Node, grid: Grid, one: _Zone, zones: dict[str, _Zone], factor: float) -> None:
    """Write how a zone meets others, and itself where it is periodic: node by node."""
    found: list[tuple[str, Interface, Ints, Ints]] = []
    for joint in (*grid.interfaces, *grid.periodic):
        for way in (joint, joint.turned()):
            ours = one.vertices(way.first)
            for name, other in zones.items():
                theirs = other.vertices(way.second)
                if ours is not None and theirs is not None and (other is not one or way.move is not None):
                    found.append((name, way, ours, facing(way, theirs)))
    if not found:
        return
    patch_of = {window: patch for patch in grid.patches for window in patch.windows}
    links = zone.child("ZoneGridConnectivity", "ZoneGridConnectivity_t")
    for number, (name, way, ours, theirs) in enumerate(found, 1):
        link = links.child(
            f"{'Interface' if way.move is None else 'Periodic'}{number}", "GridConnectivity_t", name
        )
        link.child("GridConnectivityType", "GridConnectivityType_t", "Abutting1to1")
        link.child("GridLocation", "GridLocation_t", "Vertex")
        for label, numbers in (("PointList", ours), ("PointListDonor", theirs)):
            values = (numbers.ravel() + 1).astype(np.int32)[:, None]
            link.child(label, "IndexArray_t", values)
        if way.move is not None:
            add_move(link, way.move.in_unit(factor), patch_of.get(way.first))

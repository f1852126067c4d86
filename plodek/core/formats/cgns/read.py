"""Reading the structured zones of a CGNS file; see `structured` for the standard."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from scipy.spatial.transform import Rotation

from plodek.core.arrays import Floats
from plodek.core.blocks.orientation import Orientation
from plodek.core.budget import need
from plodek.core.errors import BadFile
from plodek.core.formats.cgns.words import BC_TYPES, UNITS
from plodek.core.formats.windows import ranged, rest_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import poles_in
from plodek.core.grid.window import Interface, PatchFaces, PatchType, Window
from plodek.core.shape.move import Move, between

_DEGENERATE = ("BCDegenerateLine", "BCDegeneratePoint")
_REMEDY = "give a CGNS file in HDF5 form with structured zones"


def read(path: Path) -> tuple[Grid, str]:
    """Read the structured zones of a CGNS file: the grid, and its length unit ("" where it has none).

    Raises BadFile for what is no HDF5 CGNS file, has no structured zone, or contradicts itself.
    """
    try:
        with h5py.File(path, "r") as file:
            return _File(file, path.name).read()
    except (OSError, KeyError, ValueError, IndexError, StopIteration, RuntimeError, TypeError) as error:
        raise BadFile(
            f"it is not a CGNS file that can be read ({error})", where=path.name, remedy=_REMEDY
        ) from error


@dataclass
class _Outside:
    """What the zones say of their sides."""

    interfaces: list[Interface] = field(default_factory=list)
    periodic: list[Interface] = field(default_factory=list)
    patches: dict[str, list[Window]] = field(default_factory=dict)
    regions: dict[str, list[int]] = field(default_factory=dict)
    told: set[Window] = field(default_factory=set)


class _File:
    def __init__(self, file: h5py.File, name: str) -> None:
        self._name = name
        base = next(_labelled(file, "CGNSBase_t"), None)
        if base is None:
            raise BadFile("it holds no CGNS base", where=name, remedy=_REMEDY)
        self._base = base
        self._zones = list(_labelled(base, "Zone_t"))
        odd = next((z for z in self._zones if _text(z["ZoneType"]) != "Structured"), None)
        if odd is not None or not self._zones:
            what = "it holds no zone" if odd is None else f"zone {_title(odd)} is not structured"
            raise BadFile(what, where=name, remedy="give structured zones")
        self._index = {_title(zone): n for n, zone in enumerate(self._zones)}
        dims = {len(zone[" data"][()][0]) for zone in self._zones}
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
            for family in _labelled(zone, "FamilyName_t"):
                outside.regions.setdefault(_text(family), []).append(block)
        families = {_title(family): family for family in _labelled(self._base, "Family_t")}
        grid = Grid(
            self._dim,
            tuple(self._index),
            xyz,
            tuple(outside.interfaces),
            tuple(PatchFaces(n, _type_of(families.get(n)), tuple(ws)) for n, ws in outside.patches.items()),
            regions={region: tuple(blocks) for region, blocks in outside.regions.items()},
            periodic=tuple(_exact(joint, xyz) for joint in outside.periodic),
            poles=poles_in(xyz, self._dim),
        )
        return replace(grid, unnamed=rest_of(grid)), _unit_of(self._base)

    def _shape(self, zone: h5py.Group) -> tuple[int, int, int]:
        """Give the counts of nodes that a zone says, which its coordinates must have."""
        told = [int(n) for n in zone[" data"][()][0]]
        where = f"{self._name}, zone {_title(zone)}"
        if min(told) < 2:
            raise BadFile(f"{' × '.join(map(str, told))} nodes make no cell", where=where, remedy=_REMEDY)
        places = next(_labelled(zone, "GridCoordinates_t"), None)
        if places is None:
            raise BadFile("it has no coordinates", where=where, remedy=_REMEDY)
        for letter in "XYZ"[: self._dim]:
            found = places[f"Coordinate{letter}"][" data"].shape[::-1]
            if list(found) != told:
                raise BadFile(
                    f"Coordinate{letter} has {' × '.join(map(str, found))} values for "
                    f"{' × '.join(map(str, told))} nodes",
                    where=where, remedy="write the file again: it contradicts itself",
                )  # fmt: skip
        return told[0], told[1], told[2] if self._dim == 3 else 1

    def _places(self, zone: h5py.Group, shape: tuple[int, int, int]) -> Floats:
        places = next(_labelled(zone, "GridCoordinates_t"))
        nodes = np.zeros((*shape, 3))
        for axis, letter in enumerate("XYZ"):
            if f"Coordinate{letter}" in places:
                values = places[f"Coordinate{letter}"][" data"][()]
                nodes[..., axis] = values.T.reshape(shape)
        wrong = ~np.isfinite(nodes).all(axis=-1)
        if wrong.any():
            first = [int(n) + 1 for n in np.argwhere(wrong)[0]]
            raise BadFile(
                f"{int(wrong.sum())} nodes are no numbers, the first at {first}",
                where=f"{self._name}, zone {_title(zone)}",
                remedy="look where the file comes from",
            )
        return nodes

    def _joints(self, zone: h5py.Group, block: int, outside: _Outside) -> None:
        for link in _labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity1to1_t"):
            where = f"{self._name}, zone {_title(zone)}, {_title(link)}"
            if _text(link) not in self._index:
                raise BadFile(f"there is no zone {_text(link)}", where=where, remedy="write the file again")
            other = self._index[_text(link)]
            span, away = link["PointRange"][" data"][()], link["PointRangeDonor"][" data"][()]
            ours, theirs = self._window(block, span, where), self._window(other, away, where)
            turned = link["Transform"][" data"][()] if "Transform" in link else range(1, self._dim + 1)
            axes = tuple(int(n) for n in turned)
            if sorted(map(abs, axes)) != list(range(1, self._dim + 1)):
                raise BadFile(f"{list(axes)} is no transform", where=where, remedy="write the file again")
            move = _move_of(link)
            joint = Interface(ours, theirs, Orientation(axes), move)
            if abs(axes[ours.axis]) - 1 != theirs.axis or not self._agree(joint):
                raise BadFile(
                    f"its two ranges, {span.tolist()} and {away.tolist()}, do not go with its transform",
                    where=where, remedy="write the file again: it contradicts itself",
                )  # fmt: skip
            if move is not None:
                for descriptor in _labelled(link, "Descriptor_t"):
                    if _title(descriptor) == "Patch":
                        outside.patches.setdefault(_text(descriptor), []).append(ours)
            if theirs not in outside.told or ours not in outside.told:
                (outside.interfaces if move is None else outside.periodic).append(joint)
            outside.told |= {ours, theirs}

    def _agree(self, joint: Interface) -> bool:
        first, second = self._shapes[joint.first.block], self._shapes[joint.second.block]
        index = [np.empty([len(range(n)[p]) for n, p in zip(s, w.slices(s), strict=True)], dtype=np.int8)
                 for s, w in ((first, joint.first), (second, joint.second))]  # fmt: skip
        return joint.orientation.apply(index[1]).shape == index[0].shape

    def _conditions(self, zone: h5py.Group, block: int, outside: _Outside) -> None:
        for condition in _labelled_below(zone, "ZoneBC_t", "BC_t"):
            if _text(condition) in _DEGENERATE:
                continue
            where = f"{self._name}, zone {_title(zone)}, {_title(condition)}"
            window = self._window(block, condition["PointRange"][" data"][()], where)
            named = next(_labelled(condition, "FamilyName_t"), None)
            family = _title(condition) if named is None else _text(named)
            outside.patches.setdefault(family, []).append(window)

    def _window(self, block: int, span: np.ndarray[Any, Any], where: str) -> Window:
        return ranged(block, span.astype(np.int64), self._shapes[block], where)


def _move_of(link: h5py.Group) -> Move | None:
    """Give the move to the other side of a periodic connectivity (SIDS 8.5.1); None of another."""
    for above in _labelled(link, "GridConnectivityProperty_t"):
        for periodic in _labelled(above, "Periodic_t"):
            centre, angle, shift = (
                np.resize([*periodic[name][" data"][()].astype(float).ravel(), 0.0, 0.0, 0.0], 3)
                for name in ("RotationCenter", "RotationAngle", "Translation")
            )
            matrix = Rotation.from_euler("xyz", angle).as_matrix()
            return Move(matrix, centre - matrix @ centre + shift)
    return None


def _exact(joint: Interface, xyz: Sequence[Floats]) -> Interface:
    """Make the move of a periodic joint, which files hold in single precision, exact from its nodes."""
    assert joint.move is not None
    ours, theirs = (xyz[w.block][w.slices(xyz[w.block].shape[:3])] for w in (joint.first, joint.second))
    first, second = ours.reshape(-1, 3), joint.orientation.apply(theirs).reshape(-1, 3)
    turns = not np.allclose(joint.move.matrix, np.eye(3), atol=1e-6)
    move = between(first, second, turns=turns)
    off, before = (float(np.abs(one.places(first) - second).max()) for one in (move, joint.move))
    return replace(joint, move=move) if off < before else joint


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


def _labelled(group: h5py.Group, label: str) -> Iterator[h5py.Group]:
    for child in group.values():
        if isinstance(child, h5py.Group) and child.attrs.get("label", b"").decode() == label:
            yield child


def _labelled_below(zone: h5py.Group, above: str, label: str) -> Iterator[h5py.Group]:
    for parent in _labelled(zone, above):
        yield from _labelled(parent, label)


def _title(group: h5py.Group) -> str:
    return str(group.attrs["name"].decode())


def _text(group: h5py.Group) -> str:
    return bytes(group[" data"][()].astype(np.uint8)).decode().strip()

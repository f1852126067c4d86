"""The nodes of a CGNS file, groups of HDF5, and what they say in the standard's words."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np
import scipy

from plodek.core.doors.hdf5 import Node, readable
from plodek.core.formats.cgns.words import BC_TYPES, PATCH_TYPES, READ, SILENT, UNITS
from plodek.core.grid.window import PatchType
from plodek.core.shape.move import Move


def move_of(link: Node, *above: Node) -> Move | None:
    """Give the move to the other side of a periodic connectivity (SIDS 8.5.1); None of another.

    Its angles are in the unit that it says, or the nodes ``above`` it, the nearest first.
    """
    for properties in labelled(link, "GridConnectivityProperty_t"):
        for periodic in labelled(properties, "Periodic_t"):
            centre, angle, shift = (
                np.resize([*data_of(periodic[name]).astype(float).ravel(), 0.0, 0.0, 0.0], 3)
                for name in ("RotationCenter", "RotationAngle", "Translation")
            )
            angle *= angle_unit(periodic["RotationAngle"], periodic, properties, link, *above)
            matrix = scipy.spatial.transform.Rotation.from_euler("xyz", angle).as_matrix()
            return Move(matrix, centre - matrix @ centre + shift)
    return None


def is_periodic(link: Node) -> bool:
    """Whether a connectivity is periodic."""
    return any(True for _ in labelled_below(link, "GridConnectivityProperty_t", "Periodic_t"))


def type_of(word: str, family: Node | None) -> tuple[PatchType, str]:
    """Give the type of a patch by that of its condition and its family, and a note if it is none of ours."""
    named = ""
    if family is not None:
        named = next((text(node) for node in labelled(family, "FamilyBC_t")), "")
    if word in PATCH_TYPES and word != "BCGeneral":
        other = PATCH_TYPES.get(named)
        differs = other not in (None, "general", PATCH_TYPES[word])
        return PATCH_TYPES[word], f"is {word}, and its family {named}: the first is taken" if differs else ""
    if family is None:
        said = (
            "is of a family that is not there" if word == "FamilySpecified" else f"is {word or 'of no type'}"
        )
        return "general", "" if word == "BCGeneral" else f"{said}: taken as general"
    own = next((text(node) for node in labelled(family, "Descriptor_t")), None)
    fitting = [kind for kind, code in BC_TYPES.items() if code == named]
    if own in fitting:
        return next(kind for kind in fitting if kind == own), ""
    if named in PATCH_TYPES:
        return PATCH_TYPES[named], ""
    return "general", f"is of a family that is {named or 'of no type'}: taken as general"


def _units(*nodes: Node) -> list[str]:
    """Give the units that the first of nodes says that says any: mass, length, time, temperature, angle."""
    for node in nodes:
        for units in labelled(node, "DimensionalUnits_t"):
            return [readable(bytes(row)).strip(" \0") for row in data_of(units).astype(np.uint8)]
    return ["", "", "", "", ""]


def unit_of(*nodes: Node) -> str:
    """Give the length unit of the first of nodes that says any, "" where it is none of ours."""
    word = [*_units(*nodes), "", ""][1]
    return next((unit for unit, name in UNITS.items() if name == word), "")


def angle_unit(*nodes: Node) -> float:
    """Give the unit of angles, in radians, of the first of nodes that says any."""
    return math.radians(1.0) if [*_units(*nodes), *[""] * 5][4] == "Degree" else 1.0


def left_out(zone: Node) -> Iterator[str]:
    """Tell what a zone holds that is not read, but for what says nothing of its grid."""
    seen: set[str] = set()
    for _, child in zone.groups():
        label = child.words("label") or ""
        again = label in seen and label == "GridCoordinates_t"  # those of another time
        seen.add(label)
        if again or label not in (*READ, *SILENT):
            yield f"{title(child)} ({label}) of zone {title(zone)} is left out"


def labelled(group: Node, label: str) -> Iterator[Node]:
    """Give the nodes below one that have a label."""
    for _, child in group.groups():
        if child.words("label") == label:
            yield child


def labelled_below(zone: Node, above: str, label: str) -> Iterator[Node]:
    """Give the nodes with a label below all those with another."""
    for parent in labelled(zone, above):
        yield from labelled(parent, label)


def title(group: Node) -> str:
    """Give the name of a node."""
    found = group.words("name")
    if found is None:
        raise KeyError("a node without a name")
    return found


def text(group: Node) -> str:
    """Give the words that a node holds."""
    return readable(bytes(data_of(group).astype(np.uint8))).strip(" \0")


def data_of(node: Node) -> np.ndarray[Any, Any]:
    """Read the data of a node."""
    return node.array(" data").read()

"""The nodes of a CGNS file, groups of HDF5, and what they say in the standard's words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import scipy

from plodek.core.doors.hdf5 import Node
from plodek.core.formats.cgns.words import BC_TYPES, UNITS
from plodek.core.grid.window import PatchType
from plodek.core.shape.move import Move


def move_of(link: Node) -> Move | None:
    """Give the move to the other side of a periodic connectivity (SIDS 8.5.1); None of another."""
    for above in labelled(link, "GridConnectivityProperty_t"):
        for periodic in labelled(above, "Periodic_t"):
            centre, angle, shift = (
                np.resize([*data_of(periodic[name]).astype(float).ravel(), 0.0, 0.0, 0.0], 3)
                for name in ("RotationCenter", "RotationAngle", "Translation")
            )
            matrix = scipy.spatial.transform.Rotation.from_euler("xyz", angle).as_matrix()
            return Move(matrix, centre - matrix @ centre + shift)
    return None


def type_of(family: Node | None) -> PatchType:
    """Give the type of a patch by its family, *general* where there is none."""
    if family is None:
        return "general"
    word = next((text(node) for node in labelled(family, "Descriptor_t")), None)
    bc = next((text(node) for node in labelled(family, "FamilyBC_t")), "")
    fitting = [kind for kind, code in BC_TYPES.items() if code == bc]
    return next((kind for kind in fitting if kind == word), fitting[-1] if fitting else "general")


def unit_of(base: Node) -> str:
    """Give the length unit of a base, "" where it says none of ours."""
    for node in labelled(base, "DimensionalUnits_t"):
        word = bytes(data_of(node).astype(np.uint8)[1]).decode().strip()
        return next((unit for unit, name in UNITS.items() if name == word), "")
    return ""


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
    return bytes(data_of(group).astype(np.uint8)).decode().strip()


def data_of(node: Node) -> np.ndarray[Any, Any]:
    """Read the data of a node."""
    return node.array(" data").read()

"""What all our CGNS files have: the base with units, origin and families, conditions, and moves of joints."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from importlib.metadata import version
from pathlib import Path

import numpy as np
import scipy

from plodek.core.errors import BadValue
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cgns.nodes import Node, open_file
from plodek.core.formats.cgns.words import BC_TYPES, PATCH_TYPES, UNITS
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import PatchFaces
from plodek.core.shape.move import Move

#: Exponents of mass, length, time, temperature and angle in a coordinate.
LENGTH = np.array([0, 1, 0, 0, 0], dtype=np.float32)
_ANGLE = np.array([0, 0, 0, 0, 1], dtype=np.float32)


@contextmanager
def open_base(path: Path, cargo: Cargo, zones: Iterable[str]) -> Iterator[Node]:
    """Begin a file with a base that will hold zones of these names, and give it.

    Raises BadValue for a patch or region whose name the file needs itself.
    """
    grid = cargo.grid
    _check_names(cargo, zones)
    with open_file(path) as root:
        base = root.child("Base", "CGNSBase_t", np.array([grid.dim, len(axes_of(grid))], dtype=np.int32))
        base.child("DataClass", "DataClass_t", "Dimensional")
        words = ["Kilogram", UNITS.get(cargo.unit, "UserDefined"), "Second", "Kelvin", "Radian"]
        table = np.array([list(f"{w:<32}".encode()) for w in words], dtype=np.int8)
        base.child("DimensionalUnits", "DimensionalUnits_t", table)
        base.child("Origin", "Descriptor_t", f"Plodek {version('plodek')}")
        if cargo.recipe:
            base.child("Recipe", "Descriptor_t", cargo.recipe)
        for patch in grid.patches:
            family = base.child(patch.name, "Family_t")
            family.child("FamilyBC", "FamilyBC_t", BC_TYPES[patch.type])
            if PATCH_TYPES[BC_TYPES[patch.type]] != patch.type or patch.type == "general":
                family.child("PatchType", "Descriptor_t", patch.type)
        for region in grid.regions:
            base.child(region, "Family_t")
        yield base


def axes_of(grid: Grid) -> str:
    """Give the letters of the coordinates: a plane at z = 0 has two, unless twins of it are turned."""
    if grid.dim == 3:
        return "XYZ"
    turned = any(j.move is not None and not np.allclose(j.move.matrix, np.eye(3)) for j in grid.periodic)
    return "XYZ" if turned or any(nodes[..., 2].any() for nodes in grid.xyz) else "XY"


def _check_names(cargo: Cargo, zones: Iterable[str]) -> None:
    grid = cargo.grid
    taken = {"DataClass", "DimensionalUnits", "Origin", "Recipe", *zones}
    names = [("patch", patch.name) for patch in grid.patches] + [("region", name) for name in grid.regions]
    for noun, name in names:
        if name in taken:
            raise BadValue(
                f"a CGNS file uses the name “{name}” itself, or twice", remedy=f"give the {noun} another name"
            )
        taken.add(name)


def add_move(link: Node, move: Move, patch: PatchFaces | None, dim: int = 3) -> None:
    """Say of a connectivity that it is periodic, and by which move it reaches the other side (SIDS 8.5.1).

    ``dim`` is the number of coordinates.

    The rotation goes about x, then y, then z, through the centre that the move leaves where it is. Such
    faces have no boundary condition; the name of their patch stands beside.
    """
    turn = scipy.spatial.transform.Rotation.from_matrix(move.matrix)
    centre = np.linalg.pinv(np.eye(3) - move.matrix) @ move.shift
    shift = move.shift - (centre - move.matrix @ centre)
    periodic = link.child("GridConnectivityProperty", "GridConnectivityProperty_t").child(
        "Periodic", "Periodic_t"
    )
    angles = turn.as_euler("xyz")
    for name, values, exponents in (
        ("RotationCenter", centre, LENGTH),
        ("RotationAngle", angles, _ANGLE),
        ("Translation", shift, LENGTH),
    ):
        # The standard's library takes single precision alone; who reads them makes them exact from the nodes.
        data = periodic.child(name, "DataArray_t", np.asarray(values[:dim], dtype=np.float32))
        data.child("DimensionalExponents", "DimensionalExponents_t", exponents)
    if patch is not None:
        link.child("Patch", "Descriptor_t", patch.name)


def add_condition(above: Node, number: int, patch: PatchFaces) -> Node:
    """Add a boundary condition that the family of a patch speaks for."""
    condition = above.child(f"{patch.name[:27]}_{number}", "BC_t", "FamilySpecified")
    condition.child("FamilyName", "FamilyName_t", patch.name)
    return condition

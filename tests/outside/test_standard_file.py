"""A CGNS file written by the standard with h5py alone, not by Plodek, is read for what it says.

SIDS and the HDF5 mapping (AIAA R-101A): two zones that meet with turned axes, families, units, a degenerate side.
"""

import h5py
import numpy as np
import pytest

from plodek.core.check.measure import measure
from plodek.core.formats import registry
from plodek.core.grid.numbering import Numbering


def node(parent, name, label, data=None):
    group = parent.create_group(name, track_order=True)
    kind = {None: "MT", "float64": "R8", "int32": "I4", "int8": "C1"}[
        None if data is None else data.dtype.name
    ]
    for key, text, size in (("name", name, 33), ("label", label, 33), ("type", kind, 3)):
        group.attrs.create(key, np.bytes_(text.encode()), dtype=h5py.string_dtype("ascii", size))
    if data is not None:
        group.create_dataset(" data", data=data)
    return group


def text(words):
    return np.frombuffer(words.encode(), dtype=np.int8)


def ints(*values):
    return np.array(values, dtype=np.int32)


@pytest.fixture
def path(tmp_path):
    """A box of 2 by 1 by 1 in two zones; the second runs with its i along the first's j, its j against i."""
    first = np.stack(
        np.meshgrid(np.linspace(0, 1, 3), np.linspace(0, 1, 4), np.linspace(0, 1, 5), indexing="ij"), -1
    )
    plain = first + np.array([1.0, 0, 0])
    second = plain.transpose(1, 0, 2, 3)[:, ::-1]  # i of it is y, j of it is -x
    file = h5py.File(tmp_path / "two.cgns", "w", track_order=True)
    with file:
        base = node(file, "Base", "CGNSBase_t", ints(3, 3))
        words = ["Kilogram", "Foot", "Second", "Kelvin", "Radian"]
        table = np.array([list(f"{w:<32}".encode()) for w in words], dtype=np.int8)
        node(base, "DimensionalUnits", "DimensionalUnits_t", table)
        family = node(base, "skin", "Family_t")
        node(family, "FamilyBC", "FamilyBC_t", text("BCWall"))
        for name, nodes in (("A", first), ("B", second)):
            shape = nodes.shape[:3]
            zone = node(
                base, name, "Zone_t", np.array([shape, [n - 1 for n in shape], [0] * 3], dtype=np.int32)
            )
            node(zone, "ZoneType", "ZoneType_t", text("Structured"))
            places = node(zone, "GridCoordinates", "GridCoordinates_t")
            for axis, letter in enumerate("XYZ"):
                node(places, f"Coordinate{letter}", "DataArray_t", np.ascontiguousarray(nodes[..., axis].T))
            links = node(zone, "ZoneGridConnectivity", "ZoneGridConnectivity_t")
            link = node(links, "joint", "GridConnectivity1to1_t", text("B" if name == "A" else "A"))
            if name == "A":  # x+ of A is j at its end in B, with j falling along x
                node(link, "Transform", '"int[IndexDimension]"', ints(-2, 1, 3))
                node(link, "PointRange", "IndexRange_t", np.array([[3, 1, 1], [3, 4, 5]], dtype=np.int32))
                node(
                    link, "PointRangeDonor", "IndexRange_t", np.array([[1, 3, 1], [4, 3, 5]], dtype=np.int32)
                )
            else:
                node(link, "Transform", '"int[IndexDimension]"', ints(2, -1, 3))
                node(link, "PointRange", "IndexRange_t", np.array([[1, 3, 1], [4, 3, 5]], dtype=np.int32))
                node(
                    link, "PointRangeDonor", "IndexRange_t", np.array([[3, 1, 1], [3, 4, 5]], dtype=np.int32)
                )
            conditions = node(zone, "ZoneBC", "ZoneBC_t")
            low = node(conditions, "low", "BC_t", text("FamilySpecified"))
            node(
                low,
                "PointRange",
                "IndexRange_t",
                np.array([[1, 1, 1], [shape[0], shape[1], 1]], dtype=np.int32),
            )
            node(low, "FamilyName", "FamilyName_t", text("skin"))
    return tmp_path / "two.cgns"


def test_it_is_read_with_its_joint_families_and_unit(path):
    grid, unit = registry.read(path)
    assert (unit, grid.names, len(grid.interfaces)) == ("ft", ("A", "B"), 1)
    (joint,) = grid.interfaces
    ours, theirs = grid.nodes(joint.first), joint.orientation.apply(grid.nodes(joint.second))
    assert np.array_equal(ours, theirs)
    (skin,) = grid.patches
    assert (skin.name, skin.type, grid.patch_faces(skin)) == ("skin", "wall", 12)
    assert len(grid.unnamed) == 8
    assert Numbering.of(grid).count == 5 * 4 * 5
    cells = measure(grid)
    assert abs(cells.volume).sum() == pytest.approx(2)
    assert cells.of("non_orthogonality").max() < 1e-5
    assert cells.of("volume_ratio").max() == pytest.approx(1)

"""CGNS files as others write them: nodes of the standard (SIDS, in HDF5), put together with h5py alone."""

from __future__ import annotations

import h5py
import numpy as np

#: Corner counts of the box that most of these files hold: i, j, k.
COUNTS = (5, 4, 3)
SIDES = {
    "i-": ((1, 1, 1), (1, 4, 3)), "i+": ((5, 1, 1), (5, 4, 3)), "j-": ((1, 1, 1), (5, 1, 3)),
    "j+": ((1, 4, 1), (5, 4, 3)), "k-": ((1, 1, 1), (5, 4, 1)), "k+": ((1, 1, 3), (5, 4, 3)),
}  # fmt: skip


def node(above, name, label, data=None):
    """Add a node below another."""
    group = above.create_group(name)
    group.attrs["name"] = np.bytes_(name.encode("latin-1").ljust(33, b"\0"))
    group.attrs["label"] = np.bytes_(label.encode().ljust(33, b"\0"))
    if isinstance(data, str):
        data = np.frombuffer(data.encode("latin-1"), dtype=np.int8)
    kinds = {"i1": "C1", "i4": "I4", "i8": "I8", "f4": "R4", "f8": "R8"}
    group.attrs["type"] = np.bytes_("MT" if data is None else kinds[data.dtype.str[1:]])
    if data is not None:
        group.create_dataset(" data", data=data)
    return group


def ints(*values):
    return np.array(values, dtype=np.int32)


def units(above, length, angle="Radian"):
    words = ["Kilogram", length, "Second", "Kelvin", angle]
    rows = np.array([list(word.ljust(32).encode()) for word in words], dtype=np.int8)
    return node(above, "DimensionalUnits", "DimensionalUnits_t", rows)


def base_of(file, name="Base", dim=3):
    return node(file, name, "CGNSBase_t", ints(dim, 3))


def box(counts=COUNTS, size=(1.0, 1.0, 1.0), at=(0.0, 0.0, 0.0)):
    along = [np.linspace(a, a + s, n) for a, s, n in zip(at, size, counts, strict=True)]
    return np.stack(np.meshgrid(*along, indexing="ij"), axis=-1)


def zone_of(base, name="Z", nodes=None, letters=("CoordinateX", "CoordinateY", "CoordinateZ")):
    """Add a structured zone of nodes (ni, nj, nk, 3)."""
    nodes = box() if nodes is None else nodes
    counts = nodes.shape[:3]
    zone = node(base, name, "Zone_t", ints(counts, [n - 1 for n in counts], [0, 0, 0]))
    node(zone, "ZoneType", "ZoneType_t", "Structured")
    places = node(zone, "GridCoordinates", "GridCoordinates_t")
    for axis, letter in enumerate(letters):
        node(places, letter, "DataArray_t", np.ascontiguousarray(nodes[..., axis].T))
    return zone


def condition(zone, name, word="BCWall", family=None, location=None, **places):
    """Add a boundary condition; ``places`` are PointRange, PointList, ElementRange or ElementList."""
    above = zone["ZoneBC"] if "ZoneBC" in zone else node(zone, "ZoneBC", "ZoneBC_t")
    found = node(above, name, "BC_t", word)
    for key, values in places.items():
        label = "IndexRange_t" if key.endswith("Range") else "IndexArray_t"
        node(found, key, label, np.array(values, dtype=np.int32))
    if family:
        node(found, "FamilyName", "FamilyName_t", family)
    if location:
        node(found, "GridLocation", "GridLocation_t", location)
    return found


def written(path, fill):
    """Write a file that a function fills, from its root, and give its path."""
    with h5py.File(path, "w") as file:
        node(file, "CGNSLibraryVersion", "CGNSLibraryVersion_t", np.array([3.4], dtype=np.float32))
        fill(file)
    return path

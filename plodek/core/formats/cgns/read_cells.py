"""Reading the unstructured zones of a CGNS file; see `structured` for the standard."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.budget import need
from plodek.core.doors.hdf5 import Node
from plodek.core.errors import BadFile
from plodek.core.formats.cells import QUAD, TRI, Kind
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
from plodek.core.formats.joining import joined
from plodek.core.formats.mesh import Mesh, Twins, four
from plodek.core.formats.mesh_file import KINDS, meshed

_NAMES = {kind.cgns: kind for kind in KINDS}
_MIXED = 20


def read_cells(base: Node, name: str) -> tuple[Mesh, str]:
    """Read the unstructured zones below a base as one mesh, and its length unit.

    Points of several zones are one where they are equal to the bit. Raises BadFile for cells other than
    hexahedra, wedges and pyramids.
    """
    zones = list(labelled(base, "Zone_t"))
    need("cells", sum(int(data_of(zone).ravel()[1]) for zone in zones))
    families = {title(family): family for family in labelled(base, "Family_t")}
    found = [_zone(zone, name) for zone in zones]
    names = {patch for _, _, patches, _ in found for patch in patches}
    types = {patch: type_of(families.get(patch)) for patch in names}
    unit = unit_of(base)
    if len(found) == 1:
        ((points, solids, patches, twins),) = found
        return meshed(name, points, solids, patches, types, unit, twins), unit
    pieces: list[tuple[str, Floats, dict[Kind, Ints], Ints | None]] = []
    pieces += [("", points, solids, None) for points, solids, _, _ in found]
    pieces += [
        (patch, points, {}, corners) for points, _, patches, _ in found for patch, corners in patches.items()
    ]
    return replace(joined(name, pieces, unit), types=types), unit


def _zone(zone: Node, name: str) -> tuple[Floats, dict[Kind, Ints], dict[str, Ints], tuple[Twins, ...]]:
    """Read the points, cells, patches and periodic faces of a zone."""
    places = next(labelled(zone, "GridCoordinates_t"))
    points = np.stack([data_of(places[f"Coordinate{letter}"]) for letter in "XYZ"], axis=1).astype(float)
    solids: dict[Kind, Ints] = {}
    sections: list[tuple[int, Kind, Ints]] = []
    for section in labelled(zone, "Elements_t"):
        code = int(data_of(section)[0])
        if code not in _NAMES:
            what = "mixed cells" if code == _MIXED else f"cells of the kind {code}"
            raise BadFile(
                f"it holds {what}", where=f"{name}, {title(section)}",
                remedy="give sections of HEXA_8, PENTA_6 or PYRA_5, and QUAD_4 or TRI_3",
            )  # fmt: skip
        kind = _NAMES[code]
        corners = data_of(section["ElementConnectivity"]).astype(np.int64).reshape(-1, kind.corners) - 1
        first = int(data_of(section["ElementRange"])[0])
        if kind in (QUAD, TRI):
            sections.append((first, kind, corners))
        else:
            solids[kind] = np.concatenate([solids[kind], corners]) if kind in solids else corners
    patches = _patches(zone, sections)
    return points, solids, patches, _twins(zone, points, patches)


def _patches(zone: Node, sections: list[tuple[int, Kind, Ints]]) -> dict[str, Ints]:
    """Give the faces of each boundary condition by its family, of periodic patches by their section."""
    found: dict[str, Ints] = {}
    taken = set()
    for condition in labelled_below(zone, "ZoneBC_t", "BC_t"):
        named = next(labelled(condition, "FamilyName_t"), None)
        family = title(condition) if named is None else text(named)
        low, high = (int(n) for n in np.ravel(data_of(condition["PointRange"])))
        for first, _, corners in sections:
            part = corners[max(low - first, 0) : max(high + 1 - first, 0)]
            if len(part):
                taken.add(first)
                found[family] = np.concatenate([found.get(family, np.empty((0, 4), np.int64)), four(part)])
    for section in labelled(zone, "Elements_t"):
        first = int(data_of(section["ElementRange"])[0])
        own = [corners for begin, _, corners in sections if begin == first and first not in taken]
        if own:
            found[title(section)] = four(own[0])
    return found


def _twins(zone: Node, points: Floats, patches: dict[str, Ints]) -> tuple[Twins, ...]:
    """Give the faces that are periodic with others: those all of whose corners a connectivity names."""
    found: list[Twins] = []
    for link in labelled_below(zone, "ZoneGridConnectivity_t", "GridConnectivity_t"):
        move = move_of(link)
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
        if not any(
            np.array_equal(np.sort(pair.theirs, axis=None), np.sort(whole, axis=None)) for pair in found
        ):
            found.append(Twins(whole, to[whole], move.fitted(points[ours], points[theirs])))
    return tuple(found)

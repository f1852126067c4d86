"""CGNS files as others write them, by the standard (CGNS SIDS 4.x): read as they are meant, or told what is not."""

import numpy as np
import pytest

from plodek.core.check.measure import measure
from plodek.core.errors import BadFile
from plodek.core.formats import registry
from plodek.core.formats.cgns.words import READ, SILENT
from tests.outside.of_others.cgns_files import (
    SIDES,
    base_of,
    box,
    condition,
    ints,
    node,
    units,
    written,
    zone_of,
)


def read(tmp_path, fill):
    return registry.read(written(tmp_path / "a.cgns", fill))


def patches(grid):
    return {patch.name: (patch.type, grid.patch_faces(patch)) for patch in grid.patches}


def with_sides(file, words="BCWall", **how):
    zone = zone_of(base_of(file))
    for name, span in SIDES.items():
        condition(zone, name, words if isinstance(words, str) else words[name], PointRange=span, **how)
    return zone


FACES = {"i-": 6, "i+": 6, "j-": 8, "j+": 8, "k-": 12, "k+": 12}


@pytest.mark.parametrize(
    ("word", "kind"),
    [
        ("BCWallViscousHeatFlux", "wall"), ("BCInflowSubsonic", "inlet"), ("BCTunnelOutflow", "outlet"),
        ("BCSymmetryPlane", "symmetry"), ("BCFarfield", "far field"), ("BCGeneral", "general"),
        ("BCDirichlet", None), ("BCSymmetryPolar", "axis"), ("BCAxisymmetricWedge", "wedge sides"), ("UserDefined", None), ("Null", None),
    ],
)  # fmt: skip
def test_types_of_conditions_are_ours_or_told(tmp_path, word, kind):
    grid, _ = read(tmp_path, lambda file: with_sides(file, word))
    assert patches(grid) == {name: (kind or "general", count) for name, count in FACES.items()}
    assert bool(grid.notes) == (kind is None)
    assert all(word in note for note in grid.notes)


def test_a_conditions_own_type_goes_before_its_familys_and_families_are_looked_up(tmp_path):
    def fill(file):
        zone = zone_of(base := base_of(file))
        for family, word in (
            ("hull", "BCWallViscous"),
            ("sea", "BCFarfield"),
            ("odd", "BCExtrapolate"),
        ):
            node(node(base, family, "Family_t"), "FamilyBC", "FamilyBC_t", word)
        for name, family, word in (
            ("i-", "hull", "FamilySpecified"), ("i+", "sea", "BCOutflow"), ("j-", "odd", "FamilySpecified"),
            ("j+", "gone", "FamilySpecified"), ("k-", "hull", "FamilySpecified"), ("k+", "hull", "FamilySpecified"),
        ):  # fmt: skip
            condition(zone, name, word, family, PointRange=SIDES[name])

    grid, _ = read(tmp_path, fill)
    assert patches(grid) == {
        "hull": ("wall", 30), "sea": ("outlet", 6), "odd": ("general", 8), "gone": ("general", 8)
    }  # fmt: skip
    assert ["BCFarfield" in n or "BCExtrapolate" in n or "not there" in n for n in grid.notes] == [True] * 3


def face_range(name):
    (low, high), axis = SIDES[name], "ijk".index(name[0])
    return low, tuple(h if a == axis else h - 1 for a, h in enumerate(high))


def cell_range(name):
    low, high = face_range(name)
    axis = "ijk".index(name[0])
    last = (4, 3, 2)[axis]
    return tuple(tuple(min(v, last) if a == axis else v for a, v in enumerate(end)) for end in (low, high))


def listed(low, high):
    spans = [range(a, b + 1) for a, b in zip(low, high, strict=True)]
    return [(i, j, k) for k in spans[2] for j in spans[1] for i in spans[0]]


@pytest.mark.parametrize("way", ["faces", "faces of an axis", "cells", "nodes listed", "faces listed"])
def test_sides_are_found_however_they_are_named(tmp_path, way):
    def fill(file):
        zone = zone_of(base_of(file))
        for name, span in SIDES.items():
            own = f"{name[0].upper()}FaceCenter"
            how = {
                "faces": ("FaceCenter", {"PointRange": face_range(name)}),
                "faces of an axis": (own, {"PointRange": face_range(name)}),
                "cells": ("CellCenter", {"PointRange": cell_range(name)}),
                "nodes listed": (None, {"PointList": listed(*span)}),
                "faces listed": (own, {"PointList": listed(*face_range(name))}),
            }[way]
            condition(zone, name, location=how[0], **how[1])

    grid, _ = read(tmp_path, fill)
    assert {name: count for name, (_, count) in patches(grid).items()} == FACES
    assert (grid.unnamed, grid.notes) == ((), ())


def test_a_part_of_a_side_by_faces_is_that_part(tmp_path):
    def fill(file):
        zone = zone_of(base_of(file))
        condition(zone, "slot", location="KFaceCenter", PointRange=((2, 1, 3), (3, 2, 3)))

    grid, _ = read(tmp_path, fill)
    (window,) = grid.patches[0].windows
    assert grid.nodes(window).reshape(-1, 3).min(axis=0) == pytest.approx([0.25, 0, 1])
    assert grid.nodes(window).reshape(-1, 3).max(axis=0) == pytest.approx([0.75, 2 / 3, 1])


@pytest.mark.parametrize(
    ("span", "word"), [(((1, 1, 1), (5, 1, 1)), "line"), (((2, 1, 1), (2, 4, 3)), "inner"), (((1, 1, 1), (1, 1, 1)), "point")]
)  # fmt: skip
def test_what_lies_on_no_side_is_left_out_with_a_word(tmp_path, span, word):
    def fill(file):
        condition(with_sides(file), word, PointRange=span)

    grid, _ = read(tmp_path, fill)
    assert {name: count for name, (_, count) in patches(grid).items()} == FACES
    assert f"condition {word} of zone Z is left out" in grid.notes[0]


@pytest.mark.parametrize("where", ["base", "zone", "coordinates", "array"])
def test_units_hold_where_they_are_said(tmp_path, where):
    def fill(file):
        base = base_of(file)
        units(base, "Millimeter" if where == "base" else "Meter")
        zone = zone_of(base)
        inner = {"zone": zone, "coordinates": zone["GridCoordinates"]}
        if where in inner:
            units(inner[where], "Millimeter")
        for letter in "XYZ" if where == "array" else "":
            units(zone[f"GridCoordinates/Coordinate{letter}"], "Millimeter")

    assert read(tmp_path, fill)[1] == "mm"


def test_zones_and_arrays_in_other_units_are_turned_into_one(tmp_path):
    def fill(file):
        base = base_of(file)
        units(base, "Meter")
        one = zone_of(base, "A")
        units(one["GridCoordinates/CoordinateX"], "Centimeter")
        units(zone_of(base, "B", box(at=(1.0, 0, 0))), "Inch")

    grid, unit = read(tmp_path, fill)
    assert unit == "cm"
    assert grid.xyz[0].max(axis=(0, 1, 2)) == pytest.approx([1, 100, 100])
    assert grid.xyz[1].max(axis=(0, 1, 2)) == pytest.approx([5.08, 2.54, 2.54])


@pytest.mark.parametrize("angle", ["Degree", "Radian"])
def test_cylindrical_places_are_turned_into_cartesian_ones(tmp_path, angle):
    turn = 60.0 if angle == "Degree" else np.pi / 3
    nodes = box((5, 7, 3), (1.0, turn, 0.5), (1.0, 0, 0))

    def fill(file):
        base = base_of(file)
        units(base, "Meter", angle)
        zone_of(base, nodes=nodes, letters=("CoordinateR", "CoordinateTheta", "CoordinateZ"))

    grid, unit = read(tmp_path, fill)
    assert unit == "m"
    assert grid.xyz[0][-1, -1, -1] == pytest.approx([2 * np.cos(np.pi / 3), 2 * np.sin(np.pi / 3), 0.5])
    assert measure(grid).volume.sum() == pytest.approx(0.5 * 3 * 0.5 * 6 * np.sin(np.pi / 18), rel=1e-12)


def test_planes_of_rind_are_left_out(tmp_path):
    def fill(file):
        whole = box((7, 4, 5), (1.5, 1, 1), (-0.25, 0, 0))
        zone = zone_of(base_of(file), nodes=whole)
        zone[" data"][...] = ints((5, 4, 3), (4, 3, 2), (0, 0, 0))
        node(zone["GridCoordinates"], "Rind", "Rind_t", ints(1, 1, 0, 0, 0, 2))

    grid, _ = read(tmp_path, fill)
    assert grid.xyz[0].shape == (5, 4, 3, 3)
    assert grid.xyz[0][0, 0, 0] == pytest.approx([0, 0, 0])


def two_zones(file):
    base = base_of(file)
    return zone_of(base, "A"), zone_of(base, "B", box(at=(1.0, 0, 0)))


def test_sides_that_abut_by_lists_of_nodes_are_joined(tmp_path):
    def fill(file):
        above = node(two_zones(file)[0], "ZoneGridConnectivity", "ZoneGridConnectivity_t")
        link = node(above, "g", "GridConnectivity_t", "B")
        node(link, "GridConnectivityType", "GridConnectivityType_t", "Abutting1to1")
        node(link, "PointList", "IndexArray_t", np.array(listed(*SIDES["i+"]), dtype=np.int32))
        node(link, "PointListDonor", "IndexArray_t", np.array(listed(*SIDES["i-"]), dtype=np.int32))

    grid, _ = read(tmp_path, fill)
    assert (len(grid.interfaces), len(grid.unnamed)) == (1, 10)


def periodic_link(zone, donor, ours, theirs, shift):
    above = node(zone, "ZoneGridConnectivity", "ZoneGridConnectivity_t")
    link = node(above, "g", "GridConnectivity_t", donor)
    node(link, "GridConnectivityType", "GridConnectivityType_t", "Abutting1to1")
    node(link, "PointList", "IndexArray_t", np.array(ours, dtype=np.int32))
    node(link, "PointListDonor", "IndexArray_t", np.array(theirs, dtype=np.int32))
    way = node(node(link, "p", "GridConnectivityProperty_t"), "Periodic", "Periodic_t")
    for name, values in (("RotationCenter", [0, 0, 0]), ("RotationAngle", [0, 0, 0]), ("Translation", shift)):
        node(way, name, "DataArray_t", np.array(values, dtype=np.float32))


@pytest.mark.parametrize("mixed", [False, True])
def test_periodic_sides_are_joined_by_their_lists_of_nodes(tmp_path, mixed):
    """SIDS 8.4: the n-th node of one list is that of the other, in whatever order they come."""

    def fill(file):
        ours, theirs = np.array(listed(*SIDES["i-"])), np.array(listed(*SIDES["i+"]))
        order = np.random.default_rng(1).permutation(len(ours)) if mixed else np.arange(len(ours))
        periodic_link(two_zones(file)[0], "B", ours[order], theirs[order], [2.0, 0, 0])

    grid, _ = read(tmp_path, fill)
    (joint,) = grid.periodic
    assert (joint.first.axis, joint.first.end, joint.second.axis, joint.second.end) == (0, 0, 0, 1)
    assert joint.orientation.axes == (1, 2, 3)
    assert joint.move.shift == pytest.approx([2, 0, 0], abs=1e-12)
    assert not any("left out" in note for note in grid.notes)


def test_lists_tell_how_turned_sides_lie_against_each_other(tmp_path):
    """Where the donor's i runs along our j, and both sides are low ones, its j runs against our i."""

    def fill(file):
        ours = np.array(listed(*SIDES["i-"]))
        periodic_link(two_zones(file)[0], "B", ours, ours[:, [1, 0, 2]], [1.0, 0, 0])

    (joint,) = read(tmp_path, fill)[0].periodic
    assert joint.orientation.axes == (-2, 1, 3)
    assert (joint.second.axis, joint.second.end) == (1, 0)


@pytest.mark.parametrize("how", ["swapped", "of faces", "of another base"])
def test_lists_that_pair_no_sides_node_by_node_are_told(tmp_path, how):
    def fill(file):
        zone = two_zones(file)[0]
        ours, theirs = np.array(listed(*SIDES["i-"])), np.array(listed(*SIDES["i+"]))
        if how == "swapped":
            theirs[[0, 1]] = theirs[[1, 0]]
        periodic_link(zone, "Other/B" if how == "of another base" else "B", ours, theirs, [2.0, 0, 0])
        if how == "of faces":
            node(zone["ZoneGridConnectivity"]["g"], "GridLocation", "GridLocation_t", "FaceCenter")

    grid, _ = read(tmp_path, fill)
    assert grid.periodic == ()
    assert "pair no sides node by node" in " ".join(grid.notes)


@pytest.mark.parametrize("kind", ["Overset", "Abutting"])
def test_other_connectivities_are_told(tmp_path, kind):
    def fill(file):
        above = node(two_zones(file)[0], "ZoneGridConnectivity", "ZoneGridConnectivity_t")
        node(
            node(above, "g", "GridConnectivity_t", "B"),
            "GridConnectivityType",
            "GridConnectivityType_t",
            kind,
        )

    grid, _ = read(tmp_path, fill)
    assert grid.interfaces == ()
    assert grid.notes == (f"connectivity g of zone A is left out: it is {kind}",)


def test_periodic_turns_may_be_in_degrees(tmp_path):
    turn = np.radians(60)
    flat = box((5, 7, 3), (1.0, turn, 0.5), (1.0, 0, 0))
    nodes = np.stack(
        [flat[..., 0] * np.cos(flat[..., 1]), flat[..., 0] * np.sin(flat[..., 1]), flat[..., 2]], -1
    )

    def fill(file):
        base = base_of(file)
        units(base, "Meter", "Degree")
        zone = zone_of(base, nodes=nodes)
        link = node(
            node(zone, "ZoneGridConnectivity", "ZoneGridConnectivity_t"), "p", "GridConnectivity1to1_t", "Z"
        )
        node(link, "PointRange", "IndexRange_t", ints((1, 1, 1), (5, 1, 3)))
        node(link, "PointRangeDonor", "IndexRange_t", ints((1, 7, 1), (5, 7, 3)))
        node(link, "Transform", '"int[IndexDimension]"', ints(1, 2, 3))
        periodic = node(
            node(link, "GridConnectivityProperty", "GridConnectivityProperty_t"), "Periodic", "Periodic_t"
        )
        for name, values in (
            ("RotationCenter", (0, 0, 0)),
            ("RotationAngle", (0, 0, 60)),
            ("Translation", (0, 0, 0)),
        ):
            node(periodic, name, "DataArray_t", np.array(values, dtype=np.float32))

    (joint,) = read(tmp_path, fill)[0].periodic
    assert joint.move.places(np.array([[1.0, 0, 0]]))[0] == pytest.approx([0.5, 0.75**0.5, 0], abs=1e-12)


def test_one_of_several_bases_is_read_and_the_others_told(tmp_path):
    def fill(file):
        base_of(file, "Empty")
        zone_of(base_of(file, "First"))
        zone_of(base_of(file, "Second"))

    grid, _ = read(tmp_path, fill)
    assert len(grid.xyz) == 1
    assert grid.notes == ("base Second is left out: First is read",)


ALLOWED = (
    *READ, *SILENT, "FlowSolution_t", "DiscreteData_t", "IntegralData_t", "ZoneSubRegion_t", "RigidGridMotion_t",
    "ArbitraryGridMotion_t", "RotatingCoordinates_t", "ZoneIterativeData_t", "UserDefinedData_t",
    "AdditionalFamilyName_t",
)  # fmt: skip


@pytest.mark.parametrize("label", ALLOWED)
def test_all_that_a_zone_may_hold_is_read_or_told(tmp_path, label):
    def fill(file):
        if label not in READ:
            node(zone_of(base_of(file)), "more", label)
        else:
            zone_of(base_of(file))

    grid, _ = read(tmp_path, fill)
    assert bool(grid.notes) == (label not in (*READ, *SILENT))


def test_words_in_latin_1_are_read(tmp_path):
    def fill(file):
        condition(zone_of(base_of(file)), "a", family="Wände", PointRange=SIDES["i-"])

    assert list(patches(read(tmp_path, fill)[0])) == ["Wände"]


HEXA_AXES = ((0, 1), (1, 2), (3, 2), (0, 3), (0, 4), (1, 5), (2, 6), (3, 7), (4, 5), (5, 6), (7, 6), (4, 7))


def cells(kind="HEXA_8"):
    """One cube as an unstructured zone: its points and elements, with a node on each edge for HEXA_20."""
    corners = np.array(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [1, 1, 1], [0, 1, 1]], float
    )
    middles = np.array([(corners[a] + corners[b]) / 2 for a, b in HEXA_AXES])
    points = corners if kind != "HEXA_20" else np.concatenate([corners, middles])
    return points, np.arange(1, len(points) + 1)


def unstructured(file, points, sections, name="U"):
    zone = node(base_of(file), name, "Zone_t", ints([len(points)], [1], [0]))
    node(zone, "ZoneType", "ZoneType_t", "Unstructured")
    places = node(zone, "GridCoordinates", "GridCoordinates_t")
    for axis, letter in enumerate("XYZ"):
        node(places, f"Coordinate{letter}", "DataArray_t", np.ascontiguousarray(points[:, axis]))
    for title, code, span, connectivity in sections:
        section = node(zone, title, "Elements_t", ints(code, 0))
        node(section, "ElementRange", "IndexRange_t", ints(*span))
        node(section, "ElementConnectivity", "DataArray_t", np.array(connectivity, dtype=np.int32).ravel())
    return zone


BOTTOM, LID = (1, 4, 3, 2), (5, 6, 7, 8)


@pytest.mark.parametrize("way", ["ElementRange", "a range beyond all", "ElementList", "PointList", "nodes"])
def test_faces_of_cells_are_found_however_they_are_named(tmp_path, way):
    def fill(file):
        points, hexa = cells()
        zone = unstructured(file, points, [("c", 17, (1, 1), hexa), ("f", 7, (2, 3), [BOTTOM, LID])])
        how = {
            "ElementRange": {"ElementRange": (2, 2)}, "a range beyond all": {"ElementRange": (1 - 2**31, 2)},
            "ElementList": {"ElementList": [[2]]},
            "PointList": {"PointList": [[2]], "location": "FaceCenter"},
            "nodes": {"PointList": [[n] for n in BOTTOM]},
        }[way]  # fmt: skip
        condition(zone, "low", "BCInflow", **how)

    grid, _ = read(tmp_path, fill)
    assert patches(grid) == {"low": ("inlet", 1)}


@pytest.mark.parametrize("kind", ["HEXA_20", "MIXED"])
def test_curved_and_mixed_cells_are_read_by_their_corners(tmp_path, kind):
    def fill(file):
        points, hexa = cells(kind)
        code, values = (18, hexa) if kind == "HEXA_20" else (20, [17, *hexa, 7, *BOTTOM])
        condition(unstructured(file, points, [("c", code, (1, 2), values)]), "low", ElementList=[[2]])

    grid, _ = read(tmp_path, fill)
    assert measure(grid).volume.sum() == pytest.approx(1.0)
    assert any("by their corners" in note for note in grid.notes) == (kind == "HEXA_20")
    assert ("low" in patches(grid)) == (kind == "MIXED")


@pytest.mark.parametrize(
    ("code", "values", "named"),
    [(10, [1, 2, 3, 5], "TETRA_4 (tetrahedra)"), (22, [1, 2], "NGON_n"), (23, [1, 2], "without faces (NGON_n)"), (20, [10, 1, 2, 3, 5], "TETRA_4"), (20, [99, 1], "the kind 99")],
)  # fmt: skip
def test_cells_that_cannot_be_used_are_refused_by_name(tmp_path, code, values, named):
    with pytest.raises(BadFile) as found:
        read(tmp_path, lambda file: unstructured(file, cells()[0], [("c", code, (1, 1), values)]))
    assert named in str(found.value)

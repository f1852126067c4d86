"""Proof of files: every format holds as it was sent, and every fault planted in a file is found."""

import json
import re
import shutil
from dataclasses import replace

import h5py
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.dryrun.dry_run import dry_run
from plodek.core.errors import PlodekError
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.handoff import hand_off
from plodek.core.grid.window import Interface, PatchFaces
from plodek.core.proof.proof import prove, prove_all, told_in
from tests.core.grid.test_formats import REST, STEPS, WAYS, grid_of, grids, written  # noqa: F401  # a fixture

FLOW = [
    *STEPS,
    {"kind": "patch", "id": "o", "name": "outflow", "type": "outlet", "faces": {"side": "x+"}},
]
READ = [(key, way) for key, way in WAYS if registry.formats()[key].read is not None]


@pytest.mark.parametrize("name", ["regions", "pole", "ring", "twins", "turned twins", "plane"])
@pytest.mark.parametrize(("key", "way"), READ)
def test_what_is_written_is_proved(key, way, name, grids, tmp_path):  # noqa: F811
    grid = grids[name]
    if grid.dim == 2 and (not registry.formats()[key].plane or "unstructured" in str(way)):
        return
    path, files = written(key, grid, tmp_path, way, unit="mm", factor=2.0)
    (proof,) = prove_all(files, Cargo(grid, "mm", 2.0))
    assert proof.file == path
    assert proof.holds, [f for f in proof.findings if f.fine is False]
    assert sum(finding.fine is True for finding in proof.findings) >= 7
    words = " ".join(finding.said for finding in proof.findings)
    assert ("single precision" if way.get("precision") == "single" else "equal to the bit") in words
    assert "mm" in words


PARTS = [(key, way) for key, way in WAYS if registry.formats()[key].read is None]


@pytest.mark.parametrize("name", ["regions", "pole", "ring", "turned twins"])
@pytest.mark.parametrize(("key", "way"), PARTS)
def test_triangles_and_tables_are_proved_too(key, way, name, grids, tmp_path):  # noqa: F811
    _, files = written(key, grids[name], tmp_path, way, unit="mm", factor=2.0)
    (proof,) = prove_all(files, Cargo(grids[name], "mm", 2.0))
    assert proof.holds, [f for f in proof.findings if f.fine is False]
    assert len(proof.findings) == (4 if key == "stl" else 3)


def test_triangles_of_a_patch_that_are_those_of_another_are_found(tmp_path):
    grid = grid_of(*FLOW)
    (path,) = written("stl", grid, tmp_path, {}, unit="m", factor=1.0)[1]
    swapped = {"inflow": "outflow", "outflow": "inflow"}
    path.write_text(re.sub("solid (inflow|outflow)", lambda m: f"solid {swapped[m[1]]}", path.read_text()))
    (proof,) = prove_all([path], Cargo(grid, "m", 1.0))
    (wrong,) = [f.said for f in proof.findings if f.fine is False]
    assert wrong == "“outflow” is elsewhere; “inflow” is elsewhere"


@pytest.mark.parametrize(
    ("key", "old", "new", "said"),
    [
        ("stl", "solid walls", "solid wall", "“walls” is missing; “wall” is new"),
        ("stl", "vertex 0.0 0.0 0.5\n", "vertex -0.1 0.0 0.5\n", "the outer surface is closed"),
        ("stl", "solid inflow", "solid outflow2", "“inflow” is missing; “outflow2” is new"),
        ("stl", "vertex", "vertex x", "it cannot be read as triangles"),
        ("tables", "\n1,1,1,1,0.0,", "\n1,1,1,1,1e-15,", "at most 1e-15 off"),
        ("tables", "\n1,1,1,1,", "\n1,2,1,1,", "there are other blocks, or other cells"),
        ("tables", "\n1,1,1,1,0.0,", "\n1,1,1,1,zero,", "it is no table of nodes"),
        ("tables", "\n1,i,1,1,1,2,", "\n1,i,1,1,1,3,", "2 are out of order"),
    ],
)
def test_faults_planted_in_triangles_and_tables_are_found(key, old, new, said, tmp_path):
    grid = grid_of(*FLOW)
    _, files = written(key, grid, tmp_path, {}, unit="m", factor=1.0)
    (hit,) = [file for file in files if file.suffix in (".stl", ".csv") and old in file.read_text()][:1]
    hit.write_text(hit.read_text().replace(old, new, 1))
    (proof,) = prove_all(files, Cargo(grid, "m", 1.0))
    wrong = [f for f in proof.findings if f.fine is False]
    assert any(said in f"{f.what}: {f.said}".lower() for f in wrong), proof.findings


def test_a_hand_off_gives_what_is_needed_to_prove_it(tmp_path):
    grid = grid_of(*FLOW)
    wish = {"unit": "m", "limits": {}, "formats": list(registry.written()), "file_unit": "ft", "scale": 3.0}
    done = hand_off(grid, tmp_path, name="g", **wish)
    heard = []
    proofs = prove_all(done.files, done.sent, lambda share, words: heard.append(words))
    assert {proof.file.suffix for proof in proofs} == {
        ".cgns",
        ".xyz",
        ".vtm",
        ".vtkhdf",
        ".xdmf",
        ".stl",
        ".csv",
    }
    assert all(proof.holds for proof in proofs)
    assert heard == [f"proving {proof.file.name}" for proof in proofs]
    told_in(done.report, proofs)
    told = done.report.read_text()
    assert told.count("- ✓ Every outer face is in exactly one patch") == 5
    assert "**g.cgns**" in told


def test_a_file_too_large_to_be_read_back_is_not_called_wrong(tmp_path, monkeypatch):
    path = planted(grid_of(*FLOW), tmp_path)
    monkeypatch.setenv("PLODEK_MOST_CELLS", "10")
    proof = prove(path)
    assert proof.holds
    assert proof.findings[0].fine is None
    assert "54 cells in a grid, and 10 is the most" in proof.findings[0].said


@pytest.mark.parametrize("key", ["cgns", "vtkhdf"])
def test_a_node_that_is_off_by_rounding_is_found_in_double_precision(key, tmp_path):
    grid = grid_of(*FLOW)
    off = moved(grid, (1, 1, 1, 1), np.array([1e-9, 0, 0]))
    assert found(planted(off, tmp_path, key), Cargo(grid, "m"), "Every node").fine is False


def found(path, sent, what):
    """Give what proof says of something, which has to be among its findings."""
    return next(finding for finding in prove(path, sent).findings if finding.what.startswith(what))


def planted(grid, tmp_path, key="cgns"):
    path, _ = written(key, grid, tmp_path, unit="m")
    return path


def missing_interface(grid):
    return replace(grid, interfaces=grid.interfaces[1:])


def swapped_patches(grid):
    names = {"inflow": "outflow", "outflow": "inflow"}
    return replace(grid, patches=tuple(replace(p, name=names.get(p.name, p.name)) for p in grid.patches))


def another_type(grid):
    return replace(grid, patches=tuple(replace(p, type="wall") for p in grid.patches))


def left_handed(grid):
    from plodek.core.blocks.orientation import Orientation

    turn = Orientation((1, 2, -3))

    def turned(window):
        if window.block != 1:
            return window
        return replace(window, end=1 - window.end) if window.axis == 2 else window

    xyz = list(grid.xyz)
    xyz[1] = np.ascontiguousarray(xyz[1][:, :, ::-1])
    joints = []
    for joint in grid.interfaces:
        one, other = turned(joint.first), turned(joint.second)
        axes = joint.orientation
        axes = axes.compose(turn) if joint.second.block == 1 else turn.compose(axes)
        joints.append(Interface(one, other, axes))
    patches = tuple(replace(p, windows=tuple(map(turned, p.windows))) for p in grid.patches)
    return replace(grid, xyz=tuple(xyz), interfaces=tuple(joints), patches=patches)


def moved(grid, at, by):
    xyz = [nodes.copy() for nodes in grid.xyz]
    xyz[at[0]][at[1:]] += by
    return replace(grid, xyz=tuple(xyz))


def folded_cell(grid):
    return moved(grid, (1, 1, 1, 1), np.array([0.9, 0, 0]))


def shifted_row(grid):
    """One row of nodes on an interface, in one of its blocks only."""
    return moved(grid, (0, -1, slice(None), 1), np.array([0, 0, 1e-5]))


def patch_twice(grid):
    first = grid.patches[0]
    return replace(grid, patches=(*grid.patches, PatchFaces("again", "wall", first.windows[:1])))


def unnamed_side(grid):
    last = grid.patches[-1]
    return replace(grid, patches=(*grid.patches[:-1], replace(last, windows=last.windows[1:])))


@pytest.mark.parametrize(
    ("fault", "what", "said"),
    [
        (missing_interface, "Every outer face", "lie on each other: an interface is missing"),
        (swapped_patches, "Every patch", "in place of"),
        (another_type, "Every patch", "is wall in place of"),
        (left_handed, "All blocks are right-handed", "1 are not"),
        (folded_cell, "No cell is folded", "of 54"),
        (folded_cell, "Every node", "0.9 off"),
        (shifted_row, "Interfaces agree", "1e-05 apart"),
        (patch_twice, "Every outer face", "in two"),
        (unnamed_side, "Every outer face", "in none"),
    ],
)
def test_planted_faults_are_found(fault, what, said, tmp_path):
    grid = grid_of(*FLOW)
    assert prove(planted(grid, tmp_path), Cargo(grid, "m")).holds
    finding = found(planted(fault(grid), tmp_path), Cargo(grid, "m"), what)
    assert finding.fine is False
    assert said in finding.said


def test_a_file_in_a_wrong_unit_is_found(tmp_path):
    """It says mm, and its numbers are those in m."""
    grid = grid_of(*FLOW)
    path, _ = written("cgns", grid, tmp_path, unit="mm")
    assert found(path, Cargo(grid, "m"), "It says the right length unit").fine is False
    assert found(path, Cargo(grid, "mm", 1000.0), "Every node").fine is False
    assert found(path, Cargo(grid, "mm", 1000.0), "Every patch").fine is False


@pytest.mark.parametrize(
    ("fault", "what"),
    [
        (missing_interface, "The flow sees only patches"),
        (left_handed, "Every cell can be solved on"),
        (folded_cell, "The faces of every cell look out of it"),
        (unnamed_side, "The flow sees only patches"),
        (another_type, None),
    ],
)
def test_a_dry_run_finds_faults_from_the_file_alone(fault, what, tmp_path):
    grid = grid_of(*FLOW)
    sound = dry_run(planted(grid, tmp_path))
    assert sound.holds
    assert sound.flow.balance["inflow"] == pytest.approx(-2)
    assert sound.flow.balance["outflow"] == pytest.approx(2)
    assert np.allclose(sound.flow.solved.gradient, [1, 0, 0], atol=1e-8)
    run = dry_run(planted(fault(grid), tmp_path))
    if what is None:  # nothing flows, which is told, and is no fault
        assert run.flow is None
        assert any("nothing flows" in finding.said for finding in run.findings)
        return
    assert not run.holds
    assert next(f for f in run.findings if f.what == what).fine is False


def test_swapped_types_are_refused_with_what_helps(tmp_path):
    grid = grid_of(*FLOW)
    only_in = replace(
        grid, patches=tuple(replace(p, type="wall" if p.type == "outlet" else p.type) for p in grid.patches)
    )
    run = dry_run(planted(only_in, tmp_path))
    assert any("no patch is an outlet" in finding.said for finding in run.findings)
    assert not run.holds


def test_what_cannot_be_read_is_a_finding(tmp_path):
    path = tmp_path / "g.cgns"
    path.write_bytes(b"no grid")
    for looked in (prove(path), dry_run(path)):
        assert not looked.holds
        assert "not a CGNS file" in looked.findings[0].said


def damaged(path, how):
    """Spoil the first zone of a CGNS file."""
    with h5py.File(path, "r+") as file:
        zone = file["Base/Block0001"]
        how(zone)


def set_data(node, values):
    del node[" data"]
    node.create_dataset(" data", data=values)


@pytest.mark.parametrize(
    ("how", "said"),
    [
        (lambda z: set_data(z, np.array([[4, 4, 10**9], [3, 3, 10**9], [0, 0, 0]], np.int32)), "values for"),
        (lambda z: set_data(z, np.array([[4, -4, 3], [3, 3, 2], [0, 0, 0]], np.int32)), "make no cell"),
        (lambda z: z.__delitem__("GridCoordinates"), "no coordinates"),
        (lambda z: set_data(z["GridCoordinates/CoordinateX"], np.full((3, 4, 4), np.nan)), "no usable numbers, the first at"),
        (lambda z: set_data(z["ZoneGridConnectivity/Interface1/PointRange"], np.array([[2, 1, 1], [2, 4, 9]], np.int32)),
         "reaches outside"),
        (lambda z: set_data(z["ZoneGridConnectivity/Interface1/PointRange"], np.array([[1, 1, 1], [2, 4, 3]], np.int32)),
         "no part of a side"),
        (lambda z: set_data(z["ZoneGridConnectivity/Interface1/PointRange"], np.array([[4, 1, 1], [4, 2, 3]], np.int32)),
         "do not go with its transform"),
        (lambda z: set_data(z["ZoneGridConnectivity/Interface1"], np.frombuffer(b"Nowhere", np.int8)), "no zone Nowhere"),
    ],
)  # fmt: skip
def test_a_file_that_contradicts_itself_is_told_with_its_place(how, said, tmp_path):
    path = planted(grid_of(*STEPS), tmp_path)
    damaged(path, how)
    finding = prove(path).findings[0]
    assert finding.fine is False
    assert said in finding.said
    assert "g.cgns" in finding.said


@pytest.mark.parametrize("way", [{"form": form} for form in ("binary", "Fortran records", "text")])
def test_a_plot3d_file_that_breaks_off_or_mixes_precisions_is_told(way, tmp_path):
    path, _ = written("plot3d", grid_of(*STEPS), tmp_path, way)
    whole = path.read_bytes()
    for spoilt in (whole[:-9], whole[: len(whole) // 2], whole[:6], b"", whole + b"123 "):
        path.write_bytes(spoilt)
        finding = prove(path).findings[0]
        assert finding.fine is False
        assert "g.xyz" in finding.said
    if way["form"] == "binary":
        head = whole[: 4 + 12 * 3]
        path.write_bytes(head + np.zeros(100_000, dtype="f4").tobytes())
        assert "would be" in prove(path).findings[0].said


def test_a_map_that_does_not_fit_its_nodes_is_told(tmp_path):
    path, _ = written("plot3d", grid_of(*STEPS), tmp_path)
    told = path.with_suffix(".map.json")
    right = json.loads(told.read_text())
    for key, value, said in (
        ("blocks", right["blocks"][:-1], "other blocks"),
        ("patches", [{"name": "a", "type": "wall", "windows": [{"block": 9, "low": [1, 1, 1], "high": [1, 2, 2]}]}], "no block 9"),
        ("patches", [{"name": "a", "type": "door", "windows": []}], "patches.0.type"),
        ("unit", None, "unit"),
    ):  # fmt: skip
        told.write_text(json.dumps(right | {key: value}))
        assert said in prove(path).findings[0].said


def test_pieces_that_are_missing_or_point_elsewhere_are_told(tmp_path):
    path, files = written("vtk", grid_of(*STEPS), tmp_path)
    files[1].unlink()
    assert "keep its pieces beside it" in prove(path).findings[0].said.lower()
    path.write_text(path.read_text().replace("g/block0001.vts", "../../block0001.vts"))
    assert "outside its folder" in prove(path).findings[0].said
    shutil.rmtree(path.with_suffix(""))
    path.write_text("<VTKFile><vtkMultiBlockDataSet/></VTKFile>")
    assert "no grid" in prove(path).findings[0].said


def test_unstructured_files_with_other_cells_are_told(tmp_path):
    path, _ = written("cgns", grid_of(*STEPS), tmp_path, {"zones": "unstructured"})
    with h5py.File(path, "r+") as file:
        section = file["Base/Grid/HEXA_8"]
        set_data(section, np.array([10, 0], np.int32))
    assert "TETRA_4 (tetrahedra)" in prove(path).findings[0].said
    with h5py.File(path, "r+") as file:
        set_data(section := file["Base/Grid/HEXA_8"], np.array([17, 0], np.int32))
        section["ElementConnectivity/ data"][0] = 10**6
    assert "has the corner 1000000" in prove(path).findings[0].said


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    """The bytes of a file of each format that is read, in a folder with what belongs to it."""
    found = {}
    for key in ("plot3d", "plot3d text", "vtk", "vtkhdf", "xdmf"):
        way = {"form": "text"} if "text" in key else {}
        found[key] = written(key.split()[0], grid_of(*STEPS), tmp_path_factory.mktemp("whole"), way)
    return found


@pytest.mark.parametrize("key", ["plot3d", "plot3d text", "vtk", "vtkhdf", "xdmf"])
@settings(max_examples=60, deadline=None)
@given(data=st.data())
def test_a_damaged_file_is_read_or_told_about_and_nothing_else(key, whole, data):
    """Whichever file of a grid is damaged, and however: bytes changed, or the end missing."""
    path, files = whole[key]
    file = data.draw(st.sampled_from([f for f in files if f.suffix not in (".csv",)]))
    right = file.read_bytes()
    spoilt = bytearray(right)
    for _ in range(data.draw(st.integers(0, 4))):
        spoilt[data.draw(st.integers(0, len(spoilt) - 1))] = data.draw(st.integers(0, 255))
    spoilt = spoilt[: data.draw(st.sampled_from([len(spoilt), len(spoilt) // 2, len(spoilt) - 1]))]
    file.write_bytes(spoilt)
    try:
        registry.opened(path)
    except PlodekError as error:
        assert str(error)
    finally:
        file.write_bytes(right)

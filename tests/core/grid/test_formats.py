"""What holds for every format of grids, through the registry: what is written is read back the same."""

import json
import time
from dataclasses import replace

import numpy as np
import pytest
import vtk

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.errors import BadFile, BadValue, FoldedGrid, Halted, NotReady
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import HEXA, PENTA, Cells
from plodek.core.formats.convert import convert
from plodek.core.formats.faces import areas
from plodek.core.formats.handoff import hand_off
from plodek.core.formats.mesh import Mesh, mesh_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import Interface, PatchFaces, Window
from plodek.core.shape.move import turned
from tests.conftest import model_of

REST = {"kind": "patch", "id": "p", "name": "walls", "faces": {"rest": True}}
FRAME = {"kind": "frame", "id": "f", "width": 3, "height": 2}
COUNT = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 3}
EXTRUDE = {"kind": "extrude", "id": "e", "depth": 1, "cells": 2}
STEPS = [
    FRAME,
    {"kind": "cut", "id": "c", "at": [1, 2]},
    {"kind": "region", "id": "r", "blocks": {"at": [0.5, 1]}, "name": "gravel"},
    COUNT,
    EXTRUDE,
    {"kind": "patch", "id": "i", "name": "inflow", "type": "inlet", "faces": {"side": "x-"}},
]
POLE = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 4},
    {"kind": "revolve", "id": "e", "angle": 90, "parts": 2, "cells": 8},
]
O_RING = [
    {"kind": "frame", "id": "f", "width": 3, "height": 3},
    {"kind": "cut", "id": "x", "by": "x", "at": [1, 2]},
    {"kind": "cut", "id": "y", "by": "y", "at": [1, 2]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [1.5, 1.5]}},
    {"kind": "ring", "id": "r", "blocks": {"at": [1.5, 1.5]}, "thickness": 0.3},
    {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 4},
    EXTRUDE,
]
TWINS = [
    FRAME,
    {"kind": "cut", "id": "c", "at": [1]},
    COUNT,
    {"kind": "twin", "id": "t", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 2, 0]},
    EXTRUDE,
    {"kind": "patch", "id": "l", "name": "low", "type": "periodic", "faces": {"side": "y-"}},
    {"kind": "patch", "id": "u", "name": "up", "type": "periodic", "faces": {"side": "y+"}},
]
GRIDS = {
    "regions": STEPS,
    "pole": POLE,
    "ring": O_RING,
    "twins": TWINS,
    "turned twins": None,
    "plane": STEPS[:4],
}
WAYS = [
    (key, {option.key: choice})
    for key, one in registry.written().items()
    for option in one.options or (registry.Option("", "", ("",)),)
    for choice in option.choices
]


def grid_of(*steps):
    return build.build(model_of([*steps, REST])).grid


@pytest.fixture(scope="module")
def grids():
    return {name: turned_twins() if steps is None else grid_of(*steps) for name, steps in GRIDS.items()}


def turned_twins():
    """A sector of 40° whose ends are twins by a turn about an axis that lies anyhow."""
    steps = [FRAME, COUNT, {"kind": "extrude", "id": "e", "depth": 1, "cells": 2}]
    grid = grid_of(*steps)
    centre, axis = np.array([0.3, -6.0, 0.5]), np.array([1.0, 0.2, -0.1])
    (nodes,) = grid.xyz
    move = turned(centre, axis, np.radians(40))
    there = np.stack(
        [turned(centre, axis, np.radians(a)).places(nodes[:, :, 0].reshape(-1, 3)) for a in (0, 20, 40)]
    )
    sector = np.ascontiguousarray(np.moveaxis(there.reshape(3, *nodes.shape[:2], 3), 0, 2))
    ends = Window(0, 2, 0), Window(0, 2, 1)
    rest = tuple(w for p in grid.patches for w in p.windows if w not in ends)
    return replace(
        grid,
        xyz=(sector,),
        periodic=(Interface(*ends, Orientation.identity(3), move),),
        patches=(
            PatchFaces("first", "periodic", ends[:1]),
            PatchFaces("second", "periodic", ends[1:]),
            PatchFaces("walls", "wall", rest),
        ),
    )


def written(key, grid, folder, choices=None, **cargo):
    """Write a grid, and give the path and the files."""
    one = registry.formats()[key]
    path = folder / f"g{one.endings[0]}"
    chosen = one.choices({k: v for k, v in (choices or {}).items() if k})
    return path, one.write(path, Cargo(grid, **cargo), chosen)


@pytest.mark.parametrize("name", GRIDS)
@pytest.mark.parametrize(("key", "choices"), WAYS)
def test_every_format_writes_what_it_promises_and_reads_it_back(key, choices, name, grids, tmp_path):
    one, grid = registry.formats()[key], grids[name]
    assert one.key == key
    assert one.label
    assert one.about
    assert all(ending.startswith(".") for ending in one.endings)
    if (grid.dim == 2 and not one.plane) or (grid.dim == 2 and "unstructured" in str(choices)):
        return
    inputs = [block.copy() for block in grid.xyz]
    path, files = written(key, grid, tmp_path, choices, unit="mm")
    assert path in files or choices.get("form") == "binary, a file each"
    assert len(set(files)) == len(files)
    assert all(file.is_file() and file.stat().st_size for file in files)
    assert {f for f in tmp_path.rglob("*") if f.is_file()} == set(files)
    assert all(np.array_equal(a, b) for a, b in zip(inputs, grid.xyz, strict=True))
    if one.read is None:
        return
    found, unit = registry.opened(path)
    assert unit == ("" if key == "vtkhdf" or (key, "unstructured") == (key, choices.get("cells")) else "mm")
    if isinstance(found, Mesh):
        same_cells(found, grid, turned=choices.get("zones") == "unstructured by faces")
        return
    if choices.get("precision") == "single":
        grid = replace(grid, xyz=tuple(x.astype(np.float32).astype(float) for x in grid.xyz))
    assert found.dim == grid.dim
    assert all(np.array_equal(a, b) for a, b in zip(grid.xyz, found.xyz, strict=True))
    assert same_joints(found.interfaces, grid.interfaces)
    assert same_joints(found.periodic, grid.periodic)
    assert {(p.name, p.type): set(p.windows) for p in found.patches} == {
        (p.name, p.type): set(p.windows) for p in grid.patches
    }
    assert dict(found.regions) == dict(grid.regions)
    assert set(found.poles) == set(grid.poles)
    assert found.unnamed == ()


def same_cells(found, grid, *, turned=False):
    """Look whether cells and the faces of patches are those of a grid: corner by corner, or ``turned``."""
    wanted = mesh_of(grid)
    assert found.solids.keys() == wanted.solids.keys()
    for kind, corners in wanted.solids.items():
        ours, theirs = found.points[found.solids[kind]], wanted.points[corners]
        if turned:
            up = 3 if kind.name == "PENTA_6" else 4
            at = ours[:, 0]
            ways = [ours[:, n] - at for n in (1, up - 1, up)]
            assert (np.linalg.det(np.stack(ways, axis=1)) > 0).all()
            ours, theirs = (
                np.take_along_axis(of, np.lexsort(np.moveaxis(of, 2, 0))[..., None], axis=1)
                for of in (ours, theirs)
            )
        assert np.array_equal(ours[np.lexsort(ours[:, 0].T)], theirs[np.lexsort(theirs[:, 0].T)])
    assert {name: len(faces) for name, faces in found.faces.items()} == {
        name: len(faces) for name, faces in wanted.faces.items()
    }
    for name, faces in found.faces.items():
        ours, theirs = areas(found.points, faces), areas(wanted.points, wanted.faces[name])
        assert np.allclose(ours.sum(axis=0), theirs.sum(axis=0))
    assert not found.types or dict(found.types) == {patch.name: patch.type for patch in grid.patches}
    assert {len(twins.ours) for twins in found.twins} <= {len(twins.ours) for twins in wanted.twins}


def same_joints(found, wanted):
    """Whether interfaces are the same, seen from either side; moves within what angles are told with."""

    def told(joints):
        both = (way for joint in joints for way in (joint, joint.turned()))
        return {(way.first, way.second, way.orientation): way.move for way in both}

    one, other = told(found), told(wanted)
    moves = [(one[key], other[key]) for key in one if key in other]
    return one.keys() == other.keys() and all(
        (a is None) == (b is None)
        and (
            a is None
            or (np.allclose(a.matrix, b.matrix, atol=1e-14) and np.allclose(a.shift, b.shift, atol=1e-13))
        )
        for a, b in moves
    )


@pytest.mark.parametrize("key", ["plot3d", "vtk"])
@pytest.mark.parametrize("name", ["regions", "pole", "ring", "plane"])
def test_without_the_map_interfaces_are_found_from_nodes(key, name, grids, tmp_path):
    path, files = written(key, grids[name], tmp_path)
    for file in files:
        if ".map." in file.name:
            file.unlink()
    found, unit = registry.read(path)
    assert unit == ""
    assert same_joints(found.interfaces, grids[name].interfaces)
    assert set(found.poles) == set(grids[name].poles)
    assert Numbering.of(found).count == Numbering.of(grids[name]).count
    outside = sum(found.faces(window) for window in found.unnamed)
    assert outside == sum(grids[name].patch_faces(patch) for patch in grids[name].patches)


@pytest.mark.parametrize("key", ["cgns", "plot3d", "vtk"])
def test_parts_of_sides_are_written_and_read(key, tmp_path):
    """A block of two cells in length meets two of one; its far side is half wall, half outlet."""

    def box(x, y, ci, cj):
        axes = np.linspace(*x, ci + 1), np.linspace(*y, cj + 1), np.linspace(0, 1, 3)
        return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)

    xyz = box((0, 1), (0, 2), 2, 4), box((1, 2), (0, 1), 3, 2), box((1, 2), (1, 2), 3, 2)
    plain = Orientation.identity(3)
    low, high = Window(0, 0, 1, (0, 0), (2, 2)), Window(0, 0, 1, (2, 0), (4, 2))
    joints = [
        Interface(low, Window(1, 0, 0), plain),
        Interface(high, Window(2, 0, 0), plain),
        Interface(Window(1, 1, 1), Window(2, 1, 0), plain),
    ]
    halves = Window(0, 0, 0, (0, 0), (1, 2)), Window(0, 0, 0, (1, 0), (4, 2))
    patches = (
        PatchFaces("slot", "outlet", (halves[0],)),
        PatchFaces("dike", "wall", (halves[1], Window(1, 0, 1))),
    )
    grid = Grid(3, ("a", "b", "c"), xyz, tuple(joints), patches, regions={"fluid": (0, 1, 2)})
    path, files = written(key, grid, tmp_path, unit="m")
    found, _ = registry.read(path)
    assert same_joints(found.interfaces, joints)
    assert {(p.name, p.windows) for p in found.patches} == {(p.name, p.windows) for p in patches}
    assert sum(found.faces(w) for w in found.unnamed) == (8 + 16) + 4 + (6 + 6) + 4 * 6
    assert measure(found).volume.sum() == pytest.approx(4)
    for file in files:
        if ".map." in file.name:
            file.unlink()
            assert same_joints(registry.read(path)[0].interfaces, joints)


@pytest.mark.parametrize("key", registry.written())
def test_cells_at_poles_leave_only_where_the_user_agrees(key, tmp_path):
    grid = grid_of(*POLE)
    wish = {"name": "g", "unit": "m", "limits": {}, "formats": [key]}
    with pytest.raises(FoldedGrid, match="shrunk to a pole"):
        hand_off(grid, tmp_path, **wish)
    assert not list(tmp_path.iterdir())
    done = hand_off(grid, tmp_path, **wish, poles_too=True)
    assert done.facts["poles"] == 2 * 8 * 2
    assert done.facts["folded"] == 0
    assert not list(tmp_path.glob(".*"))


@pytest.mark.parametrize("key", registry.written())
def test_a_hand_off_that_is_stopped_leaves_nothing(key, tmp_path):
    heard = []

    def tell(share, words):
        heard.append(words)
        if share > 0:
            raise Halted("stopped")

    wish = {"name": "g", "unit": "m", "limits": {}, "formats": [key, "plot3d" if key == "cgns" else "cgns"]}
    with pytest.raises(Halted):
        hand_off(grid_of(*STEPS), tmp_path, **wish, tell=tell)
    assert heard[0] == f"writing {registry.writers(wish['formats'])[0].label}"
    assert not list(tmp_path.iterdir())


def test_cells_at_a_pole_are_wedges_and_their_faces_close(grids):
    cells = Cells.of(grids["pole"])
    assert cells.counts == {HEXA: 96, PENTA: 32}
    assert sum(cells.counts.values()) == grids["pole"].cells
    assert sum(n for kind in cells.counts for _, n in cells.by_block(kind)) == grids["pole"].cells


def test_plane_grids_unknown_formats_options_and_endings_are_refused_with_what_helps(grids, tmp_path):
    wish = {"name": "g", "unit": "m", "limits": {}}
    with pytest.raises(NotReady, match=r"still plane.*leave that format out"):
        hand_off(grids["plane"], tmp_path, **wish, formats=["cgns", "stl"])
    with pytest.raises(NotReady, match="in space only"):
        hand_off(grids["plane"], tmp_path, **wish, options={"cgns": {"zones": "unstructured"}})
    assert not list(tmp_path.iterdir())
    assert hand_off(grids["plane"], tmp_path, **wish).files[0].is_file()
    with pytest.raises(BadValue) as caught:
        registry.writers(["pdf"])
    assert all(key in str(caught.value) for key in registry.written())
    with pytest.raises(BadValue, match=r"no option .form.*zones"):
        hand_off(grids["ring"], tmp_path, **wish, options={"cgns": {"form": "x"}})
    with pytest.raises(BadValue, match=r"no choice for form.*Fortran records"):
        registry.formats()["plot3d"].choices({"form": "x"})
    with pytest.raises(BadFile, match="no such file"):
        registry.read(tmp_path / "a.txt")
    (tmp_path / "a.txt").write_text("x")
    with pytest.raises(BadFile, match="not read as grids"):
        registry.read(tmp_path / "a.txt")
    path, _ = written("xdmf", grids["pole"], tmp_path)
    with pytest.raises(BadFile, match="cells of the kind PENTA_6"):
        registry.read(path)


def test_a_wall_between_regions_is_told_from_both_sides(tmp_path):
    grate = {"kind": "patch", "id": "g", "name": "grate", "faces": {"between": ["gravel", "fluid"]}}
    plain, walled = grid_of(*STEPS), grid_of(*STEPS, grate)
    (patch,) = [p for p in walled.patches if p.name == "grate"]
    assert len(patch.windows) == 2
    assert len(plain.interfaces) - len(walled.interfaces) == 1
    path, _ = written("cgns", walled, tmp_path)
    found, _ = registry.read(path)
    assert len(next(p for p in found.patches if p.name == "grate").windows) == 2
    assert Cells.of(walled).numbering.count == Cells.of(plain).numbering.count + 4 * 3


def test_regions_stand_apart_in_the_vtk_file(tmp_path):
    path, _ = written("vtk", grid_of(*STEPS), tmp_path)
    reader = vtk.vtkXMLMultiBlockDataReader()
    reader.SetFileName(str(path))
    reader.Update()
    data = reader.GetOutput()
    names = [data.GetMetaData(n).Get(vtk.vtkCompositeDataSet.NAME()) for n in range(data.GetNumberOfBlocks())]
    assert names == ["gravel", "fluid", "patches"]
    assert [data.GetBlock(n).GetNumberOfBlocks() for n in range(3)] == [1, 2, 2]


def test_a_region_called_as_a_patch_is_refused(tmp_path):
    clash = {"kind": "patch", "id": "g", "name": "gravel", "faces": {"side": "z+"}}
    with pytest.raises(BadValue, match="or twice"):
        written("cgns", grid_of(*STEPS, clash), tmp_path)


def test_the_recipe_goes_along(grids, tmp_path):
    recipe = json.dumps({"plodek": 3, "steps": STEPS})
    path, _ = written("plot3d", grids["regions"], tmp_path, recipe=recipe)
    assert json.loads(path.with_suffix(".map.json").read_text())["recipe"]["steps"] == STEPS


@pytest.mark.parametrize(
    "target", ["a.xyz", "a.vtm", "a.vtkhdf", "a.xdmf", "a.stl", "a.csv", "a.cgns", "a.p3d"]
)
def test_files_are_converted(target, grids, tmp_path):
    path, _ = written("cgns", grids["regions"], tmp_path, unit="m")
    done = convert(path, tmp_path / "to" / target, unit="mm")
    assert done.files[0] == tmp_path / "to" / target
    assert all(file.is_file() for file in done.files)
    assert done.unit == "mm"
    if done.files[0].suffix in (".cgns", ".xyz", ".p3d", ".vtm"):
        grid, unit = registry.read(done.files[0])
        assert unit == "mm"
        assert all(np.array_equal(a, 1000.0 * b) for a, b in zip(grid.xyz, grids["regions"].xyz, strict=True))
        assert same_joints(grid.interfaces, grids["regions"].interfaces)


def test_a_conversion_names_what_has_no_name_and_changes_names_that_no_file_takes(grids, tmp_path):
    grid = grids["regions"]
    odd = replace(
        grid,
        patches=tuple(
            replace(p, name={"inflow": "../a b", "walls": "A_B"}[p.name], windows=p.windows[:-1] or p.windows)
            for p in grid.patches
        ),
    )
    path, _ = written("plot3d", odd, tmp_path)
    done = convert(path, tmp_path / "b.vtm")
    assert done.renamed == {"../a b": "a_b", "A_B": "A_B_2"}
    assert [patch.name for patch in done.grid.patches] == ["a_b", "A_B_2", "unnamed"]
    assert {f.parent for f in done.files} == {tmp_path, tmp_path / "b"}
    with pytest.raises(BadValue, match="says no length unit"):
        convert(path, tmp_path / "c.cgns", unit="mm")
    assert convert(path, tmp_path / "c.cgns", unit="mm", from_unit="in").unit == "mm"
    with pytest.raises(BadValue, match="ends as no grid"):
        convert(path, tmp_path / "c.docx")
    with pytest.raises(BadValue, match="not a length unit"):
        convert(path, tmp_path / "c.cgns", from_unit="league")


def test_the_same_grid_is_the_same_to_the_byte_at_another_time(grids, tmp_path):
    """No format writes down when it was written: times in HDF5 count seconds."""
    made = []
    for place in ("now", "later"):
        (tmp_path / place).mkdir()
        found = {}
        for key, choices in WAYS:
            folder = tmp_path / place / f"{key}{len(found)}"
            folder.mkdir()
            found |= {
                file.relative_to(tmp_path / place): file
                for file in written(key, grids["twins"], folder, choices)[1]
            }
        made.append({name: file.read_bytes() for name, file in found.items()})
        time.sleep(1.1)
    assert made[0].keys() == made[1].keys()
    assert [str(name) for name in made[0] if made[0][name] != made[1][name]] == []

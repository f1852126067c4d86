"""What holds for every format of grids, through the registry: what is written is read back the same."""

import numpy as np
import pytest
import vtk

from plodek.core.build import build
from plodek.core.errors import BadFile, BadValue, FoldedGrid, NotReady
from plodek.core.formats import registry
from plodek.core.formats.handoff import hand_off
from tests.conftest import model_of

REST = {"kind": "patch", "id": "p", "name": "walls", "faces": {"rest": True}}
STEPS = [
    {"kind": "frame", "id": "f", "width": 3, "height": 2},
    {"kind": "cut", "id": "c", "at": [1, 2]},
    {"kind": "region", "id": "r", "blocks": {"at": [0.5, 1]}, "name": "gravel"},
    {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 3},
    {"kind": "extrude", "id": "e", "depth": 1, "cells": 2},
    {"kind": "patch", "id": "i", "name": "inflow", "type": "inlet", "faces": {"side": "x-"}},
]
POLE = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 4},
    {"kind": "revolve", "id": "e", "angle": 90, "parts": 2, "cells": 8},
]


def grid_of(*steps):
    return build.build(model_of([*steps, REST])).grid


@pytest.mark.parametrize("key", registry.formats())
def test_every_format_says_what_it_is_and_writes_what_it_promises(key, tmp_path):
    one = registry.formats()[key]
    assert one.key == key
    assert one.label
    assert one.about
    assert all(ending.startswith(".") for ending in one.endings)
    grid = grid_of(*STEPS)
    inputs = [block.copy() for block in grid.xyz]
    files = one.write(tmp_path / f"g{one.endings[0]}", grid, "mm")
    assert all(file.is_file() and file.stat().st_size for file in files)
    assert all(np.array_equal(a, b) for a, b in zip(inputs, grid.xyz, strict=True))
    if one.read is None:
        return
    found, unit = registry.read(tmp_path / f"g{one.endings[0]}")
    assert unit == "mm"
    assert all(np.array_equal(a, b) for a, b in zip(grid.xyz, found.xyz, strict=True))
    assert found.interfaces == grid.interfaces
    assert {(p.name, p.type, p.windows) for p in found.patches} == {
        (p.name, p.type, p.windows) for p in grid.patches
    }
    assert dict(found.regions) == dict(grid.regions)
    assert found.unnamed == ()


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


def test_plane_grids_unknown_formats_and_endings_are_refused_with_what_helps(tmp_path):
    plane = grid_of(*STEPS[:3])
    with pytest.raises(NotReady, match="still plane"):
        hand_off(plane, tmp_path, name="g", unit="m", limits={})
    with pytest.raises(BadValue) as caught:
        registry.writers(["pdf"])
    assert all(key in str(caught.value) for key in registry.written())
    with pytest.raises(BadFile, match="not read as grids"):
        registry.read(tmp_path / "a.txt")


def test_a_wall_between_regions_is_told_from_both_sides(tmp_path):
    grate = {"kind": "patch", "id": "g", "name": "grate", "faces": {"between": ["gravel", "fluid"]}}
    plain, walled = grid_of(*STEPS), grid_of(*STEPS, grate)
    (patch,) = [p for p in walled.patches if p.name == "grate"]
    assert len(patch.windows) == 2
    assert len(plain.interfaces) - len(walled.interfaces) == 1
    one = registry.formats()["cgns"]
    one.write(tmp_path / "g.cgns", walled, "m")
    found, _ = registry.read(tmp_path / "g.cgns")
    assert len(next(p for p in found.patches if p.name == "grate").windows) == 2


def test_regions_stand_apart_in_the_vtk_file(tmp_path):
    registry.formats()["vtk"].write(tmp_path / "g.vtm", grid_of(*STEPS), "m")
    reader = vtk.vtkXMLMultiBlockDataReader()
    reader.SetFileName(str(tmp_path / "g.vtm"))
    reader.Update()
    data = reader.GetOutput()
    names = [data.GetMetaData(n).Get(vtk.vtkCompositeDataSet.NAME()) for n in range(data.GetNumberOfBlocks())]
    assert names == ["gravel", "fluid", "patches"]
    assert [data.GetBlock(n).GetNumberOfBlocks() for n in range(3)] == [1, 2, 2]


def test_a_region_called_as_a_patch_is_refused(tmp_path):
    clash = {"kind": "patch", "id": "g", "name": "gravel", "faces": {"side": "z+"}}
    with pytest.raises(BadValue, match="or twice"):
        registry.formats()["cgns"].write(tmp_path / "g.cgns", grid_of(*STEPS, clash), "m")

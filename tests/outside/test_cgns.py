"""CGNS files against the open standard's own checker, and against VTK's reader of them."""

import subprocess
from pathlib import Path

import numpy as np
import pytest
import vtk
from vtkmodules.util.numpy_support import vtk_to_numpy

from plodek.core.build import build
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cgns.structured import write
from plodek.core.formats.handoff import hand_off
from plodek.core.formats.vtk.write import write as write_vtk
from tests.conftest import model_of


def checked(path: Path) -> str:
    """Run the standard's checker (Debian package cgns-convert); its output tells errors and warnings."""
    found = subprocess.run(["cgnscheck", str(path)], capture_output=True, text=True, check=False)
    return found.stdout + found.stderr


def assert_accepted(path):
    said = checked(path)
    assert "checking complete" in said
    assert "ERROR" not in said, said
    assert "WARNING" not in said, said


C_RING = [
    {"kind": "unit", "id": "u", "unit": "mm"},
    {"kind": "frame", "id": "f", "width": 30, "height": 20},
    {"kind": "cut", "id": "x", "by": "x", "at": [10, 20]},
    {"kind": "cut", "id": "y", "by": "y", "at": [7, 13]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [15, 10]}},
    {"kind": "ring", "id": "r", "blocks": {"at": [15, 10]}, "thickness": 2},
    {"kind": "ring", "id": "half", "blocks": {"at": [25, 3]}, "where": "inside", "thickness": 1,
     "open": {"at": [25, 0]}},
    {"kind": "count", "id": "n", "tier": {"at": [15, 0]}, "cells": 5},
    {"kind": "extrude", "id": "e", "depth": 4, "cells": 2},
    {"kind": "patch", "id": "p", "name": "in", "type": "inlet", "faces": {"side": "x-"}},
    {"kind": "patch", "id": "q", "name": "far", "type": "far field", "faces": {"side": "y+"}},
    {"kind": "patch", "id": "s", "name": "rest", "type": "periodic", "faces": {"rest": True}},
]  # fmt: skip


@pytest.mark.parametrize("name", ["demo", "rings"])
def test_the_standards_checker_finds_nothing(name, demo_built, tmp_path):
    if name == "demo":
        grid, unit = demo_built.grid, "m"
    else:
        model = model_of(C_RING)
        grid, unit = build.build(model).grid, model.unit
        assert len(grid.interfaces) > 12
    write(tmp_path / "g.cgns", Cargo(grid, unit))
    assert_accepted(tmp_path / "g.cgns")


def test_interfaces_at_every_turn_are_accepted(tmp_path):
    """The transform and the donor ranges for blocks whose axes are turned and flipped against each other."""
    from dataclasses import replace

    from plodek.core.blocks.layout import Block
    from plodek.core.grid.grid import Grid
    from plodek.core.grid.window import PatchFaces
    from plodek.core.model.operations import Fill

    model = model_of(C_RING[:6] + C_RING[7:9])
    plane = model.layout
    # Turn every second block by a quarter about its own axis: its corners, and its nodes with them.
    blocks = {}
    for n, (name, block) in enumerate(plane.blocks.items()):
        c = block.corners
        turned = tuple(c[m + up] for up in (0, 4) for m in (1, 3, 0, 2))
        blocks[name] = Block(turned, block.hollow) if n % 2 else block
    layout = replace(plane, blocks=blocks)
    again = replace(model, layout=layout, pieces={}, operations=(Fill(),))
    grid = build.build(again).grid
    assert any(min(face.orientation.axes) < 0 for face in grid.interfaces)
    sides = tuple(grid.unnamed)
    whole = Grid(3, grid.names, grid.xyz, grid.interfaces, (PatchFaces("all", "wall", sides),))
    write(tmp_path / "t.cgns", Cargo(whole, "m"))
    assert_accepted(tmp_path / "t.cgns")


def leaves(data):
    """Give the pieces of a multi-block data set with their names."""
    walk = data.NewTreeIterator() if hasattr(data, "NewTreeIterator") else data.NewIterator()
    walk.InitTraversal()
    while not walk.IsDoneWithTraversal():
        about = walk.GetCurrentMetaData()
        name = about.Get(vtk.vtkCompositeDataSet.NAME()) if about else ""
        yield name, walk.GetCurrentDataObject()
        walk.GoToNextItem()


def test_vtks_cgns_reader_sees_the_same_cells_patches_and_coordinates(demo_built, tmp_path):
    grid = demo_built.grid
    write(tmp_path / "pier.cgns", Cargo(grid, "m"))
    reader = vtk.vtkCGNSReader()
    reader.SetFileName(str(tmp_path / "pier.cgns"))
    reader.SetLoadBndPatch(True)
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.EnableAllFamilies()
    reader.Update()
    sets = list(leaves(reader.GetOutput()))
    volumes = [d for _, d in sets if isinstance(d, vtk.vtkStructuredGrid) and d.GetDataDimension() == 3]
    assert sum(d.GetNumberOfCells() for d in volumes) == grid.cells
    assert len(volumes) == len(grid.xyz)
    for data, nodes in zip(volumes, grid.xyz, strict=True):
        places = (
            vtk_to_numpy(data.GetPoints().GetData()).reshape(*nodes.shape[2::-1], 3).transpose(2, 1, 0, 3)
        )
        assert np.array_equal(places, nodes)
    faces = {}
    for name, data in sets:
        if data not in volumes and data is not None:
            faces[name.rpartition("_")[0]] = faces.get(name.rpartition("_")[0], 0) + data.GetNumberOfCells()
    assert faces == {p.name: grid.patch_faces(p) for p in grid.patches}


def test_vtks_own_reader_takes_the_vtm_with_blocks_and_patches(demo_built, tmp_path):
    grid = demo_built.grid
    write_vtk(tmp_path / "pier.vtm", Cargo(grid))
    reader = vtk.vtkXMLMultiBlockDataReader()
    reader.SetFileName(str(tmp_path / "pier.vtm"))
    reader.Update()
    blocks, patches = (reader.GetOutput().GetBlock(n) for n in (0, 1))
    assert blocks.GetNumberOfBlocks() == len(grid.xyz)
    assert sum(blocks.GetBlock(n).GetNumberOfCells() for n in range(len(grid.xyz))) == grid.cells
    first = vtk_to_numpy(blocks.GetBlock(0).GetPoints().GetData())
    assert np.array_equal(first, grid.xyz[0].transpose(2, 1, 0, 3).reshape(-1, 3))
    for n, patch in enumerate(grid.patches):
        found = patches.GetBlock(n)
        assert patches.GetMetaData(n).Get(vtk.vtkCompositeDataSet.NAME()) == patch.name
        assert found.GetNumberOfCells() == grid.patch_faces(patch)
    # All patches together close the volume.
    joined = vtk.vtkAppendPolyData()
    for n in range(patches.GetNumberOfBlocks()):
        joined.AddInputData(patches.GetBlock(n))
    clean = vtk.vtkCleanPolyData()
    clean.SetInputConnection(joined.GetOutputPort())
    edges = vtk.vtkFeatureEdges()
    edges.SetInputConnection(clean.GetOutputPort())
    edges.FeatureEdgesOff()
    edges.NonManifoldEdgesOff()
    edges.BoundaryEdgesOn()
    edges.Update()
    assert edges.GetOutput().GetNumberOfCells() == 0


def test_every_handed_off_demo_is_accepted(demo_model, demo_built, tmp_path):
    hand_off(demo_built.grid, tmp_path, name="pier", unit="m", limits=demo_model.limits, file_unit="ft")
    assert_accepted(tmp_path / "pier.cgns")

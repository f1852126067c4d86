"""Sections against VTK's cutter (area and cells of the cut) and against closed forms."""

import math
from itertools import pairwise

import numpy as np
import pytest
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkPlane, vtkStructuredGrid
from vtkmodules.vtkFiltersCore import vtkCutter

from plodek.core.build.build import filled_grid
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.cutter import cylinder, plane, plane_through, sphere
from plodek.core.check.look.section import section
from plodek.core.errors import BadValue, NothingFound
from plodek.core.grid.grid import Grid
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from tests.conftest import DEMO_FILES, demo_file


def cube(cells, moved=0.0, seed=3):
    """A unit cube of cells; its inner nodes moved at random by a share of a cell."""
    along = np.linspace(0, 1, cells + 1)
    xyz = np.stack(np.meshgrid(along, along, along, indexing="ij"), -1)
    inner = slice(1, -1)
    off = np.random.default_rng(seed).uniform(-1, 1, xyz.shape)
    xyz[inner, inner, inner] += moved / cells * off[inner, inner, inner]
    return Grid(3, ("B1",), (np.ascontiguousarray(xyz),))


def cut_by_vtk(grid, point, normal):
    """Area of the cut, and how many cells it meets."""
    area, cells = 0.0, 0
    for xyz in grid.xyz:
        data, points = vtkStructuredGrid(), vtkPoints()
        points.SetDataTypeToDouble()
        points.SetData(numpy_to_vtk(np.ascontiguousarray(xyz.transpose(2, 1, 0, 3).reshape(-1, 3))))
        data.SetDimensions(*xyz.shape[:3])
        data.SetPoints(points)
        surface = vtkPlane()
        surface.SetOrigin(*point)
        surface.SetNormal(*normal)
        cutter = vtkCutter()
        cutter.SetInputData(data)
        cutter.SetCutFunction(surface)
        cutter.GenerateTrianglesOn()
        cutter.SetOutputPointsPrecision(1)  # double
        cutter.Update()
        found = cutter.GetOutput()
        if found.GetNumberOfPolys():
            places = vtk_to_numpy(found.GetPoints().GetData())
            corners = places[vtk_to_numpy(found.GetPolys().GetConnectivityArray()).reshape(-1, 3)]
            cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            area += 0.5 * np.linalg.norm(cross, axis=1).sum()
            cells += found.GetNumberOfPolys()
    return area, cells


PLANES = [([0.41, 0.5, 0.5], [1, 0, 0]), ([0.5, 0.52, 0.4], [0.3, 1, -0.2]), ([0.3, 0.4, 0.6], [1, 1, 1])]


@pytest.mark.parametrize(("point", "normal"), PLANES)
@pytest.mark.parametrize("moved", [0.0, 0.2, 0.45])
def test_random_hexahedra_are_cut_as_by_vtk(point, normal, moved):
    grid = cube(9, moved)
    found = section(grid, bricks_of(grid), plane(point, normal))
    area, triangles = cut_by_vtk(grid, point, normal)
    assert found.area == pytest.approx(area, rel=1e-9)
    assert len(found.triangles) == triangles
    off = (found.places - point) @ np.array(normal) / np.linalg.norm(normal)
    assert np.abs(off).max() < 1e-14


@pytest.mark.slow
@pytest.mark.parametrize("name", ["siphon", "gate-chamber", "draft-cone", "dosing-venturi"])
def test_demos_are_cut_as_by_vtk(name):
    found = Evaluator().evaluate(document.read(demo_file(f"{name}.json")), DEMO_FILES)
    grid = filled_grid(found.model)
    bricks = bricks_of(grid)
    middle = np.mean([xyz.mean(axis=(0, 1, 2)) for xyz in grid.xyz], axis=0) + 1e-4
    for normal in np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [0.5, -0.3, 0.8]]):
        area, _ = cut_by_vtk(grid, middle, normal)
        assert section(grid, bricks, plane(middle, normal)).area == pytest.approx(area, rel=1e-9)


@pytest.mark.parametrize("at", [0.0, 0.25, 0.5, 1.0])
def test_a_plane_on_nodes_is_cut_once(at):
    """On a layer of nodes, and on the outside itself, every face is there once."""
    grid = cube(8)
    for axis in np.eye(3):
        for sense in (1, -1):
            found = section(grid, bricks_of(grid), plane(at * np.ones(3), sense * axis))
            assert (len(found), found.area) == (64, pytest.approx(1.0, rel=1e-14))


@pytest.mark.parametrize(
    ("surface", "area"),
    [
        (sphere([0.5, 0.5, 0.5], 0.4), 4 * math.pi * 0.16),
        (cylinder([0.5, 0.5, 0.1], [0, 0, 3], 0.4), 2 * math.pi * 0.4),
    ],
    ids=["sphere", "cylinder"],
)
def test_round_sections_go_to_their_areas_at_second_order(surface, area):
    errors = []
    for cells in (8, 16, 32, 64):
        grid = cube(cells, 0.1)
        found = section(grid, bricks_of(grid), surface)
        assert np.abs(surface.distances(found.places)).max() < 1e-14
        errors.append(area - found.area)
    orders = [math.log2(a / b) for a, b in pairwise(errors)]
    assert all(1.7 < order < 2.3 for order in orders), orders
    assert errors[-1] < 1e-3 * area


def test_a_plane_square_to_a_diagonal_cuts_a_hexagon():
    """Of a unit cube, in its middle: 3√3/4."""
    found = section(cube(1), bricks_of(cube(1)), plane_through([[1, 0.5, 0], [0, 1, 0.5], [0.5, 0, 1]]))
    assert (len(found), len(found.places)) == (1, 6)
    assert found.area == pytest.approx(3 * math.sqrt(3) / 4, rel=1e-15)


def test_every_cell_a_section_meets_is_told_and_no_other():
    grid = cube(12, 0.3)
    xyz, surface = grid.xyz[0], sphere([0.4, 0.5, 0.6], 0.31)
    off = surface.distances(xyz.reshape(-1, 3)).reshape(13, 13, 13) >= 0
    eight = np.stack(
        [off[i : 12 + i, j : 12 + j, k : 12 + k] for i in (0, 1) for j in (0, 1) for k in (0, 1)]
    )
    crossed = np.flatnonzero((eight.any(axis=0) & ~eight.all(axis=0)).ravel())
    assert np.array_equal(np.unique(section(grid, bricks_of(grid), surface).cells), crossed)


def test_a_section_beside_the_grid_says_where_the_grid_is():
    grid = cube(4)
    for surface in (plane([2, 0, 0], [1, 0, 0]), sphere([5, 0, 0], 1), cylinder([5, 5, 0], [0, 0, 1], 1)):
        with pytest.raises(
            NothingFound, match=r"does not meet the grid.*between \(0, 0, 0\) and \(1, 1, 1\)"
        ):
            section(grid, bricks_of(grid), surface)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: plane([0, 0, 0], [0, 0, 0]), "has no direction"),
        (lambda: plane_through([[0, 0, 0], [1, 1, 1], [2, 2, 2]]), "lie on a line"),
        (lambda: sphere([0, 0, 0], 0), "radius is 0"),
        (lambda: cylinder([0, 0, 0], [0, 0, 1], -1), "radius is -1"),
        (lambda: sphere([0, 0, 0], 1).moved(-2), "radius is -1"),
    ],
)
def test_surfaces_that_are_none_are_refused(make, words):
    with pytest.raises(BadValue, match=words):
        make()

"""Metrics against the Verdict library, as VTK ships it (Knupp et al., SAND2007-1751)."""

import numpy as np
import pytest
import vtk
from vtkmodules.vtkFiltersVerdict import vtkMeshQuality

from plodek.core.check.measure import measure
from plodek.core.grid.grid import Grid

#: What Verdict has too, in the order that it is measured in here.
KEYS = ("scaled_jacobian", "smallest_angle", "largest_angle", "skewness", "aspect_ratio")
#: VTK's order of a hexahedron's corners, in ours (bits i, j, k).
VTK_ORDER = (0, 1, 3, 2, 4, 5, 7, 6)
FACES = ((0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7), (0, 3, 2, 1), (4, 5, 6, 7))


def corners_of(nodes):
    """Give the corners (cells, 8, 3) of a block in VTK's order."""
    parts = []
    for n in VTK_ORDER:
        i, j, k = n & 1, n >> 1 & 1, n >> 2
        ni, nj, nk = (size - 1 for size in nodes.shape[:3])
        parts.append(nodes[i : ni + i, j : nj + j, k : nk + k].reshape(-1, 3))
    return np.stack(parts, axis=1)


def by_verdict(corners):
    """Measure cells one by one with VTK."""
    cell, quad = vtk.vtkHexahedron(), vtk.vtkQuad()
    found = np.empty((len(corners), 6))
    for row, places in zip(found, corners, strict=True):
        for n, place in enumerate(places):
            cell.GetPoints().SetPoint(n, *place)
        least, most = 180.0, 0.0
        for face in FACES:
            for n, corner in enumerate(face):
                quad.GetPoints().SetPoint(n, *places[corner])
            least = min(least, vtkMeshQuality.QuadMinAngle(quad))
            most = max(most, vtkMeshQuality.QuadMaxAngle(quad))
        row[:] = (
            vtkMeshQuality.HexScaledJacobian(cell),
            least,
            most,
            vtkMeshQuality.HexEquiangleSkew(cell),
            vtkMeshQuality.HexMaxEdgeRatio(cell),
            vtkMeshQuality.HexVolume(cell),
        )
    return found


def assert_equal_to_verdict(grid, chosen):
    cells = measure(grid)
    corners = np.concatenate([corners_of(nodes) for nodes in grid.xyz])[chosen]
    ours = np.stack([*(cells.of(key)[chosen] for key in KEYS), cells.volume[chosen]], axis=1)
    theirs = by_verdict(corners)
    scale = np.maximum(np.abs(theirs), 1.0)
    # VTK's angles come from acos as ours do; both lose digits near 0° and 180° alike.
    assert np.max(np.abs(ours - theirs) / scale) < 1e-9


def test_the_demo_grid(demo_built):
    rng = np.random.default_rng(0)
    chosen = rng.choice(demo_built.grid.cells, 4000, replace=False)
    assert_equal_to_verdict(demo_built.grid, chosen)


@pytest.mark.parametrize("size", [0.05, 0.25, 0.45])
def test_distorted_hexahedra(size):
    rng = np.random.default_rng(int(100 * size))
    nodes = np.stack(np.meshgrid(*[np.arange(9.0)] * 3, indexing="ij"), axis=-1) * [1.0, 0.3, 2.0]
    nodes += rng.uniform(-size, size, nodes.shape) * [1.0, 0.3, 2.0]
    assert_equal_to_verdict(Grid(3, ("a",), (nodes,)), np.arange(512))


def test_a_filled_grid_has_the_angles_and_jacobians_of_its_quadrilaterals(demo_model, demo_built):
    from plodek.core.build.build import assemble

    run = demo_built.runs[0]
    blocks = run.blocks
    plane = assemble(demo_model.lift.plane, blocks)
    cells = measure(plane)
    quad = vtk.vtkQuad()
    nodes = plane.xyz[0][:, :, 0]
    for cell, (i, j) in enumerate(np.ndindex(nodes.shape[0] - 1, nodes.shape[1] - 1)):
        for n, (a, b) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
            quad.GetPoints().SetPoint(n, *nodes[i + a, j + b])
        assert cells.of("smallest_angle")[cell] == pytest.approx(vtkMeshQuality.QuadMinAngle(quad), rel=1e-9)
        assert cells.of("largest_angle")[cell] == pytest.approx(vtkMeshQuality.QuadMaxAngle(quad), rel=1e-9)
        assert cells.volume[cell] == pytest.approx(vtkMeshQuality.QuadArea(quad), rel=1e-9)


def test_warpage_is_verdicts_of_the_worst_face():
    """Verdict's warpage of a quadrilateral is cos³ of the larger angle between opposite corners' normals."""
    nodes = np.stack(np.meshgrid(*[np.arange(5.0)] * 3, indexing="ij"), axis=-1)
    nodes += np.random.default_rng(4).uniform(-0.3, 0.3, nodes.shape)
    ours = np.cos(np.radians(measure(Grid(3, ("a",), (nodes,))).of("warpage")))
    quad = vtk.vtkQuad()
    for corners, cosine in zip(corners_of(nodes), ours, strict=True):
        theirs = 1.0
        for face in FACES:
            for n, corner in enumerate(face):
                quad.GetPoints().SetPoint(n, *corners[corner])
            theirs = min(theirs, vtkMeshQuality.QuadWarpage(quad))
        assert cosine**3 == pytest.approx(theirs, abs=1e-9)


def test_the_smallest_edge_is_that_of_vtks_edges():
    nodes = np.stack(np.meshgrid(*[np.arange(5.0)] * 3, indexing="ij"), axis=-1)
    nodes += np.random.default_rng(5).uniform(-0.3, 0.3, nodes.shape)
    ours = measure(Grid(3, ("a",), (nodes,))).of("smallest_edge")
    cell = vtk.vtkHexahedron()
    for corners, shortest in zip(corners_of(nodes), ours, strict=True):
        for n, place in enumerate(corners):
            cell.GetPoints().SetPoint(n, *place)
        lengths = []
        for n in range(cell.GetNumberOfEdges()):
            ends = cell.GetEdge(n).GetPoints()
            lengths.append(np.linalg.norm(np.subtract(ends.GetPoint(0), ends.GetPoint(1))))
        assert shortest == pytest.approx(min(lengths), rel=1e-12)

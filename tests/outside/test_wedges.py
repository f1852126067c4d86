"""Cells with a shrunk edge against Verdict's wedge metrics on the same wedges, through VTK.

Knupp et al., Verdict Library Reference Manual (SAND2007-1751), "Wedge: scaled Jacobian".
"""

import numpy as np
import pytest
import vtk

from plodek.core.check.measure import measure
from plodek.core.grid.grid import Grid


def wedge(seed, sector):
    """A sector of a prism, a little distorted: the corners of triangle below, triangle above."""
    rng = np.random.default_rng(seed)
    angle = np.radians(sector)
    flat = np.array([[0, 0, 0], [1, 0, 0], [np.cos(angle), np.sin(angle), 0]])
    return np.concatenate([flat, flat + np.array([0, 0, 1])]) + rng.uniform(-0.08, 0.08, (6, 3))


def verdict(corners):
    cell = vtk.vtkWedge()
    for n, corner in enumerate(corners):
        cell.GetPointIds().SetId(n, n)
        cell.GetPoints().SetPoint(n, *corner)
    return vtk.vtkMeshQuality.WedgeScaledJacobian(cell)


@pytest.mark.parametrize("axis", [0, 1, 2])
@pytest.mark.parametrize("sector", [20, 60, 110])
def test_a_cell_at_a_pole_is_measured_as_the_wedge_it_is(axis, sector):
    for seed in range(10):
        corners = wedge(seed, sector)
        nodes = np.empty((2, 2, 2, 3))
        for k in range(2):  # i goes outward, j around: the edge along j at i = 0 has shrunk
            pole, one, other = corners[3 * k : 3 * k + 3]
            nodes[0, :, k], nodes[1, 0, k], nodes[1, 1, k] = pole, one, other
        order = [(a + axis) % 3 for a in range(3)]
        cells = measure(Grid(3, ("a",), (np.ascontiguousarray(nodes.transpose(*order, 3)),)))
        assert cells.poles.all()
        ours, theirs = float(cells.of("scaled_jacobian")[0]), verdict(corners)
        assert ours == pytest.approx(min(theirs, 1.0), abs=1e-9)
        assert cells.folded[0] == (theirs <= 0)


def test_an_even_wedge_has_no_skew_and_a_pole_is_no_fold():
    corners = wedge(0, 60) * 0
    angle = np.radians(60)
    flat = np.array([[0, 0, 0], [1, 0, 0], [np.cos(angle), np.sin(angle), 0]])
    corners = np.concatenate([flat, flat + np.array([0, 0, 1])])
    nodes = np.empty((2, 2, 2, 3))
    for k in range(2):
        pole, one, other = corners[3 * k : 3 * k + 3]
        nodes[0, :, k], nodes[1, 0, k], nodes[1, 1, k] = pole, one, other
    cells = measure(Grid(3, ("a",), (nodes,)))
    assert cells.of("scaled_jacobian")[0] == pytest.approx(1)
    assert cells.of("skewness")[0] == pytest.approx(0, abs=1e-12)
    assert (cells.of("smallest_angle")[0], cells.of("largest_angle")[0]) == pytest.approx((60, 90))
    assert not cells.folded[0]

"""Areas, volumes and lengths of standard bodies in closed form."""

import itertools
import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.grid.numbering import Numbering
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.surfaces import analytic
from tests.conftest import model_of

FRAME = np.eye(3)


def test_areas_of_sphere_zone_cone_and_torus():
    """Archimedes: a zone of a sphere has 2πrh; Pappus–Guldin: a torus 4π²Rr (CRC Standard Mathematical Tables)."""
    low, high = math.asin(-0.25), math.asin(0.5)
    zone = analytic.sphere(np.zeros(3), FRAME, 2.0, (low, high), math.tau)
    assert zone.area == pytest.approx(math.tau * 2 * (2 * 0.5 + 2 * 0.25), rel=1e-9)
    torus = analytic.torus(np.zeros(3), FRAME, 3.0, 0.5, math.tau)
    assert torus.area == pytest.approx(4 * math.pi**2 * 3 * 0.5, rel=1e-9)
    frustum = analytic.cone(np.zeros(3), FRAME, (2.0, 1.0), 1.5, math.tau)
    assert frustum.area == pytest.approx(math.pi * 3 * math.hypot(1, 1.5), rel=1e-9)


def volume(cells):
    steps = [
        {"kind": "frame", "id": "f", "corner": [0, 1], "width": 2, "height": 1},
        {"kind": "revolve", "id": "e", "parts": 4, "cells": cells},
    ]
    return float(measure(build.build(model_of(steps)).grid).volume.sum())


def test_a_revolved_rectangle_has_the_volume_of_pappus():
    """Pappus–Guldin: area times the way of its centroid. Cells are straight: second order, and its limit."""
    exact = 2 * 1 * math.tau * 1.5
    errors = [exact - volume(n) for n in (32, 64, 128)]
    assert [a / b for a, b in itertools.pairwise(errors)] == pytest.approx([4, 4], rel=0.01)
    assert volume(128) + errors[2] / 1 == pytest.approx(exact)
    assert (4 * volume(128) - volume(64)) / 3 == pytest.approx(exact, rel=1e-6)


def test_a_parabola_has_its_length():
    """½√5 + ¼ asinh 2 for y = x² from 0 to 1 (CRC Standard Mathematical Tables, integrals with √(a² + x²))."""
    x = np.linspace(0, 1, 41)
    curve = Spline(np.stack([x, x**2, 0 * x], axis=1), closed=False, corner_angle=180)
    assert curve.length == pytest.approx(0.5 * math.sqrt(5) + 0.25 * math.asinh(2), rel=1e-7)


def characteristic(steps):
    """Count vertices, edges, faces and cells of a grid by its numbering, each once."""
    grid = build.filled_grid(model_of(steps))
    numbering = Numbering.of(grid)
    edges, faces, cells = [], [], 0
    for ids in numbering.ids:
        cells += np.prod([n - 1 for n in ids.shape])
        for axis in range(3):
            line = np.stack([np.delete(ids, -1, axis), np.delete(ids, 0, axis)], axis=-1)
            edges.append(line.reshape(-1, 2))
            others = [a for a in range(3) if a != axis]
            corners = ids
            for a in others:
                shape = np.stack([np.delete(corners, -1, a), np.delete(corners, 0, a)], axis=-1)
                corners = shape
            faces.append(corners.reshape(-1, 4))
    unique = [len(np.unique(np.sort(np.concatenate(part), axis=1), axis=0)) for part in (edges, faces)]
    return numbering.count - unique[0] + unique[1] - int(cells)


BOX = [{"kind": "frame", "id": "f", "shape": "box", "width": 3, "height": 3, "depth": 3}]
CUTS = [{"kind": "cut", "id": a, "by": a, "at": [1, 2]} for a in "xyz"]
COARSE = [{"kind": "count", "id": "n", "tier": {"all": True}, "cells": 2}]


@pytest.mark.parametrize(
    ("steps", "expected"),
    [
        ([*BOX, *CUTS, *COARSE], 1),  # a ball
        ([*BOX, *CUTS, {"kind": "hollow", "id": "h", "blocks": {"at": [1.5, 1.5, 1.5]}}, *COARSE], 2),  # a shell
        (
            [*BOX, *CUTS, {"kind": "hollow", "id": "h", "blocks": {"each": [[1.5, 1.5, z] for z in (0.5, 1.5, 2.5)]}}, *COARSE],
            0,
        ),  # a ring
        ([{"kind": "frame", "id": "f", "corner": [0, 1], "width": 2, "height": 1}, {"kind": "revolve", "id": "e", "cells": 8}], 0),
    ],
)  # fmt: skip
def test_the_euler_characteristic_is_that_of_the_shape(steps, expected):
    """V − E + F − C is 1 for a ball, 2 for a shell, 0 for a solid ring (Hatcher, Algebraic Topology, 2.2)."""
    assert characteristic(steps) == expected

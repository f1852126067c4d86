"""The demo is held to its promises: the intake pier, from a point file to a named grid."""

import numpy as np

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate


def test_it_has_the_promised_size(demo_model):
    assert demo_model.cells >= 60_000
    places = demo_model.layout.places(demo_model.layout.corners)
    assert np.ptp(places, axis=0).tolist() == [9, 5, 1.8]
    pier = demo_model.guides["pier"].at(np.linspace(0, 1, 2000))
    assert np.allclose(np.ptp(pier, axis=0)[:2], [2.1, 0.92], atol=0.01)


def test_after_smoothing_angles_heights_and_wall_angles_hold(demo_model, demo_built):
    run = demo_built.runs[0]
    assert run.progress.folded == 0
    plane = measure(build.finished(demo_model, run.blocks))
    assert plane.of("smallest_angle").min() >= 35
    assert plane.of("largest_angle").max() <= 145
    assert np.allclose(run.wall.wished, 0.006, rtol=1e-5)
    off = np.abs(run.wall.heights / 0.006 - 1)
    assert np.mean(off <= 0.01) >= 0.95
    assert off.max() <= 0.05
    assert np.mean(np.abs(run.wall.angles - 90) <= 3) >= 0.95


def test_the_heights_are_those_of_the_grid_itself(demo_model, demo_built):
    """Measured again from the pier's patch alone: distance of the next node line to the pier's spline."""
    grid = demo_built.grid
    (pier,) = [p for p in grid.patches if p.name == "pier"]
    curve = demo_model.guides["pier"]
    for side in pier.windows:
        lines = np.moveaxis(grid.xyz[side.block], side.axis, 0)
        first = (lines[-2] if side.end else lines[1])[:, 0]
        wall = (lines[-1] if side.end else lines[0])[:, 0]
        assert np.abs(curve.at(curve.nearest(wall)) - wall).max() < 1e-12
        height = np.linalg.norm(curve.at(curve.nearest(first)) - first, axis=1)
        assert np.abs(height / 0.006 - 1).max() < 0.05


def test_all_seven_patches_are_named_and_the_gate_is_passed(demo_model, demo_built):
    names = {p.name: p.type for p in demo_built.grid.patches}
    assert names == {
        "inflow": "inlet",
        "outflow": "outlet",
        "north-bank": "wall",
        "south-bank": "wall",
        "bed": "wall",
        "surface": "symmetry",
        "pier": "wall",
    }
    assert demo_built.grid.unnamed == ()
    outcome = gate(measure(demo_built.grid), demo_model.limits)
    assert outcome.passed

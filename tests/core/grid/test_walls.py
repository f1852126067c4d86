"""How sides lie on their guides: misfit of nodes and sag of faces, told, held against the gate, handed off."""

import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import guide_fits
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate
from plodek.core.check.walls import Walls, guide_fit
from plodek.core.formats.handoff import hand_off
from plodek.core.shape.surfaces.analytic import sphere
from tests.conftest import model_of

BALL = [
    {"kind": "sphere", "id": "s", "name": "ball", "centre": [0, 0, 0], "radius": 2},
    {"kind": "frame", "id": "f", "shape": "box", "corner": [-1, -1, -1], "width": 2, "height": 2, "depth": 2},
    {"kind": "follow", "id": "w", "guide": "ball", "edges": {"around": {"all": True}}},
    {"kind": "butterfly", "id": "b", "blocks": {"all": True}},
    {"kind": "patch", "id": "p", "name": "all", "faces": {"rest": True}},
]
#: A box whose upper side alone lies on the ball, but for one corner, which is pinned off it.
OFF = [
    BALL[0],
    {"kind": "block", "id": "k", "corners": [[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0, 0, 2], [1, 0, 3**0.5], [0, 1, 3**0.5], [1, 1, 2**0.5]]},
    {"kind": "follow", "id": "w", "guide": "ball", "edges": {"at": [0.5, 0.5, 1.7]}},
]  # fmt: skip


def fits(steps, cells):
    count = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": cells}
    model = model_of([*steps, count])
    return guide_fits(model, build.build(model).grid)


def test_nodes_of_a_ball_lie_on_it_and_its_faces_sag_with_the_square_of_their_size():
    (coarse,), (fine,) = fits(BALL, 8), fits(BALL, 16)
    assert (coarse.guide, coarse.sides) == ("ball", 6)
    assert coarse.misfit < 1e-12
    assert coarse.share == pytest.approx(coarse.misfit / coarse.size)
    assert coarse.sag / fine.sag == pytest.approx(4, rel=0.1)
    assert coarse.mean_sag < coarse.sag


def test_the_sag_of_an_arc_in_the_plane_is_that_of_its_chord():
    """The sagitta r (1 − cos(θ/2)) of a chord."""
    ring = [
        {"kind": "circle", "id": "c", "name": "c", "centre": [0, 0], "radius": 1},
        {"kind": "frame", "id": "f", "shape": "polar", "centre": [0, 0], "inner": 1, "outer": 2, "sectors": 4},
        {"kind": "follow", "id": "w", "guide": "c", "edges": {"each": [[0.7, 0.7], [-0.7, 0.7], [-0.7, -0.7], [0.7, -0.7]]}},
    ]  # fmt: skip
    (found,) = fits(ring, 10)
    assert found.misfit < 1e-12
    assert found.sag == pytest.approx(1 - math.cos(math.radians(90 / 10 / 2)), rel=2e-3)


def test_the_sag_of_a_tube_is_that_of_its_chords_whichever_way_its_sides_run():
    tube = [
        {"kind": "cylinder", "id": "s", "name": "t", "base": [0, 0, 0], "along": [1, 0, 0], "radius": 1, "height": 2},
        {"kind": "frame", "id": "f", "shape": "box", "corner": [0, -0.5, -0.5], "width": 2, "height": 1, "depth": 1},
        {"kind": "follow", "id": "w", "guide": "t", "edges": {"side": "y+"}},
    ]  # fmt: skip
    for way in ("y+", "y-", "z-"):
        tube[2] |= {"edges": {"side": way}}
        (found,) = fits(tube, 10)
        assert found.sag == pytest.approx(1 - math.cos(math.radians(90 / 10 / 2)), rel=2e-3)


def test_what_lies_off_is_measured_and_where():
    ball = sphere(np.zeros(3), np.eye(3), 2.0, (-np.pi / 2, np.pi / 2), 2 * np.pi)
    u, v = np.meshgrid(np.linspace(0.1, 0.3, 5), np.linspace(0.4, 0.6, 5), indexing="ij")
    nodes = ball.at(np.stack([u, v], -1).reshape(-1, 2)).reshape(5, 5, 3)
    nodes[2, 3] *= 1.05
    found = guide_fit("ball", [(ball, nodes)], 4.0)
    assert found.misfit == pytest.approx(0.1)
    assert found.at == pytest.approx(tuple(nodes[2, 3]))
    assert found.mean_misfit == pytest.approx(0.1 / 25)
    assert found.share == pytest.approx(0.025)


def test_the_gate_holds_the_misfit_against_the_size_and_the_report_tells_it(tmp_path):
    model = model_of(BALL)
    grid = build.build(model).grid
    cells = measure(grid)
    good = guide_fits(model, grid)
    assert gate(cells, model.limits, Walls(good)).passed == gate(cells, model.limits).passed
    ball = model.guides["ball"]
    bad = guide_fit("ball", [(ball, 1.001 * grid.nodes(grid.patches[0].windows[0]))], model.layout.size())
    outcome = gate(cells, model.limits, Walls((bad,)))
    assert not outcome.passed
    (verdict,) = [v for v in outcome.verdicts if v.missed]
    assert verdict.sentence.startswith("misfit to guides, of the size: 1 guide is above 1e-06")
    assert gate(cells, {"misfit": 0.1}, Walls((bad,))).passed
    done = hand_off(
        grid, tmp_path, name="g", unit="m", limits=model.limits, walls=Walls(good), formats=["vtk"]
    )
    assert done.facts["guides"]["ball"]["misfit"] < 1e-12
    assert "| ball |" in (tmp_path / "report.md").read_text()


def test_a_side_with_a_corner_pinned_off_no_longer_counts():
    assert [fit.guide for fit in fits(OFF, 4)] == ["ball"]
    pin = {"kind": "pin", "id": "x", "corner": {"at": [0, 0, 2]}, "to": [0, 0, 2.2]}
    assert fits([*OFF, pin], 4) == ()


def test_sides_of_a_lift_count_for_their_curve_after_a_smoothing_too(demo_model, demo_built):
    found = {fit.guide: fit for fit in guide_fits(demo_model, demo_built.grid)}
    assert set(found) == {"pier"}
    assert found["pier"].share < 1e-9

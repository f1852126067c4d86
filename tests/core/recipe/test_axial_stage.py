"""The axial pump stage: walls on their surfaces, twins by rotation, first heights on three walls."""

import math

import numpy as np
import pytest

from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def stage(demos):
    return demos.model("axial-stage"), demos.built("axial-stage").grid


def on_patch(grid, name):
    (patch,) = [patch for patch in grid.patches if patch.name == name]
    return patch.windows


def first_nodes(grid, name):
    """The nodes next to those of a patch, block by block."""
    found = []
    for side in on_patch(grid, name):
        block = np.moveaxis(grid.xyz[side.block], side.axis, 0)
        found.append(block[-2 if side.end else 1].reshape(-1, 3))
    return np.concatenate(found)


def test_its_gate_is_passed_and_nothing_leaks(stage):
    """The default gate: as filled it has angles of 33° and 147° and a volume ratio of 4.4."""
    model, grid = stage
    outcome = gate(measure(grid), model.limits, walls_of(model, grid))
    assert outcome.passed
    assert outcome.folded == 0
    assert grid.unnamed == ()
    assert model.facts.findings == []


def test_walls_lie_on_their_surfaces(stage):
    model, grid = stage
    fits = walls_of(model, grid).fits
    assert {fit.guide for fit in fits} == {"hub", "casing", "vane", "low", "low-1", "inlet", "outlet"}
    assert max(fit.misfit for fit in fits) < 1e-11
    casing = np.concatenate([grid.nodes(side).reshape(-1, 3) for side in on_patch(grid, "casing")])
    np.testing.assert_allclose(np.hypot(casing[:, 1], casing[:, 2]), 0.36, rtol=1e-14)


def test_the_twin_side_is_the_driving_one_turned_by_a_seventh(stage):
    _, grid = stage
    low, high = (
        np.concatenate([grid.nodes(side).reshape(-1, 3) for side in on_patch(grid, f"twin-{name}")])
        for name in ("low", "high")
    )
    c, s = math.cos(math.tau / 7), math.sin(math.tau / 7)
    turned = low @ np.array([[1, 0, 0], [0, c, s], [0, -s, c]])
    order = [np.lexsort(np.round(part, 7).T) for part in (turned, high)]
    assert np.abs(turned[order[0]] - high[order[1]]).max() < 1e-12


def test_first_heights_hold_on_all_three_walls(stage):
    model, grid = stage
    casing = first_nodes(grid, "casing")
    heights = {"casing": 0.36 - np.hypot(casing[:, 1], casing[:, 2])}
    for name in ("hub", "vane"):
        nodes = first_nodes(grid, name)
        heights[name] = np.linalg.norm(model.guides[name].onto(nodes) - nodes, axis=1)
    for name, wanted in (("casing", 5e-4), ("hub", 5e-4), ("vane", 2e-4)):
        assert np.mean(np.abs(heights[name] / wanted - 1) < 0.05) >= 0.95, name


def test_the_tail_runs_along_the_sharp_lines_of_the_vane(stage):
    model, grid = stage
    wall = np.concatenate([grid.nodes(side).reshape(-1, 3) for side in on_patch(grid, "vane")])
    for name in ("tail.1", "tail.2"):
        line = model.guides[name]
        away = np.linalg.norm(line.at(line.nearest(wall)) - wall, axis=1)
        assert np.sum(away < 1e-13) == 2 * 39  # the nodes from hub to casing, once in either block

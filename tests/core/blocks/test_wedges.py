"""Wedges in space: divided into three all along their length, at any axis, patches and surfaces kept."""

import itertools

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate
from plodek.core.errors import BadValue
from tests.conftest import evaluated, model_of, numbered

BOX = {"kind": "frame", "shape": "box", "corner": [0, 0, 0], "width": 2, "height": 1, "depth": 3}
SIZE = np.array([2.0, 1.0, 3.0])


def wedge(pinched, length, *more):
    """The box with its edges along one axis shrunk at the high end of the second; the third is its length."""
    out = 3 - pinched - length
    places = []
    for end in (0.0, 1.0):
        at = np.zeros(3)
        at[pinched], at[out], at[length] = 0.5, 1.0, end
        places.append((at * SIZE).tolist())
    middle = (0.45 * SIZE).tolist()
    return numbered(
        [BOX, {"kind": "pinch", "edges": {"each": places}}, *more, {"kind": "three", "block": {"at": middle}}]
    )


@pytest.mark.parametrize(("pinched", "length"), [(0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1)])
def test_a_wedge_becomes_three_blocks_of_the_same_volume(pinched, length):
    cap = {"kind": "patch", "name": "cap", "faces": {"side": "xyz"[length] + "-"}}
    model = model_of(wedge(pinched, length, cap))
    assert len(model.layout.filled) == 3
    assert all(len(set(block.corners)) == 8 for block in model.layout.blocks.values())
    assert model.facts.findings == []
    cells = measure(build.build(model).grid)
    assert not cells.folded.any()
    assert cells.poles.sum() == 0
    assert cells.volume.sum() == pytest.approx(3.0)
    # The patch has the ends of all three, and the middle is where the medians meet.
    assert sum(patch.name == "cap" for patch in model.patch_of.values()) == 3
    middles = [c for c, at in model.layout.at_corner.items() if len(at) == 3]
    assert len(middles) == 2
    share = model.layout.places(middles) / SIZE
    assert {round(float(v), 9) for v in share[:, pinched]} == {0.5}
    assert {round(float(v), 9) for v in share[:, 3 - pinched - length]} == {round(1 / 3, 9)}


@pytest.mark.parametrize(("pinched", "length"), [(0, 1), (0, 2), (1, 0), (1, 2), (2, 0), (2, 1)])
def test_pinched_nodes_are_one_node_to_the_bit(pinched, length):
    (nodes,) = build.build(model_of(wedge(pinched, length)[:2])).grid.xyz
    out = 3 - pinched - length
    sides = [np.take(nodes, at, axis=out) for at in (0, -1)]
    widths = [np.abs(np.diff(side, axis=pinched - (pinched > out))).max() for side in sides]
    assert min(widths) == 0.0
    assert max(widths) > 0.0


def test_a_cap_stays_on_its_surface():
    ball = {"kind": "sphere", "id": "ball", "name": "ball", "centre": [1, 0.5, 1], "radius": 4}
    on = {"kind": "follow", "guide": "ball", "edges": {"side": "z+"}}
    model = model_of([ball, *wedge(1, 2, on)])
    (fit,) = walls_of(model, build.build(model).grid).fits
    assert fit.sides == 3
    assert fit.misfit < 1e-12


def test_a_block_that_is_no_wedge_is_refused():
    error = evaluated(numbered([BOX, {"kind": "three", "block": {"at": [1, 0.5, 1]}}])).error
    assert isinstance(error, BadValue)
    assert "not three-sided" in str(error)


FLOOR = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]]
PRISM = [[0, 0, 0], [1, 0, 0], [0, 0, 0], [0, 1, 0], [0, 0, 2], [1, 0, 2], [0, 0, 2], [0, 1, 2]]
TETRAHEDRON = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 1, 0], *[[0, 0, 1]] * 4]


@pytest.mark.parametrize("turn", [0, 1, 5])
@pytest.mark.parametrize(
    ("corners", "volume"),
    [
        ([[0, 0], [2, 0], [0, 0], [0, 1]], 1.0),
        (PRISM, 1.0),
        ([*FLOOR, *[[0.5, 0.5, 1]] * 4], 1 / 3),  # a pyramid
        (TETRAHEDRON, 1 / 6),
        ([*FLOOR, [0, 0, 1], [1, 0, 1], [0.5, 1, 1], [0.5, 1, 1]], 0.75),  # a roof that narrows to a line
    ],
)
def test_blocks_are_typed_with_equal_corners_in_any_order(corners, volume, turn):
    """Volumes of prism, pyramid and tetrahedron from geometry; of the last by Simpson's rule, exact for it."""
    order = np.random.default_rng(turn).permutation(len(corners)) if turn else range(len(corners))
    model = model_of(numbered([{"kind": "block", "corners": [corners[n] for n in order]}]))
    assert model.facts.findings == []
    cells = measure(build.build(model).grid)
    assert not cells.folded.any()
    assert cells.volume.sum() == pytest.approx(volume)


@pytest.mark.parametrize(
    ("corners", "words"),
    [
        ([*FLOOR[:3], *[[0, 0, 1]] * 3, [1, 1, 1], [1, 1, 0]], "do not lie beside each other in any block"),
        ([[0, 0, 0]] * 4 + [[1, 0, 0]] * 4, "flat block"),
        ([[0, 0], [0, 0], [1, 0], [1, 0]], "flat block"),
    ],
)
def test_equal_corners_that_make_no_block_are_refused(corners, words):
    assert words in str(evaluated(numbered([{"kind": "block", "corners": corners}])).error)


C = np.sqrt(0.5)
FAN = [[1, 0], [C, C], [0, 1], [-C, C], [-1, 0]]
QUARTER = [{"kind": "block", "corners": [[0, 0], a, [0, 0], b]} for a, b in itertools.pairwise(FAN[:3])]
HALF = [{"kind": "block", "corners": [[0, 0], a, [0, 0], b]} for a, b in itertools.pairwise(FAN)]
BESIDE = [{"kind": "block", "corners": [[-1, 0], [0, 0], [-1, 1], [0, 1]]}]
BELOW = [{"kind": "block", "corners": [[x, -1], [x + 1, -1], [x, 0], [x + 1, 0]]} for x in (-1, 0)]
LIFT = {"kind": "extrude", "depth": 1, "cells": 4, "cuts": [0.5]}


@pytest.mark.parametrize("lift", [[], [LIFT]])
@pytest.mark.parametrize(
    ("wedges", "others", "blocks"), [(QUARTER, BESIDE, 5), (HALF, BELOW, 10), (QUARTER, [], 3), (HALF, [], 6)]
)
def test_a_butterfly_replaces_a_pole_amid_other_blocks(wedges, others, blocks, lift):
    """The cut round the pole runs on through its neighbours, so that all of them meet whole."""
    at = [np.mean(wedge["corners"], axis=0).tolist() for wedge in wedges]
    chosen = [[*place, z] for place in at for z in (0.25, 0.75)] if lift else at
    butterfly = {"kind": "butterfly", "blocks": {"each": chosen}}
    before = model_of(numbered([*wedges, *others, *lift]))
    model = model_of(numbered([*wedges, *others, *lift, butterfly]))
    assert model.facts.findings == []
    assert len(model.layout.filled) == blocks * (2 if lift else 1)
    assert all(len(set(b.corners)) == len(b.corners) for b in model.layout.blocks.values())
    cells = measure(build.build(model).grid)
    assert gate(cells, model.limits).passed
    assert cells.volume.sum() == pytest.approx(measure(build.build(before).grid).volume.sum())


def test_a_butterfly_on_a_part_of_a_pole_is_refused():
    at = [[0.8, 0.3, 0.25], [0.3, 0.8, 0.25]]
    error = evaluated(numbered([*QUARTER, LIFT, {"kind": "butterfly", "blocks": {"each": at}}])).error
    assert "the pole goes on in block" in str(error).lower()


def test_wedges_in_which_one_goes_on_are_divided_with_it():
    steps = [{"kind": "block", "corners": PRISM}, {"kind": "cut", "by": "z", "at": [0.5, 1.4]}]
    cap = {"kind": "patch", "name": "cap", "faces": {"side": "z+"}}
    model = model_of(numbered([*steps, cap, {"kind": "three", "block": {"at": [0.3, 0.3, 1]}}]))
    assert len(model.layout.filled) == 9
    assert model.facts.findings == []
    assert len(model.patch_of) == 3
    assert len(model.layout.outer) == 9 * 2 + 6  # three sides of two faces in three tiers; two ends of three


def test_a_tetrahedron_becomes_four_blocks_one_at_each_corner():
    patches = [
        {"kind": "patch", "name": "base", "faces": {"side": "z-"}},
        {"kind": "patch", "name": "slope", "faces": {"looks": [1, 1, 1], "within": 5}},
    ]
    steps = [{"kind": "block", "corners": TETRAHEDRON}, *patches, {"kind": "three", "block": {"all": True}}]
    model = model_of(numbered(steps))
    layout = model.layout
    assert len(layout.filled) == 4
    assert all(len(set(b.corners)) == 8 for b in layout.blocks.values())
    assert len(layout.corners) == 4 + 6 + 4 + 1
    (centre,) = [c for c, at in layout.at_corner.items() if len(at) == 4]
    assert layout.places([centre])[0] == pytest.approx([0.25, 0.25, 0.25])
    assert sorted(p.name for p in model.patch_of.values()) == ["base"] * 3 + ["slope"] * 3
    assert model.facts.findings == []
    cells = measure(build.build(model).grid)
    assert gate(cells, model.limits).passed
    assert cells.volume.sum() == pytest.approx(1 / 6)


def test_an_octant_of_a_ball_becomes_four_blocks_on_the_ball():
    """π/6 from chords inside the ball, at second order (Archimedes); no pole is left."""
    errors = []
    for cells in (4, 8, 16):
        model = model_of(numbered([
            {"kind": "sphere", "name": "ball", "centre": [0, 0, 0], "radius": 1},
            {"kind": "block", "corners": TETRAHEDRON},
            {"kind": "follow", "guide": "ball", "edges": {"looks": [1, 1, 1], "within": 10}},
            {"kind": "three", "block": {"all": True}},
            {"kind": "patch", "name": "wall", "faces": {"on": "ball"}},
            {"kind": "count", "tier": {"all": True}, "cells": cells},
        ]))  # fmt: skip
        grid = build.build(model).grid
        found = measure(grid)
        assert not found.folded.any()
        assert found.poles.sum() == 0
        wall = np.concatenate([grid.nodes(side).reshape(-1, 3) for side in grid.patches[0].windows])
        assert np.linalg.norm(wall, axis=1) == pytest.approx(1, abs=1e-14)
        errors.append(np.pi / 6 - found.volume.sum())
    assert errors[0] / errors[1] == pytest.approx(4, rel=0.1)
    assert errors[1] / errors[2] == pytest.approx(4, rel=0.05)


def test_a_tetrahedron_whose_neighbour_meets_it_in_a_triangle_is_refused():
    beside = [[0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, 1, 0], *[[0, 0, 1]] * 4]
    steps = [{"kind": "block", "corners": c} for c in (TETRAHEDRON, beside)]
    error = evaluated(numbered([*steps, {"kind": "three", "block": {"at": [0.2, 0.2, 0.2]}}])).error
    assert "meets the tetrahedron in a triangle" in str(error)

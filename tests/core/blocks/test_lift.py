"""What a lift carries along from the plane: twins, patches, regions, handedness, names, smoothed nodes."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from tests.conftest import model_of

FRAME = {"kind": "frame", "id": "f", "width": 3, "height": 2}
TWIN = {"kind": "twin", "id": "t", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 2]}
LIFT = {"kind": "extrude", "id": "e", "depth": 1, "cells": 6}
PLAIN = {"kind": "smooth", "id": "s", "sweeps": 10, "control": "no control"}


def test_twins_stay_matched_along_the_way_too():
    """A law on one edge along z, on it alone: its twin takes it, and the twin sides have the same nodes."""
    space = {"kind": "space", "id": "n", "tier": {"at": [0, 0, 0.5]}, "over": "edges", "first": 0.01}
    model = model_of([FRAME, TWIN, LIFT, space])
    (twin,) = model.layout.twins
    assert len(twin.corners) == 4
    grid = build.build(model).grid
    (pair,) = grid.periodic
    ours, theirs = grid.nodes(pair.first), pair.orientation.apply(grid.nodes(pair.second))
    assert np.abs(pair.move.places(ours.reshape(-1, 3)) - theirs.reshape(-1, 3)).max() < 1e-12
    assert np.diff(np.unique(ours[..., 2].round(12))).min() < 0.02


@pytest.mark.parametrize(
    ("lift", "kept"),
    [
        (LIFT, 1),
        (LIFT | {"along": [0.3, 0.2, 1]}, 1),
        ({"kind": "revolve", "id": "e", "angle": 40, "at": [0, -1, 0], "along": [1, 0, 0], "parts": 1}, 0),
    ],
)
def test_twins_that_the_motion_parts_are_told(lift, kept):
    model = model_of([FRAME, TWIN, lift])
    assert len(model.layout.twins) == kept
    said = " ".join(model.said("e"))
    assert ("none any more" in said) == (kept == 0)


def test_twins_along_the_axis_survive_a_revolve():
    side = {"kind": "twin", "id": "t", "sides": {"side": "x-"}, "others": {"side": "x+"}, "shift": [3, 0]}
    turn = {"kind": "revolve", "id": "e", "at": [0, -1, 0], "along": [1, 0, 0], "angle": 90, "parts": 2}
    model = model_of([FRAME, side, turn])
    assert len(model.layout.twins[0].corners) == 6


def test_patches_and_regions_of_the_plane_reach_the_lifted_layout():
    steps = [
        FRAME,
        {"kind": "cut", "id": "c", "at": [1]},
        {"kind": "region", "id": "r", "blocks": {"at": [0.5, 1]}, "name": "gravel"},
        {"kind": "patch", "id": "p", "name": "low", "faces": {"side": "y-"}},
        LIFT | {"cuts": [0.5]},
    ]
    model = model_of(steps)
    assert {name: len(blocks) for name, blocks in model.layout.regions.items()} == {"gravel": 2, "fluid": 2}
    assert sum(patch.name == "low" for patch in model.patch_of.values()) == 4


def test_a_plane_of_any_order_is_lifted_the_right_way_round():
    """A three-quarter ring of one block: its straight corners run the other way round than its cells."""
    ring = {"kind": "frame", "id": "f", "shape": "polar", "inner": 1, "outer": 2, "end": 270, "sectors": 1}
    count = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 24}
    for lift in (LIFT, LIFT | {"along": [0, 0, -1]}):
        model = model_of([ring, count, lift])
        cells = measure(build.build(model).grid)
        assert not cells.folded.any()
        assert cells.volume.min() > 0


def test_cuts_that_print_alike_make_blocks_of_their_own():
    cut = LIFT | {"cuts": [0.3333333, 0.3333334]}
    model = model_of([FRAME, cut])
    assert len(model.layout.blocks) == 3
    assert len(model.layout.corners) == 16


def test_a_smoothed_plane_is_carried_through_cuts_within_chosen_blocks():
    cut = {"kind": "cut", "id": "c", "by": "z", "at": [0.4], "within": {"all": True}}
    model = model_of([FRAME, PLAIN, LIFT, cut])
    grid = build.build(model).grid
    assert len(grid.xyz) == 2
    assert measure(grid).volume.sum() == pytest.approx(6)


def test_a_wall_layer_stays_on_the_wall_when_a_core_takes_the_pole():
    layer = {"kind": "wall-layer", "id": "w", "walls": {"side": "y+"}, "first": "0.05 mm", "far": "smooth"}
    steps = [
        {"kind": "frame", "id": "f", "width": 0.2, "height": 0.05}, layer,
        {"kind": "revolve", "id": "e", "angle": 90, "parts": 2},
        {"kind": "butterfly", "id": "b", "blocks": {"all": True}},
    ]  # fmt: skip
    model = model_of(steps)
    at_wall = [
        model.laid.size_at(edge, corner)
        for edge in model.laid.nodes
        for corner in edge
        if abs(np.hypot(*model.layout.corners[corner].xyz[1:]) - 0.05) < 1e-9
        and np.hypot(*model.layout.corners[next(c for c in edge if c != corner)].xyz[1:]) < 0.049
    ]
    assert len(at_wall) == 6
    assert np.allclose(at_wall, 5e-5, rtol=0.05)

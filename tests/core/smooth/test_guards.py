"""What smoothing guards against: folding, one bad spot, pinched corners, a plane that is none."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.errors import CannotSmooth
from tests.conftest import model_of
from tests.core.smooth.conftest import run

FRAME = {"kind": "frame", "id": "f", "width": 3, "height": 2}


def test_blocks_pinched_to_one_corner_with_counts_of_their_own_are_smoothed():
    """Two triangles tip to tip: the edge that has shrunk ties no tier, so their counts differ."""
    two = [
        {"kind": "frame", "id": "f", "width": 2, "height": 2},
        {"kind": "cut", "id": "c", "at": [1]},
        {"kind": "pinch", "id": "p", "edges": {"at": [1, 1]}},
        {"kind": "count", "id": "m", "tier": {"at": [0, 1]}, "cells": 9},
        {"kind": "count", "id": "n", "tier": {"at": [2, 1]}, "cells": 5},
        {"kind": "smooth", "id": "s", "sweeps": 30, "control": "no control"},
    ]
    model = model_of(two)
    built = build.build(model)
    assert sorted(block.shape[1] for block in built.grid.xyz) == [6, 10]
    cells = measure(built.grid)
    assert not cells.folded.any()
    assert cells.poles.sum() == 14  # those at the tip
    assert cells.volume.sum() == pytest.approx(2)


def test_a_corner_off_the_plane_is_named_and_nothing_is_flattened():
    steps = [
        FRAME,
        {"kind": "cut", "id": "c", "at": [1.5]},
        {"kind": "pin", "id": "p", "corner": {"at": [1.5, 2]}, "to": [1.5, 2, 0.3]},
    ]
    model = model_of(steps)
    with pytest.raises(CannotSmooth, match="is at 0.3"):
        run(model, sweeps=5)
    raised = model_of(
        [FRAME | {"corner": [0, 0, 0.7]}, {"kind": "smooth", "id": "s", "sweeps": 5, "control": "no control"}]
    )
    assert np.all(build.build(raised).grid.xyz[0][..., 2] == 0.7)


def test_a_wall_along_which_an_edge_leaves_is_refused_with_the_place():
    """Its first height is nothing there: the run would divide by it."""
    steps = [
        {"kind": "frame", "id": "f", "width": 2, "height": 1},
        {"kind": "pin", "id": "p", "corner": {"at": [0, 1]}, "to": [-1, 0]},
        {"kind": "smooth", "id": "s", "walls": {"side": "y-"}, "sweeps": 10},
    ]
    with pytest.raises(CannotSmooth, match=r"no height near \(0.*, 0, 0\)"):
        build.build(model_of(steps))


def test_each_run_is_watched_by_its_number():
    """Those that are done already are not: the screen says which of the recipe's runs goes on."""
    run_step = {"kind": "smooth", "sweeps": 20, "control": "no control"}
    model = model_of([FRAME, run_step | {"id": "a"}, run_step | {"id": "b"}])
    told = []

    def watched(number):
        told.append(number)
        return lambda progress, picture: True

    first, second = build.runs_of(model, watched)
    assert told == [0, 1]
    told.clear()
    (again,) = build.runs_of(model, watched, done=1, blocks=first.blocks)
    assert told == [1]
    assert all(np.array_equal(again.blocks[name], second.blocks[name]) for name in second.blocks)

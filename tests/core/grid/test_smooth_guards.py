"""What smoothing guards against: folding, gliding that is not taken back, pinched corners, a plane that is none."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.errors import CannotSmooth
from plodek.core.grid.fill import fill_plane
from plodek.core.smooth import smooth as smoothing
from plodek.core.smooth.graph import graph_of
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.smooth import _Run, smooth
from tests.conftest import model_of

FRAME = {"kind": "frame", "id": "f", "width": 3, "height": 2}
SHEAR = [FRAME, {"kind": "pin", "id": "p", "corner": {"at": [3, 2]}, "to": [3.8, 2]},
         {"kind": "pin", "id": "q", "corner": {"at": [0, 2]}, "to": [0.8, 2]}]  # fmt: skip


def start_of(model):
    return fill_plane(model.layout, model.laid)


def test_gliding_sides_are_taken_back_with_the_sweeps(monkeypatch):
    """A portion that would fold is undone whole: nodes, wall strengths, and where sides have glided to."""
    model = model_of(SHEAR)
    glide = tuple(e for e in model.layout.edges if np.ptp(model.layout.places(e)[:, 1]) == 0)
    settings = SmoothSettings(30, glide=glide)
    graph = graph_of(model.layout, start_of(model))
    run = _Run(model.layout, model.laid, graph, settings)
    before = [track.s.copy() for track in run.tracks]
    places = graph.xy.copy()
    calls = iter([0, *([9] * 50)])
    monkeypatch.setattr(smoothing.kernels, "folded", lambda xy, cells: next(calls))
    with pytest.raises(CannotSmooth):
        run.go(None, dict)
    assert np.array_equal(graph.xy, places)
    for track, s in zip(run.tracks, before, strict=True):
        assert np.array_equal(track.s, s)


def test_a_run_that_begins_to_fold_keeps_what_it_has_reached(monkeypatch):
    model = model_of(SHEAR)
    calls = iter([0, 0, 0, *([9] * 50)])
    monkeypatch.setattr(smoothing.kernels, "folded", lambda xy, cells: next(calls))
    done = smooth(model.layout, model.laid, start_of(model), SmoothSettings(100, tolerance=0.0))
    assert (done.progress.sweeps, done.progress.note) == (20, "folding begins")
    assert done.reached().note == "folding begins"


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
        smooth(model.layout, model.laid, start_of(model), SmoothSettings(5))
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
    with pytest.raises(CannotSmooth, match=r"no height near \(0.*, 0\)"):
        build.build(model_of(steps))

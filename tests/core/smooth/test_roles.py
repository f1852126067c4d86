"""What sides are said to do before a run is what their nodes do in it."""

import numpy as np
import pytest

from plodek.core.build.roles import roles
from plodek.core.grid.from_layout import windows_of
from plodek.core.recipe import document
from tests import conftest
from tests.conftest import numbered
from tests.core.smooth.conftest import run, shaken

#: Two blocks beside each other, between twins, over a bumpy wall that is a guide.
PLANE = [
    {"kind": "spline", "name": "bump", "points": [[0, 0], [1, 0.15], [2, 0.1], [3, 0.15], [4, 0]]},
    {"kind": "frame", "width": 4, "height": 2},
    {"kind": "cut", "by": "x", "at": [2]},
    {"kind": "cut", "by": "y", "at": [1]},
    {"kind": "follow", "edges": {"side": "y-"}, "guide": "bump"},
    {"kind": "budget", "cells": 400},
    {"kind": "twin", "sides": {"side": "x-"}, "others": {"side": "x+"}, "shift": [4, 0, 0]},
]
SPACE = [
    {"kind": "frame", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 2},
    {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5},
    {"kind": "cut", "by": "z", "at": [1]},
    {"kind": "budget", "cells": 4000},
]
Z_LOW, Z_HIGH = {"side": "z-"}, {"side": "z+"}


def told(steps, fields):
    """Give the model, the settings of a run over it, and the roles by side."""
    model = conftest.model_of(numbered(steps))
    step = document.of({"steps": [{"kind": "smooth", "id": "s", **fields}]}).steps[0]
    settings = step.settings(model)
    return model, settings, {one.side: one for one in roles(model, settings.parts)}


@pytest.mark.parametrize(
    ("steps", "fields", "wanted"),
    [
        (PLANE, {"control": "no control"}, {"hold", "free"}),
        (PLANE, {"walls": {"on": "bump"}, "twins": "free"}, {"wall", "hold", "free"}),
        (PLANE, {"walls": {"on": "bump"}, "glide": {"side": "y+"}}, {"wall", "hold", "glide", "free"}),
        (PLANE, {"control": "no control", "blocks": {"at": [1, 1.5]}}, {"hold"}),
        (PLANE, {"control": "no control", "hold": {"at": [2, 1.5]}}, {"hold", "free"}),
        (
            SPACE,
            {"control": "no control", "spread": Z_LOW, "glide": Z_HIGH},
            {"hold", "move", "glide", "free"},
        ),
    ],
)
def test_what_holds_stays_to_the_bit_and_what_is_free_moves(steps, fields, wanted):
    model, settings, found = told(steps, fields)
    assert {one.role for one in found.values()} == wanted
    start = shaken(model, 0.01)
    names = ("walls", "glide", "spread", "held", "wakes", "blocks", "free_twins")
    parts = {name: getattr(settings.parts, name) for name in names}
    done = run(model, start, sweeps=8, control=settings.control, tolerance=None, **parts)
    filled = model.layout.filled
    for side, windows in windows_of(model.layout).items():
        for window in windows:
            name = filled[window.block]
            before, after = (
                blocks[name][window.slices(blocks[name].shape[:3])] for blocks in (start, done.blocks)
            )
            middle = (slice(1, -1),) * sum(n > 1 for n in before.shape[:3])
            inner = (
                np.squeeze(each, axis=tuple(a for a in range(3) if each.shape[a] == 1))
                for each in (before, after)
            )
            before, after = (each[middle] for each in inner)
            stays = found[side].role in ("hold", "wall", "wake")
            assert np.array_equal(before, after) == stays, (side, found[side])


def test_sides_are_told_with_the_guide_that_they_stay_on():
    _, _, found = told(PLANE, {"walls": {"on": "bump"}})
    assert {one.guide for one in found.values() if one.role == "wall"} == {"bump"}
    _, _, found = told(PLANE, {"control": "no control", "glide": {"on": "bump"}})
    assert {one.guide for one in found.values() if one.role == "glide"} == {"bump"}
    assert {one.guide for one in found.values() if one.role == "free"} == {""}


def test_twins_on_a_guide_are_no_walls_unless_they_are_named():
    guide = {"kind": "line", "name": "end", "start": [0, 0], "end": [0, 2]}
    on = {"kind": "follow", "edges": {"side": "x-"}, "guide": "end"}
    steps = [guide, *PLANE[:-1], on, PLANE[-1]]
    _, _, found = told(steps, {})
    assert {one.guide for one in found.values() if one.role == "wall"} == {"bump"}
    _, _, found = told(steps, {"walls": {"on": "end"}})
    assert {one.guide for one in found.values() if one.role == "wall"} == {"end"}

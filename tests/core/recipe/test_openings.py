"""Openings: a side divided by per cent and its parts named, in one step."""

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.errors import PlodekError
from tests.conftest import evaluated, model_of, numbered

FRAME = {"kind": "frame", "width": 4, "height": 10}
EXTRUDE = {"kind": "extrude", "depth": 2, "cells": 2}
REST = {"kind": "patch", "name": "rest", "faces": {"rest": True}}


def openings(**more):
    step = {
        "kind": "openings", "faces": {"side": "x-"}, "edge": {"at": [0, 5]}, "percent": [0, 40, 50, 60, 100],
        "parts": "low, slot inlet, middle outlet, high",
    }  # fmt: skip
    return step | more


def spans(steps, axis=1):
    """Give the type, and where it begins and ends along an axis, of each patch of the grid."""
    grid = build.build(model_of(numbered(steps))).grid
    found = {}
    for patch in grid.patches:
        places = np.concatenate([grid.nodes(w).reshape(-1, 3) for w in patch.windows])
        found[patch.name] = patch.type, round(places[:, axis].min(), 9), round(places[:, axis].max(), 9)
    assert not grid.unnamed
    return found


@pytest.mark.parametrize("lifted", ["before", "after"])
def test_a_side_is_divided_and_its_parts_are_named(lifted):
    steps = (
        [FRAME, openings(), EXTRUDE]
        if lifted == "after"
        else [FRAME, EXTRUDE, openings(edge={"at": [0, 5, 0]})]
    )
    found = spans([*steps, REST])
    low, slot, middle, high = (found[name] for name in ("low", "slot", "middle", "high"))
    assert [low[0], slot[0], middle[0], high[0]] == ["wall", "inlet", "outlet", "wall"]
    ends = sorted([low[1:], slot[1:], middle[1:], high[1:]])
    assert ends == [(0, 4), (4, 5), (5, 6), (6, 10)] or ends == [(0, 4), (4, 5), (5, 6), (6, 10)]
    assert (slot[1:], middle[1:]) in [((4, 5), (5, 6)), ((5, 6), (4, 5))]


def test_the_parts_count_from_the_first_corner_of_the_edge_and_keep_neighbours_apart():
    steps = [FRAME, {"kind": "cut", "by": "x", "at": [1]}, openings(percent=[25], parts="one, two")]
    model = model_of(numbered(steps))
    assert len(model.layout.blocks) == 4
    (one,) = next(p for p in model.patches if p.name == "one").sides
    y = model.layout.places(one)[:, 1]
    assert np.ptp(y) == pytest.approx(2.5)


def test_names_are_of_one_patch_where_they_are_alike():
    found = model_of(numbered([FRAME, openings(parts="bank, slot inlet, bank, bank")]))
    assert {patch.name: len(patch.sides) for patch in found.patches} == {"bank": 3, "slot": 1}


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"parts": "a, b"}, "2 parts are named, and 3 places part 4"),
        ({"parts": "a, b door, c, d"}, "“door” is no type of a patch"),
        ({"parts": "a, 1b, c, d"}, "“1b” is no patch name"),
        ({"percent": [50, 40, 60]}, "do not rise"),
        ({"percent": [50, 120, 130]}, "120 per cent lies beyond the edge"),
        ({"edge": {"at": [2, 0]}}, "none of these sides"),
        ({"faces": {"side": "x+"}, "edge": {"at": [2, 10]}}, "none of these sides"),
    ],
)
def test_what_cannot_be_divided_is_told(more, said):
    error = evaluated(numbered([FRAME, openings(**more)])).error
    assert isinstance(error, PlodekError)
    assert said in str(error)


@pytest.mark.parametrize("lifted", [False, True])
@pytest.mark.parametrize("at", [1.9, 4.4])
def test_the_side_across_from_one_that_was_divided_is_divided_along_all_its_edges(lifted, at):
    """The first cuts ran through to it: per cent are of the whole of it, whichever of its edges is named."""
    across = openings(
        faces={"side": "x+"}, edge={"at": [4, at], "start": [4, 0]}, percent=[25, 40], parts="a, b outlet, c"
    )
    if lifted:
        across["edge"] = {"at": [4, at, 0], "start": [4, 0, 0]}
    found = spans([FRAME, openings(edge={"at": [0, 5]}), *([EXTRUDE] if lifted else []), across, REST])
    assert found["slot"] == ("inlet", 4.0, 5.0)
    assert found["a"] == ("wall", 0.0, 2.5)
    assert found["b"] == ("outlet", 2.5, 4.0)
    assert found["c"] == ("wall", 4.0, 10.0)

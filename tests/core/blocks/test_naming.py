"""What naming tells: twins of the other sense, what all the rest would take, and patches that are added to."""

import pytest

from plodek.core.build import build
from plodek.core.errors import BadValue
from tests.conftest import evaluated, model_of, numbered


def test_twins_tell_where_the_other_sense_would_match():
    def sector(low, high, turn):
        return numbered(
            [
                {"kind": "frame", "corner": [1, 0], "width": 1, "height": 1},
                {"kind": "revolve", "along": [0, 1, 0], "angle": 40, "parts": 1, "cells": 4},
                {"kind": "twin", "sides": {"side": low}, "others": {"at": [high, 0.5, -0.96]}, "by": "angle", "angle": turn, "along": [0, 1, 0]},
            ]
        )  # fmt: skip

    assert evaluated(sector("z+", 1.15, 40)).error is None
    assert "The other way round they match" in str(evaluated(sector("z+", 1.15, -40)).error)
    assert "Check the shift or the angle" in str(evaluated(sector("z+", 1.15, 75)).error)


@pytest.mark.parametrize("holes", [0, 1, 2])
def test_all_the_rest_tells_what_are_walls_of_bodies(holes):
    steps = [
        {"kind": "frame", "shape": "box", "corner": [0, 0, 0], "width": 5, "height": 3, "depth": 3},
        {"kind": "cut", "by": "x", "at": [1, 2, 3, 4]},
        {"kind": "cut", "by": "y", "at": [1, 2]},
        {"kind": "cut", "by": "z", "at": [1, 2]},
        *({"kind": "hollow", "blocks": {"at": [x, 1.5, 1.5]}} for x in [1.5, 3.5][:holes]),
        {"kind": "patch", "id": "rest", "name": "walls", "faces": {"rest": True}},
    ]
    said = model_of([{"id": f"s{n}", **step} for n, step in enumerate(steps)]).said("rest")
    assert len(said) == 1 + (holes > 0)
    if holes:
        assert said[0].startswith(f"{6 * holes} of these {78 + 6 * holes} sides are those of bodies or slits")


def test_a_waisted_duct_is_no_body():
    """Its waist lies inside the hull of the domain, and is the duct's own wall."""
    steps = [
        {"kind": "frame", "id": "f", "width": 3, "height": 2},
        {"kind": "cut", "id": "c", "by": "x", "at": [1, 2]},
        *(
            {"kind": "pin", "id": f"p{n}", "corner": {"at": at}, "to": to}
            for n, (at, to) in enumerate([([1, 2], [1, 1.2]), ([2, 2], [2, 1.2]), ([1, 0], [1, 0.8])])
        ),
        {"kind": "patch", "id": "rest", "name": "walls", "faces": {"rest": True}},
    ]
    (said,) = model_of(steps).said("rest")
    assert "different directions" in said


def test_a_patch_of_the_same_name_and_type_is_added_to():
    box = {"kind": "frame", "shape": "box", "corner": [0, 0, 0], "width": 1, "height": 1, "depth": 1}
    walls = [
        {"kind": "patch", "name": "bank", "type": "wall", "faces": {"side": side}}
        for side in ("x-", "z+", "y-")
    ]
    inlet = {"kind": "patch", "name": "in", "type": "inlet", "faces": {"side": "x+"}}
    model = model_of(numbered([box, walls[0], inlet, *walls[1:]]))
    assert [(p.name, len(p.sides)) for p in model.patches] == [("bank", 3), ("in", 1)]
    grid = build.build(model).grid
    assert [len(p.windows) for p in grid.patches] == [3, 1]
    for other in ({"name": "bank", "type": "outlet"}, {"name": "Bank", "type": "wall"}):
        error = evaluated(numbered([box, walls[0], walls[1] | other])).error
        assert isinstance(error, BadValue)
        assert "already called “bank”, wall" in str(error)
    taken = evaluated(numbered([box, walls[0], walls[0]])).error
    assert "already belong to “bank”" in str(taken)

"""Twins are sides that were named: what lies between them is none, and they stay matched whatever is done."""

import numpy as np
import pytest

from plodek.core.build.build import filled_grid
from tests import conftest
from tests.conftest import numbered

BLADES = [
    {"kind": "spline", "name": "suction", "points": [[1, 0], [1.5, 0.25], [2, 0]]},
    {"kind": "spline", "name": "pressure", "points": [[1, 1], [1.5, 0.9], [2, 1]]},
    {"kind": "frame", "width": 3, "height": 1},
    {"kind": "cut", "by": "x", "at": [1, 2]},
    {"kind": "follow", "guide": "suction", "edges": {"at": [1.5, 0]}},
    {"kind": "follow", "guide": "pressure", "edges": {"at": [1.5, 1]}},
]
LOW = {"any": [{"at": [0.5, 0]}, {"at": [2.5, 0]}]}
HIGH = {"any": [{"at": [0.5, 1]}, {"at": [2.5, 1]}]}
PASSAGE = [*BLADES, {"kind": "twin", "sides": LOW, "others": HIGH, "shift": [0, 1]}]
SECTOR = {"kind": "frame", "shape": "polar", "inner": 1, "outer": 2, "start": 10, "end": 70, "sectors": 2}
LAYERS = [SECTOR, {"kind": "extrude", "depth": 1.5, "cells": 8, "cuts": [0.4]}]


def evaluated(steps):
    return conftest.evaluated(numbered(steps))


def model_of(steps):
    return conftest.model_of(numbered(steps))


def turn(z, angle=60):
    """Twins of one layer of the sector; the places are in the middle of its pitch sides."""
    low, high = ([1.5 * np.cos(np.radians(a)), 1.5 * np.sin(np.radians(a)), z] for a in (10, 70))
    return {"kind": "twin", "sides": {"at": low}, "others": {"at": high}, "by": "angle", "angle": angle}


def apart(model):
    """How far driven nodes lie from where the move brings the driving ones, with the count of twin sides."""
    grid = filled_grid(model)
    off = [
        np.abs(
            joint.move.places(grid.nodes(joint.first).reshape(-1, 3))
            - joint.orientation.apply(grid.nodes(joint.second)).reshape(-1, 3)
        ).max()
        for joint in grid.periodic
    ]
    return len(off), max(off, default=0.0)


def test_what_lies_between_two_twins_is_none():
    model = model_of(PASSAGE)
    assert apart(model) == (2, pytest.approx(0.0, abs=1e-12))
    for name, height in (("suction", 0.25), ("pressure", 0.9)):
        (edge,) = (e for e, f in model.layout.follows.items() if f.guide == name)
        assert edge not in model.layout.driven_edges
        assert model.paths[edge].at(np.array([0.5]))[0, 1] == pytest.approx(height, abs=1e-3)


@pytest.mark.parametrize("z", [[0.3, 1.05], [1.05, 0.3]])
def test_a_second_twin_beside_one_of_the_same_edge_works_where_both_agree(z):
    assert apart(model_of([*LAYERS, *map(turn, z)])) == (2, pytest.approx(0.0, abs=1e-12))


def test_a_second_twin_that_drives_a_shared_corner_elsewhere_is_refused():
    assert "driven to two places" in str(evaluated([*LAYERS, turn(0.3), turn(1.05, 60.4)]).error)
    assert "has a twin already" in str(evaluated([*LAYERS, turn(0.3), turn(0.3)]).error)


def test_a_box_may_have_twins_in_all_directions():
    """Corners and edges are driven through two and three twins: a bent one is the same at all four places."""
    box = {"kind": "frame", "shape": "box", "width": 1, "height": 2, "depth": 3}
    twins = [
        {"kind": "twin", "sides": {"side": f"{a}-"}, "others": {"side": f"{a}+"}, "shift": s}
        for a, s in (("z", [0, 0, 3]), ("x", [1, 0, 0]), ("y", [0, 2, 0]))
    ]
    bent = {
        "kind": "bend",
        "edges": {"at": [0, 0, 1.5]},
        "how": "through points",
        "points": [[0.1, 0.2, 1.5]],
    }
    pinned = {"kind": "pin", "corner": {"at": [1, 2, 3]}, "to": [1.05, 2.1, 3]}
    count = {"kind": "count", "tier": {"at": [1, 2, 1.5]}, "cells": 7}
    for steps in ([], [bent], [pinned], [bent, count, {"kind": "cut", "by": "z", "at": [1.2]}, pinned]):
        model = model_of([box, *twins, *steps])
        sides, far = apart(model)
        assert sides >= 3
        assert far < 1e-12


OPERATIONS = {
    "a cut across": {"kind": "cut", "by": "fraction", "fractions": [0.3], "tier": {"at": [0.5, 0]}},
    "a cut along": {"kind": "cut", "by": "fraction", "fractions": [0.2, 0.7], "tier": {"at": [0, 0.5]}},
    "a ring open at both": {"kind": "ring", "blocks": {"at": [0.5, 0.5]}, "thickness": 0.04, "open": LOW},
    "a lift": {"kind": "extrude", "depth": 0.5, "cells": 2, "cuts": [0.2]},
    "a merge": {"kind": "merge", "blocks": {"any": [{"at": [0.5, 0.5]}, {"at": [1.5, 0.5]}]}},
    "hollow at both": {"kind": "hollow", "blocks": {"at": [0.5, 0.5]}},
}


@pytest.mark.parametrize("name", OPERATIONS)
@pytest.mark.parametrize("then", OPERATIONS)
def test_twins_stay_matched_after_operations_or_these_are_refused(name, then):
    found = evaluated([*PASSAGE, OPERATIONS[name], OPERATIONS[then]])
    if found.error is None:
        sides, far = apart(found.model)
        assert far < 1e-12
        assert sides == len(found.model.layout.paired) / 2
    else:
        assert "a merge" in (name, then) or name == then, str(found.error)


def test_a_twin_side_does_not_grow_over_what_is_none():
    assert "twin in part only" in str(evaluated([*PASSAGE, OPERATIONS["a merge"]]).error)


def test_what_changes_one_side_alone_is_refused():
    two = [*PASSAGE[:-1], {"kind": "cut", "by": "y", "at": [0.5]}, PASSAGE[-1]]
    lone = {"kind": "hollow", "blocks": {"at": [0.5, 0.2]}}
    assert "would have no twin" in str(evaluated([*two, lone]).error)
    both = {"kind": "hollow", "blocks": {"any": [{"at": [0.5, 0.2]}, {"at": [0.5, 0.8]}]}}
    assert apart(model_of([*two, both])) == (1, pytest.approx(0.0, abs=1e-12))

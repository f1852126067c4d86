"""Every rule of advice: where it speaks, that taking it helps, and that it is silent on what is good."""

import json

import numpy as np
import pytest

from plodek.core.model.block_advice import SHARP, WIDE, advise
from plodek.core.model.spacing_advice import advise_spacing
from plodek.core.spacing.jumps import jumps
from tests.conftest import evaluated, model_of

CHANNEL = [
    {"kind": "frame", "id": "f", "width": 4, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [1.5, 2.5]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.6, 1.4]},
]
STRAIGHT = [{"kind": "line", "id": "l", "name": "bank", "start": [0, 2.01], "end": [4, 2.01]}, *CHANNEL]
FULL_TURN = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "revolve", "id": "r", "angle": 360, "parts": 4, "cells": 16},
]
PINCHED = [*CHANNEL, {"kind": "pinch", "id": "p", "edges": {"at": [0, 0.3]}}]
SQUEEZED = [
    *CHANNEL,
    {"kind": "pin", "id": "p", "corner": {"at": [1.5, 0]}, "to": [0.05, 0]},
    {"kind": "pin", "id": "q", "corner": {"at": [0, 0.6]}, "to": [0, 0.45]},
]
DISK = [
    {"kind": "circle", "id": "c", "name": "pipe", "centre": [1, 1], "radius": 0.32**0.5},
    {"kind": "frame", "id": "f", "corner": [0.6, 0.6], "width": 0.8, "height": 0.8},
    {"kind": "follow", "id": "w", "guide": "pipe", "edges": {"all": True}},
]
BLOCKS = {"wide": DISK, "near": STRAIGHT, "pole": FULL_TURN, "three-sided": PINCHED, "sharp": SQUEEZED}

JUMP = [
    *CHANNEL,
    {"kind": "space", "id": "s", "tier": {"at": [0.7, 0]}, "law": "geometric", "first": 0.01, "cells": 20},
]
WALL = [
    *CHANNEL,
    {"kind": "patch", "id": "p", "faces": {"side": "y-"}, "name": "bed", "type": "wall"},
    {
        "kind": "space", "id": "s", "tier": {"at": [0, 0.3], "start": [0, 0.6]}, "law": "geometric",
        "first": 0.005, "cells": 20,
    },
]  # fmt: skip
COARSE = [*CHANNEL, {"kind": "count", "id": "n", "tier": {"at": [0.7, 0]}, "cells": 300}]
LONG = [
    *CHANNEL,
    {"kind": "gate", "id": "g", "aspect_ratio": 5},
    {"kind": "count", "id": "n", "tier": {"at": [0, 0.3]}, "cells": 60},
]
SPACING = {"jump": JUMP, "wrong-end": WALL, "count": COARSE, "stretched": LONG}


def taken(steps, advice):
    """Take a suggestion: its steps after the others."""
    added = [step | {"id": f"taken{n}"} for n, step in enumerate(advice.steps)]
    found = evaluated([*steps, *added])
    assert found.error is None, str(found.error)
    return found.model


def of_rule(found, rule):
    return [advice for advice in found if advice.rule == rule]


@pytest.mark.parametrize("rule", BLOCKS)
def test_a_rule_on_blocks_speaks_and_what_it_suggests_settles_it(rule):
    model = model_of(BLOCKS[rule])
    first = of_rule(advise(model), rule)
    assert first, [advice.text for advice in advise(model)]
    # One suggestion may leave others of its rule to be taken; in the end there is none.
    steps, found = BLOCKS[rule], first
    for turn in range(6):
        if not found:
            break
        assert found[0].steps
        steps = [*steps, *(step | {"id": f"t{turn}{n}"} for n, step in enumerate(found[0].steps))]
        model = model_of(steps)
        found = of_rule(advise(model), rule)
    assert not found


@pytest.mark.parametrize("rule", SPACING)
def test_a_rule_on_spacing_speaks_and_what_it_suggests_helps(rule):
    model = model_of(SPACING[rule])
    found = of_rule(advise_spacing(model), rule)
    assert found, [advice.text for advice in advise_spacing(model)]
    after = taken(SPACING[rule], found[0])
    left = [advice.edges[-1] for advice in of_rule(advise_spacing(after), rule)]
    assert found[0].edges[-1] not in left


def test_matching_a_jump_makes_the_worst_one_smaller():
    model = model_of(JUMP)
    (advice, *_) = of_rule(advise_spacing(model), "jump")
    after = taken(JUMP, advice)
    assert len(jumps(after.laid, after.continuing)) < len(jumps(model.laid, model.continuing))


def test_blocks_that_meet_in_a_point_of_the_plane_get_one_core():
    """Three blocks within each would fold a cell: they meet in the same corner."""
    quarters = [
        {"kind": "frame", "id": "f", "width": 4, "height": 2},
        {"kind": "cut", "id": "c", "by": "x", "at": [1, 2, 3]},
        {"kind": "pinch", "id": "p", "edges": {"each": [[0.5, 0], [1.5, 0], [2.5, 0], [3.5, 0]]}},
    ]
    advice = of_rule(advise(model_of(quarters)), "pole")
    assert [len(one.blocks) for one in advice] == [4]
    assert [step["kind"] for step in advice[0].steps] == ["butterfly"]


def test_an_even_channel_needs_no_advice():
    model = model_of(CHANNEL)
    assert advise(model) == []
    assert not of_rule(advise_spacing(model), "wrong-end")
    assert not of_rule(advise_spacing(model), "stretched")


def test_there_is_nothing_to_say_before_there_are_blocks():
    model = model_of(DISK[:1])
    assert advise(model) == []
    assert advise_spacing(model) == []


def test_a_suggestion_names_what_it_is_about():
    for rule, steps in BLOCKS.items():
        model = model_of(steps)
        for advice in of_rule(advise(model), rule):
            assert advice.blocks or advice.corners or advice.edges
            assert set(advice.blocks) <= set(model.layout.blocks)
            assert set(advice.corners) <= set(model.layout.corners)
            assert set(advice.edges) <= set(model.layout.edges)


def test_the_limits_of_corners_are_those_of_the_words():
    wide = of_rule(advise(model_of(DISK)), "wide")[0]
    assert int(wide.text.split(" opens to ")[1].split("°")[0]) > WIDE
    sharp = of_rule(advise(model_of(SQUEEZED)), "sharp")[0]
    assert int(sharp.text.split(" has ")[1].split("°")[0]) < SHARP


def test_a_twin_through_a_leading_edge_is_told():
    steps = [
        {"kind": "wing-section", "id": "v", "name": "vane", "digits": "0012", "chord": 1.0},
        {"kind": "frame", "id": "f", "corner": [-1, 0.005], "width": 1.005, "height": 1},
        {"kind": "twin", "id": "t", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 1]},
    ]
    found = of_rule(advise(model_of(steps)), "twin-nose")
    assert found
    assert "leading edge" in found[0].text
    away = [steps[0], steps[1] | {"corner": [-3, 0.005]}, steps[2]]
    assert not of_rule(advise(model_of(away)), "twin-nose")


def test_the_demo_is_left_alone(demo_model):
    assert advise(demo_model) == []


def test_sides_near_a_surface_but_not_on_it_are_told_and_put_onto_it():
    """Thin slices of a tube, whose walls are flat between their corners."""
    tube = {"kind": "cylinder", "id": "t", "name": "tube", "base": [0, 0, 0], "radius": 1, "height": 1}
    angles = np.radians([0, 12, 24])
    blocks = [
        {"kind": "block", "id": f"b{n}", "corners": [
            [r * np.cos(a), r * np.sin(a), z] for z in (0, 1) for r in (0.7, 1) for a in angles[n : n + 2]]}
        for n in range(2)
    ]  # fmt: skip
    steps = json.loads(json.dumps([tube, *blocks], default=float))
    (advice,) = [one for one in advise(model_of(steps)) if one.rule == "near"]
    assert advice.text.startswith("2 sides lie within 0.0055 m of “tube”")
    after = model_of([*steps, advice.steps[0] | {"id": "cure"}])
    assert list(after.layout.lies.values()) == ["tube", "tube"]
    assert not [one for one in advise(after) if one.rule == "near"]

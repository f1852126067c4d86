"""Older recipes read, parameters reach several fields, names and memory hold."""

import json

import pytest

from plodek.core.errors import BadValue
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.formats import FORMAT
from plodek.core.recipe.parameters import with_values
from tests.conftest import DEMO_FILES, model_of

FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}
OLD = {
    "plodek": 1,
    "steps": [
        FRAME,
        {
            "kind": "cut",
            "id": "c",
            "by": "fraction",
            "at": [0.25, 0.5],
            "tier": {"at": [2, 0], "start": [0, 0]},
        },
        {"kind": "smooth", "id": "s", "sweeps": 10, "control": "no control"},
        {"kind": "extrude", "id": "e", "depth": 1, "cells": 3, "cuts": [0.5]},
    ],
}


def test_a_recipe_of_format_1_is_brought_up_on_reading():
    recipe = document.of(OLD)
    assert recipe.plodek == FORMAT
    assert recipe.steps[1].fractions == [0.25, 0.5]
    found = Evaluator().evaluate(recipe, DEMO_FILES)
    assert found.error is None
    assert len(found.model.layout.blocks) == 6


def test_steps_of_format_1_before_a_lift_may_name_what_stands_on_the_plane():
    """That format wrote ids of the lifted layout into steps that it put before the smoothing."""
    plane = model_of([*OLD["steps"][:1], OLD["steps"][1] | {"fractions": [0.25, 0.5]} | {"at": []}]).layout
    edge = next(iter(plane.edges))
    block = next(iter(plane.blocks))
    for step in (
        {"kind": "count", "id": "n", "tier": {"edges": [[f"{c}.0.5" for c in edge]]}, "cells": 7},
        {"kind": "hollow", "id": "h", "blocks": {"ids": [f"{block}.0"]}},
        {"kind": "bend", "id": "a", "edges": {"edges": [[f"{c}.1" for c in edge]]}, "how": "straight"},
    ):
        raw = json.loads(json.dumps(OLD))
        raw["steps"].insert(2, step)
        found = Evaluator().evaluate(document.of(raw), DEMO_FILES)
        assert found.error is None, str(found.error)


def test_rings_of_format_3_go_on_having_straight_edges():
    ring = {"kind": "ring", "id": "r", "blocks": {"all": True}, "thickness": 0.1}
    bows = [
        document.of({"plodek": form, "steps": [FRAME, ring | more]}).steps[1].bow
        for form, more in ((3, {}), (3, {"bow": 0.5}), (FORMAT, {}))
    ]
    assert bows == [0.0, 0.5, None]


def test_a_newer_format_is_refused():
    with pytest.raises(BadValue, match="plodek"):
        document.of({"plodek": FORMAT + 1, "steps": []})


def test_a_parameter_sets_all_fields_that_it_names():
    raw = {
        "parameters": {
            "size": ["f.width", "f.height"],
            "deep": "e.depth",
            "lost": "nix.depth",
            "odd": "f.colour",
        },
        "steps": [FRAME, {"kind": "extrude", "id": "e", "depth": 1, "cells": 2}],
    }
    recipe = document.of(raw)
    done = with_values(recipe, {"size": "3", "deep": "20 cm", "e.cells": "5"})
    assert (done.steps[0].width, done.steps[0].height, done.steps[1].depth, done.steps[1].cells) == (
        3,
        3,
        "20 cm",
        5,
    )
    for name, words in (
        ("lost", "there is no step “nix”"),
        ("odd", "step “f” has no field “colour”"),
        ("x", "is no parameter"),
    ):
        with pytest.raises(BadValue) as caught:
            with_values(recipe, {name: "1"})
        assert words in str(caught.value)
    assert document.of(json.loads(json.dumps(done.document()))).parameters == recipe.parameters


def test_layers_of_format_4_go_on_being_mitred_at_convex_corners():
    grow = {"kind": "grow", "id": "g", "sides": {"all": True}, "distance": 0.1}
    away = grow | {"by": "along a direction", "direction": [1, 0, 0]}
    old, new = (document.of({"plodek": form, "steps": [FRAME, grow]}).steps[1] for form in (4, FORMAT))
    assert (old.convex, new.convex) == ("mitre", "go round")
    assert document.of({"plodek": 4, "steps": [FRAME, away]}).steps[1].convex == new.convex


def test_tables_take_lengths_and_give_the_count_from_them():
    tier = {"at": [2, 0], "start": [0, 0]}
    steps = [
        FRAME,
        {"kind": "space", "id": "s", "tier": tier, "law": "table", "table": [[0, "10 cm"], [1, "40 cm"]]},
    ]
    model = model_of(steps)
    (edge,) = [e for e in model.paths if model.layout.places(e)[:, 1].max() == 0]
    d = model.laid.sizes(edge)
    d = d if model.layout.places([edge[0]])[0, 0] == 0 else d[::-1]
    assert abs(d[0] - 0.1) < 0.02
    assert abs(d[-1] - 0.4) < 0.06
    mixed = steps[1] | {"table": [[0, "10 cm"], [1, 2]]}
    found = Evaluator().evaluate(document.of({"steps": [FRAME, mixed]}), DEMO_FILES)
    assert "some are relative" in str(found.error)


def test_a_factor_keeps_a_depth_of_one_cell_unless_asked():
    lift = {"kind": "extrude", "id": "e", "depth": 1, "cells": 1}
    factor = {"kind": "factor", "id": "x", "factor": 2}
    for steps in ([FRAME, factor, lift], [FRAME, lift, factor]):
        assert 1 in model_of(steps).laid.cells.values()
    asked = factor | {"single": "multiplied"}
    assert 1 not in model_of([FRAME, lift, asked]).laid.cells.values()


def test_models_are_kept_within_their_bytes():
    """A cache of half a megabyte holds a few of these models; more are evaluated and let go."""
    evaluator = Evaluator(most_bytes=500_000)
    cuts = {"kind": "cut", "id": "c", "at": [0.5, 1, 1.5, 2, 2.5, 3]}
    for n in range(40):
        pin = {"kind": "pin", "id": "p", "corner": {"at": [2, 0]}, "to": [2, 0.001 * n]}
        evaluator.evaluate(document.of({"steps": [FRAME, cuts, pin]}), DEMO_FILES)
    assert evaluator._models.currsize <= 500_000
    assert 2 < len(evaluator._models) < 40

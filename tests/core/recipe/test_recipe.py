"""Recipes: read with errors in words, evaluated step by step, and stable when steps come and go."""

import json
import re

import numpy as np
import pytest

from plodek.core.errors import BadValue, PlodekError
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.formats import FORMAT
from plodek.core.recipe.step import kinds, kinds_by_name
from tests.conftest import DEMO_FILES, evaluated, model_of
from tests.core.examples import EXAMPLES, steps_of

FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "not JSON"),
        ('{"steps": [{"kind": "frme", "id": "a"}]}', "step 1"),
        ('{"steps": [{"kind": "hollow", "id": "a"}]}', "step 1 (hollow) field “blocks”"),
        ('{"steps": [{"kind": "frame", "id": "a b", "width": 4, "height": 1}]}', "field “id”"),
        ('{"steps": [{"kind": "frame", "id": "a", "width": 4, "height": 1, "colour": 1}]}', "“colour”"),
        ('{"steps": [{"kind": "count", "id": "a", "tier": {"at": [0, 0]}, "cells": 0}]}', "“cells”"),
        ('{"plodek": 6, "steps": []}', "plodek"),
        ('{"steps": [{"kind":"unit","id":"a"},{"kind":"unit","id":"a"}]}', "two steps have the id “a”"),
        ("[]", "the recipe"),
        ('{"steps": [{"kind": "frame", "id": "a", "width": NaN, "height": 1}]}', "“width”"),
    ],
)
def test_bad_recipes_are_refused_with_step_and_field(text, words):
    with pytest.raises(BadValue) as caught:
        document.read(text)
    assert words in str(caught.value)


def test_the_demo_reads_back_as_it_was_written(demo_steps):
    found = document.of({"steps": demo_steps})
    written = json.loads(found.model_dump_json())
    assert document.of(written) == found


def test_units_are_read_and_converted():
    model = model_of(
        [{"kind": "unit", "id": "u", "unit": "cm"}, FRAME | {"width": "4 m", "height": "25.4 in"}]
    )
    assert np.allclose(np.ptp(model.layout.places(model.layout.corners), axis=0), [400, 64.516, 0])
    for wrong, words in (
        ("4 furlong", "not a length unit"),
        ("four", "not a length"),
        ("1e999", "no length that can be used"),
        ("1e300", "Stay below"),
    ):
        found = evaluated([FRAME | {"width": wrong}])
        assert words in str(found.error)


def test_a_file_in_another_unit_is_brought_into_the_projects():
    read = {"kind": "read", "id": "r", "file": "pier-outline.csv", "name": "pier", "shape": "closed"}
    metres = model_of([read]).guides["pier"]
    millimetres = model_of([{"kind": "unit", "id": "u", "unit": "mm"}, read | {"file_unit": "m"}]).guides[
        "pier"
    ]
    assert millimetres.length == pytest.approx(1000 * metres.length, rel=1e-9)


def test_evaluation_stops_at_the_step_that_fails_and_the_rest_waits(demo_steps):
    steps = [dict(s) for s in demo_steps]
    steps[6] = steps[6] | {"thickness": "3 m"}
    found = evaluated(steps)
    assert found.failed == 6
    assert "leaves no room" in str(found.error)
    assert len(found.model.layout.blocks) == 9


def test_a_late_change_reuses_all_models_before_it(demo_steps):
    evaluator = Evaluator()
    first = evaluator.evaluate(document.of({"steps": demo_steps}), DEMO_FILES)
    changed = [dict(s) for s in demo_steps]
    changed[20] = changed[20] | {"name": "floor"}
    second = evaluator.evaluate(document.of({"steps": changed}), DEMO_FILES)
    assert all(a is b for a, b in zip(first.models[:20], second.models[:20], strict=True))
    assert first.models[20] is not second.models[20]


def test_a_changed_value_early_on_moves_everything_after(demo_steps):
    steps = [dict(s) for s in demo_steps]
    steps[2] = steps[2] | {"width": 10.0}
    model = model_of(steps)
    assert model.cells == model_of(demo_steps).cells
    assert np.ptp(model.layout.places(model.layout.corners)[:, 0]) == 10
    assert [p.name for p in model.patches][-1] == "pier"


def test_corner_and_block_ids_stay_when_a_step_is_inserted_before(demo_steps):
    plain = model_of(demo_steps[:8]).layout
    point = {"kind": "point", "id": "new", "name": "mark", "at": [1, 1]}
    later = model_of([demo_steps[0], point, *demo_steps[1:8]]).layout
    assert list(plain.corners) == list(later.corners)
    assert list(plain.blocks) == list(later.blocks)


def test_the_recipe_works_on_another_outline(demo_steps):
    """A corner on a guide keeps its fraction: the same steps, around a circle instead of the pier."""
    steps = [s for s in demo_steps if s["kind"] != "read"]
    circle = {"kind": "circle", "id": "pier", "name": "pier", "centre": [3.6, 2.5], "radius": 0.5}
    model = model_of([steps[0], circle, *steps[1:]])
    on = [c for c in model.layout.corners.values() if c.guide == "pier"]
    assert len(on) == 4
    assert np.allclose([np.hypot(c.xyz[0] - 3.6, c.xyz[1] - 2.5) for c in on], 0.5)


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([FRAME, FRAME | {"id": "g"}], "already framed"),
        ([{"kind": "cut", "id": "c", "at": [1]}], "no blocks yet"),
        ([FRAME, {"kind": "cut", "id": "c", "at": [9]}], "no edge crosses x = 9"),
        ([FRAME, {"kind": "cut", "id": "c", "at": []}], "no value"),
        ([FRAME, {"kind": "cut", "id": "c", "by": "fraction", "fractions": [0.6, 0.3], "tier": {"at": [2, 0]}}], "do not rise"),
        ([FRAME, {"kind": "cut", "id": "c", "by": "fraction", "fractions": [1.2], "tier": {"at": [2, 0]}}], "between 0 and 1"),
        ([FRAME, {"kind": "cut", "id": "c", "by": "fraction", "fractions": [0.5]}], "no tier"),
        ([FRAME, {"kind": "follow", "id": "w", "guide": "pier", "edges": {"at": [0, 1]}}], "no guide is called"),
        ([FRAME, {"kind": "slide", "id": "s", "corner": {"at": [0, 0]}, "fraction": 0.5}], "sits on no guide"),
        ([FRAME, {"kind": "hollow", "id": "h", "blocks": {"ids": ["nix"]}}], "“nix” is not there"),
        ([FRAME, {"kind": "bring-back", "id": "b", "blocks": {"all": True}}], "none of these blocks is hollow"),
        ([FRAME, {"kind": "patch", "id": "p", "name": "a b", "faces": {"side": "x-"}}], "no patch name"),
        ([FRAME, {"kind": "patch", "id": "p", "name": "a", "faces": {"side": "z-"}}], "no edges in the plane"),
        ([FRAME, {"kind": "turn", "id": "t", "tier": {"at": [0, 1]}}], "uniform"),
        ([FRAME, {"kind": "unit", "id": "u", "unit": "mm"}], "put the unit before"),
        ([{"kind": "read", "id": "r", "file": "pier-outline.csv", "name": "p"}, {"kind": "point", "id": "q", "name": "p", "at": [0, 0]}], "already called"),
    ],
)  # fmt: skip
def test_steps_that_cannot_be_applied_say_why_and_what_helps(steps, words):
    found = evaluated(steps)
    assert found.error is not None
    assert words.lower() in str(found.error).lower()


def test_patches_are_unique_and_take_each_face_once():
    base = [FRAME, {"kind": "patch", "id": "p", "name": "in", "type": "inlet", "faces": {"side": "x-"}}]
    twice = evaluated([*base, {"kind": "patch", "id": "q", "name": "IN", "faces": {"side": "x+"}}])
    assert "already called" in str(twice.error)
    taken = evaluated([*base, {"kind": "patch", "id": "q", "name": "b", "faces": {"all": True}}])
    assert "already belong to “in”" in str(taken.error)
    rest = model_of([*base, {"kind": "patch", "id": "q", "name": "b", "faces": {"rest": True}}])
    assert rest.unnamed == []


def test_what_was_named_before_a_cut_or_a_ring_stays_named():
    steps = [
        FRAME,
        {"kind": "patch", "id": "p", "name": "low", "faces": {"side": "y-"}},
        {"kind": "cut", "id": "c", "at": [1, 3]},
        {"kind": "ring", "id": "r", "blocks": {"at": [2, 1]}, "where": "around", "thickness": 0.2},
    ]
    model = model_of(steps)
    places = [model.layout.places(side) for side in model.patch_of]
    assert sum(np.ptp(p[:, 0]) for p in places) == pytest.approx(4)
    assert all(np.all(p[:, 1] == 0) for p in places)


def test_cut_through_a_guide_point_and_slides_that_would_pass_a_neighbour(demo_steps):
    through = [
        {"kind": "point", "id": "q", "name": "mark", "at": [1.25, 0.4]}, FRAME,
        {"kind": "cut", "id": "c", "by": "place", "through": {"guide": "mark"}, "tier": {"at": [2, 0]}},
    ]  # fmt: skip
    layout = model_of(through).layout
    assert sorted(k.xyz[0] for k in layout.corners.values())[2:4] == [1.25, 1.25]
    base = demo_steps[:8]
    layout = model_of(base).layout
    on = sorted((k.fraction, c) for c, k in layout.corners.items() if k.sign == "guide")
    good = {"kind": "slide", "id": "s", "corner": {"ids": [on[1][1]]}, "fraction": on[1][0] + 0.01}
    moved = model_of([*base, good]).layout.corners[on[1][1]]
    assert moved.fraction == pytest.approx(on[1][0] + 0.01)
    past = good | {"fraction": on[2][0] + 0.01}
    assert "would pass its neighbour" in str(evaluated([*base, past]).error)


def test_every_kind_tells_its_verb_key_and_sentence_and_keys_do_not_clash():
    defs = document.schema()["$defs"]
    for kind in kinds():
        about = defs[kind.__name__]["plodek"]
        assert about["verb"]
        fields = set(defs[kind.__name__]["properties"])
        named = {part.split("}")[0] for part in about["sentence"].split("{")[1:]}
        assert named <= fields
    pairs = [(k.stage, k.key) for k in kinds()]
    assert len(pairs) == len(set(pairs))


#: Values that fit few fields.
ODD = [
    None,
    "q",
    "",
    -1,
    2.5,
    1e999,
    True,
    [],
    [[]],
    [1],
    ["a", {}],
    {},
    {"at": []},
    {"rest": False},
    {"any": []},
]
OF_THE_MACHINE = re.compile(
    r"validation|\bvalid\b|[Ii]nput should|instance|dictionary|unable to|parse|should (be|have)"
)


@pytest.mark.parametrize("kind", sorted(EXAMPLES))
def test_what_does_not_fit_a_field_is_said_in_our_words_and_names_the_field(kind):
    *_, step = steps_of(kind)
    fields = kinds_by_name()[kind].model_fields
    for name in fields.keys() - {"id", "kind"}:
        for odd in ODD:
            try:
                document.of({"plodek": FORMAT, "steps": [step | {name: odd}]})
            except PlodekError as error:
                assert not OF_THE_MACHINE.search(str(error)), str(error)
                assert f"step 1 ({kind})" in str(error)
                assert "field “" in str(error)

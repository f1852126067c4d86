"""What holds for every kind of step: its example applies, is written and read, converted, and refuses bad input."""

import json
from itertools import product
from typing import get_args

import numpy as np
import pytest

from plodek.core.errors import BadValue, PlodekError
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.fields import Meaning, meaning_of, rewritten
from plodek.core.recipe.rewriting import in_unit
from plodek.core.recipe.step import STAGES, kinds, kinds_by_name
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Point
from tests.conftest import numbered
from tests.core.examples import BOTTOM, EXAMPLES, FILES, FRAME, steps_of

ALL = [kind.name_of_kind() for kind in kinds()]
SAMPLES = np.linspace(0, 1, 17)


def evaluate(recipe):
    return Evaluator().evaluate(recipe, FILES)


def recipe_of(kind):
    return document.of({"steps": steps_of(kind)})


def test_every_kind_has_an_example_and_its_place():
    assert set(ALL) == set(EXAMPLES)
    places = [(kind.stage, kind.order) for kind in kinds()]
    assert len(set(places)) == len(places)
    assert {kind.stage for kind in kinds()} == set(STAGES)


@pytest.mark.parametrize("kind", ALL)
def test_an_example_applies_and_reads_back_as_it_was_written(kind):
    recipe = recipe_of(kind)
    found = evaluate(recipe)
    assert found.error is None, str(found.error)
    written = json.loads(json.dumps(recipe.document()))
    assert document.of(written) == recipe
    # What is read back gives the same model, to the id and to the bit.
    again = evaluate(document.of(written)).model
    assert again.layout.blocks == found.model.layout.blocks
    assert {c: k.xyz for c, k in again.layout.corners.items()} == {
        c: k.xyz for c, k in found.model.layout.corners.items()
    }
    assert again.spacing.counts == found.model.spacing.counts


CONDITIONAL = [(kind, field) for kind in kinds() for field in kind.model_fields if kind.conditions(field)]


@pytest.mark.parametrize(("kind", "field"), CONDITIONAL, ids=lambda one: getattr(one, "kind", str(one)))
def test_a_field_is_not_taken_where_it_has_no_effect(kind, field):
    """For every choice of another field with which it does not count."""
    steps = [step for step in recipe_of(kind.name_of_kind()).steps if isinstance(step, kind)]
    (other, allowed), *_ = kind.conditions(field).items()
    choices = get_args(kind.model_fields[other].annotation)
    assert set(allowed) <= set(choices) or not choices
    for choice in sorted(set(choices) - set(allowed)):
        bare = steps[-1].model_copy(
            update={name: one.default for name, one in kind.model_fields.items() if not one.is_required()}
            | {other: choice}
        )
        bare.need_effect()
        with pytest.raises(BadValue, match="has no effect here") as found:
            bare.model_copy(update={field: ["given"]}).need_effect()
        assert allowed[0] in found.value.remedy


@pytest.mark.parametrize(
    ("steps", "field"),
    [
        ([{"kind": "frame", "width": 2, "height": 1, "outer": 3}], "outer"),
        ([{"kind": "frame", "shape": "polar", "outer": 3, "axis": [0, 1, 0]}], "axis"),
        ([FRAME, {"kind": "space", "tier": BOTTOM, "law": "two-sided", "cells": 9, "first": 0.1, "expansion": 6}], "expansion"),
        ([FRAME, {"kind": "space", "tier": BOTTOM, "law": "tanh", "cells": 9, "first": 0.1, "growth": 1.1}], "growth"),
    ],
)  # fmt: skip
def test_a_step_with_a_field_without_effect_is_refused_by_name(steps, field):
    found = Evaluator().evaluate(document.of({"steps": numbered(steps)}), FILES)
    assert field in str(found.error)


@pytest.mark.parametrize("kind", ALL)
@pytest.mark.parametrize("unit", ["mm", "in"])
def test_a_converted_recipe_is_the_old_model_times_the_factor(kind, unit):
    recipe = recipe_of(kind)
    scale = {"mm": 1000.0, "in": 1 / 0.0254}[unit]
    before, after = evaluate(recipe), evaluate(in_unit(recipe, unit, convert=True, evaluate=evaluate))
    assert after.error is None, str(after.error)
    one, other = before.model, after.model
    size = 1e-12 * scale * max(10.0, one.layout.size())
    assert list(one.layout.corners) == list(other.layout.corners)
    for corner, there in other.layout.corners.items():
        assert np.abs(np.array(one.layout.corners[corner].xyz) * scale - there.xyz).max() <= size
    for name, guide in one.guides.items():
        same = other.guides[name]
        if isinstance(guide, Point):
            assert np.allclose(np.array(guide.xyz) * scale, same.xyz, rtol=1e-12, atol=size)
        elif isinstance(guide, Curve) and guide.closed:  # where it begins may be another place
            there = guide.at(SAMPLES) * scale
            assert np.abs(same.at(same.nearest(there)) - there).max() <= 1e3 * size
        elif isinstance(guide, Curve):
            assert np.abs(guide.at(SAMPLES) * scale - same.at(SAMPLES)).max() <= 1e3 * size
        else:
            assert same.area == pytest.approx(guide.area * scale**2, rel=1e-9)
    if one.layout.blocks:
        assert one.laid.counts == other.laid.counts
        for edge, nodes in one.laid.nodes.items():
            assert np.allclose(nodes, other.laid.nodes[edge], atol=1e-9)
    for twin, same in zip(one.layout.twins, other.layout.twins, strict=True):
        assert np.allclose(twin.move.shift * scale, same.move.shift, rtol=1e-12)
    for limit, same in zip(one.own_limits, other.own_limits, strict=True):
        assert same.limit == pytest.approx(limit.limit * scale, rel=1e-12)
    lengths = [flow.length if flow else 0.0 for flow in (one.flow, other.flow)]  # in metres
    assert lengths[0] == pytest.approx(lengths[1], rel=1e-12)


@pytest.mark.parametrize("kind", ALL)
def test_a_step_put_before_renames_nothing_that_the_example_makes(kind):
    plain = evaluate(recipe_of(kind)).model
    mark = {"kind": "point", "id": "mark", "name": "far-away", "at": [900, 900, 900]}
    unit = [{"kind": "unit", "id": "first", "unit": "m"}] if kind != "unit" else []
    later = evaluate(document.of({"steps": [*unit, *steps_of(kind), mark]})).model
    assert list(plain.layout.corners) == list(later.layout.corners)
    assert list(plain.layout.blocks) == list(later.layout.blocks)


def wrong_values():
    """Each field of each kind, with values that it cannot take."""
    for kind in kinds():
        name = kind.name_of_kind()
        for field in kind.model_fields:
            if field != "kind":
                for value in ({"nonsense": 1}, [[[]]], "§" if field == "id" else None):
                    if value is not None:
                        yield pytest.param(name, field, value, id=f"{name}-{field}-{str(value)[:8]}")


@pytest.mark.parametrize(("kind", "field", "value"), list(wrong_values()))
def test_a_value_that_a_field_cannot_take_is_refused_with_its_name(kind, field, value):
    steps = steps_of(kind)
    steps[-1] = steps[-1] | {field: value}
    with pytest.raises(BadValue) as caught:
        document.of({"steps": steps})
    assert f"step {len(steps)}" in str(caught.value)
    assert f"“{field}”" in str(caught.value)


@pytest.mark.parametrize("kind", ALL)
def test_lengths_without_sense_get_a_sentence_and_change_nothing(kind):
    """Every length of the step in turn: no unit, no number, far too large. Never anything but a sentence."""
    recipe = recipe_of(kind)
    before = evaluate(recipe)
    for bad in ("3 furlong", "x", 1e300, -1e13):

        def change(meaning: Meaning, value, bad=bad):
            return bad if meaning.widget == "length" else value

        last = rewritten(recipe.steps[-1], change)
        if last == recipe.steps[-1]:
            continue
        found = evaluate(recipe.model_copy(update={"steps": [*recipe.steps[:-1], last]}))
        if found.error is not None:
            assert found.error.remedy or found.error.where
            assert "mistake" not in found.error.title
        assert len(found.models) >= len(recipe.steps) - 1
    assert evaluate(recipe).model.layout.corners == before.model.layout.corners


def test_fields_that_hold_lengths_or_guides_say_so_by_their_type():
    """Names that mean a length or a guide everywhere: a new step that forgets its type fails here."""
    lengths = {
        "width",
        "height",
        "depth",
        "radius",
        "thickness",
        "distance",
        "tolerance",
        "gap",
        "size",
    }
    guides = {"guide", "surface", "path", "after"}
    for kind in kinds():
        meanings = kind.meanings()
        for name in kind.model_fields:
            if name in lengths:
                assert meanings[name].widget == "length", (kind, name)
            if name in guides:
                assert meanings[name].widget == "guide", (kind, name)


def test_the_sentence_of_a_step_names_only_its_fields():
    for kind in kinds():
        named = {part.split("}")[0] for part in kind.sentence.split("{")[1:]}
        assert named <= set(kind.model_fields), kind
        choices = [get_args(f.annotation) for n, f in kind.model_fields.items() if n == "kind"]
        assert choices == [(kind.name_of_kind(),)]


RULES = [
    {"all": True}, {"all": "hollow too"}, {"rest": True}, {"hollow": True}, {"region": "nix"}, {"patch": "nix"},
    {"ids": ["nix"]}, {"edges": [["a", "b"]]}, {"sides": [["a", "b", "c", "d"]]}, {"on": "nix"}, {"side": "x-"},
    {"at": [0.1, 0.2, 0.1]}, {"each": [[0, 0.1], [0.5, 0.1]]}, {"around": {"all": True}}, {"between": ["a", "b"]},
    {"ends": "z-", "ids": ["nix"]}, {"looks": [1, 0, 0]}, {"inside": [[-9, -9, -9], [9, 9, 9]]},
    {"ball": [0, 0, 0], "radius": 9}, {"any": [{"side": "x-"}, {"at": [0.1, 0.1]}]},
    {"every": [{"side": "x-"}, {"all": True}]}, {"of": {"all": True}, "but": [{"side": "x-"}]},
]  # fmt: skip


@pytest.mark.parametrize("kind", ALL)
def test_every_rule_may_stand_wherever_its_field_takes_it(kind):
    *before, last = steps_of(kind)
    fields = kinds_by_name()[kind].model_fields
    selecting = [
        name for name, f in fields.items() if (m := meaning_of(f.annotation, f.metadata)) and m.finds
    ]
    evaluator, tried = Evaluator(), set()
    for name, rule in product(selecting, RULES):
        try:
            recipe = document.of({"steps": [*before, last | {name: rule}]})
        except PlodekError:
            continue  # such a rule does not stand in this field
        tried.add(name)
        assert "failed in a way it should not" not in str(evaluator.evaluate(recipe, FILES).error), (
            name,
            rule,
        )
    assert tried == set(selecting)


@pytest.mark.parametrize("word", ["O-grid", "C-grid", "boundary layer", "periodic", "bias", "associate", "snap", "import", "rotate", "translate", "mirror", "delete", "split", "merge", "collapse", "2-D", "inlet", "boundary condition", "cell size", "inverted"])  # fmt: skip
def test_the_words_of_the_trade_find_a_step(word):
    found = [
        kind for kind in kinds() if any(word.lower() in text.lower() for text in (kind.verb, *kind.known_as))
    ]
    assert found

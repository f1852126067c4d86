"""Random sequences of operations on blocks: whatever is accepted is sound, and ids stay."""

from __future__ import annotations

from hypothesis import HealthCheck, assume, example, given, settings
from hypothesis import strategies as st

from plodek.core.blocks.soundness import inverted
from tests.conftest import evaluated, model_of
from tests.core.blocks.test_operations import EXTRUDE, FRAME, filled

VERBS = st.lists(
    st.tuples(
        st.sampled_from(
            [
                "cut",
                "cut",
                "ring",
                "ring",
                "hollow",
                "bring-back",
                "grow",
                "place",
                "zip",
                "pinch",
                "merge",
                "butterfly",
                "refine",
                "align",
                "bend",
            ]
        ),
        st.integers(0, 10_000),
        st.integers(0, 10_000),
        st.floats(0.2, 0.8),
    ),
    min_size=1,
    max_size=6,
)


def random_step(model, number, verb, first, second, share):
    """Make a step on random entities of a model, by id as the screen does."""
    layout = model.layout
    names, edges, sides = list(layout.blocks), list(layout.edges), list(layout.sides)
    block = {"ids": [names[first % len(names)]]}
    edge = {"edges": [list(edges[second % len(edges)])]}
    side = {"sides": [list(sides[second % len(sides)])]}
    step = {"kind": verb, "id": f"s{number}"}
    fields = {
        "cut": {"by": "fraction", "fractions": [share], "tier": edge},
        "ring": {"blocks": block, "where": ("inside", "around")[second % 2], "measure": "share", "share": 0.3 * share, "layers": 1 + first % 2},
        "hollow": {"blocks": block},
        "bring-back": {"blocks": block},
        "grow": {"sides": side, "distance": 0.2},
        "place": {"blocks": block, "by": "mirror", "at": [2, 0, 0], "along": [1, 0, 0]},
        "zip": {"blocks": block, "side": side, "keep": ("this", "middle")[first % 2]},
        "pinch": {"edges": edge},
        "merge": {"blocks": {"ids": [names[first % len(names)], names[second % len(names)]]}},
        "butterfly": {"blocks": block, "core": share},
        "refine": {"walls": side, "levels": 1, "thickness": 0.02},
        "align": {"corners": {"ids": [list(layout.corners)[first % len(layout.corners)]]}, "to": "xy"[second % 2]},
        "bend": {"edges": edge, "how": "smoothly"},
    }  # fmt: skip
    return step | fields[verb]


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(VERBS, st.booleans())
@example([("pinch", 0, 0, 0.5), ("ring", 0, 0, 0.5), ("cut", 0, 0, 0.25)], True)
def test_random_operations_keep_the_layout_sound_and_undo_exactly(verbs, solid):
    """Whatever the core accepts is sound; what it refuses says why; a step less is what was before."""
    steps = [FRAME, EXTRUDE] if solid else [FRAME]
    models = [model_of(steps)]
    for number, (verb, first, second, share) in enumerate(verbs):
        step = random_step(models[-1], number, verb, first, second, share)
        found = evaluated([*steps, step])
        if found.error is not None:
            assert len(str(found.error)) > 20
            continue
        steps.append(step)
        models.append(found.model)
        layout = found.model.layout
        for uses in layout.sides.values():
            assert len(uses) in (1, 2)
        assert {c for b in layout.blocks.values() for c in b.corners} == set(layout.corners)
        assert set(layout.follows) | set(layout.bends) <= set(layout.edges)
        assert found.model.cells > 0
    back = evaluated(steps[:-1] if len(steps) > 1 + solid else steps).model
    again = models[-2] if len(models) > 1 else models[0]
    assert (back.layout.corners, back.layout.blocks) == (again.layout.corners, again.layout.blocks)
    assume(not inverted(models[-1].layout))
    if models[-1].cells < 60_000:
        filled(models[-1])


def test_corner_ids_do_not_change_when_a_step_is_inserted_before():
    tail = [
        {"kind": "extrude", "id": "e", "depth": 1, "cells": 2, "cuts": [0.5]},
        {"kind": "ring", "id": "r", "blocks": {"at": [0.2, 0.5, 0.2]}, "where": "inside", "thickness": 0.05},
    ]
    plain = model_of([FRAME, {"kind": "cut", "id": "c", "at": [1.5]}, *tail])
    later = model_of(
        [FRAME, {"kind": "cut", "id": "new", "at": [1.8]}, {"kind": "cut", "id": "c", "at": [1.5]}, *tail]
    )
    shared = set(plain.layout.corners) & set(later.layout.corners)
    assert len(shared) >= 0.6 * len(plain.layout.corners)
    assert all(plain.layout.corners[c].xyz == later.layout.corners[c].xyz for c in shared)

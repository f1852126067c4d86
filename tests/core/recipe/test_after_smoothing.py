"""Runs and verbs in any order: after a run steps work on the smoothed grid, and what they leave alone stays."""

import numpy as np
import pytest

from plodek.core.build.build import build, filled_grid
from plodek.core.build.settled import settled
from plodek.core.check.measure import measure
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files
from plodek.core.recipe.step import kinds_by_name
from tests.conftest import numbered
from tests.core.examples import EXAMPLES, FILES, RING, WEDGE
from tests.core.ledger import worth
from tests.core.recipe.test_received_verbs import KINDS

SMOOTH = {"kind": "smooth", "sweeps": 20, "control": "interior control", "folded": "untangle first"}
#: What a grid whose counts and laws are all set has no more of.
LACKS = {"blend": "laws of different kinds", "budget": "locked tiers alone make"}


def evaluated(steps, files=FILES):
    return Evaluator().evaluate(document.of({"steps": numbered(steps)}), files)


def as_they_were(before, after):
    """Give the blocks of a model that are there after a step with corners, edges and sides as they were."""
    one, other = before.layout, after.layout
    found = []
    for name in set(one.filled) & set(other.filled):
        corners = one.blocks[name].corners
        edges = [e for e in one.filled_edges if set(e) <= set(corners)]
        if (
            corners == other.blocks[name].corners
            and all(one.corners[c].xyz == other.corners[c].xyz for c in corners)
            and all(e in after.laid.nodes for e in edges)
            and all(np.array_equal(before.laid.nodes[e], after.laid.nodes[e]) for e in edges)
            and all(one.bends.get(e) is other.bends.get(e) for e in edges)
            and all(one.follows.get(e) == other.follows.get(e) for e in edges)
            and all(one.lies.get(s) == other.lies.get(s) for s in one.sides if set(s) <= set(corners))
        ):
            found.append(name)
    return found


@pytest.mark.parametrize("kind", KINDS)
def test_every_verb_works_on_a_smoothed_grid_and_leaves_the_rest_of_it_to_the_bit(kind):
    *base, last = EXAMPLES[kind]
    changes = kinds_by_name()[kind].changes
    smoothed = evaluated([*base, SMOOTH]).model
    built = build(smoothed)
    found = evaluated([*base, SMOOTH, last])
    if kind in LACKS:
        assert LACKS[kind] in str(found.error).lower()
        return
    if found.error is not None:  # it could not be done before the run either: a lift of what is in space
        assert str(evaluated([*base, last]).error) == str(found.error)
        return
    grid = build(found.model).grid
    assert not measure(grid).folded.any()
    if changes in ("names", "nothing"):
        assert all(np.array_equal(a, b) for a, b in zip(built.grid.xyz, grid.xyz, strict=True))
    elif changes in ("blocks", "spacing") and not found.model.all_runs:
        before = settled(smoothed, built.runs[-1].blocks)
        nodes = dict(zip(built.grid.names, built.grid.xyz, strict=True))
        for name in as_they_were(before, found.model):
            assert np.array_equal(grid.xyz[grid.names.index(name)], nodes[name])


@pytest.mark.parametrize("name", worth.recipes())
def test_a_smoothed_grid_is_that_of_its_blocks_to_the_bit(name):
    path = worth.recipes()[name]
    steps, smooth = worth.parts_of(path)
    model = worth.model_of([*steps, smooth | {"sweeps": 10}], path)
    built = build(model)
    again = filled_grid(settled(model, built.runs[-1].blocks))
    assert all(np.array_equal(a, b) for a, b in zip(built.grid.xyz, again.xyz, strict=True))


def test_a_wall_stays_on_its_guide_and_keeps_its_layer_when_it_is_spaced_after_smoothing():
    """New nodes are on the circle itself, not on a curve through the smoothed nodes."""
    layer = {
        "kind": "wall-layer",
        "walls": {"on": "c"},
        "first": 0.002,
        "growth": 1.2,
        "layers": 4,
        "cells": 12,
    }
    follow = {"kind": "follow", "guide": "c", "edges": {"around": {"at": [1, 1]}}}
    base = [*RING, follow, layer, SMOOTH | {"control": "wall control"}]
    count = {"kind": "count", "tier": {"at": [1, 0.6]}, "cells": 37}
    model = evaluated([*base, count]).model
    grid = filled_grid(model)
    near = np.concatenate([nodes.reshape(-1, 3) for nodes in grid.xyz])
    away = np.abs(np.hypot(near[:, 0] - 1, near[:, 1] - 1) - 0.4)
    assert (away < 1e-12).sum() >= 2 * 38
    assert away[away > 1e-12].min() == pytest.approx(0.002, rel=0.02)
    assert {law.layers for law in model.spacing.laws.values()} == {0, 4}


def test_a_revolved_body_in_its_natural_order_passes_the_gate():
    """Plane, layers, smooth, revolve, core, smooth in space."""
    wall = [[0, 0.5], [0.4, 0.52], [0.8, 0.42], [1.2, 0.34], [1.6, 0.36], [2.0, 0.4]]
    steps = [
        {"kind": "spline", "name": "wall", "points": wall},
        {"kind": "block", "corners": [[0, 0], [2, 0], {"guide": "wall", "fraction": 1}, {"guide": "wall", "fraction": 0}]},
        {"kind": "follow", "guide": "wall", "edges": {"at": [1, 0.38]}},
        {"kind": "count", "tier": {"at": [1, 0]}, "cells": 40},
        {"kind": "wall-layer", "walls": {"on": "wall"}, "first": "2 mm", "growth": 1.2, "layers": 10, "cells": 24},
        {"kind": "smooth", "sweeps": 200},
        {"kind": "revolve", "parts": 4, "cells": 40},
        {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5, "bow": 0.35},
        {"kind": "smooth", "sweeps": 200},
    ]  # fmt: skip
    found = evaluated(steps)
    cells = measure(build(found.model).grid)
    assert not cells.folded.any()
    assert cells.of("smallest_angle").min() > 50
    assert cells.of("largest_angle").max() < 130


def test_what_is_along_a_lift_leaves_the_smoothed_plane_as_it_is():
    cut = {"kind": "cut", "by": "x", "at": [1.0]}
    along = {"kind": "count", "tier": {"at": [0, 0, 0.5]}, "cells": 9}
    lift = {"kind": "extrude", "depth": 1, "cells": 4}
    plane = [*RING, SMOOTH, lift]
    assert evaluated([*plane, along]).model.lift.whole
    late = evaluated([*plane, {**along, "tier": {"at": [1, 0, 0]}}]).model
    assert not late.lift.whole
    assert not late.all_runs
    assert "works on the smoothed grid" in str(late.reports)
    assert evaluated([*WEDGE, SMOOTH, cut]).error is None


def test_guides_that_a_smoothed_grid_stands_on_cannot_change():
    follow = {"kind": "follow", "guide": "c", "edges": {"around": {"at": [1, 1]}}}
    for late in (
        {"kind": "move", "guides": ["c"], "by": "shift", "shift": [1, 0, 0]},
        {"kind": "leave-out", "guides": ["c"]},
    ):
        assert evaluated([*RING, follow, SMOOTH, late]).error is not None


def test_a_run_is_made_once_however_many_steps_work_on_its_grid():
    ran = []

    def running(recipe, files, model):
        ran.append(len(recipe.steps))
        return build(model).runs[-1].blocks

    cuts = [{"kind": "cut", "by": "x", "at": [at]} for at in (0.1, 0.2, 0.3)]
    recipe = document.of({"steps": numbered([*RING, SMOOTH, *cuts, SMOOTH, cuts[0] | {"at": [0.15]}])})
    evaluator = Evaluator(running=running)
    for _ in range(2):
        assert evaluator.evaluate(recipe, Files(lambda _: b"")).error is None
    assert ran == [len(RING) + 1, len(RING) + 5]

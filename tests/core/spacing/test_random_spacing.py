"""Random sequences of spacing steps and cuts: whatever is accepted hangs together, whatever is not says why."""

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from plodek.core.build import build
from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing.edge_law import most_growth
from plodek.core.spacing.jumps import GROWTH_LIMIT, jumps, worst_growth
from tests.conftest import evaluated, model_of

PLANE = [
    {"kind": "circle", "id": "c", "name": "pier", "centre": [2, 1], "radius": 0.3},
    {"kind": "frame", "id": "f", "width": 4, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [1.5, 2.5]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.6, 1.4]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [2, 1]}},
    {"kind": "follow", "id": "w", "guide": "pier", "edges": {"around": {"at": [2, 1]}}},
    {"kind": "ring", "id": "r", "blocks": {"at": [2, 1]}, "thickness": 0.25},
]
TWIN = {"kind": "twin", "id": "t", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 2]}
LIFT = {"kind": "extrude", "id": "e", "depth": 1.5, "cells": 7}
WISHED = [
    "count", "release", "geometric", "tanh", "two-sided", "match", "table", "by curvature", "wall-layer", "turn",
    "copy", "blend", "wanted-size", "budget", "factor", "multiples", "cut",
]  # fmt: skip
WISHES = st.lists(
    st.tuples(st.sampled_from(WISHED), st.integers(0, 10_000), st.integers(0, 10_000), st.floats(0.05, 0.95)),
    min_size=1,
    max_size=7,
)


def wish(model, number, kind, first, second, share):
    """Make a step about random edges of a model, with sizes from fine to coarse."""
    edges = list(model.paths)
    named = list(edges[first % len(edges)])
    tier = {"edges": [named[:: 1 - 2 * (second % 2)]]}
    other = [list(edges[second % len(edges)])]
    size, cells = 0.4 * share**2, 2 + second % 40
    laws = {
        "geometric": {"first": size, "cells": cells},
        "tanh": {"first": size, "last": 0.5 * size, "cells": cells},
        "two-sided": {"first": size, "cells": cells},
        "match": {"law": "tanh", "match": "both", "cells": cells},
        "table": {"table": [[0, 1], [share, 0.3], [1, 2]], "cells": cells},
        "by curvature": {"turn": 5 + 40 * share},
    }
    if kind in laws:
        over = ("tier", "edges")[number % 2]
        return {"kind": "space", "id": f"s{number}", "tier": tier, "over": over, "law": kind} | laws[kind]
    fields = {
        "count": {"tier": tier, "cells": cells},
        "release": {"tier": tier},
        "wall-layer": {"walls": {"on": "pier"}, "first": 0.02 * share, "layers": 2 + second % 8},
        "turn": {"tier": tier},
        "copy": {"edge": tier, "to": ("its tier", "edges")[number % 2], "edges": {"edges": other}},
        "blend": {"edges": {"edges": [named, *other]}},
        "wanted-size": {"size": 0.05 + share},
        "budget": {"cells": 200 + second},
        "factor": {"factor": 0.5 + 1.5 * share},
        "multiples": {"of": str(2 ** (second % 4))},
        "cut": {"by": "fraction", "fractions": [share], "tier": tier},
    }
    return {"kind": kind, "id": f"s{number}"} | fields[kind]


def accepted(steps, wishes):
    """Give the model, and the steps with those wishes that could be taken."""
    model, taken = model_of(steps), list(steps)
    for number, one in enumerate(wishes):
        found = evaluated([*taken, wish(model, number, *one)])
        if found.error is not None:
            assert len(str(found.error)) > 20
            continue
        try:
            assert found.model.laid.nodes
        except ImpossibleSpacing as error:  # told where the step stands, as soon as it is looked at
            assert "edge" in str(error) or "budget" in str(error) or "wait" in str(error)
            continue
        taken.append(wish(model, number, *one))
        model = found.model
    return model, taken


@pytest.mark.slow
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(WISHES, st.booleans())
def test_what_is_laid_hangs_together(wishes, solid):
    model, _ = accepted([*PLANE, *([LIFT] if solid else [])], wishes)
    laid = model.laid
    for tier in model.tiers:
        assert len({laid.counts[e] for e in tier.edges}) == 1
    for edge, s in laid.nodes.items():
        assert len(s) == laid.counts[edge] + 1
        assert (s[0], s[-1]) == (0, 1)
        assert (np.diff(s) > 0).all()
    assert worst_growth(laid) == max(most_growth(s) for s in laid.nodes.values())
    # A jump is told from its fine side, once, and there is none below the limit.
    for jump in jumps(laid, model.continuing):
        fine, coarse = laid.size_at(jump.fine, jump.corner), laid.size_at(jump.coarse, jump.there)
        assert coarse / fine > GROWTH_LIMIT
        assert (jump.coarse, jump.there) in model.continuing[jump.fine, jump.corner]
        assert (jump.fine, jump.corner) in model.continuing[jump.coarse, jump.there]
    if model.cells < 60_000:
        grid = build.filled_grid(model)
        assert grid.cells == model.cells
        assert all(np.isfinite(xyz).all() for xyz in grid.xyz)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(WISHES)
def test_twins_have_the_same_nodes_whatever_is_wished(wishes):
    model, _ = accepted(
        [*PLANE[1:4], TWIN], [w for w in wishes if w[0] not in ("wall-layer", "by curvature")]
    )
    (twin,) = model.layout.twins
    pairs = model.layout.twin_edges
    assert pairs
    for _, edge, driven in pairs:
        same = (edge[0] < edge[1]) == (twin.corners[edge[0]] < twin.corners[edge[1]])
        s, other = model.laid.nodes[edge], model.laid.nodes[driven]
        assert np.abs(s - (other if same else 1 - other[::-1])).max() < 1e-9


@pytest.mark.slow
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(WISHES)
def test_a_recipe_that_was_accepted_evaluates_again_to_the_same_nodes(wishes):
    model, steps = accepted(PLANE, wishes)
    again = model_of(steps)
    assert again.laid.counts == model.laid.counts
    assert all((again.laid.nodes[e] == s).all() for e, s in model.laid.nodes.items())

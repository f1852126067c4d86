import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing import laws
from plodek.core.spacing.edge_law import EdgeLaw
from tests.conftest import model_of

SIZE = st.floats(1e-4, 0.9)
COUNT = st.integers(3, 120)
LAWS = st.one_of(
    st.just(EdgeLaw("uniform")),
    SIZE.map(lambda h: EdgeLaw("geometric", first=h)),
    SIZE.map(lambda h: EdgeLaw("geometric", last=h)),
    st.floats(0.6, 1.7).map(lambda r: EdgeLaw("geometric", ratio=r)),
    SIZE.map(lambda h: EdgeLaw("tanh", first=h)),
    SIZE.map(lambda h: EdgeLaw("tanh", last=h)),
    st.tuples(SIZE, SIZE).map(lambda hs: EdgeLaw("tanh", first=hs[0], last=hs[1])),
)


@given(LAWS, COUNT, st.floats(0.01, 50))
def test_every_law_rises_ends_exactly_and_meets_its_sizes_or_raises(law, n, length):
    try:
        s = law.nodes(n, length)
    except ImpossibleSpacing as error:
        assert error.remedy
        return
    assert s.shape == (n + 1,)
    assert s[0] == 0.0
    assert s[-1] == 1.0
    d = np.diff(s) * length
    assert np.all(d > 0)
    # Sizes are met to 1e-6 of the edge, far tighter in fact.
    if law.first is not None:
        assert d[0] == pytest.approx(law.first, abs=1e-8 * length)
    if law.last is not None:
        assert d[-1] == pytest.approx(law.last, abs=1e-8 * length)


@given(LAWS, COUNT)
def test_turning_round_is_exact_and_twice_is_nothing(law, n):
    try:
        s = law.nodes(n, 1.0)
        turned = law.turned().nodes(n, 1.0)
    except ImpossibleSpacing:
        assume(False)
    assert np.allclose(turned, laws.flipped(s), atol=2e-9)
    assert np.allclose(laws.flipped(laws.flipped(s)), s, atol=1e-15)
    assert law.turned().turned().first == law.first


def test_impossible_wishes_are_refused_with_what_helps():
    for law, n, words in (
        (EdgeLaw("geometric", first=2.0), 10, "do not fit"),
        (EdgeLaw("geometric", first=1e-12), 4, "do not reach its end"),
        (EdgeLaw("geometric", first=-1.0), 10, "size above 0"),
        (EdgeLaw("geometric", ratio=20.0), 10, "use a growth"),
        (EdgeLaw("geometric"), 10, "growth, a first or a last cell"),
        (EdgeLaw("tanh", first=0.5, last=0.5), 2, "3 cells"),
        (EdgeLaw("tanh", first=1.5), 10, "between 0 and all"),
    ):
        with pytest.raises(ImpossibleSpacing) as caught:
            law.nodes(n, 1.0)
        assert words.lower() in str(caught.value).lower()


FRAME = [
    {"kind": "frame", "id": "f", "width": 4, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [1.5]},
]


def sizes_on(model, at, length):
    edge = min(model.laid.paths, key=lambda e: math.dist(model.layout.places(e).mean(axis=0), at))
    return np.diff(model.laid.nodes[edge]) * length


def test_a_count_is_set_for_all_edges_of_the_tier():
    model = model_of([*FRAME, {"kind": "count", "id": "c", "tier": {"at": [0, 1]}, "cells": 7}])
    assert [len(sizes_on(model, (x, 1, 0), 2)) for x in (0, 1.5, 4)] == [7, 7, 7]


def test_two_runs_that_share_a_node_face_their_sum():
    """Common practice: two runs of 30 points that share one need 59 points opposite them."""
    steps = [
        *FRAME,
        {"kind": "count", "id": "a", "tier": {"at": [0.7, 0]}, "cells": 29},
        {"kind": "count", "id": "b", "tier": {"at": [3, 0]}, "cells": 29},
    ]
    laid = model_of(steps).laid
    bottom = [e for e in laid.nodes if np.allclose(laid.paths[e].start[1] + laid.paths[e].end[1], 0)]
    assert sum(len(laid.nodes[e]) for e in bottom) - 1 == 59


def test_space_turn_copy_and_single_edges():
    first = {"kind": "space", "id": "s", "tier": {"at": [0, 1]}, "cells": 8, "first": "5 cm"}
    model = model_of([*FRAME, first])
    low = {x: min(sizes_on(model, (x, 1, 0), 2)) for x in (0, 1.5, 4)}
    assert all(v == pytest.approx(0.05) for v in low.values())

    def first_at_bottom(model, x):
        edge = min(model.laid.paths, key=lambda e: math.dist(model.layout.places(e).mean(axis=0), (x, 1, 0)))
        path, s = model.laid.paths[edge], model.laid.nodes[edge]
        d = np.diff(s) * path.length
        return d[0] if path.start[1] == 0 else d[-1]

    assert first_at_bottom(model, 1.5) == pytest.approx(0.05)
    turned = model_of([*FRAME, first, {"kind": "turn", "id": "t", "tier": {"at": [0, 1]}}])
    assert first_at_bottom(turned, 1.5) > 0.3
    one = {
        "kind": "space",
        "id": "o",
        "tier": {"at": [4, 1]},
        "over": "edges",
        "law": "tanh",
        "first": "1 cm",
        "last": "2 cm",
    }
    single = model_of([*FRAME, first, one])
    assert first_at_bottom(single, 4) == pytest.approx(0.01)
    assert first_at_bottom(single, 0) == pytest.approx(0.05)
    copied = model_of([*FRAME, first, one, {"kind": "copy", "id": "y", "edge": {"at": [4, 1]}}])
    assert first_at_bottom(copied, 0) == pytest.approx(0.01)


def test_first_cell_and_growth_give_the_count():
    """From 1 cm at growth 1.2 the geometric sum reaches 2 m after log(1 + 0.2 · 200)/log 1.2 = 20.4 cells."""
    step = {"kind": "space", "id": "s", "tier": {"at": [0, 1]}, "first": "1 cm", "growth": 1.2}
    model = model_of([*FRAME, step])
    d = sizes_on(model, (0, 1, 0), 2)
    assert len(d) == 20
    assert min(d[0], d[-1]) == pytest.approx(0.01)


def test_counts_survive_a_cut_in_the_share_of_the_pieces():
    steps = [
        {"kind": "frame", "id": "f", "width": 4, "height": 2},
        {"kind": "count", "id": "c", "tier": {"at": [2, 0]}, "cells": 20},
        {"kind": "cut", "id": "x", "by": "x", "at": [1]},
    ]
    laid = model_of(steps).laid
    level = [e for e in laid.nodes if laid.paths[e].start[1] == laid.paths[e].end[1]]
    assert {round(laid.paths[e].length): len(laid.nodes[e]) - 1 for e in level} == {1: 5, 3: 15}

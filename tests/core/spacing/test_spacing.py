import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.optimize import brentq

from plodek.core.errors import ImpossibleSpacing
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.spacing.edge_law import EdgeLaw, fewest_cells, flipped, most_growth
from plodek.core.spacing.size_law import by_curvature, cells_of
from tests.conftest import model_of

SIZE = st.floats(1e-4, 0.9)
COUNT = st.integers(3, 120)
TABLES = st.lists(st.floats(0.05, 5), min_size=2, max_size=7).map(
    lambda sizes: tuple((k / (len(sizes) - 1), size) for k, size in enumerate(sizes))
)
LAWS = st.one_of(
    st.just(EdgeLaw("uniform")),
    st.floats(0.05, 20).map(lambda e: EdgeLaw("geometric", expansion=e)),
    st.tuples(SIZE, SIZE).map(lambda hs: EdgeLaw("two-sided", first=hs[0], last=hs[1])),
    st.tuples(SIZE, st.floats(1.01, 1.5), st.integers(1, 12)).map(
        lambda v: EdgeLaw("wall layers", first=v[0], ratio=v[1], layers=v[2])
    ),
    st.tuples(SIZE, SIZE, st.floats(1.01, 1.5), st.integers(1, 12)).map(
        lambda v: EdgeLaw("wall layers", first=v[0], last=v[1], ratio=v[2], layers=v[3])
    ),
    TABLES.map(lambda table: EdgeLaw("table", table=table)),
    SIZE.map(lambda h: EdgeLaw("geometric", first=h)),
    SIZE.map(lambda h: EdgeLaw("geometric", last=h)),
    st.floats(0.6, 1.7).map(lambda r: EdgeLaw("geometric", ratio=r)),
    SIZE.map(lambda h: EdgeLaw("tanh", first=h)),
    SIZE.map(lambda h: EdgeLaw("tanh", last=h)),
    st.tuples(SIZE, SIZE).map(lambda hs: EdgeLaw("tanh", first=hs[0], last=hs[1])),
)


@settings(deadline=None)  # the first call loads the kernels
@given(LAWS, COUNT, st.floats(0.01, 50))
def test_every_law_rises_ends_exactly_and_meets_its_sizes_or_raises(law, n, length):
    law = EdgeLaw(law.law, *(None if v is None else v * length for v in (law.first, law.last)), law.ratio, law.expansion, law.layers, table=law.table)  # fmt: skip
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


@settings(deadline=None)
@given(LAWS, COUNT)
def test_turning_round_is_exact_and_twice_is_nothing(law, n):
    try:
        s = law.nodes(n, 1.0)
        turned = law.turned().nodes(n, 1.0)
    except ImpossibleSpacing:
        assume(False)
    assert np.allclose(turned, flipped(s), atol=2e-9)
    assert np.allclose(flipped(flipped(s)), s, atol=1e-15)
    assert law.turned().turned().first == law.first


def test_impossible_wishes_are_refused_with_what_helps():
    for law, n, words in (
        (EdgeLaw("geometric", first=2.0), 10, "does not fit"),
        (EdgeLaw("geometric", first=1e-12), 4, "use 13 cells or a cell of at least 0.0009"),
        (EdgeLaw("geometric", first=-1.0), 10, "size above 0"),
        (EdgeLaw("geometric", ratio=20.0), 10, "use a growth"),
        (EdgeLaw("geometric"), 10, "first or a last cell"),
        (EdgeLaw("tanh", first=0.5, last=0.5), 2, "leave nothing"),
        (EdgeLaw("tanh", first=0.2, last=0.2), 2, "use 3 cells"),
        (EdgeLaw("wall layers", first=0.01, ratio=1.2, layers=12), 8, "use 14 cells"),
        (EdgeLaw("wall layers", first=0.1, ratio=1.2, layers=12), 40, "cannot fill"),
        (EdgeLaw("two-sided", first=0.01, last=0.9), 2, "use 3 cells"),
        (EdgeLaw("tanh", first=1.5), 10, "does not fit"),
    ):
        with pytest.raises(ImpossibleSpacing) as caught:
            law.nodes(n, 1.0)
        assert words.lower() in str(caught.value).lower()


def test_laws_solve_their_equations_by_an_independent_root_finder():
    """SciPy's brentq on each law's own equation, written down again here."""
    n, h = 24, 0.004
    low, high = 0.004, 0.01

    def gap(r):
        return sum(min(low * r**k, high * r ** (n - 1 - k)) for k in range(n)) - 1

    r = brentq(gap, 1.05, 9, xtol=1e-15)
    both = [min(low * r**k, high * r ** (n - 1 - k)) for k in range(n)]
    assert np.diff(EdgeLaw("two-sided", low, high).nodes(n, 1.0)) == pytest.approx(both)
    middle = np.diff(EdgeLaw("two-sided", 0.1, 0.08).nodes(n, 1.0))
    r = brentq(lambda r: sum(max(0.1 * r**k, 0.08 * r ** (n - 1 - k)) for k in range(n)) - 1, 0.3, 0.98)
    assert middle == pytest.approx([max(0.1 * r**k, 0.08 * r ** (n - 1 - k)) for k in range(n)])
    delta = brentq(lambda d: 1 + np.tanh(d * (1 / n - 1) / 2) / np.tanh(d / 2) - h, 1e-3, 60, xtol=1e-15)
    one = 1 + np.tanh(delta * (np.arange(n + 1) / n - 1) / 2) / np.tanh(delta / 2)
    assert EdgeLaw("tanh", first=h).nodes(n, 1.0) == pytest.approx(one, abs=1e-12)


def test_wall_layers_are_a_geometric_series_that_goes_on_smoothly():
    h, g, m, n, far = 1e-3, 1.2, 8, 34, 0.05
    d = np.diff(EdgeLaw("wall layers", first=h, ratio=g, layers=m, far=far).nodes(n, 1.0))
    assert d[:m] == pytest.approx(h * g ** np.arange(m), rel=1e-9)
    assert d[:m].sum() == pytest.approx(h * (g**m - 1) / (g - 1))
    assert d[m] / d[m - 1] == pytest.approx(g, rel=1e-6)
    assert d[-1] == pytest.approx(far, rel=1e-6)
    fewest = fewest_cells(EdgeLaw("wall layers", first=h, ratio=g, layers=m, far=far), 1.0, 1.2)
    assert (
        most_growth(EdgeLaw("wall layers", first=h, ratio=g, layers=m, far=far).nodes(fewest, 1.0))
        <= 1.2 + 1e-9
    )
    assert (
        most_growth(EdgeLaw("wall layers", first=h, ratio=g, layers=m, far=far).nodes(fewest - 1, 1.0)) > 1.2
    )


@settings(deadline=None)
@given(TABLES, st.integers(2, 60))
def test_a_table_gives_equal_shares_by_quadrature(table, n):
    place, size = np.array(table).T
    s = EdgeLaw("table", table=table).nodes(n, 1.0)
    shares = [
        quad(lambda x: 1 / np.interp(x, place, size), a, b, points=place[(place > a) & (place < b)].tolist() or None, limit=200)[0]
        for a, b in pairwise(s)
    ]  # fmt: skip
    assert shares == pytest.approx([np.mean(shares)] * n, rel=1e-6)


def test_spacing_by_curvature_turns_by_the_angle_and_grows_by_the_limit():
    """A circle of radius 1 has curvature 1: cells that turn by 5° are 5° long, 72 of them; a line has none."""
    whole = by_curvature(Arc((0, 0, 0), 1.0), math.tau, 5.0, 1.0, 1.2)
    assert cells_of(whole) == pytest.approx(72)
    half = Ellipse(np.zeros(3), (1, 0.2), np.eye(3), 0, math.pi)
    nose = by_curvature(half, half.length, 5.0, 0.5, 1.15)
    s = EdgeLaw("table", table=nose).nodes(math.ceil(cells_of(nose)), 1.0)
    assert most_growth(s) < 1.16
    assert np.diff(s).argmin() in (0, len(s) - 2)  # the tips of the long axis
    assert [size for _, size in by_curvature(None, 2.0, 5.0, 0.5, 1.2)] == pytest.approx([0.25] * len(whole))


@settings(deadline=None, max_examples=40)
@given(st.integers(3, 24), st.floats(0, 0.99), st.floats(0.85, 1.18))
def test_an_edge_cut_at_a_node_keeps_all_its_nodes(n, share, growth):
    k = 1 + int(share * (n - 1))
    s = EdgeLaw("geometric", ratio=growth).nodes(n, 2.0)
    steps = [
        {"kind": "frame", "id": "f", "width": 2, "height": 1},
        {"kind": "space", "id": "s", "tier": {"at": [1, 0]}, "cells": n, "growth": growth},
        {"kind": "cut", "id": "c", "tier": {"at": [1, 0]}, "at": [2 * float(s[k])], "by": "x"},
    ]
    laid = model_of(steps).laid
    x = [
        laid.paths[e].at(laid.nodes[e])[:, 0]
        for e in laid.nodes
        if laid.paths[e].start[1] == laid.paths[e].end[1] == 0
    ]
    x = np.sort(np.concatenate(x))
    assert x[np.append(True, np.diff(x) > 1e-8)] == pytest.approx(2 * s, abs=1e-9)


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


LAYERED = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "wall-layer", "id": "w", "walls": {"side": "y-"}, "first": "5 mm", "layers": 8},
]


@pytest.mark.parametrize("lifted", [False, True])
@pytest.mark.parametrize("at", [0.3, 1.7])
def test_the_new_edges_across_a_cut_have_the_spacing_of_those_beside_them(at, lifted):
    lift = [{"kind": "extrude", "id": "e", "depth": 1, "cells": 2}] if lifted else []
    model = model_of([*LAYERED, *lift, {"kind": "cut", "id": "c", "by": "x", "at": [at]}])
    upright = [
        e for e in model.laid.nodes if model.paths[e].length == pytest.approx(1) and e in model.spacing.laws
    ]
    assert len(upright) == (6 if lifted else 3)
    for edge in upright:
        sizes = model.laid.sizes(edge)
        assert min(sizes[0], sizes[-1]) == pytest.approx(0.005, rel=1e-9)
    sides = [side for side in model.layout.outer if np.ptp(model.layout.places(side)[:, 1]) == 0]
    assert sum(side in model.layered for side in sides) == 2


def test_where_the_law_does_not_fit_across_a_cut_the_nodes_are_kept():
    """A wedge 1 high that narrows to 0.04, with layers of 0.56 together: at 0.98, 0.53 high, they have no room."""
    block = {"kind": "block", "id": "f", "corners": [[0, 0], [2, 0], [0, 1], [2, 0.04]]}
    space = {
        "kind": "space", "id": "s", "tier": {"at": [0, 0.5], "start": [0, 0]}, "over": "edges", "cells": 12,
        "law": "wall layers", "first": 0.065, "growth": 1.02, "layers": 8,
    }  # fmt: skip
    model = model_of([block, space, {"kind": "cut", "id": "c", "by": "x", "at": [0.98]}])
    places = {edge: model.layout.places(edge) for edge in model.laid.nodes}
    (across,) = (edge for edge, xyz in places.items() if np.allclose(xyz[:, 0], 0.98))
    (beside,) = (edge for edge, xyz in places.items() if np.allclose(xyz[:, 0], 0))
    assert model.spacing.laws[across].law == "kept"
    one, other = (np.sort(np.diff(model.laid.nodes[edge])) for edge in (across, beside))
    assert np.allclose(one, other)

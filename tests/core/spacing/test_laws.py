"""One contract for all spacing laws: what holds for each of them on an edge, and how they turn round and scale."""

import math
import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing.edge_law import (
    EdgeLaw,
    fewest_cells,
    flipped,
    geometric_count,
    most_growth,
)

LENGTH = 2.5
LAWS = {
    "uniform": EdgeLaw(),
    "growth": EdgeLaw("geometric", ratio=1.15),
    "shrinking": EdgeLaw("geometric", ratio=0.9),
    "first cell": EdgeLaw("geometric", first=0.01),
    "last cell": EdgeLaw("geometric", last=0.02),
    "expansion": EdgeLaw("geometric", expansion=12.0),
    "two-sided": EdgeLaw("two-sided", first=0.01, last=0.03),
    "two-sided, one size": EdgeLaw("two-sided", first=0.02),
    "tanh": EdgeLaw("tanh", first=0.01, last=0.04),
    "tanh, one end": EdgeLaw("tanh", last=0.015),
    "layers": EdgeLaw("wall layers", first=0.002, ratio=1.2, layers=8),
    "layers at both ends": EdgeLaw("wall layers", first=0.002, last=0.003, ratio=1.25, layers=6),
    "layers with a far cell": EdgeLaw("wall layers", first=0.002, ratio=1.2, layers=8, far=0.05),
    "table": EdgeLaw("table", table=((0.0, 1.0), (0.3, 0.2), (1.0, 2.0))),
    "kept": EdgeLaw("kept", places=(0.0, 0.1, 0.25, 0.6, 1.0)),
}
#: Laws whose nodes are laid by what is asked of both ends the same way.
BOTH_WAYS = [name for name in LAWS if name not in ("table", "kept")]


@pytest.fixture(params=LAWS, ids=list(LAWS))
def law(request):
    return LAWS[request.param]


@pytest.mark.parametrize("n", [24, 40, 97])
def test_nodes_run_from_end_to_end_without_turning_back(law, n):
    s = law.nodes(n, LENGTH)
    assert law.fits(n, LENGTH)
    assert s.shape == (n + 1,)
    assert (s[0], s[-1]) == (0.0, 1.0)
    assert np.diff(s).min() > 0


@pytest.mark.parametrize("n", [24, 41])
def test_a_law_turned_round_lays_the_same_nodes_from_the_other_end(law, n):
    assert law.turned().nodes(n, LENGTH) == pytest.approx(flipped(law.nodes(n, LENGTH)), abs=1e-9)


def test_turned_twice_it_is_itself(law):
    again, before = law.turned().turned().nodes(30, LENGTH), law.nodes(30, LENGTH)
    assert again == pytest.approx(before, abs=1e-12)


def test_a_law_knows_no_unit(law):
    """The same edge in millimetres has the same nodes."""
    sizes = {
        name: 1000 * getattr(law, name) for name in ("first", "last", "far") if getattr(law, name) is not None
    }
    assert replace(law, **sizes).nodes(30, 1000 * LENGTH) == pytest.approx(law.nodes(30, LENGTH), abs=1e-10)


@pytest.mark.parametrize("name", [n for n in LAWS if LAWS[n].law != "uniform"])
def test_the_end_cells_are_those_asked_for(name):
    law = LAWS[name]
    d = np.diff(law.nodes(50, LENGTH)) * LENGTH
    if law.first is not None:
        assert d[0] == pytest.approx(law.first, rel=1e-6)
    if law.last is not None:
        assert d[-1] == pytest.approx(law.last, rel=1e-6)
    if law.far is not None:
        assert d[-1] == pytest.approx(law.far, rel=1e-6)


@pytest.mark.parametrize("name", ["layers", "layers at both ends", "layers with a far cell"])
def test_wall_layers_grow_exactly_as_asked_and_go_on_smoothly(name):
    law = LAWS[name]
    n = fewest_cells(law, LENGTH, growth=1.3)
    d = np.diff(law.nodes(n, LENGTH)) * LENGTH
    assert d[: law.layers] == pytest.approx(law.first * law.ratio ** np.arange(law.layers), rel=1e-9)
    if law.last is not None:
        assert d[::-1][: law.layers] == pytest.approx(law.last * law.ratio ** np.arange(law.layers), rel=1e-9)
    assert most_growth(law.nodes(n, LENGTH)) <= 1.3 * (1 + 1e-9)


@pytest.mark.parametrize("name", [n for n in BOTH_WAYS if n not in ("growth", "shrinking")])
def test_the_fewest_cells_do_and_one_less_does_not(name):
    law = LAWS[name]
    n = fewest_cells(law, LENGTH, 1.25, 0.2)

    def does(m):
        if not law.fits(m, LENGTH):
            return False
        s = law.nodes(m, LENGTH)
        small = np.diff(s).max() * LENGTH <= 0.2 * (1 + 1e-9)
        return small and most_growth(s) <= 1.25 * (1 + 1e-9)

    assert does(n)
    assert not does(n - 1)


def test_layers_that_nearly_fill_an_edge_find_the_few_counts_that_are_left():
    """Eight layers take 66 % of the edge: ten cells go on evenly, two more could not."""
    law = EdgeLaw("wall layers", first=0.01428, ratio=1.2, layers=8)
    assert fewest_cells(law, 0.357, 1.2012) == 10
    assert not any(most_growth(law.nodes(n, 0.357)) <= 1.2012 for n in range(12, 60) if law.fits(n, 0.357))


@pytest.mark.parametrize(("layers", "left"), [(12, 9), (30, 9)])
def test_too_many_layers_are_refused_with_as_many_as_fit(layers, left):
    """Ten reach 0.2596 of 0.35, and no even cells follow 0.0516 over the rest; nine reach 0.208."""
    law = EdgeLaw("wall layers", first=0.01, ratio=1.2, layers=layers)
    with pytest.raises(ImpossibleSpacing, match=f"Use {left} layers at most"):
        fewest_cells(law, 0.35, 1.2)
    assert fewest_cells(replace(law, layers=left), 0.35, 1.2) > left


def test_too_little_growth_is_refused_with_the_growth_that_works():
    law = EdgeLaw("tanh", first=0.001, last=0.4)
    with pytest.raises(ImpossibleSpacing) as refused:
        fewest_cells(law, 1.0, 1.05)
    growth, n = re.search(r"a growth of ([\d.]+), which (\d+) cells", str(refused.value)).groups()
    assert 1.05 < most_growth(law.nodes(int(n), 1.0)) <= float(growth)
    assert fewest_cells(law, 1.0, float(growth)) <= int(n)


@pytest.mark.parametrize("name", [n for n in LAWS if LAWS[n].law in ("geometric", "two-sided", "tanh")])
def test_twice_the_cells_are_half_as_large(name):
    law = LAWS[name]
    once, twice = law.nodes(40, LENGTH), law.scaled(2.0).nodes(80, LENGTH)
    d, fine = np.diff(once), np.diff(twice)
    assert fine[0] == pytest.approx(0.5 * d[0], rel=0.06)
    assert np.abs(twice[::2] - once).max() < 0.02


@pytest.mark.parametrize("n", [3, 5, 9])
def test_what_does_not_fit_is_refused_with_the_nearest_count_that_does(n):
    law = EdgeLaw("geometric", first=1e-12)
    with pytest.raises(ImpossibleSpacing) as refused:
        law.nodes(n, LENGTH, "m")
    found = re.search(r"Use (\d+) cells or a cell of at least", str(refused.value))
    cells = int(found[1])
    assert law.fits(cells, LENGTH)
    assert not law.fits(cells - 1, LENGTH)


@pytest.mark.parametrize("n", [300, 1000, 9999])
def test_a_refusal_of_many_cells_names_a_cell_that_fits(n):
    with pytest.raises(ImpossibleSpacing) as refused:
        EdgeLaw("geometric", first=2.49).nodes(n, LENGTH, "m")
    most = re.search(r"a cell of at most (\S+) m", str(refused.value))
    assert EdgeLaw("geometric", first=float(most[1])).fits(n, LENGTH)


@pytest.mark.parametrize(
    ("law", "words"),
    [
        (EdgeLaw("geometric", first=-1.0), "above 0"),
        (EdgeLaw("geometric", first=3.0), "does not fit"),
        (EdgeLaw("tanh", first=1.5, last=1.2), "leave nothing"),
        (EdgeLaw("geometric", ratio=1000.0), "growth"),
        (EdgeLaw("geometric"), "needs a growth"),
        (EdgeLaw("wall layers", first=0.01, ratio=1.2, layers=8), "8 layers"),
    ],
)
def test_a_refusal_says_what_is_wrong(law, words):
    with pytest.raises(ImpossibleSpacing, match=words):
        law.nodes(6, LENGTH, "m")


@given(
    st.integers(2, 200),
    st.floats(1e-4, 10.0),
    st.floats(0.86, 1.18).filter(lambda r: abs(r - 1) > 1e-3),
)
def test_a_geometric_run_is_found_again_from_any_two_of_its_values(n, first, ratio):
    """L = d₀ (rⁿ − 1)/(r − 1), the sum of a geometric series."""
    length, last = first * (ratio**n - 1) / (ratio - 1), first * ratio ** (n - 1)
    assert geometric_count(length, first, last, math.nan) == n
    assert geometric_count(length, first, math.nan, ratio) == n
    assert geometric_count(length, math.nan, last, ratio) == n


def test_a_run_that_shrinks_too_fast_never_arrives():
    with pytest.raises(ImpossibleSpacing, match="never reach"):
        geometric_count(10.0, 1.0, math.nan, 0.5)


def test_kept_places_stay_and_another_count_goes_through_them():
    law = LAWS["kept"]
    assert law.nodes(4, LENGTH).tolist() == list(law.places)
    assert law.nodes(8, LENGTH)[::2] == pytest.approx(law.places)


def test_a_piece_of_a_layered_edge_keeps_its_layers_where_it_has_them_whole():
    law = EdgeLaw("wall layers", first=0.01, ratio=1.2, layers=3)
    places = (0.0, 0.1, 0.22, 0.364, 0.6, 1.0)
    piece = law.kept(places, at_first=True, at_last=False)
    assert (piece.first, piece.last, piece.layers) == (0.01, None, 3)
    assert (piece.turned().first, piece.turned().last, piece.turned().layers) == (None, 0.01, 3)
    assert law.kept(places, at_first=False, at_last=True).first is None
    short = law.kept((0.0, 0.4, 1.0), at_first=True, at_last=False)
    assert (short.first, short.layers) == (None, 0)
    assert np.array_equal(piece.nodes(5, 1.0), places)

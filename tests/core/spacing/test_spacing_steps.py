"""The steps of the Spacing stage on whole layouts: what they set, what follows from it, what they refuse."""

import math

import numpy as np
import pytest

from plodek.core.blocks.normals import slants
from plodek.core.build import build
from plodek.core.model.spacing_advice import advise_spacing
from plodek.core.spacing.edge_law import most_growth
from plodek.core.spacing.jumps import jumps
from tests.conftest import evaluated, model_of

FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}
CUTS = [
    FRAME,
    {"kind": "cut", "id": "x", "by": "x", "at": [1.5]},
    {"kind": "cut", "id": "y", "by": "y", "at": [1]},
]
RING = [
    {"kind": "circle", "id": "c", "name": "c", "centre": [2, 1], "radius": 0.3},
    FRAME,
    {"kind": "cut", "id": "x", "by": "x", "at": [1.5, 2.5]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.6, 1.4]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [2, 1]}},
    {"kind": "follow", "id": "w", "guide": "c", "edges": {"around": {"at": [2, 1]}}},
    {"kind": "ring", "id": "r", "blocks": {"at": [2, 1]}, "thickness": 0.4},
]  # fmt: skip
WALL = {"kind": "wall-layer", "id": "l", "walls": {"on": "c"}, "first": "1 mm", "growth": 1.15, "layers": 9}


def edge_at(model, at):
    return min(model.paths, key=lambda e: math.dist(model.paths[e].at(np.array([0.5]))[0][:2], at))


def sizes(model, at):
    """Give the cell sizes of the edge nearest to a place, from its end with the lower x (or y)."""
    edge = edge_at(model, at)
    d, step = model.laid.sizes(edge), model.paths[edge].end - model.paths[edge].start
    return d if step[0] > 1e-9 or (abs(step[0]) < 1e-9 and step[1] > 0) else d[::-1]


def test_a_wall_layer_on_a_guide_is_at_the_wall_and_matches_the_next_block():
    model = model_of([*RING, WALL])
    across = [e for e in model.paths if e in model.spacing.laws]
    assert len(across) == 4
    for edge in across:
        d = model.laid.sizes(edge)
        on = [c for c in edge if model.layout.corners[c].guide == "c"]
        d = d if edge[0] in on else d[::-1]
        # These leave the circle as its radii do, but for the corners of the ring, which lie a little off them.
        first = 1e-3 / slants(model.layout, model.guides, model.paths, model.layout.outer)[edge][on[0]]
        assert 1e-3 * (1 - 1e-12) <= first < 1.01e-3
        assert d[:9] == pytest.approx(first * 1.15 ** np.arange(9))
        beyond = model.continuing[edge, next(c for c in edge if c not in on)]
        assert d[-1] == pytest.approx(min(model.laid.size_at(*end) for end in beyond))
    # It stays matched when the next block changes.
    finer = model_of([*RING, WALL, {"kind": "count", "id": "n", "tier": {"at": [0.7, 0]}, "cells": 60}])
    assert finer.laid.sizes(across[0]).min() == pytest.approx(1e-3, rel=0.01)
    assert {round(j.ratio, 1) for j in jumps(finer.laid, finer.continuing) if j.coarse in across} == set()


def test_walls_at_both_ends_get_layers_at_both():
    step = {"kind": "wall-layer", "id": "l", "walls": {"each": [[2, 0], [2, 2]]}, "first": 0.01, "layers": 5}
    d = sizes(model_of([FRAME, step]), (0, 1))
    assert d[:5] == pytest.approx(0.01 * 1.2 ** np.arange(5))
    assert d[::-1][:5] == pytest.approx(d[:5])
    assert most_growth(np.concatenate([[0], np.cumsum(d)])) <= 1.2012


def test_matched_ends_follow_their_neighbours_and_turn_with_the_edge():
    steps = [
        *CUTS,
        {"kind": "space", "id": "a", "tier": {"at": [0.7, 0]}, "cells": 12, "last": "4 cm"},
        {"kind": "space", "id": "b", "tier": {"at": [3, 0]}, "law": "tanh", "match": "first", "cells": 20},
    ]
    model = model_of(steps)
    assert sizes(model, (3, 0))[0] == pytest.approx(0.04)
    assert sizes(model, (3, 2))[0] == pytest.approx(0.04)
    later = model_of(
        [*steps, {"kind": "space", "id": "d", "tier": {"at": [0.7, 0]}, "cells": 12, "last": "3 cm"}]
    )
    assert sizes(later, (3, 0))[0] == pytest.approx(0.03)
    turned = model_of([*steps, {"kind": "turn", "id": "t", "tier": {"at": [3, 0]}}])
    assert sizes(turned, (3, 0))[-1] > 0  # there is no neighbour at that end
    lonely = evaluated([FRAME, steps[-1] | {"tier": {"at": [2, 0]}}]).error
    assert "No neighbour" in str(lonely)


@pytest.mark.parametrize(
    ("law", "end", "growth"),
    [("geometric", "first", 1.2), ("geometric", "last", 1 / 1.2), ("tanh", "first", 1.15), ("two-sided", "both", 1.3)],
)  # fmt: skip
def test_a_count_comes_from_the_neighbours_cell_and_the_growth(law, end, growth):
    """By the sum of a geometric row: its length is d (rⁿ - 1)/(r - 1); the fewest cells for the others."""
    steps = [
        {"kind": "frame", "id": "f", "width": 5, "height": 1},
        {"kind": "cut", "id": "c", "by": "x", "at": [1, 4]},
        {"kind": "count", "id": "n", "tier": {"each": [[0.5, 0], [4.5, 0]]}, "cells": 10},
    ]
    space = {"kind": "space", "id": "s", "tier": {"at": [2.5, 0]}, "law": law, "match": end, "growth": growth}
    model = model_of([*steps, space])
    d = sizes(model, (2.5, 0))
    for which, at in (("first", 0), ("last", -1)):
        if end in (which, "both"):
            assert d[at] == pytest.approx(0.1)
    if law == "geometric":
        assert len(d) == round(math.log(1 + 0.2 * 3 / 0.1) / math.log(1.2))
        np.testing.assert_allclose(d[1:] / d[:-1], growth, rtol=0.03)
        return
    worst = np.max(np.maximum(d[1:] / d[:-1], d[:-1] / d[1:]))
    assert worst <= growth * (1 + 1e-9)
    fewer = sizes(model_of([*steps, space | {"cells": len(d) - 1, "growth": None}]), (2.5, 0))
    assert np.max(np.maximum(fewer[1:] / fewer[:-1], fewer[:-1] / fewer[1:])) > growth


@pytest.mark.parametrize("law", ["tanh", "two-sided", "wall layers"])
def test_a_growth_on_a_tier_holds_for_its_longest_edge_too(law):
    block = {"kind": "block", "id": "b", "corners": [[0, 0], [1, 0], [0, 1], [4, 1]]}
    space = {"kind": "space", "id": "s", "tier": {"at": [0.5, 0]}, "law": law, "first": 0.01, "growth": 1.2}
    space |= {"layers": 4} if law == "wall layers" else {}
    growths = {over: [] for over in ("tier", "edges")}
    for over, found in growths.items():
        model = model_of([block, space | {"over": over, "last": None if law != "two-sided" else 0.02}])
        for at in ((0.5, 0), (2, 1)):
            d = sizes(model, at)
            found.append(max(np.max(d[1:] / d[:-1]), np.max(d[:-1] / d[1:])))
    assert max(growths["tier"]) <= 1.2 * (1 + 1e-9)
    assert growths["edges"][0] <= 1.2 * (1 + 1e-9)


def test_layers_whose_next_cell_is_too_large_end_smoothly_and_the_jump_is_told():
    """The next cell, 0.5 long, does not fit on an edge of 0.3, or only with a growth of four."""
    steps = [
        {"kind": "frame", "id": "f", "width": 1, "height": 2.3},
        {"kind": "cut", "id": "c", "by": "y", "at": [0.3]},
        {"kind": "patch", "id": "p", "name": "floor", "faces": {"side": "y-"}},
        {"kind": "count", "id": "n", "tier": {"at": [0, 1.3]}, "cells": 4},
        {"kind": "wall-layer", "id": "w", "walls": {"patch": "floor"}, "first": 0.002, "layers": 8},
    ]
    for cells in (4, 10):
        steps[3]["cells"] = cells
        model = model_of(steps)
        d = sizes(model, (0, 0.15))
        assert d[0] == pytest.approx(0.002)
        assert most_growth(np.cumsum([0, *d])) <= 1.2 * 1.002
        assert any(jump.coarse != jump.fine for jump in model.jumps)


def test_a_far_cell_that_was_typed_stays_where_there_is_no_neighbour_to_match():
    """From 2 mm to 0.2 in 10 cells on 0.5: more growth than a smooth end, but asked for."""
    steps = [
        {"kind": "frame", "id": "f", "width": 2, "height": 0.5},
        {"kind": "cut", "id": "c", "by": "x", "at": [1]},
        {"kind": "grow", "id": "g", "sides": {"at": [0.5, 0.5]}, "distance": 1},
        {"kind": "space", "id": "s", "tier": {"at": [0, 0.25]}, "law": "wall layers", "first": 0.002, "layers": 4,
         "growth": 1.2, "cells": 10, "far": 0.2, "match": "last"},
    ]  # fmt: skip
    model = model_of(steps)
    assert sizes(model, (2, 0.25))[-1] == pytest.approx(0.2)


def test_a_wall_layer_that_does_not_fit_names_the_edge_and_its_angle():
    block = {"kind": "block", "id": "b", "corners": [[0, 0], [2, 0], [0.9, 0.1], [2.9, 0.1]]}
    wall = {"kind": "wall-layer", "id": "w", "walls": {"side": "y-"}, "first": 0.01, "layers": 8}
    said = str(evaluated([block, wall]).error)
    assert said.startswith("edge c3–c1, 0.9055 m long, which leaves the wall at 6°: no count")
    assert "Use 3 layers at most" in said  # 0.09055 (1.2³ − 1) / 0.2 = 0.33


def test_twin_sides_are_looked_across_for_jumps_and_matches():
    twin = {
        "kind": "twin", "id": "p", "sides": {"at": [2, 0]}, "others": {"at": [2, 2]}, "shift": [0, 2],
    }  # fmt: skip
    fine = {"kind": "space", "id": "a", "tier": {"at": [0, 0.5]}, "cells": 10, "first": "1 cm"}
    steps = [CUTS[0], CUTS[2], twin, fine]
    model = model_of(steps)
    low, high = edge_at(model, (0, 0.5)), edge_at(model, (0, 1.5))
    found = {(j.fine, j.coarse): j.ratio for j in jumps(model.laid, model.continuing)}
    coarse = sizes(model, (0, 1.5))[-1]
    assert found[low, high] == pytest.approx(coarse / 0.01)
    match = {
        "kind": "space",
        "id": "b",
        "tier": {"at": [0, 1.5]},
        "law": "tanh",
        "cells": 12,
        "match": "both",
    }
    matched = model_of([*steps, match])
    d = sizes(matched, (0, 1.5))
    assert d[-1] == pytest.approx(0.01)
    assert d[0] == pytest.approx(sizes(matched, (0, 0.5))[-1])


def test_an_edge_of_no_length_breaks_nothing():
    pin = {"kind": "pin", "id": "p", "corner": {"at": [1.5, 0]}, "to": [0, 0]}
    model = model_of([FRAME, CUTS[1], pin])
    assert min(path.length for path in model.paths.values()) == 0
    assert all(math.isfinite(j.ratio) for j in jumps(model.laid, model.continuing))


def test_a_released_tier_is_derived_again():
    count = {"kind": "count", "id": "n", "tier": {"at": [2, 0]}, "cells": 77}
    release = {"kind": "release", "id": "r", "tier": {"at": [2, 2]}}
    assert len(sizes(model_of([FRAME, count]), (2, 0))) == 77
    free = model_of([FRAME, count, release])
    assert free.laid.counts == model_of([FRAME]).laid.counts
    assert "derived already" in str(evaluated([FRAME, release]).error)


SMOOTH = {"kind": "smooth", "id": "s", "sweeps": 5, "control": "no control"}
LIFT = {"kind": "extrude", "id": "e", "depth": 8, "cells": 6}


@pytest.mark.parametrize("smoothing", [[], [SMOOTH]])
@pytest.mark.parametrize(
    "step", [None, {"kind": "wanted-size", "size": 0.1}, {"kind": "factor", "factor": 2}]
)
def test_the_cells_told_of_a_lifted_plane_are_those_of_its_grid(smoothing, step):
    name = {"kind": "name-tier", "id": "t", "tier": {"at": [0.7, 0]}, "name": "upstream"}
    before = [step | {"id": "w"}] if step else []
    model = model_of([*CUTS, name, *before, *smoothing, LIFT])
    grid = build.build(model).grid
    assert model.cells == grid.cells
    assert set(model.spacing.names.values()) == {"upstream"}
    factor = 2 if step and step["kind"] == "factor" else 1
    assert grid.shape_of(0)[2] == 6 * factor
    if smoothing:  # what was smoothed keeps the counts it was smoothed with
        assert model.cells == model.lift.plane.cells * 6 * factor
        late = model_of([*CUTS, *smoothing, LIFT, {"kind": "factor", "factor": 2, "id": "z"}])
        assert build.build(late).grid.cells == 8 * late.lift.plane.cells * 6


def test_a_factor_divides_the_sizes_of_a_later_lift():
    lift = LIFT | {"law": "geometric", "first": "40 cm"}
    for kind, first in (("first heights divided", 0.2), ("first heights kept", 0.4)):
        factor = {"kind": "factor", "id": "w", "factor": 2, "sizes_set": kind}
        model = model_of([FRAME, factor, lift])
        edge = next(e for e in model.paths if e[0].split(".")[0] == e[1].split(".")[0])
        d = model.laid.sizes(edge)
        assert (len(d), d[0]) == (12, pytest.approx(first))


def test_along_a_lift_there_is_advice_even_where_the_plane_is_smoothed():
    lift = LIFT | {"cells": 60, "cuts": [0.5]}
    steps = [*CUTS, SMOOTH, lift]
    model = model_of(steps)
    assert advise_spacing(model) == []
    edge = next(e for e in model.paths if e[0].split(".")[0] == e[1].split(".")[0] and "0.5" in e[1])
    fine = {"kind": "space", "id": "z", "tier": {"edges": [list(edge)]}, "cells": 30, "last": "1 cm"}
    (advice,) = advise_spacing(model_of([*steps, fine]))
    assert advice.rule == "jump"
    taken = model_of([*steps, fine, *(s | {"id": "taken"} for s in advice.steps)])
    assert jumps(taken.laid, taken.continuing) == []


@pytest.mark.parametrize(
    ("values", "cells", "first", "last"),
    [
        # Σ 0.05 · 1.1^k = 4: n = ln(1 + 0.1 · 80)/ln 1.1 = 23.05
        ({"first": 0.05, "growth": 1.1}, 23, 0.05, None),
        ({"last": 0.05, "growth": 1 / 1.1}, 23, None, 0.05),
        # r = (4 − 0.05)/(4 − 0.4) = 1.0972, n = 1 + ln 8/ln r = 23.4
        ({"first": 0.05, "last": 0.4}, 23, 0.05, None),
        ({"first": 0.05, "expansion": 8}, 23, 0.05, None),
        # n = 1 + ln 8 / ln 1.1 = 22.8
        ({"growth": 1.1, "expansion": 8}, 23, None, None),
    ],
)
def test_two_of_four_give_a_geometric_run(values, cells, first, last):
    model = model_of([FRAME, {"kind": "space", "id": "s", "tier": {"at": [2, 0]}, **values}])
    d = sizes(model, (2, 0))
    assert cells is None or len(d) == cells
    assert first is None or d[0] == pytest.approx(first)
    assert last is None or d[-1] == pytest.approx(last)
    assert np.ptp(d[1:] / d[:-1]) < 1e-9


def test_a_contradiction_is_refused_with_what_would_do():
    """From 6 mm at 1.05, 16 cells reach 6 (1.05^16 − 1)/0.05 = 142 mm; 45 cells, or growth 1.26, reach 95 cm."""
    frame = {"kind": "frame", "id": "f", "width": 0.95, "height": 1}
    step = {
        "kind": "space",
        "id": "s",
        "tier": {"at": [0.5, 0]},
        "cells": 16,
        "first": "6 mm",
        "growth": 1.05,
    }
    said = str(evaluated([frame, step]).error)
    assert "16 cells from 0.006 m at growth 1.05 reach 0.142 m of 0.95 m" in said
    assert "45 cells or growth 1.26" in said
    assert len(sizes(model_of([frame, step | {"cells": None}]), (0.5, 0))) == 45


def test_wanted_sizes_the_finest_wins_and_locked_tiers_stay():
    wish = {"kind": "wanted-size", "id": "w", "size": 0.25}
    model = model_of([*CUTS, wish])
    assert [len(sizes(model, at)) for at in ((0.7, 0), (3, 0), (0, 0.5))] == [6, 10, 4]
    box = {
        "kind": "wanted-size",
        "id": "b",
        "size": 0.1,
        "where": "in a box",
        "low": [3.5, 0],
        "high": [4, 0.1],
    }
    finer = model_of([*CUTS, wish, box, {"kind": "count", "id": "n", "tier": {"at": [0, 0.5]}, "cells": 3}])
    assert [len(sizes(finer, at)) for at in ((0.7, 0), (3, 0), (0, 0.5))] == [6, 25, 3]
    on = model_of(
        [*RING, {"kind": "wanted-size", "id": "z", "size": 0.01, "where": "on guides", "guides": ["c"]}]
    )
    assert max(max(on.laid.sizes(e)) for e, f in on.layout.follows.items()) <= 0.01
    near = {
        "kind": "wanted-size",
        "id": "z",
        "size": 0.05,
        "where": "near a guide",
        "guide": "c",
        "within": 0.1,
    }
    assert len(sizes(model_of([*RING, near]), (0.7, 0))) == len(sizes(model_of(RING), (0.7, 0)))
    patch = {"kind": "patch", "id": "p", "name": "inlet", "type": "inlet", "faces": {"side": "x-"}}
    wish = {"kind": "wanted-size", "id": "w", "size": 0.05, "where": "on a patch", "patch": "inlet"}
    assert len(sizes(model_of([*CUTS, wish, patch]), (0, 0.5))) == 20
    held = {"kind": "space", "id": "s", "tier": {"at": [3, 0]}, "first": 0.01}
    laws = model_of([*CUTS, held, {"kind": "wanted-size", "id": "w", "size": 0.2}])
    assert 0.15 < max(sizes(laws, (3, 0))) <= 0.2


def test_budget_factor_and_multiples():
    locked = {"kind": "count", "id": "n", "tier": {"at": [0.7, 0]}, "cells": 7}
    budget = model_of([*CUTS, locked, {"kind": "budget", "id": "b", "cells": 20_000}])
    assert 19_000 < budget.cells <= 20_000
    assert len(sizes(budget, (0.7, 0))) == 7
    assert "budget" in str(evaluated([*CUTS, *[{"kind": "count", "id": f"n{k}", "tier": {"at": at}, "cells": 50} for k, at in enumerate(([0.7, 0], [3, 0], [0, 0.5], [0, 1.5]))], {"kind": "budget", "id": "b", "cells": 100}]).error)  # fmt: skip
    multiples = {"kind": "multiples", "id": "m", "of": "8"}
    even = model_of([*CUTS, locked, multiples, {"kind": "wanted-size", "id": "w", "size": 0.07}])
    assert [len(sizes(even, at)) for at in ((0.7, 0), (3, 0), (0, 0.5))] == [7, 40, 16]
    law = {"kind": "space", "id": "s", "tier": {"at": [0, 0.5]}, "cells": 10, "first": 0.02}
    twice = {"kind": "factor", "id": "k", "factor": 2}
    plain = model_of([*CUTS, locked, law])
    divided = model_of([*CUTS, locked, law, twice])
    kept = model_of([*CUTS, locked, law, twice | {"sizes_set": "first heights kept"}])
    assert divided.cells == kept.cells == 4 * plain.cells
    assert sizes(divided, (0, 0.5))[0] == pytest.approx(0.01)
    assert sizes(kept, (0, 0.5))[0] == pytest.approx(0.02)


def test_copy_to_edges_to_a_guide_and_blending():
    one = {"kind": "space", "id": "s", "tier": {"at": [0, 0.5]}, "over": "edges", "cells": 10, "first": 0.02}
    copied = model_of([*CUTS, one, {"kind": "copy", "id": "k", "edge": {"at": [0, 0.5]}, "to": "edges", "edges": {"at": [4, 0.5]}}])  # fmt: skip
    assert sizes(copied, (4, 0.5)) == pytest.approx(sizes(copied, (0, 0.5)))
    assert np.ptp(sizes(copied, (1.5, 0.5))) < 1e-12
    other = {"kind": "space", "id": "o", "tier": {"at": [4, 0.5]}, "over": "edges", "first": 0.08}
    blended = model_of(
        [*CUTS, one, other, {"kind": "blend", "id": "b", "edges": {"each": [[0, 0.5], [4, 0.5]]}}]
    )
    # Half-way in ln size is at 1.5 of 4: 0.02 · 4^(1.5/4).
    assert sizes(blended, (1.5, 0.5))[0] == pytest.approx(0.02 * 4 ** (1.5 / 4))
    unlike = evaluated(
        [*CUTS, one, {"kind": "blend", "id": "b", "edges": {"each": [[0, 0.5], [4, 0.5]]}}]
    ).error
    assert "different kinds" in str(unlike)
    edge = {"edges": [list(next(iter(model_of(RING).layout.follows)))]}
    fine = {"kind": "space", "id": "s", "tier": edge, "over": "edges", "cells": 12, "first": 0.01}
    model = model_of([*RING, fine, {"kind": "copy", "id": "k", "edge": edge, "to": "a guide", "guide": "c"}])
    laid = [
        model.laid.sizes(e) if model.paths[e].span > 0 else model.laid.sizes(e)[::-1]
        for e in model.layout.follows
    ]
    assert np.ptp([d[0] for d in laid]) < 1e-12  # all begin alike, going along the guide
    assert min(laid[0][0], laid[0][-1]) == pytest.approx(0.01)


def test_twins_stay_equal():
    twin = {"kind": "twin", "id": "t", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 2]}
    step = {"kind": "space", "id": "s", "tier": {"at": [0.7, 0]}, "over": "edges", "cells": 10, "first": 0.02}
    model = model_of([*CUTS, twin, step])
    assert sizes(model, (0.7, 2)) == pytest.approx(sizes(model, (0.7, 0)))
    assert np.ptp(sizes(model, (0.7, 1))) < 1e-12


@pytest.mark.parametrize(
    ("rule", "steps"),
    [
        ("jump", [*CUTS, {"kind": "space", "id": "s", "tier": {"at": [0.7, 0]}, "cells": 20, "last": "1 cm"}]),
        ("wrong-end", [*RING, WALL | {"far": "smooth"}, {"kind": "turn", "id": "t", "tier": {"at": [1.35, 0.7]}}]),
        ("count", [*CUTS, {"kind": "count", "id": "n", "tier": {"at": [0.7, 0]}, "cells": 300}]),
        ("stretched", [FRAME, {"kind": "space", "id": "s", "tier": {"at": [0, 1]}, "law": "two-sided", "first": 1e-5, "cells": 60}]),
    ],
)  # fmt: skip
def test_advice_is_given_and_taking_it_mends(rule, steps):
    model = model_of(steps)
    found = [a for a in advise_spacing(model) if a.rule == rule]
    assert found
    taken = [step | {"id": f"a{n}"} for n, step in enumerate(found[0].steps)]
    after = model_of([*steps, *taken])
    again = [a for a in advise_spacing(after) if a.rule == rule and a.edges == found[0].edges]
    assert not again

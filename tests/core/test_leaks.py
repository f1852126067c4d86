"""Leaks of grids: blocks that overlap, doubled ones, gaps, sides that meet in part; and none in what is sound."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.build.build import filled_grid
from plodek.core.check.checked import check
from plodek.core.check.measure import measure
from plodek.core.check.quality import gate
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from tests.conftest import model_of, numbered


def box(low, high, counts):
    along = [np.linspace(a, b, n + 1) for a, b, n in zip(low, high, counts, strict=True)]
    return np.stack(np.meshgrid(*along, indexing="ij"), axis=-1)


def flat(low, high, counts):
    return box((*low, 0.0), (*high, 0.0), (*counts, 0))


def apart(*blocks):
    """A grid of blocks none of whose sides are joined."""
    dim = 2 if all(nodes.shape[2] == 1 for nodes in blocks) else 3
    sides = (Window(b, axis, end) for b in range(len(blocks)) for axis in range(dim) for end in (0, 1))
    return Grid(dim, tuple(f"block{n}" for n in range(len(blocks))), blocks, unnamed=tuple(sides))


ONE, FLAT = box((0, 0, 0), (1, 1, 1), (4, 4, 4)), flat((0, 0), (1, 1), (4, 4))
CASES = {
    "by half": (box((0.5, 0.1, 0), (1.5, 1.1, 1), (5, 4, 4)), "overlap"),
    "one within the other": (box((0.4, 0.4, 0.4), (0.6, 0.6, 0.6), (2, 2, 2)), "overlap"),
    "doubled": (ONE.copy(), "overlap"),
    "doubled, with other cells": (box((0, 0, 0), (1, 1, 1), (3, 5, 2)), "overlap"),
    "beside, not joined": (box((1, 0, 0), (2, 1, 1), (4, 4, 4)), "unjoined"),
    "1e-6 apart": (box((1 + 1e-6, 0, 0), (2, 1, 1), (4, 4, 4)), "unjoined"),
    "a thousandth of a cell apart": (box((1.00025, 0, 0), (2, 1, 1), (4, 4, 4)), "unjoined"),
    "two to one": (box((1, 0, 0), (2, 1, 1), (4, 8, 8)), "in part"),
    "a tee": (box((1, 0.25, 0.25), (2, 0.75, 0.75), (4, 2, 2)), "in part"),
    "far": (box((1.3, 0, 0), (2, 1, 1), (4, 4, 4)), None),
    "a tenth of a cell apart": (box((1.025, 0, 0), (2, 1, 1), (4, 4, 4)), None),
    "corner to corner": (box((1, 1, 1), (2, 2, 2), (4, 4, 4)), None),
    "edge to edge": (box((1, 1, 0), (2, 2, 1), (4, 4, 4)), None),
}


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("name", CASES)
def test_what_leaks_is_a_row_of_the_gate_with_where_and_the_cure(name, turned):
    other, kind = CASES[name]
    turn = np.linalg.qr(np.random.default_rng(7).standard_normal((3, 3)))[0] if turned else np.eye(3)
    turn = turn * np.sign(np.linalg.det(turn))
    found = check(apart(ONE @ turn, other[::-1, ::-1] @ turn))
    assert [leak.kind for leak in found.cells.leaks] == ([kind] if kind else [])
    (row,) = (v for v in found.gate.verdicts if v.metric.key == "leaks")
    assert bool(row.missed) == bool(kind) == (not found.passed)
    if kind:
        assert "block0 and block1" in row.sentence
        assert found.cells.leaks[0].blocks == (0, 1)
    else:
        assert row.sentence == "leaks: none"


@pytest.mark.parametrize(
    ("other", "kind"),
    [
        (flat((0.5, 0.1), (1.5, 1.1), (5, 4)), "overlap"),
        (flat((1.0001, 0), (2, 1), (4, 4)), "unjoined"),
        (flat((1, 0.3), (2, 0.6), (4, 4)), "in part"),
        (flat((1.2, 0), (2, 1), (4, 4)), None),
    ],
)
def test_planes_leak_as_well(other, kind):
    assert [leak.kind for leak in measure(apart(FLAT, other)).leaks] == ([kind] if kind else [])


@settings(max_examples=60, deadline=None)
@given(st.tuples(*[st.floats(-1.3, 1.3)] * 3), st.tuples(*[st.integers(1, 5)] * 3))
def test_boxes_overlap_where_they_do(shift, counts):
    """Against the exact answer for boxes along the axes; slivers that no cell's middle lies in are left out."""
    lap = np.prod([max(0.0, 1.0 - abs(s)) for s in shift])
    narrow = min(1.0 - abs(s) for s in shift)
    if narrow > 0 and narrow < 0.55:
        return
    other = box(shift, np.add(shift, 1.0), counts)
    kinds = [leak.kind for leak in measure(apart(ONE, other)).leaks]
    assert ("overlap" in kinds) == (lap > 0)


def test_what_is_laid_out_and_joined_does_not_leak():
    """A disk with a core, a layer around a body, and a wall between two regions, which has faces on both sides."""
    round_one = [
        {"kind": "frame", "shape": "polar", "outer": 1},
        {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5},
        {"kind": "extrude", "depth": 2, "cells": 4},
    ]
    halves = [
        {"kind": "frame", "width": 2, "height": 1},
        {"kind": "cut", "by": "x", "at": [1]},
        {"kind": "region", "blocks": {"at": [1.5, 0.5]}, "name": "cooling"},
        {"kind": "patch", "name": "between", "faces": {"between": ["fluid", "cooling"]}},
    ]
    for steps in (round_one, halves):
        assert measure(filled_grid(model_of(numbered(steps)))).leaks == ()


def test_a_slit_between_blocks_passes_where_the_gate_says_so():
    cells = measure(apart(ONE, CASES["beside, not joined"][0]))
    assert not gate(cells, {"leaks": 0}).passed
    assert gate(cells, {"leaks": 1}).passed
    assert gate(cells, {}).passed


@pytest.mark.parametrize("nodes", [ONE * [1, 2, 1] + 0.1 * ONE**2, FLAT * [1, 2, 1] + 0.1 * FLAT[..., ::-1]])
def test_a_left_handed_block_is_sound_and_told(nodes):
    """As if its indices ran the other way: the same worst values, and a cell keeps its number."""
    plain, turned = (check(apart(part)) for part in (nodes, nodes[::-1]))
    assert (plain.cells.left, turned.cells.left) == ((), (0,))
    shape = plain.cells.grid.shape_of(0)
    for key in ("scaled_jacobian", "largest_angle", "volume_ratio"):
        one, other = (found.cells.of(key).reshape(shape) for found in (plain, turned))
        np.testing.assert_allclose(one, other[::-1], rtol=1e-12)
    assert not turned.cells.folded.any()
    assert measure(apart(nodes[::-1])).folded.all()  # of grids laid out here it means that they are folded


def test_a_limit_that_is_met_but_for_rounding_is_met():
    cells = measure(apart(ONE))
    assert gate(cells, {"volume_ratio": 1.0 - 1e-10, "smallest_angle": 90.0 + 1e-8}).passed
    assert not gate(cells, {"smallest_angle": 90.1}).passed

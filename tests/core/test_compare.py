"""Two grids side by side: verdicts, bars they share, and nodes apart."""

from dataclasses import replace

import numpy as np
import pytest

from plodek.core.build.build import filled_grid
from plodek.core.check.compare import apart, both_spread, compare
from plodek.core.check.measure import measure
from plodek.core.check.metrics import BY_KEY
from tests.conftest import model_of, numbered

BLOCKS = [
    {"kind": "frame", "width": 2, "height": 1},
    {"kind": "cut", "at": [1]},
    {"kind": "budget", "cells": 200},
    {"kind": "patch", "name": "wall", "type": "wall", "faces": {"side": "y-"}},
]


@pytest.fixture
def even():
    return filled_grid(model_of(numbered(BLOCKS)))


def pushed(grid, by=0.02):
    """The same grid with one node of its first block moved."""
    xyz = [block.copy() for block in grid.xyz]
    xyz[0][2, 3, 0] += (by, 0, 0)
    return replace(grid, xyz=tuple(xyz))


def test_a_pushed_node_makes_worse_what_it_touches_and_better_what_it_is_seen_from(even):
    ours, theirs = measure(pushed(even)), measure(even)
    forth = {pair.metric.key: pair.verdict for pair in compare(ours, theirs)}
    back = {pair.metric.key: pair.verdict for pair in compare(theirs, ours)}
    for key in ("scaled_jacobian", "smallest_angle", "largest_angle", "skewness", "volume_ratio"):
        assert (forth[key], back[key]) == ("worse", "better")
    assert forth["first_height"] == "same"
    assert {pair.verdict for pair in compare(ours, ours)} == {"same"}


def test_what_one_of_them_does_not_have_is_not_compared(even):
    bare = replace(even, patches=())
    pairs = {pair.metric.key: pair for pair in compare(measure(bare), measure(even))}
    assert pairs["first_height"].verdict == "not comparable"
    assert pairs["first_height"].ours is None
    assert pairs["first_height"].theirs is not None
    assert "twin_angle" not in pairs


@pytest.mark.parametrize("key", list(BY_KEY))
def test_both_are_spread_over_the_same_bars_with_all_their_cells(even, key):
    ours, theirs = measure(pushed(even)), measure(even)
    one, other = both_spread(ours, theirs, key, 10)
    assert np.array_equal(one.bounds, other.bounds)
    for found, cells in ((one, ours), (other, theirs)):
        assert sum(found.counts) == np.isfinite(cells.of(key)).sum()


def test_nodes_apart_are_told_with_the_place(even):
    found = apart(pushed(even), even)
    nodes = sum(block[..., 0].size for block in even.xyz)
    assert found.largest == pytest.approx(0.02)
    assert found.mean == pytest.approx(0.02 / nodes)
    assert found.at == pytest.approx(even.xyz[0][2, 3, 0] + (0.02, 0, 0))
    shuffled = replace(pushed(even), names=even.names[::-1], xyz=pushed(even).xyz[::-1])
    assert apart(shuffled, even) == found


def test_grids_of_other_counts_are_not_told_apart_by_nodes(even):
    finer = filled_grid(model_of(numbered([*BLOCKS[:2], {"kind": "budget", "cells": 400}])))
    one_block = filled_grid(model_of(numbered([BLOCKS[0], BLOCKS[2]])))
    assert apart(even, finer) is None
    assert apart(even, one_block) is None

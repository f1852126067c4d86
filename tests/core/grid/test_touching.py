"""Blocks that touch along an edge or at a corner alone: found again in received grids, and one thing from then on."""

from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.to_layout import take_up
from plodek.core.grid.touching import seams_in
from tests import received
from tests.conftest import model_of, numbered
from tests.received import START, of_nodes


def box(low, high, cells):
    """The nodes of a box, even along each axis."""
    axes = [np.linspace(a, b, n + 1) for a, b, n in zip(low, high, cells, strict=True)]
    return np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)


def bare(*xyz, dim=3):
    grid = of_nodes(*xyz, dim=dim)
    return replace(grid, seams=seams_in(grid))


@settings(max_examples=40, deadline=None)
@given(
    kept=st.lists(st.booleans(), min_size=12, max_size=12),
    turns=st.integers(0, 23),
    dim=st.sampled_from([2, 3]),
)
def test_nodes_are_counted_once_however_blocks_touch(kept, turns, dim):
    """Against the number of different places, as nothing else lies on anything."""
    cells, turn = (2, 3, 4), list(Orientation.every(3))[turns]
    blocks = []
    for at, there in zip(product(range(3), range(2), range(2)), kept, strict=True):
        if not there or (dim == 2 and at[2]):
            continue
        nodes = box(at, [n + 1 for n in at], [cells[n] for n in range(3)])
        blocks.append(nodes[:, :, :1] if dim == 2 else turn.apply(nodes))
    if not blocks:
        return
    grid = bare(*blocks, dim=dim)
    places = np.unique(np.concatenate([nodes.reshape(-1, 3) for nodes in grid.xyz]), axis=0)
    assert Numbering.of(grid).count == len(places)


EDGE = [box((0, 0, 0), (1, 1, 1), (3, 4, 5)), box((1, 1, 0), (2, 2, 1), (2, 3, 5))]


@pytest.mark.parametrize("flip", [False, True])
def test_an_edge_is_shared_whichever_way_the_blocks_run(flip):
    other = EDGE[1][:, ::-1, ::-1] if flip else EDGE[1]
    grid = bare(EDGE[0], other)
    assert {(seam.axes, seam.turned) for seam in grid.seams} >= {((2, 2), flip)}
    assert Numbering.of(grid).count == EDGE[0].size // 3 + EDGE[1].size // 3 - 6


def test_a_slit_stays_one():
    grid = of_nodes(box((0, 0, 0), (1, 1, 1), (3, 3, 3)), box((1, 0, 0), (2, 1, 1), (3, 3, 3)))
    assert len(grid.interfaces) == 1
    assert seams_in(replace(grid, interfaces=())) == ()


def test_edges_with_nodes_of_their_own_stay_apart():
    finer = box((1, 1, 0), (2, 2, 1), (2, 3, 7))
    assert bare(EDGE[0], finer).seams == ()
    uneven = EDGE[1].copy()
    uneven[..., 2] **= 1.2
    assert bare(EDGE[0], uneven).seams == ()
    bowed = box((1, 1, 0), (0.3, 1.7, 1), (4, 5, 5))
    bowed[..., 0] += 0.1 * np.sin(np.pi * bowed[..., 2])
    assert bare(bowed, EDGE[0], finer).seams == ()  # whichever of them comes first


def test_a_corner_on_a_side_of_another_is_none_of_its():
    beside = [box((0, 0, 0), (1, 1, 1), (4, 4, 4)), box((1, 0.25, 0.25), (2, 0.75, 0.75), (2, 2, 2))]
    grid = bare(*beside, box((2, 0.75, 0.75), (3, 2, 2), (2, 2, 2)))
    assert {(seam.block, seam.other) for seam in grid.seams} == {(1, 2)}


def test_a_received_edge_moves_as_one_and_a_cut_runs_through_both_blocks():
    grid = of_nodes(*EDGE)
    layout = take_up("s", grid, "m").layout
    assert (len(layout.blocks), len(layout.corners), len(layout.edges)) == (2, 14, 23)
    cut = {"kind": "cut", "by": "cells", "cells": [2], "tier": {"at": [1, 1, 0.5], "start": [1, 1, 0]}}
    model = received.model_of([START, cut], a=grid)
    assert len(model.layout.blocks) == 4
    built = build.filled_grid(model)
    assert received.kept(grid, built) == len(received.nodes_of(grid))
    assert Numbering.of(built).count == Numbering.of(bare(*EDGE)).count


def test_own_grids_have_the_seams_that_their_nodes_tell():
    cuts = [{"kind": "cut", "by": axis, "at": [1, 2]} for axis in "xy"]
    hollow = {"kind": "hollow", "blocks": {"each": [[0.5, 1.5], [1.5, 0.5], [2.5, 1.5], [1.5, 2.5]]}}
    steps = [
        {"kind": "frame", "width": 3, "height": 3},
        *cuts,
        hollow,
        {"kind": "extrude", "depth": 1, "cells": 3},
    ]
    grid = build.filled_grid(model_of(numbered(steps)))
    assert grid.seams
    again = Numbering.of(replace(grid, seams=seams_in(replace(grid, seams=()))))
    assert again.count == Numbering.of(grid).count < Numbering.of(replace(grid, seams=())).count

"""Elliptic smoothing against closed forms, and its promises: it stops, it never makes it worse."""

import math
from itertools import pairwise

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.heights import lines_from
from plodek.core.build.keeping import kept_passing
from plodek.core.build.sides import sides_of
from plodek.core.errors import PlodekError
from plodek.core.smooth.ghosted import Ghosted
from plodek.core.smooth.rows import through
from plodek.core.smooth.smooth import smooth
from tests.conftest import evaluated, model_of, on_threads
from tests.core.smooth.conftest import apart, filled, run, shaken

BOX = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.8]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.5]},
    {"kind": "count", "id": "a", "tier": {"at": [0.4, 0]}, "cells": 8},
    {"kind": "count", "id": "b", "tier": {"at": [1.4, 0]}, "cells": 12},
    {"kind": "count", "id": "c", "tier": {"at": [0, 0.2]}, "cells": 5},
    {"kind": "count", "id": "d", "tier": {"at": [0, 0.8]}, "cells": 5},
]


def test_a_uniform_box_stays_as_it_is():
    model = model_of(BOX)
    assert apart(run(model).blocks, filled(model)) < 1e-13


def test_random_displacements_return_to_the_same_grid_across_interfaces():
    model = model_of(BOX)
    assert apart(run(model, shaken(model, 0.03)).blocks, filled(model)) < 1e-9


def test_a_sheared_box_relaxes_to_the_straight_one_when_its_sides_glide():
    model = model_of(BOX[:1])
    blocks = filled(model)
    (name,) = blocks
    nodes = blocks[name].copy()
    nodes[:, 1:-1, 0, 0] += 0.06 * np.sin(math.pi * nodes[:, 1:-1, 0, 0] / 2)
    lower = nodes[1:-1, 0, 0, 0]
    nodes[1:-1, 0, 0, 0] = lower + 0.2 * np.sin(math.pi * lower / 2)
    level = [e for e in model.layout.edges if np.ptp(model.layout.places(e)[:, 1]) == 0]
    done = run(model, {name: nodes}, glide=tuple(level), sweeps=20000)
    spread = np.ptp(done.blocks[name][:, :, 0, 0], axis=1)
    assert spread.max() < 1e-6  # every line across is straight up
    assert np.array_equal(done.blocks[name][[0, -1]][..., 0], nodes[[0, -1]][..., 0])


def rings(n):
    """Four quarter rings between circles of radius 1 and 3, n by n cells each, as one closed O."""
    square = {"at": [0, 0]}
    h = 3 * math.sqrt(0.5)  # the frame's corners are pinned on the outer circle
    steps = [
        {"kind": "circle", "id": "in", "name": "inner", "centre": [0, 0], "radius": 1},
        {"kind": "circle", "id": "out", "name": "outer", "centre": [0, 0], "radius": 3},
        {"kind": "frame", "id": "f", "corner": [-h, -h], "width": 2 * h, "height": 2 * h},
        {"kind": "ring", "id": "r", "blocks": {"all": True}, "where": "inside", "thickness": 1},
        {"kind": "hollow", "id": "h", "blocks": square},
        {"kind": "follow", "id": "a", "guide": "inner", "edges": {"around": square}},
        *({"kind": "follow", "id": f"o{s[0]}{ord(s[1])}", "guide": "outer", "edges": {"at": at}}
          for s, at in (("x-", [-h, 0]), ("x+", [h, 0]), ("y-", [0, -h]), ("y+", [0, h]))),
        {"kind": "count", "id": "c", "tier": {"at": [1.4, 1.4]}, "cells": n},
        {"kind": "count", "id": "d", "tier": {"at": [1, 0]}, "cells": n},
        {"kind": "count", "id": "e", "tier": {"at": [0, 1]}, "cells": n},
    ]  # fmt: skip
    return model_of(steps)


def test_quarter_rings_reach_the_closed_form_at_second_order():
    """Between circles with even angles the exact solution is r = r₀ (r₁/r₀)^η.

    The largest radial errors of the discrete equations, 4.12e-3, 1.01e-3 and 2.52e-4 for 8, 16 and
    32 cells in a quarter, were found by solving them to convergence by other means.
    """
    errors = []
    for n in (8, 16, 32):
        done = run(rings(n), sweeps=40000, tolerance=1e-13)
        exact = 3.0 ** (np.arange(n + 1) / n)
        worst = 0.0
        for nodes in done.blocks.values():
            radius = np.linalg.norm(nodes[:, :, 0, :2], axis=-1)
            radius = radius if np.ptp(radius[0]) > 1 else radius.T  # rows run outward
            radius = radius if radius[0, 0] < 2 else radius[:, ::-1]
            worst = max(worst, float(np.abs(radius - exact).max()))
        errors.append(worst)
    assert errors == pytest.approx([4.12e-3, 1.01e-3, 2.52e-4], rel=0.005)
    orders = np.log2(np.array(errors[:-1]) / errors[1:])
    assert np.all(np.abs(orders - 2) < 0.06)


def test_five_way_corners_move_and_interfaces_stay_joined(demo_plane, demo_built):
    grid = assemble(demo_plane, demo_built.runs[0].blocks)
    ghosted = Ghosted.of(grid, free_twins=False)
    inner = (ghosted.mover == np.arange(ghosted.count)) & ~ghosted.outer
    five = inner & ~ghosted.regular
    assert ghosted.around[ghosted.node[five]].tolist() == [5, 5, 5, 5]
    before, after = (ghosted.taken(one.xyz) for one in (build.filled_grid(demo_plane), grid))
    assert np.all(np.linalg.norm(after[five] - before[five], axis=1) > 0.01)
    for slots, nodes in zip(ghosted.own, grid.xyz, strict=True):
        assert np.array_equal(after[ghosted.mover[slots]], nodes)  # equal to the bit in all blocks


def test_rows_of_one_colour_never_touch(demo_plane):
    ghosted = Ghosted.of(build.filled_grid(demo_plane), free_twins=False)
    scheme = through(ghosted)
    rows, bounds = scheme.rows(ghosted.regular)
    swept = np.zeros(ghosted.count, dtype=int)
    for low, high in pairwise(bounds):
        near = np.zeros(ghosted.count, dtype=bool)
        own = np.zeros(ghosted.count, dtype=bool)
        for first, count, step, across in rows[low:high]:
            nodes = first + step * np.arange(count)
            swept[nodes] += 1
            assert not own[[n + across for n in nodes]].any()
            assert not near[nodes].any()
            own[nodes] = True
            near[nodes + across] = near[nodes - across] = True
    assert np.array_equal(swept[ghosted.regular], np.ones(ghosted.regular.sum()))


def test_the_result_is_the_same_to_the_bit_on_one_thread_and_on_two(demo_plane):
    settings = demo_plane.smoothing[0]
    blocks = filled(demo_plane)
    grid, sides = assemble(demo_plane, blocks), sides_of(demo_plane, blocks, settings)
    found = []
    for threads in (1, 2):
        with on_threads(threads):
            found.append(smooth(grid, sides, settings).blocks)
    assert apart(*found) == 0.0


def test_a_stop_keeps_what_was_reached_and_the_input_stays(demo_plane):
    start = filled(demo_plane)
    kept = {name: nodes.copy() for name, nodes in start.items()}
    seen = []

    def watch(progress, picture):
        seen.append((progress, picture()))
        return progress.sweeps < 50

    settings = demo_plane.smoothing[0]
    done = smooth(assemble(demo_plane, start), sides_of(demo_plane, start, settings), settings, watch)
    assert (done.progress.sweeps, done.progress.note) == (50, "stopped")
    assert apart(done.blocks, seen[-1][1]) == 0
    assert apart(start, kept) == 0
    again = run(
        demo_plane, sweeps=50, control=True, walls=demo_plane.smoothing[0].parts.walls, tolerance=None
    )
    assert apart(again.blocks, done.blocks) == 0


def test_it_never_folds_what_was_sound_even_with_too_strict_control(demo_plane):
    done = run(demo_plane, control=True, walls=demo_plane.smoothing[0].parts.walls, strict=40.0, sweeps=400)
    assert done.progress.folded == 0
    kept = kept_passing(assemble(demo_plane, filled(demo_plane)), done, {"scaled_jacobian": 0.3})
    assert kept.progress.worst >= min(done.began.worst, 0.3) * (1 - 1e-5)


def test_a_folded_start_is_unfolded():
    model = model_of(BOX)
    start = shaken(model, 0.35)
    done = run(model, start)
    assert done.began.folded > 5
    assert done.progress.folded == 0


PIER = {"at": [1, 1]}
ROUND = [
    {"kind": "circle", "id": "c", "name": "c", "centre": [1, 1], "radius": 0.3},
    {"kind": "frame", "id": "f", "width": 2, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.7, 1.3]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.7, 1.3]},
    {"kind": "hollow", "id": "h", "blocks": PIER},
    {"kind": "ring", "id": "r", "blocks": PIER, "thickness": 0.2},
    {"kind": "follow", "id": "w", "guide": "c", "edges": {"around": PIER}},
]


def test_held_edges_keep_their_nodes_and_gliding_ones_stay_on_their_guide():
    smoothing = {"kind": "smooth", "id": "s", "sweeps": 200, "control": "no control", "glide": {"on": "c"}}
    model = model_of([*ROUND, smoothing])
    done = build.build(model).runs[0]
    start = filled(model)
    for edge, use in model.layout.outer.items():
        after, before = (lines_from(blocks[use.block], use)[:, 0, 0] for blocks in (done.blocks, start))
        if edge in model.layout.follows:
            assert np.abs(np.linalg.norm(after[:, :2] - 1.0, axis=1) - 0.3).max() < 1e-12
            assert not np.array_equal(after, before)
        else:
            assert np.array_equal(after, before)


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"control": "wall control", "walls": {"all": True}}, "is not a wall"),
        (
            {"control": "wall control", "walls": {"on": "c"}, "glide": {"on": "c"}},
            "both hold as walls and glide",
        ),
        ({"control": "no control", "glide": {"at": [0.7, 1.6]}}, "nothing to glide along"),
        ({"sweeps": 0}, "sweeps"),
    ],
)
def test_what_cannot_be_smoothed_is_said(fields, words):
    with pytest.raises(PlodekError, match=words):
        model = evaluated([*ROUND, {"kind": "smooth", "id": "s", **fields}])
        if model.error:
            raise model.error
        build.build(model.model)

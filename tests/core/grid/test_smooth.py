"""Elliptic smoothing against closed forms, and its promises: it stops, it never makes it worse."""

import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.errors import PlodekError
from plodek.core.smooth import kernels
from plodek.core.smooth.graph import graph_of
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.smooth import smooth
from tests.conftest import evaluated, model_of

BOX = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.8]},
    {"kind": "cut", "id": "y", "by": "y", "at": [0.5]},
    {"kind": "count", "id": "a", "tier": {"at": [0.4, 0]}, "cells": 8},
    {"kind": "count", "id": "b", "tier": {"at": [1.4, 0]}, "cells": 12},
    {"kind": "count", "id": "c", "tier": {"at": [0, 0.2]}, "cells": 5},
    {"kind": "count", "id": "d", "tier": {"at": [0, 0.8]}, "cells": 5},
]


def filled(model):
    grid = build.filled_grid(model)
    return dict(zip(grid.names, grid.xyz, strict=True))


def run(model, blocks=None, watch=None, **settings):
    settings = {"sweeps": 4000, "tolerance": 1e-12} | settings
    return smooth(model.layout, model.laid, blocks or filled(model), SmoothSettings(**settings), watch)


def apart(first, second):
    return max(float(np.abs(first[name] - second[name]).max()) for name in first)


def shaken(model, size, seed=5):
    """Displace all nodes that smoothing may move, the same at every coincident place."""
    graph = graph_of(model.layout, filled(model))
    rng = np.random.default_rng(seed)
    free = ~graph.boundary
    xy = graph.xy.copy()
    xy[free] += rng.uniform(-size, size, (int(free.sum()), 2))
    blocks = filled(model)
    for name, ids in graph.ids.items():
        blocks[name] = blocks[name].copy()
        blocks[name][:, :, 0, :2] = xy[ids]
    return blocks


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


def test_three_and_five_way_corners_move_and_interfaces_stay_joined(demo_plane, demo_built):
    graph = graph_of(demo_plane.layout, demo_built.runs[0].blocks)
    ways = np.diff(graph.start)[~graph.boundary & (graph.stencil[:, 0] < 0)]
    assert ways.tolist() == [5, 5, 5, 5]
    before = graph_of(demo_plane.layout, filled(demo_plane))
    five = np.flatnonzero(~graph.boundary & (graph.stencil[:, 0] < 0))
    assert np.all(np.linalg.norm(graph.xy[five] - before.xy[five], axis=1) > 0.01)
    # A node of the graph is one place: had blocks disagreed, the last one would not match the first.
    for name, ids in graph.ids.items():
        assert np.array_equal(demo_built.runs[0].blocks[name][:, :, 0, :2], graph.xy[ids])


def test_colours_never_touch(demo_plane):
    graph = graph_of(demo_plane.layout, filled(demo_plane))
    moving = np.flatnonzero(~graph.boundary).astype(np.int32)
    colours = np.full(len(graph.xy), -1)
    colours[moving] = kernels.colour(graph.stencil, graph.start, graph.near, moving)
    for node in moving:
        around = (
            graph.stencil[node]
            if graph.stencil[node, 0] >= 0
            else graph.near[graph.start[node] : graph.start[node + 1]]
        )
        assert colours[node] not in colours[around]


def test_the_result_is_the_same_to_the_bit(demo_plane):
    settings = demo_plane.smoothing[0]
    first, second = (
        smooth(demo_plane.layout, demo_plane.laid, filled(demo_plane), settings).blocks for _ in range(2)
    )
    assert all(np.array_equal(first[name], second[name]) for name in first)


def test_a_stop_keeps_what_was_reached_and_the_input_stays(demo_plane):
    start = filled(demo_plane)
    kept = {name: nodes.copy() for name, nodes in start.items()}
    seen = []

    def watch(progress, picture):
        seen.append((progress, picture()))
        return progress.sweeps < 50

    done = smooth(demo_plane.layout, demo_plane.laid, start, demo_plane.smoothing[0], watch)
    assert (done.progress.sweeps, done.progress.note) == (50, "stopped")
    assert apart(done.blocks, seen[-1][1]) == 0
    assert apart(start, kept) == 0
    again = run(demo_plane, sweeps=50, control=True, walls=demo_plane.smoothing[0].walls, tolerance=None)
    assert apart(again.blocks, done.blocks) == 0


def test_it_never_folds_what_was_sound_even_with_too_strict_control(demo_plane):
    walls = demo_plane.smoothing[0].walls
    try:
        done = run(demo_plane, control=True, walls=walls, strict=40.0, sweeps=400)
    except PlodekError as error:
        assert "fold" in str(error)
        return
    assert done.progress.folded == 0


def test_a_folded_start_is_unfolded():
    model = model_of(BOX)
    start = shaken(model, 0.35)
    graph = graph_of(model.layout, start)
    assert kernels.folded(graph.xy, graph.cells) > 5
    assert run(model, start).progress.folded == 0


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
    graph = graph_of(model.layout, done.blocks)
    for edge in model.layout.follows:
        radius = np.linalg.norm(graph.xy[graph.edges[edge]] - 1.0, axis=1)
        assert np.abs(radius - 0.3).max() < 1e-12
    outer = [e for e in model.layout.outer if e not in model.layout.follows]
    start = graph_of(model.layout, filled(model))
    for edge in outer:
        assert np.array_equal(graph.xy[graph.edges[edge]], start.xy[graph.edges[edge]])


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

"""Untangling and polishing: no folded cell where the boundary allows it, and the worst never gets worse."""

import os

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.sides import sides_of
from plodek.core.check.measure import measure
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.shape.frame import turning
from plodek.core.smooth.movable import Movable
from plodek.core.smooth.settings import ShapeSettings
from plodek.core.smooth.shaping.energy import LOW, NONE, Energy
from plodek.core.smooth.shaping.shape import shape
from plodek.core.smooth.shaping.wanted import Lines
from plodek.core.smooth.sides import Gliding, Sides
from tests import conftest
from tests.conftest import numbered, on_threads
from tests.core.smooth.conftest import apart, filled, made

#: The soak tries 200.
RANDOM_CASES = int(os.environ.get("RANDOM_CASES", "12"))


def model_of(steps):
    return conftest.model_of(numbered(steps))


def blocks_of(shape_of_frame, n, cells):
    """Unit blocks, ``n`` a side, with so many cells a side each."""
    cuts = list(range(1, n))
    frame = {"kind": "frame", "shape": shape_of_frame, "width": n, "height": n}
    if shape_of_frame == "box":
        frame["depth"] = n
    axes = "xyz" if shape_of_frame == "box" else "xy"
    total = (n * cells) ** len(axes)
    return model_of(
        [
            frame,
            *({"kind": "cut", "by": a, "at": cuts} for a in axes if cuts),
            {"kind": "budget", "cells": total},
        ]
    )


def displaced(start, corner_ways):
    """Move the corners of filled blocks, and what is between them evenly: as blocks between them are filled."""
    found = {}
    for name, xyz in start.items():
        corners = [tuple(-1 if n else 0 for n in at) for at in np.ndindex(2, 2, 2 if xyz.shape[2] > 1 else 1)]
        way = np.zeros(xyz.shape)
        for corner in corners:
            share = np.ones(xyz.shape[:3])
            for axis, size in enumerate(xyz.shape[:3]):
                if size > 1:
                    along = np.linspace(0, 1, size) if corner[axis] else np.linspace(1, 0, size)
                    share = share * along.reshape([-1 if a == axis else 1 for a in range(3)])
            way += share[..., None] * corner_ways(xyz[corner])
        found[name] = xyz + way
    return found


def shaped(model, blocks, sweeps=3000, **settings):
    settings = made(ShapeSettings, sweeps, **settings)
    return shape(assemble(model, blocks), sides_of(model, blocks, settings), settings)


def random_ways(n, seed, amount=1.5):
    table = np.random.default_rng(seed).uniform(-amount, amount, (n + 1, n + 1, 2))

    def way(place):
        i, j = np.round(place[:2]).astype(int)
        return np.zeros(3) if i in (0, n) or j in (0, n) else np.array([*table[i, j], 0.0])

    return way


def turned_ways(n, seed, degrees=60.0):
    matrix = turning(np.random.default_rng(seed).normal(size=3), np.radians(degrees))

    def way(place):
        off = place - n / 2
        return matrix @ off - off if np.all(np.abs(off) < 1 + 1e-9) else np.zeros(3)

    return way


@pytest.mark.slow
def test_random_layouts_of_12_by_12_blocks_are_untangled():
    """Inner corners displaced by up to 1.5 blocks each way, folded when filled."""
    model = blocks_of("rectangle", 12, 2)
    start = filled(model)
    for seed in range(RANDOM_CASES):
        blocks = displaced(start, random_ways(12, seed))
        run = shaped(model, blocks)
        assert run.began.folded > 150
        assert run.progress.folded == 0, seed
        assert not measure(assemble(model, run.blocks)).folded.any()


@pytest.mark.slow
def test_boxes_whose_inner_blocks_are_turned_are_untangled():
    """6 × 6 × 6 blocks, the inner 2 × 2 × 2 turned by 60° about random axes."""
    model = blocks_of("box", 6, 2)
    start = filled(model)
    for seed in range(max(RANDOM_CASES // 2, 4)):
        run = shaped(model, displaced(start, turned_ways(6, seed)))
        assert run.began.folded > 0
        assert run.progress.folded == 0, seed


@pytest.mark.slow
def test_large_grids_begin_on_coarser_ones():
    """Four times as many nodes a side take about as many sweeps."""
    few, many = (blocks_of("rectangle", 6, cells) for cells in (3, 12))
    runs = [shaped(model, displaced(filled(model), random_ways(6, 1))) for model in (few, many)]
    assert [run.progress.folded for run in runs] == [0, 0]
    assert runs[1].progress.sweeps <= 2 * runs[0].progress.sweeps


def test_a_middle_far_outside_of_its_four_squares_comes_back():
    """2 × 2 squares about a corner that lies 5 off: their cells come out as the squares' own."""
    model = blocks_of("rectangle", 2, 2)
    start = filled(model)
    middle = np.array([1.0, 1.0, 0.0])
    run = shaped(model, displaced(start, lambda at: np.array([5.0, 3.0, 0]) * np.allclose(at, middle)))
    assert run.began.folded > 0
    assert run.progress.folded == 0
    cells = measure(assemble(model, run.blocks))
    assert cells.volume.sum() == pytest.approx(4)
    assert cells.of("scaled_jacobian").min() > 0.9


def test_a_held_boundary_that_folds_cells_is_told_with_the_place():
    """A rim folded back onto itself: the corner cell has all its nodes on it."""
    model = blocks_of("rectangle", 2, 2)
    start = filled(model)
    fold = displaced(start, lambda place: np.array([1.4, 1.4, 0.0]) if np.allclose(place, 0) else np.zeros(3))
    run = shaped(model, fold)
    assert run.progress.folded == 1
    assert run.progress.note == "1 cell stays folded, by nodes that hold"
    assert np.all(np.abs(run.rough - [1.4, 1.4, 0]) < 0.8)


@pytest.mark.parametrize("flat", [False, True], ids=["space", "plane"])
@pytest.mark.parametrize(("by", "barred"), [(0.25, False), (0.02, True)], ids=["folded", "behind bars"])
def test_the_gradient_is_that_of_the_energy(by, barred, flat):
    """By central differences, at nodes that twins and blocks share."""
    up, box = ([], {"shape": "rectangle"}) if flat else ([0], {"shape": "box", "depth": 1})
    twins = [
        {"kind": "frame", "width": 2, "height": 1} | box,
        {"kind": "cut", "by": "x", "at": [0.8]},
        {"kind": "count", "tier": {"at": [0.4, 0, *up]}, "cells": 3},
        {"kind": "count", "tier": {"at": [0, 0.5, *up]}, "cells": 3},
        *([] if flat else [{"kind": "count", "tier": {"at": [0, 0, 0.5]}, "cells": 3}]),
        {"kind": "twin", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 1, *up]},
    ]
    model = model_of(twins)
    blocks = filled(model)
    settings = made(ShapeSettings, 1, free_twins=True)
    movable = Movable.of(assemble(model, blocks), sides_of(model, blocks, settings))
    energy = Energy(movable, movable.free, Lines.of(movable.ghosted, movable.scheme, movable.xyz), even=False)
    rng = np.random.default_rng(7)
    axes = 2 if flat else 3
    movable.xyz[energy.slots, :axes] += rng.uniform(-by, by, (len(energy.slots), axes))
    movable.ghosted.renew(movable.xyz)
    bars = 0.9 * energy.look(0.5, LOW)[2] if barred else NONE
    assert (energy.look(0.5, bars)[1] < 0) != barred
    movable.ghosted.take_back(energy.gradient)
    exact = energy.gradient[energy.slots].copy()
    for n, c in zip(rng.integers(0, len(exact), 12), rng.integers(0, axes, 12), strict=True):
        slot, step, totals = energy.slots[n], 1e-6, []
        here = movable.xyz[slot, c]
        for way in (step, -step):
            movable.xyz[slot, c] = here + way
            movable.ghosted.renew(movable.xyz)
            totals.append(energy.look(0.5, bars)[0])
        movable.xyz[slot, c] = here
        movable.ghosted.renew(movable.xyz)
        assert exact[n, c] == pytest.approx((totals[0] - totals[1]) / (2 * step), rel=1e-5, abs=1e-4)


def test_it_is_the_same_to_the_bit_on_one_thread_and_on_two():
    model = blocks_of("box", 3, 3)
    blocks = displaced(filled(model), turned_ways(3, 2, 35))
    found = []
    for threads in (1, 2):
        with on_threads(threads):
            found.append(shaped(model, blocks, 200).blocks)
    assert apart(*found) == 0.0


def test_nodes_that_glide_stay_on_their_curve_while_cells_unfold():
    disc = [
        {"kind": "circle", "name": "rim", "centre": [0, 0], "radius": 2},
        {"kind": "frame", "width": 8**0.5, "height": 8**0.5, "corner": [-(2**0.5), -(2**0.5)]},
        {"kind": "follow", "guide": "rim", "edges": {"side": "x+"}},
        {"kind": "budget", "cells": 400},
    ]
    model = model_of(disc)
    start = filled(model)
    (name,) = start
    blocks = {name: start[name].copy()}
    blocks[name][1:-1, 1:-1, 0, :2] *= 3.0  # far outside
    (side,) = [edge for edge in model.layout.edges if edge in model.layout.follows]
    run = shaped(model, blocks, glide=(side,))
    assert run.began.folded > 50
    assert run.progress.folded == 0
    nodes = run.blocks[name][..., 0, :]
    rim = [
        row
        for row in (nodes[0], nodes[-1], nodes[:, 0], nodes[:, -1])
        if np.allclose(np.linalg.norm(row[1:-1], axis=1), 2, atol=1e-9)
    ]
    assert len(rim) == 1


PIPE = [
    {"kind": "frame", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 2},
    {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5, "bow": 0},
    *(
        {"kind": "count", "tier": {"at": at}, "cells": 6}
        for at in ([0, 0.4, 0], [0.4, 0, 0], [0.55, 0.55, 0], [0, 0, 1])
    ),
]
ENDS = {"any": [{"side": "z-"}, {"side": "z+"}]}


def test_a_butterflys_worst_angle_is_bettered_and_its_volume_stays():
    """135° at the corners of the square core; 120° where three lines meet is the least there is."""
    before = measure(build.filled_grid(model_of(PIPE)))
    built = build.build(model_of([*PIPE, {"kind": "polish", "below": 0.9, "spread": ENDS}]))
    cells = measure(built.grid)
    assert before.of("largest_angle").max() == pytest.approx(135, abs=0.1)
    assert 120 < cells.of("largest_angle").max() < 124
    assert cells.volume.sum() == pytest.approx(before.volume.sum())
    assert built.runs[0].progress.note == "settled"
    assert built.runs[0].progress.worst > built.runs[0].began.worst + 0.1
    ends = [
        n
        for block in built.grid.xyz
        for n in (block[..., 0, :], block[..., -1, :])
        if np.ptp(n[..., 2]) < 1e-12
    ]
    assert len(ends) == 10  # they are still flat


def test_polishing_keeps_first_heights_and_what_is_sound():
    """A wall layer beside a sheared corner: heights stay, to second order in the slide, far cells to the bit."""
    steps = [
        {"kind": "spline", "name": "bed", "points": [[-3, 0], [-1, 0.3], [1, 0.3], [3, 0]]},
        {"kind": "frame", "width": 6, "height": 1.5, "corner": [-3, 0]},
        {"kind": "cut", "at": [0]},
        {"kind": "follow", "guide": "bed", "edges": {"side": "y-"}},
        {"kind": "slide", "corner": {"at": [0, 0.3]}, "guide": "bed", "near": [1.2, 0.3]},
        {"kind": "count", "tier": {"at": [-1.5, 1.5]}, "cells": 30},
        {"kind": "count", "tier": {"at": [1.5, 1.5]}, "cells": 30},
        {"kind": "wall-layer", "walls": {"on": "bed"}, "first": 0.002, "layers": 8, "growth": 1.2},
    ]
    model = model_of(steps)
    built = build.build(model_of([*steps, {"kind": "polish", "below": 0.8}]))
    run = built.runs[0]
    assert run.progress.worst > run.began.worst
    assert np.abs(run.wall.heights / run.wall.wished - 1).max() < 1e-3
    start = filled(model)
    still = [
        np.all(start[name][at] == run.blocks[name][at])
        for name in start
        for at in ((0, slice(None)), (-1, slice(None)))
    ]
    assert any(still)


def test_nothing_moves_where_no_cell_is_worse():
    model = blocks_of("rectangle", 2, 3)
    run = shaped(model, filled(model), polish=0.5)
    assert run.progress.note == "no cell is worse than that"
    assert apart(run.blocks, filled(model)) == 0.0


def test_a_stopped_run_comes_out_again_with_as_many_sweeps():
    model = blocks_of("rectangle", 6, 4)
    blocks = displaced(filled(model), random_ways(6, 3))
    settings = ShapeSettings(3000)
    asked = []

    def watch(progress, picture):
        asked.append(progress.sweeps)
        return len(asked) < 300

    grid, sides = assemble(model, blocks), sides_of(model, blocks, settings)
    stopped = shape(grid, sides, settings, watch)
    assert stopped.progress.note == "stopped"
    if stopped.progress.sweeps:
        again = shape(grid, sides, ShapeSettings(stopped.progress.sweeps))
        assert apart(stopped.blocks, again.blocks) == 0.0


def collapsed(xyz, inner):
    """All but to one place: nodes at the very same one are a pole."""
    place = np.array([0.8, 0.2, 0.1])
    xyz[inner] = place + np.random.default_rng(4).uniform(-1e-3, 1e-3, xyz[inner].shape)


def mirrored(xyz, inner):
    xyz[inner] = xyz[inner].mean(axis=0) * 2 - xyz[inner]


def scattered(xyz, inner):
    size = np.ptp(xyz.reshape(-1, 3), axis=0)
    xyz[inner] += np.random.default_rng(4).uniform(-1, 1, xyz[inner].shape) * size


@pytest.mark.parametrize("spoiled", [collapsed, mirrored, scattered])
@pytest.mark.parametrize("dim", [2, 3])
def test_maps_come_back_from_any_start(spoiled, dim):
    """Inner nodes at one place, turned inside out, at random: the starts of Garanzha et al. 2021 (from memory)."""
    model = blocks_of("rectangle" if dim == 2 else "box", 1, 8 if dim == 2 else 5)
    ((name, start),) = filled(model).items()
    blocks = {name: start.copy()}
    inner = np.zeros(start.shape[:3], dtype=bool)
    inner[1:-1, 1:-1, slice(None) if dim == 2 else slice(1, -1)] = True
    spoiled(blocks[name], inner)
    if dim == 2:
        blocks[name][..., 2] = 0
    run = shaped(model, blocks, sweeps=6000)
    assert run.began.folded > 10
    assert run.progress.folded == 0
    assert not measure(assemble(model, run.blocks)).folded.any()


def test_a_side_on_a_sphere_is_untangled_within_it():
    """The outside of a block between two spheres: its nodes are displaced by four cells each way, and go back."""
    steps = [{"kind": "sphere", "name": "ball", "centre": [0, 0, 0], "radius": 1}]
    ball = conftest.evaluated(numbered(steps)).model.guides["ball"]
    angle = np.linspace(0, 1, 11)
    t, u, r = np.meshgrid(0.9 + angle, angle, [1.0, 1.1, 1.2], indexing="ij")
    xyz = np.stack([r * np.sin(t) * np.cos(u), r * np.sin(t) * np.sin(u), r * np.cos(t)], axis=-1)
    exact = xyz.copy()
    face = xyz[1:-1, 1:-1, 0]
    face += np.random.default_rng(2).uniform(-0.4, 0.4, face.shape)
    face /= np.linalg.norm(face, axis=-1)[..., None]
    unnamed = tuple(Window(0, axis, end) for axis in range(3) for end in (0, 1))
    grid = Grid(3, ("a",), (np.ascontiguousarray(xyz),), unnamed=unnamed)
    run = shape(grid, Sides(spread=(Gliding(Window(0, 2, 0), ball),)), ShapeSettings(4000))
    assert run.began.folded > 10
    assert run.progress.folded == 0
    net = run.blocks["a"][:, :, 0]
    assert np.abs(np.linalg.norm(net, axis=-1) - 1).max() < 1e-12
    across = np.cross(net[1:, :-1] - net[:-1, :-1], net[:-1, 1:] - net[:-1, :-1])
    assert np.all(np.sum(across * net[:-1, :-1], axis=-1) > 0)
    rim = np.ones(net.shape[:2], dtype=bool)
    rim[1:-1, 1:-1] = False
    assert np.array_equal(net[rim], exact[:, :, 0][rim])


def test_nodes_that_are_one_to_the_bit_are_no_mistake():
    """They are a pole, which no energy opens; the run ends, and says what is folded."""
    model = blocks_of("rectangle", 1, 8)
    ((name, start),) = filled(model).items()
    blocks = {name: start.copy()}
    blocks[name][1:-1, 1:-1] = [0.9, 0.2, 0.0]
    run = shaped(model, blocks)
    assert np.all(np.isfinite(run.blocks[name]))
    assert "folded" in run.progress.note


PINS = [
    {"kind": "frame", "id": "f", "width": 4, "height": 4},
    {"kind": "cut", "id": "x", "by": "x", "at": [1, 2, 3]},
    {"kind": "cut", "id": "y", "by": "y", "at": [1, 2, 3]},
    {"kind": "pin", "id": "p", "corner": {"at": [2, 2]}, "to": [4.6, 2.4]},
    {"kind": "pin", "id": "q", "corner": {"at": [3, 2]}, "to": [3.1, 2.1]},
]


def test_pinned_corners_that_keep_cells_folded_are_named_and_free_they_unfold():
    """One is pulled beyond its neighbours; another that is pinned in its place is not in the way."""
    untangle = {"kind": "untangle", "id": "u"}
    model = model_of([*PINS, untangle])
    run = build.build(model).runs[0]
    (wild,) = (c for c, one in model.layout.corners.items() if one.xyz[:2] == (4.6, 2.4))
    assert run.progress.folded > 0
    assert run.pins == {wild: model.layout.labels[wild]}
    assert f"pinned corners keep cells folded: {run.pins[wild]}" in run.reached().sentence
    for rule in (
        {"ids": [wild]},
        {"all": True},
        {"any": [{"at": [4.6, 2.4]}, {"around": {"at": [0.5, 0.5]}}]},
    ):
        freed = build.build(model_of([*PINS, untangle | {"loose": rule}])).runs[0]
        assert freed.progress.folded == 0
        assert not freed.pins

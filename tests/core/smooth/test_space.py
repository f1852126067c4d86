"""Smoothing in space against closed forms, and its promises to sides, guides, walls and twins."""

import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.keeping import kept_passing
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.errors import PlodekError
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.shape.move import shifted
from plodek.core.smooth import relaxation
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.sides import Gliding, Plane, Sides
from plodek.core.smooth.smooth import smooth
from tests.conftest import evaluated, model_of, on_threads
from tests.core.smooth.conftest import apart, filled, run, shaken

ALL = tuple(Window(0, axis, end) for axis in range(3) for end in (0, 1))


def one_block(xyz):
    return Grid(3, ("a",), (np.ascontiguousarray(xyz),), unnamed=ALL)


def extruded_ring(n):
    """The ring from 1 to 3 along z: r = r₀ (r₁/r₀)^η is harmonic."""
    a = np.linspace(0, 1, n + 1)
    r, angle, z = np.meshgrid(3.0**a, a * math.pi / 2, a, indexing="ij")
    return np.stack([r * np.cos(angle), r * np.sin(angle), z], axis=-1)


def shell_sector(n):
    """A sector of a spherical shell: 1/r, longitude and ln tan(θ/2) are harmonic functions."""
    a = np.linspace(0, 1, n + 1)
    low, high = (math.log(math.tan(math.radians(t) / 2)) for t in (50, 110))
    theta = 2 * np.arctan(np.exp(low + a * (high - low)))
    t, longitude, r = np.meshgrid(theta, a, 1 / (1 - a * (1 - 1 / 3)), indexing="ij")
    return np.stack(
        [r * np.sin(t) * np.cos(longitude), r * np.sin(t) * np.sin(longitude), r * np.cos(t)], axis=-1
    )


def moved(xyz, share, seed=3):
    """Displace inner nodes at random by up to a share of the smallest cell."""
    least = min(float(np.linalg.norm(np.diff(xyz, axis=axis), axis=-1).min()) for axis in range(3))
    found = xyz.copy()
    found[1:-1, 1:-1, 1:-1] += np.random.default_rng(seed).uniform(
        -share * least, share * least, found[1:-1, 1:-1, 1:-1].shape
    )
    return found


@pytest.mark.parametrize("exact", [extruded_ring, shell_sector])
def test_closed_forms_are_reached_at_second_order(exact):
    errors = []
    for n in (8, 16, 32):
        settings = SmoothSettings(5000, tolerance=1e-11)
        done = smooth(one_block(moved(exact(n), 0.2)), Sides(), settings)
        assert done.progress.note == "settled"
        errors.append(float(np.linalg.norm(done.blocks["a"] - exact(n), axis=-1).max()))
    orders = np.log2(np.array(errors[:-1]) / errors[1:])
    assert np.all(np.abs(orders - 2) < 0.06), errors


def test_the_mercator_net_stays_on_its_sphere():
    """Longitude and ln tan(θ/2) are isothermal: the equations on the sphere's surface hold for them."""
    sphere = [
        {"kind": "sphere", "id": "s", "name": "ball", "centre": [0, 0, 0], "radius": 1},
    ]
    ball = evaluated(sphere).model.guides["ball"]
    errors = []
    for n in (8, 16):
        a = np.linspace(0, 1, n + 1)
        low, high = (math.log(math.tan(math.radians(t) / 2)) for t in (50, 110))
        theta = 2 * np.arctan(np.exp(low + a * (high - low)))
        t, longitude, r = np.meshgrid(theta, a, np.linspace(1, 1.2, 3), indexing="ij")
        exact = np.stack(
            [r * np.sin(t) * np.cos(longitude), r * np.sin(t) * np.sin(longitude), r * np.cos(t)], axis=-1
        )
        start = exact.copy()
        inner = start[1:-1, 1:-1, 0]
        inner += np.random.default_rng(1).uniform(-0.01, 0.01, inner.shape)
        inner /= np.linalg.norm(inner, axis=-1)[..., None]
        sides = Sides(spread=(Gliding(Window(0, 2, 0), ball),))
        done = smooth(one_block(start), sides, SmoothSettings(400, tolerance=1e-9))
        net = done.blocks["a"][:, :, 0]
        assert np.abs(np.linalg.norm(net, axis=-1) - 1).max() < 1e-12
        errors.append(float(np.linalg.norm(net - exact[:, :, 0], axis=-1).max()))
    assert errors[0] < 2e-3
    assert 3.5 < errors[0] / errors[1] < 4.5


BOX = [
    {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1.5},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.8]},
    {"kind": "cut", "id": "z", "by": "z", "at": [0.75]},
    {"kind": "count", "id": "a", "tier": {"at": [0.4, 0, 0]}, "cells": 6},
    {"kind": "count", "id": "b", "tier": {"at": [1.4, 0, 0]}, "cells": 9},
    {"kind": "count", "id": "c", "tier": {"at": [0, 0.5, 0]}, "cells": 7},
    {"kind": "count", "id": "d", "tier": {"at": [0, 0, 0.3]}, "cells": 5},
    {"kind": "count", "id": "e", "tier": {"at": [0, 0, 1.2]}, "cells": 5},
]


def test_random_displacements_return_to_the_same_grid_across_interfaces():
    model = model_of(BOX)
    done = run(model, shaken(model, 0.03), tolerance=1e-12)
    assert done.progress.note == "settled"
    assert apart(done.blocks, filled(model)) < 1e-10


def test_a_folded_start_is_unfolded_in_space():
    model = model_of(BOX)
    done = run(model, shaken(model, 0.16))
    assert done.began.folded > 5
    assert done.progress.folded == 0


def test_the_same_to_the_bit_whatever_the_threads_and_the_order_of_runs():
    model = model_of(BOX)
    found = []
    for threads in (1, 2, 1):
        with on_threads(threads):
            found.append(run(model, shaken(model, 0.05), sweeps=30).blocks)
    assert apart(found[0], found[1]) == apart(found[0], found[2]) == 0.0


def test_a_sheared_box_straightens_where_its_sides_glide():
    n = 8
    x, y, z = np.meshgrid(*[np.linspace(0, 1, n + 1)] * 3, indexing="ij")
    bent = np.stack([x + 0.08 * np.sin(math.pi * x) * (0.4 + y), y, z], axis=-1)
    floor = [Plane(np.array([0.0, y, 0.0]), np.array([0.0, 1.0, 0.0])) for y in (0.0, 1.0)]
    deep = [Plane(np.array([0.0, 0.0, z]), np.array([0.0, 0.0, 1.0])) for z in (0.0, 1.0)]
    sides = Sides(
        gliding=(
            *(Gliding(Window(0, 1, end), floor[end]) for end in (0, 1)),
            *(Gliding(Window(0, 2, end), deep[end]) for end in (0, 1)),
        )
    )
    done = smooth(one_block(bent), sides, SmoothSettings(4000, tolerance=1e-10)).blocks["a"]
    assert np.ptp(done[..., 0], axis=1).max() < 1e-6  # every plane across is flat
    assert np.abs(done[:, 0, :, 1]).max() < 1e-14
    assert np.abs(done[:, :, -1, 2] - 1).max() < 1e-14


PIPE = [
    {"kind": "frame", "id": "f", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 2},
    {"kind": "butterfly", "id": "b", "blocks": {"all": True}, "core": 0.5, "bow": 0},
    {"kind": "count", "id": "c1", "tier": {"at": [0, 0.4, 0]}, "cells": 10},
    {"kind": "count", "id": "c2", "tier": {"at": [0.4, 0, 0]}, "cells": 10},
    {"kind": "count", "id": "c3", "tier": {"at": [0.55, 0.55, 0]}, "cells": 10},
    {"kind": "count", "id": "c4", "tier": {"at": [0, 0, 1]}, "cells": 8},
]
ENDS = {"any": [{"side": "z-"}, {"side": "z+"}]}


@pytest.mark.parametrize("ends", ["spread", "glide"])
def test_a_butterfly_with_straight_sides_opens_its_corners(ends):
    """135° at the corners of a square core become nearly 120°, where three lines meet at equal angles."""
    before = measure(build.filled_grid(model_of(PIPE))).of("largest_angle").max()
    assert before == pytest.approx(135, abs=0.1)
    smoothing = {"kind": "smooth", "id": "s", "control": "interior control", ends: ENDS}
    built = build.build(model_of([*PIPE, smoothing]))
    cells = measure(built.grid)
    assert built.runs[0].progress.note == "settled"
    assert cells.of("largest_angle").max() < 124
    assert cells.volume.sum() == pytest.approx(measure(build.filled_grid(model_of(PIPE))).volume.sum())


def test_first_heights_and_right_angles_hold_on_a_round_wall():
    nozzle = [
        {"kind": "spline", "id": "w", "name": "wall",
         "points": [[0, 0.3], [0.2, 0.28], [0.4, 0.2], [0.55, 0.15], [0.7, 0.17], [0.9, 0.22], [1.2, 0.27]]},
        {"kind": "block", "id": "b", "corners": [
            [0, 0], [1.2, 0], {"guide": "wall", "fraction": 0}, {"guide": "wall", "fraction": 1}]},
        {"kind": "follow", "id": "f", "guide": "wall", "edges": {"at": [0.6, 0.16]}},
        {"kind": "count", "id": "x", "tier": {"at": [0.6, 0]}, "cells": 32},
        {"kind": "wall-layer", "id": "l", "walls": {"on": "wall"}, "first": "1 mm", "layers": 10,
         "growth": 1.18},
        {"kind": "revolve", "id": "r", "angle": 360, "cells": 32},
        {"kind": "butterfly", "id": "u", "blocks": {"all": True}, "core": 0.5, "bow": 0},
        {"kind": "patch", "id": "p", "name": "wall", "type": "wall", "faces": {"on": "wall"}},
        {"kind": "smooth", "id": "s", "sweeps": 200, "walls": {"on": "wall"}, "first": "1 mm",
         "spread": {"any": [{"side": "x-"}, {"side": "x+"}]}},
    ]  # fmt: skip
    model = model_of(nozzle)
    built = build.build(model)
    wall = built.runs[0].wall
    assert np.allclose(wall.wished, 1e-3)
    assert np.abs(wall.heights / wall.wished - 1).max() < 1e-9
    assert np.abs(wall.angles - 90).max() < 0.5
    (told,) = walls_of(model, built.grid).heights  # measured again, from the guide's own normals
    assert told.smallest > 0.97e-3
    assert told.largest < 1.03e-3
    run = built.runs[0]
    assert run.progress.folded == 0
    assert run.progress.worst >= run.began.worst


def test_twin_sides_move_together_and_stay_twins_to_the_bit():
    twins = [
        *BOX[:1],
        {"kind": "count", "id": "n", "tier": {"at": [1, 0, 0]}, "cells": 8},
        {"kind": "twin", "id": "t", "sides": {"side": "x-"}, "others": {"side": "x+"}, "shift": [2, 0, 0]},
    ]
    model = model_of(twins)
    start = filled(model)
    (name,) = start
    start[name] = start[name].copy()
    start[name][2:7, 1:-1, 1:-1, 1] += 0.03
    done = run(model, start, free_twins=True, tolerance=1e-11)
    nodes = done.blocks[name]
    assert np.array_equal(shifted([2.0, 0, 0]).places(nodes[0].reshape(-1, 3)), nodes[-1].reshape(-1, 3))
    assert apart(done.blocks, filled(model)) < 1e-9
    early = run(model, start, free_twins=True, sweeps=3).blocks[name]
    assert np.abs(early[0] - filled(model)[name][0]).max() > 1e-4  # they do move


def test_what_is_pinned_or_on_a_guide_stays_and_only_chosen_blocks_change():
    model = model_of(
        [
            *BOX,
            {"kind": "pin", "id": "p", "corner": {"at": [0.8, 0, 0.75]}, "to": [0.9, 0, 0.75]},
        ]
    )
    inner = next(b for b in model.layout.filled if model.layout.centre(b)[0] > 1)
    start = shaken(model, 0.02)
    done = run(model, start, blocks=(inner,), sweeps=20)
    for name, nodes in done.blocks.items():
        same = np.array_equal(nodes, start[name])
        assert same != (name == inner) or same == (name != inner)
    assert not np.array_equal(done.blocks[inner], start[inner])


def test_a_run_never_ends_worse_than_it_began(monkeypatch):
    """Even far too bold: what would be worse than it may be is pulled back."""
    monkeypatch.setattr(relaxation, "OMEGA", 1.95)
    model = model_of(PIPE)
    done = run(model, sweeps=60, tolerance=None)
    kept = kept_passing(assemble(model, filled(model)), done, {"scaled_jacobian": 0.3})
    assert kept.progress.folded <= kept.began.folded
    assert kept.progress.worst >= min(kept.began.worst, 0.3) - 1e-6


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"control": "wall control", "walls": {"at": [0, 0, 1]}}, "is not a wall"),
        ({"control": "no control", "glide": {"on": "no"}}, "no"),
        ({"glide": ENDS, "hold": ENDS, "control": "no control"}, "both glide and hold"),
        ({"spread": ENDS, "glide": ENDS, "control": "no control"}, "by themselves and glide"),
        ({"first": "-1 mm", "walls": {"side": "z-"}}, "above 0"),
        (
            {"glide": {"looks": [1, 0, 0], "within": 60}, "control": "no control"},
            "neither flat nor on a guide",
        ),
    ],
)
def test_what_cannot_be_smoothed_is_said(fields, words):
    with pytest.raises(PlodekError, match=words):
        found = evaluated([*PIPE, {"kind": "smooth", "id": "s", **fields}])
        if found.error:
            raise found.error
        build.build(found.model)

"""What runs must reach on grids of whole jobs: nozzles, vanes at other staggers, a square with a core."""

import json
import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.sides import sides_of
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.check.quality import gate
from plodek.core.smooth.settings import ShapeSettings, SmoothSettings
from plodek.core.smooth.shaping.shape import shape
from plodek.core.smooth.smooth import smooth
from tests import conftest
from tests.conftest import demo_file, numbered
from tests.core.smooth.conftest import apart, filled, made
from tests.core.smooth.test_keeping import OPEN

ENDS = {"any": [{"side": "x-"}, {"side": "x+"}]}


def model_of(steps):
    return conftest.model_of(numbered(steps))


#: Bores of nozzles: one that narrows to half its radius, and a shallow one.
DEEP = [[0, 0.3], [0.2, 0.28], [0.4, 0.2], [0.55, 0.15], [0.7, 0.17], [0.9, 0.22], [1.2, 0.27]]
SHALLOW = [[0, 0.3], [0.2, 0.295], [0.4, 0.27], [0.55, 0.25], [0.7, 0.255], [0.9, 0.27], [1.2, 0.29]]


#: The edges along the core of a deep nozzle, which come near the wall at the throat where they are straight.
STRAIGHT = {
    "kind": "bend", "how": "straight",
    "edges": {"each": [[0.6, 0.08, 0], [0.6, -0.08, 0], [0.6, 0, 0.08], [0.6, 0, -0.08]]},
}  # fmt: skip


def nozzle(*runs, axial, layers, growth, first, bow=0.3, bore=DEEP):
    """A converging-diverging nozzle with wall layers, revolved, with a butterfly in place of its pole."""
    ends = [{"guide": "bore", "fraction": 0}, {"guide": "bore", "fraction": 1}]
    return [
        {"kind": "spline", "name": "bore", "points": bore},
        {"kind": "block", "corners": [[0, 0], [1.2, 0], *ends]},
        {"kind": "follow", "guide": "bore", "edges": {"at": [0.6, 0.16]}},
        {"kind": "count", "tier": {"at": [0.6, 0]}, "cells": axial},
        {"kind": "wall-layer", "walls": {"on": "bore"}, "first": first, "layers": layers, "growth": growth},
        {"kind": "revolve", "angle": 360, "cells": 32},
        {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5, "bow": bow},
        {"kind": "patch", "name": "wall", "type": "wall", "faces": {"on": "bore"}},
        *runs,
    ]


def worst(cells, key):
    return float(cells.of(key).max())


def test_a_butterfly_after_wall_layers_keeps_them_all():
    """33 points on each half of the wall, 65 on the axis, 20 layers at growth 1.18, a throat of half the bore."""
    model = model_of(nozzle(axial=64, layers=20, growth=1.18, first="0.2 mm"))
    grid = build.filled_grid(model)
    walls = walls_of(model, grid)
    (heights,) = walls.heights
    assert heights.nodes == 65 * 4 * 9
    assert 0.97 * 0.2e-3 < heights.smallest <= heights.largest < 1.03 * 0.2e-3
    assert gate(measure(grid), DEFAULT_LIMITS, walls).passed
    for block in grid.xyz:
        if block.shape[:2] == (65, 31):  # along, and away from the wall
            steps = np.linalg.norm(np.diff(block[:, ::-1], axis=1), axis=-1)
            growth = steps[:, 1:20] / steps[:, :19]
            assert np.all((growth > 1.0) & (growth < 1.21))


@pytest.mark.parametrize(("sweeps", "note", "largest"), [(50, "", 125), (2000, "settled", 122)])
def test_a_revolved_nozzle_with_a_straight_core_is_squared(sweeps, note, largest):
    """135° at the corners of its core as filled; in common practice ten sweeps bring that to 133°."""
    smoothed = {"kind": "smooth", "walls": {"on": "bore"}, "first": "1 mm", "spread": ENDS, "sweeps": sweeps}
    steps = nozzle(smoothed, axial=32, layers=10, growth=1.18, first="1 mm", bow=0, bore=SHALLOW)
    model = model_of(steps)
    built = build.build(model)
    cells = measure(built.grid)
    assert built.runs[0].progress.note == note
    assert worst(measure(build.filled_grid(model)), "largest_angle") > 134.9
    assert worst(cells, "largest_angle") < largest
    walls = walls_of(model, built.grid)
    assert 0.97e-3 < walls.heights[0].smallest <= walls.heights[0].largest < 1.03e-3
    assert gate(cells, DEFAULT_LIMITS, walls).passed


@pytest.mark.slow
def test_a_core_that_comes_near_its_wall_is_brought_off_it():
    """A straight core along a bore that narrows to half leaves a thirtieth of it at the throat, at 151°."""
    walls = {"on": "bore"}
    runs = [
        {"kind": "smooth", "sweeps": 50, "walls": walls, "first": "1 mm", "spread": ENDS},
        {"kind": "polish", "below": 0.9, "walls": walls, "spread": ENDS, "sweeps": 120},
    ]
    model = model_of(nozzle(STRAIGHT, *runs, axial=32, layers=10, growth=1.18, first="1 mm", bow=0))
    built = build.build(model)
    cells = measure(built.grid)
    assert worst(measure(build.filled_grid(model)), "largest_angle") > 150
    assert worst(cells, "largest_angle") < 135
    (heights,) = walls_of(model, built.grid).heights
    assert 0.97e-3 < heights.smallest <= heights.largest < 1.03e-3


def staggered(angle):
    """The recipe of the turning vanes at another stagger: its places go with the vane's tail, or turn with it."""
    was, now = math.radians(55), math.radians(angle)
    tail = 0.2 * np.array([math.cos(was), -math.sin(was)])
    shift = 0.2 * np.array([math.cos(now), -math.sin(now)]) - tail
    cosine, sine = math.cos(was - now), math.sin(was - now)

    def placed(place, kind):
        x, y = place[:2]
        if kind in ("bend", "space") and -0.05 < x <= tail[0] + 0.013:  # an edge at the vane
            return [cosine * x - sine * y, sine * x + cosine * y]
        share = min(max(x / tail[0], 0.0), 1.0)
        return [x + share * shift[0], y + share * shift[1]]

    def walked(value, kind):
        if isinstance(value, dict):
            return {
                key: walked(one, kind) if key not in ("shift", "id") else one for key, one in value.items()
            }
        if isinstance(value, list):
            plain = len(value) == 2 and all(isinstance(one, int | float) for one in value)
            return placed(value, kind) if plain else [walked(one, kind) for one in value]
        return value

    steps = [walked(step, step["kind"]) for step in json.loads(demo_file("turning-vanes.json"))["steps"]]
    for step in steps:
        if step["kind"] == "wing-section":
            step["angle"] = -angle
        if step["id"] == "follow-1":
            step["edges"] = {"inside": [[-0.03, -0.2], [0.2, 0.03]]}
    return steps


@pytest.mark.slow
@pytest.mark.parametrize(("angle", "largest"), [(45, 145), (65, 152)])
def test_vanes_at_other_staggers(angle, largest):
    """At 65° lines between the pitch's two sides lie too flat for the default gate; all else holds there too."""
    model = model_of(staggered(angle))
    built = build.build(model)
    cells = measure(built.grid)
    polished = built.runs[1].wall
    on_vane = np.isclose(polished.wished, 1e-4, rtol=1e-3)
    assert np.count_nonzero(on_vane) > 210
    assert np.mean(np.abs(polished.heights[on_vane] / 1e-4 - 1) <= 0.05) >= 0.95
    assert np.mean(np.abs(polished.angles[on_vane] - 90) <= 5) >= 0.95
    assert built.runs[0].progress.note == "settled"
    assert worst(cells, "largest_angle") < largest
    result = gate(cells, DEFAULT_LIMITS, walls_of(model, built.grid))
    assert result.folded == 0
    assert result.passed == (angle == 45)


def test_a_corner_that_is_forced_does_not_keep_the_others_back():
    """45° at the corners of a square cannot be bettered: the 135° beside them can."""
    square = [
        {"kind": "frame", "width": 1, "height": 1, "corner": [-0.5, -0.5]},
        {"kind": "count", "tier": {"at": [0, 0.5]}, "cells": 9},
        {"kind": "count", "tier": {"at": [0.5, 0]}, "cells": 9},
        {"kind": "butterfly", "blocks": {"all": True}, "core": 0.55, "bow": 0.3},
    ]
    before = measure(build.filled_grid(model_of(square)))
    built = build.build(model_of([*square, {"kind": "polish", "below": 0.9}]))
    after = measure(built.grid)
    forced = math.sin(math.radians(45))
    assert before.of("scaled_jacobian").min() == pytest.approx(forced, abs=1e-6)
    assert forced * (1 - 2e-5) < after.of("scaled_jacobian").min() < forced * (1 + 2e-5)
    assert worst(before, "largest_angle") == pytest.approx(135, abs=0.1)
    assert worst(after, "largest_angle") < 133
    assert worst(after, "volume_ratio") < worst(before, "volume_ratio")


@pytest.mark.parametrize("below", [0.85, 0.95])
def test_no_merit_is_lost_once_a_polish_settles(below):
    """A sheared and twisted box: its worst scaled Jacobian, its largest and its smallest angle."""
    steps = [
        {"kind": "frame", "shape": "box", "width": 3, "height": 2, "depth": 2},
        {"kind": "cut", "by": "x", "at": [1, 2]},
        {"kind": "pin", "corner": {"at": [1, 0, 0]}, "to": [1.35, 0.1, 0.1]},
        {"kind": "pin", "corner": {"at": [2, 2, 2]}, "to": [1.7, 1.8, 1.9]},
        {"kind": "budget", "cells": 1500},
    ]
    before = measure(build.filled_grid(model_of(steps)))
    built = build.build(model_of([*steps, {"kind": "polish", "below": below}]))
    after = measure(built.grid)
    assert built.runs[0].progress.note == "settled"
    assert after.of("scaled_jacobian").min() >= before.of("scaled_jacobian").min() - 1e-4
    assert worst(after, "largest_angle") <= worst(before, "largest_angle") + 0.01
    assert after.of("smallest_angle").min() >= before.of("smallest_angle").min() - 0.01


def test_sides_move_by_themselves_though_that_alone_folds_the_inside():
    """First heights of a millimetre where the fill has a twenty-fifth: the inside unfolds in the run."""
    smoothed = {"kind": "smooth", "sweeps": 500, "walls": {"on": "bore"}, "first": "1 mm", "spread": ENDS}
    steps = [*nozzle(axial=32, layers=10, growth=1.18, first="0.04 mm", bow=0), OPEN]
    model = model_of([*steps, smoothed | {"start": "from the grid as it is"}])
    run = build.build(model).runs[0]
    assert not run.reached().stayed
    assert run.began.folded == run.progress.folded == 0
    assert run.reached().heights_within > 0.9


@pytest.mark.parametrize("kind", [SmoothSettings, ShapeSettings])
def test_a_stop_while_sides_move_leaves_all_as_it_was(kind):
    steps = nozzle(axial=32, layers=10, growth=1.18, first="1 mm", bow=0)
    model = model_of(steps)
    blocks = filled(model)
    ends = tuple(side for side in model.layout.outer if side not in model.guided)
    settings = made(kind, 100, spread=ends)
    told = []

    def watch(progress, picture):
        told.append(progress.note)
        return len(told) < 2

    grid, sides = assemble(model, blocks), sides_of(model, blocks, settings)
    stopped = (smooth if kind is SmoothSettings else shape)(grid, sides, settings, watch)
    assert told == ["on its sides"] * 2
    assert stopped.progress.note == "stopped"
    assert stopped.progress.sweeps == 0
    assert apart(stopped.blocks, blocks) == 0.0


@pytest.mark.slow
@pytest.mark.parametrize("kind", [SmoothSettings, ShapeSettings])
def test_a_run_stopped_after_its_sides_moved_comes_out_again(kind):
    model = model_of(nozzle(STRAIGHT, axial=32, layers=10, growth=1.18, first="1 mm", bow=0))
    blocks = filled(model)
    ends = tuple(side for side in model.layout.outer if side not in model.guided)
    own = {"polish": 0.6} if kind is ShapeSettings else {"coarse_first": False}
    done = smooth if kind is SmoothSettings else shape

    def ran(sweeps, watch=None):
        settings = made(kind, sweeps, spread=ends, **own)
        return done(assemble(model, blocks), sides_of(model, blocks, settings), settings, watch)

    stopped = ran(600, lambda progress, _: progress.sweeps < 130)
    assert stopped.progress.note == "stopped"
    assert 0 < stopped.progress.sweeps < 600
    assert apart(stopped.blocks, ran(stopped.progress.sweeps).blocks) == 0.0

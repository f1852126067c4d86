"""What passes the gate passes it after a run too: where it would not, nodes go back, and that is told."""

import numpy as np
import pytest

from plodek.core.build.build import build, filled_grid, runs_of
from plodek.core.check.measure import measure
from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.check.quality import gate
from plodek.core.errors import CannotSmooth
from tests import received
from tests.conftest import model_of, numbered
from tests.core.test_leaks import apart

BEND = [
    {"kind": "arc", "name": "path", "by": "through", "start": [0, 0, 0], "through": [2.3, 0, 5.7], "end": [8, 0, 8]},
    {"kind": "frame", "shape": "polar", "outer": 1.5},
    {"kind": "butterfly", "blocks": {"all": True}, "core": 0.55, "bow": 0.35},
    {"kind": "count", "tier": {"each": [[0, 1.5], [1.5, 0], [0.9, 0.9]]}, "cells": 6},
    {"kind": "sweep", "guide": "path", "cells": 10},
]  # fmt: skip
STEP = [
    {"kind": "frame", "width": 6, "height": 3},
    {"kind": "cut", "by": "x", "at": [2, 3]},
    {"kind": "cut", "by": "y", "at": [1]},
    {"kind": "hollow", "blocks": {"at": [2.5, 0.5]}},
    {"kind": "pin", "corner": {"at": [3, 1]}, "to": [3.4, 0.8]},
    {"kind": "count", "tier": {"each": [[1, 0], [2.5, 1], [4.5, 0], [0, 0.5], [0, 2]]}, "cells": 12},
]
SMOOTH = {"kind": "smooth", "sweeps": 300, "control": "interior control"}


#: A gate that asks for nothing.
OPEN = {"kind": "gate"} | dict.fromkeys(DEFAULT_LIMITS)


def ran(steps):
    built = build(model_of(numbered(steps)))
    return measure(built.grid), built.runs[0]


def worst_of(steps, key):
    cells = measure(filled_grid(model_of(numbered(steps))))
    return next(s.worst for s in cells.summary if s.metric.key == key)


@pytest.mark.parametrize("steps", [BEND, STEP], ids=["bend", "step"])
@pytest.mark.parametrize("key", ["largest_angle", "smallest_angle", "skewness", "volume_ratio"])
def test_a_limit_that_was_met_is_met_after_the_run(steps, key):
    """The limit is just met by what is filled: where smoothing would miss it, it yields, and only there."""
    limit = worst_of(steps, key)
    plain, run = ran([*steps, OPEN, SMOOTH])
    kept, guarded = ran([*steps, OPEN | {key: limit}, SMOOTH])
    missed = not gate(plain, {key: limit}).passed
    assert gate(kept, {key: limit}).passed
    assert (run.yielded, run.yielded_at) == (0, None)
    assert (guarded.yielded > 0) == (guarded.yielded_at is not None) == missed
    assert ("went back around" in guarded.reached().sentence) == missed
    same = [(a == b).all() for a, b in zip(plain.grid.xyz, kept.grid.xyz, strict=True)]
    assert all(same) == (not missed)


def test_what_need_not_yield_is_smoothed_as_before():
    """Nodes around follow those that are pulled back; far from them they stay where the run had them."""
    limit = worst_of(STEP, "skewness")
    plain, _ = ran([*STEP, OPEN, SMOOTH])
    kept, guarded = ran([*STEP, OPEN | {"skewness": limit}, SMOOTH])
    pairs = list(zip(plain.grid.xyz, kept.grid.xyz, strict=True))
    apart = np.concatenate([np.linalg.norm(a - b, axis=-1).ravel() for a, b in pairs])
    assert 0 < guarded.yielded < 0.2 * len(apart)
    assert np.median(apart) < 0.005  # of cells of a twelfth
    assert guarded.reached().angles == pytest.approx(
        [kept.of("smallest_angle").min(), kept.of("largest_angle").max()]
    )


FOLDED = [*STEP, {"kind": "pin", "corner": {"at": [3.4, 0.8]}, "to": [1.6, 1.6]}]


def test_a_run_from_folded_cells_is_refused_with_where_or_untangles_first():
    first = SMOOTH | {"folded": "untangle first"}
    with pytest.raises(CannotSmooth, match=r"cells are folded, near \(.*Put Untangle before it"):
        ran([*FOLDED, SMOOTH])
    beyond = {"kind": "pin", "corner": {"at": [3.4, 0.8]}, "to": [2.5, 3.5]}
    with pytest.raises(CannotSmooth, match=r"still folded.*Free what"):
        ran([*STEP, beyond, first])
    cells, run = ran([*FOLDED, first])
    assert not cells.folded.any()
    assert run.progress.note == "settled"


def test_a_stop_while_it_untangles_first_leaves_all_as_it_was():
    """What that has done could not be had again from the recipe: the run counts as not begun."""
    told = []

    def watch(progress, picture):
        told.append(progress.note)
        return False

    model = model_of(numbered([*FOLDED, SMOOTH | {"folded": "untangle first"}]))
    (run,) = runs_of(model, lambda number: watch)
    assert (set(told), run.progress.sweeps, run.progress.note) == ({"untangling first"}, 0, "stopped")
    grid = filled_grid(model)
    assert all((run.blocks[n] == xyz).all() for n, xyz in zip(grid.names, grid.xyz, strict=True))


def test_a_limit_of_a_part_that_was_met_is_met_after_the_run():
    own = {"kind": "own-limit", "metric": "equiangle skewness", "where": "in blocks", "blocks": {"all": True}}
    limit = worst_of(STEP, "skewness")
    kept, guarded = ran([*STEP, OPEN, own | {"limit": limit}, SMOOTH])
    assert guarded.yielded > 0
    assert kept.of("skewness").max() <= limit * (1 + 1e-9)


def test_a_flat_cell_counts_as_folded():
    nodes = np.stack(np.meshgrid(*[np.linspace(0, 1, 3)] * 3, indexing="ij"), axis=-1)
    nodes[1, 1, 1] = 1 / 3  # in one plane with the three corners beside it
    cells = measure(apart(nodes))
    assert cells.of("scaled_jacobian").min() == pytest.approx(0.0, abs=1e-12)
    assert cells.folded.sum() == (cells.of("scaled_jacobian") < 1e-6).sum() > 0


def test_walls_of_received_grids_are_those_of_their_patches():
    wall = {"kind": "patch", "name": "bed", "type": "wall", "faces": {"looks": [0, 0, -1]}}
    smooth = {"kind": "smooth", "sweeps": 5, "control": "wall control"}
    model = received.model_of([received.START, wall, smooth], a=received.BENT)
    assert model.smoothing[0].parts.walls == model.patches[0].sides


def test_what_is_told_of_a_run_that_yielded_is_of_the_grid_that_it_gives():
    wall = {"kind": "wall-layer", "walls": {"side": "y-"}, "first": 0.01, "growth": 1.2, "layers": 5}
    steps = [*STEP, wall]
    smooth = SMOOTH | {"control": "wall control", "walls": {"side": "y-"}}
    limit = worst_of(steps, "skewness")
    cells, run = ran([*steps, OPEN | {"skewness": limit}, smooth])
    assert run.yielded > 0
    assert run.reached().worst == pytest.approx(cells.of("scaled_jacobian").min())
    again = run.wall.heights
    floor = [
        b[:, 1, 0, 1] - b[:, 0, 0, 1] for b in cells.grid.xyz if np.ptp(b[:, 0, 0, 1]) == 0 == b[0, 0, 0, 1]
    ]
    inner = np.sort(np.concatenate([heights[1:-1] for heights in floor]))
    assert all(np.abs(inner - height).min() < 1e-9 for height in again)

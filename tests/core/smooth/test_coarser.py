"""Coarser grids: what lies between their nodes, and how they take the long-wave error from a run."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.build import build
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import Window
from plodek.core.smooth.coarse.correction import Correction
from plodek.core.smooth.coarse.grids import every_second, in_between
from plodek.core.smooth.coarse.kernels import averaged
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.sides import Sides
from plodek.core.smooth.smooth import smooth
from tests.conftest import model_of
from tests.core.smooth.conftest import apart, filled, run

COUNTS = st.integers(1, 23)


@given(COUNTS, COUNTS, COUNTS, st.integers(0, 1000))
@settings(max_examples=40, deadline=None)
def test_what_is_linear_is_so_between_the_nodes_of_a_coarser_grid(ni, nj, nk, seed):
    slopes = np.random.default_rng(seed).uniform(-2, 2, (3, 3))
    fine = np.stack(np.meshgrid(*(np.arange(n) for n in (ni, nj, nk)), indexing="ij"), axis=-1) @ slopes
    few = fine[np.ix_(*(every_second(n) for n in (ni, nj, nk)))]
    found = in_between(few, fine.shape)
    assert np.allclose(found, fine, atol=1e-12)
    kept = found[np.ix_(*(every_second(n) for n in (ni, nj, nk)))]
    assert np.array_equal(kept, few)  # the coarser grid's own nodes to the bit


@pytest.mark.parametrize("nodes", range(2, 40))
def test_every_second_node_is_the_same_from_either_end(nodes):
    picked = every_second(nodes)
    assert np.array_equal(nodes - 1 - picked[::-1], picked)
    assert {0, nodes - 1} <= set(picked)
    assert np.diff(picked).max() <= 3


@pytest.mark.parametrize("steps", [(25, 5, 1), (5, 1, 0)])
def test_averages_keep_what_is_linear_and_take_away_what_differs_by_colour(steps):
    slots = np.array([62], dtype=np.int32)  # the middle of 5 x 5 x 5
    i, j, k = np.indices((5, 5, 5)).reshape(3, -1)
    linear = np.stack([2.0 * i - j + 3.0 * k, np.ones(125), j * 1.0], axis=1)
    ways = np.array([steps], dtype=np.int32)
    assert np.allclose(averaged(linear, slots, ways), linear[slots], atol=1e-12)
    coloured = np.repeat((-1.0) ** (i + j + k)[:, None], 3, axis=1)
    assert np.abs(averaged(coloured, slots, ways)).max() < 1e-12


def wavy(n, size):
    """A box of n³ cells whose inner nodes are displaced by one long wave."""
    xyz = np.stack(np.meshgrid(*[np.linspace(0, 1, n + 1)] * 3, indexing="ij"), axis=-1)
    wave = np.prod(np.sin(math.pi * xyz), axis=-1)[..., None]
    return xyz, xyz + size * wave * np.array([1.0, -0.7, 0.4])


def alone(xyz):
    windows = tuple(Window(0, axis, end) for axis in range(3) for end in (0, 1))
    return Grid(3, ("a",), (np.ascontiguousarray(xyz),), unnamed=windows)


@pytest.mark.parametrize("control", [False, True])
@pytest.mark.parametrize("cells", [12, 13, 27, 40])
def test_the_sweeps_needed_do_not_grow_with_the_count(cells, control):
    """Without coarser grids they grow as the square of the cells along a line, or so."""
    _, start = wavy(cells, 0.05)
    needed = []
    for coarse in (True, False):
        done = smooth(alone(start), Sides(), SmoothSettings(4000, control=control, coarse_first=coarse))
        assert done.progress.note == "settled"
        needed.append(done.progress.sweeps)
    assert needed[0] <= 80
    assert needed[0] < 20 / cells * needed[1]


def test_a_long_wave_is_gone_in_few_sweeps():
    straight, start = wavy(32, 0.05)
    done = smooth(alone(start), Sides(), SmoothSettings(80, tolerance=0.0))
    left = np.abs(done.blocks["a"] - straight).max() / np.abs(start - straight).max()
    assert left < 1e-4
    by_itself = smooth(alone(start), Sides(), SmoothSettings(80, tolerance=0.0, coarse_first=False))
    assert np.abs(by_itself.blocks["a"] - straight).max() > 100 * left * np.abs(start - straight).max()


PIPE = [
    {"kind": "frame", "id": "f", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 1},
    {"kind": "butterfly", "id": "b", "blocks": {"all": True}, "core": 0.5, "bow": 0.3},
    *(
        {"kind": "count", "id": f"c{n}", "tier": {"at": at}, "cells": 10}
        for n, at in enumerate(([0, 0.4, 0], [0.4, 0, 0], [0.55, 0.55, 0], [0, 0, 0.5]))
    ),
]
SECTOR = [
    {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1},
    {"kind": "cut", "id": "x", "by": "x", "at": [0.7]},
    *(
        {"kind": "count", "id": f"c{n}", "tier": {"at": at}, "cells": 12}
        for n, at in enumerate(([0.3, 0, 0], [1.5, 0, 0], [0, 0.5, 0], [0, 0, 0.5]))
    ),
    {"kind": "twin", "id": "t", "sides": {"side": "x-"}, "others": {"side": "x+"}, "shift": [2, 0, 0]},
]
BENT = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "cut", "id": "x", "by": "x", "at": [1]},
    {"kind": "circle", "id": "c", "name": "arc", "centre": [0.5, 0.5], "radius": math.sqrt(0.5)},
    {"kind": "follow", "id": "w", "guide": "arc", "edges": {"at": [1, 0.5]}},
    *(
        {"kind": "count", "id": f"c{n}", "tier": {"at": at}, "cells": cells}
        for n, (at, cells) in enumerate((([0.3, 0], 32), ([1.5, 0], 32), ([0, 0.5], 24)))
    ),
]


@pytest.mark.parametrize(
    ("steps", "more"),
    [(PIPE, {"control": True}), (PIPE, {}), (SECTOR, {"free_twins": True}), (BENT, {"control": True})],
    ids=["butterfly controlled", "butterfly", "twins", "inner guide"],
)
def test_both_ways_come_to_the_same_grid(steps, more):
    """A correction is none where the finer grid is at rest, whatever the topology."""
    model = model_of(steps)
    found = [run(model, tolerance=1e-9, coarse_first=coarse, **more) for coarse in (True, False)]
    assert [one.progress.note for one in found] == ["settled", "settled"]
    assert found[0].progress.sweeps < found[1].progress.sweeps
    assert apart(found[0].blocks, found[1].blocks) < 1e-5


def test_what_does_not_help_is_undone(monkeypatch):
    """Corrections at random: nodes come to the same grid, and all along those of two blocks are one to the bit."""
    random = np.random.default_rng(4)
    monkeypatch.setattr(Correction, "found", lambda one: random.normal(0.0, 0.01, one.coarse.xyz.shape))
    model = model_of(BENT)
    ids = Numbering.of(build.filled_grid(model)).ids
    portions = []

    def watch(progress, blocks):
        places = np.full((max(int(own.max()) for own in ids) + 1, 3), np.nan)
        for own, xyz in zip(ids, blocks().values(), strict=True):
            before = places[own]
            assert np.array_equal(np.where(np.isnan(before), xyz, before), xyz)
            places[own] = xyz
        portions.append(progress.share)
        return True

    done = run(model, tolerance=1e-8, control=True, watch=watch)
    assert done.progress.note == "settled"
    assert any(after == before for before, after in pairwise(portions))  # one was undone
    by_itself = run(model, tolerance=1e-8, control=True, coarse_first=False)
    assert apart(done.blocks, by_itself.blocks) < 1e-5


def test_the_equations_hold_beside_a_line_that_a_guide_binds():
    """Its nodes stay on it in every sweep: those beside them never see them off it."""
    model = model_of(BENT)
    done = run(model, tolerance=1e-10, coarse_first=False)
    before = filled(model)
    for name, xyz in done.blocks.items():
        x = xyz[:, :, 0, :2]
        assert not np.array_equal(xyz, before[name])
        a, b = 0.5 * (x[2:, 1:-1] - x[:-2, 1:-1]), 0.5 * (x[1:-1, 2:] - x[1:-1, :-2])
        aa, bb, ab = (np.sum(p * q, axis=-1)[..., None] for p, q in ((a, a), (b, b), (a, b)))
        mixed = 0.25 * (x[2:, 2:] - x[2:, :-2] - x[:-2, 2:] + x[:-2, :-2])
        along_a = x[2:, 1:-1] + x[:-2, 1:-1] - 2 * x[1:-1, 1:-1]
        along_b = x[1:-1, 2:] + x[1:-1, :-2] - 2 * x[1:-1, 1:-1]
        rest = (bb * along_a - 2 * ab * mixed + aa * along_b) / (aa + bb)
        assert np.abs(rest).max() < 1e-7

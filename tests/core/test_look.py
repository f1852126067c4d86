"""Looking into grids: cells alone, chosen by their metrics, with neighbours, and where they are."""

import csv
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.build.build import filled_grid
from plodek.core.check.groups import by_block, by_blocks, by_patch, by_region
from plodek.core.check.listing import lines_of, looked_into, write_csv
from plodek.core.check.look.bricks import bricks_of
from plodek.core.check.look.choice import Range, choose, nearest, where
from plodek.core.check.look.cutter import plane
from plodek.core.check.look.pieces import cells_of
from plodek.core.check.look.probe import SIDES, probe
from plodek.core.check.look.section import section
from plodek.core.check.measure import measure
from plodek.core.check.metrics import BY_KEY
from plodek.core.check.tables import table
from plodek.core.errors import BadFile, NothingFound, OverBudget, PlodekError
from tests.conftest import model_of, numbered

EVERY = Range("volume_ratio", -np.inf, np.inf)
#: A box of two regions, 12 cells along each axis, cut into 2 x 3 blocks.
STEPS = numbered(
    [
        {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": 1},
        {"kind": "cut", "by": "x", "at": [0.7]},
        {"kind": "cut", "by": "y", "at": [0.3, 0.6]},
        {"kind": "budget", "cells": 1500},
        {"kind": "patch", "name": "bed", "type": "wall", "faces": {"side": "z-"}},
        {"kind": "patch", "name": "sides", "type": "wall", "faces": {"rest": True}},
    ]
)


@pytest.fixture(scope="module")
def box():
    grid = filled_grid(model_of(STEPS))
    return grid, measure(grid)


def neighbours(grid, chosen):
    """Cells that share a face with chosen ones, by the places of the faces' corners: slow, and by itself."""
    faces = {}
    for block in range(len(grid.xyz)):
        ci, cj, ck = grid.shape_of(block)
        xyz = np.round(grid.xyz[block], 9)
        for number, (i, j, k) in enumerate(np.ndindex(ci, cj, ck)):
            corner = xyz[i : i + 2, j : j + 2, k : k + 2]
            for axis in range(3):
                for end in (0, 1):
                    key = frozenset(map(tuple, np.take(corner, end, axis).reshape(-1, 3)))
                    faces.setdefault(key, []).append(grid.starts[block] + number)
    found = set(chosen)
    for both in faces.values():
        if found.intersection(both) & set(chosen):
            found.update(both)
    return sorted(found)


def test_neighbours_are_those_behind_faces_across_blocks_too(box):
    grid, cells = box
    some = np.random.default_rng(1).choice(grid.cells, 5, replace=False)
    marked = np.zeros_like(cells.basic)
    marked[:, some] = 1.0
    own = replace(cells, basic=marked)
    chosen = choose(grid, own, [Range("skewness", 1.0, 1.0)])
    assert sorted(some) == chosen.tolist()
    grown = choose(grid, own, [Range("skewness", 1.0, 1.0)], grown=1)
    assert grown.tolist() == neighbours(grid, some)
    twice = choose(grid, own, [Range("skewness", 1.0, 1.0)], grown=2)
    assert twice.tolist() == neighbours(grid, grown)


@settings(max_examples=25, deadline=None)
@given(st.sampled_from(list(BY_KEY)), st.floats(0, 1), st.floats(0, 1))
def test_a_range_chooses_exactly_the_cells_within_it(box, key, a, b):
    grid, cells = box
    values = cells.of(key)
    low, high = np.quantile(values, sorted((a, b)))
    chosen = choose(grid, cells, [Range(key, low, high)])
    assert set(chosen) == {n for n, v in enumerate(values) if low <= v <= high}
    both = choose(grid, cells, [Range(key, low, high), Range("volume_ratio", 1.0, 1.05)])
    assert set(both) == set(chosen) & set(choose(grid, cells, [Range("volume_ratio", 1.0, 1.05)]))


def test_cells_at_a_patch_are_those_with_a_face_in_it(box):
    grid, cells = box
    chosen = choose(grid, cells, [EVERY], patch="bed")
    assert len(chosen) == sum(grid.patch_faces(p) for p in grid.patches if p.name == "bed")
    found = where(cells, chosen)
    assert found.cells == len(chosen)
    near = nearest(cells, chosen, {patch.name: patch.windows for patch in grid.patches})
    assert next(iter(near)) == "bed"
    assert sum(near.values()) == len(chosen)
    with pytest.raises(NothingFound, match="no patch “nix”. The patches are bed, sides"):
        choose(grid, cells, [EVERY], patch="nix")


def test_where_cells_are_adds_up(box):
    grid, cells = box
    chosen = choose(grid, cells, [EVERY])
    found = where(cells, chosen)
    assert (found.cells, found.share) == (grid.cells, pytest.approx(1.0))
    assert found.volume == pytest.approx(2.0)
    assert sum(found.blocks.values()) == sum(found.regions.values()) == grid.cells
    assert found.blocks == {name: grid.block_cells(b) for b, name in enumerate(grid.names)}
    none = where(cells, choose(grid, cells, [Range("skewness", 2.0, 3.0)]))
    assert (none.cells, none.share, none.blocks) == (0, 0.0, {})


def test_cells_alone_have_their_own_outside(box):
    """All cells of a grid, whole, show every block's outside; one cell its six sides; shrunk ones all of theirs."""
    grid, _ = box
    every = cells_of(grid, np.arange(grid.cells))
    outside = sum(2 * (a * b + b * c + c * a) for a, b, c in map(grid.shape_of, range(len(grid.xyz))))
    assert len(every) == outside
    shrunk = cells_of(grid, np.arange(grid.cells), shrunk=0.5)
    assert len(shrunk) == 6 * grid.cells
    assert shrunk.area == pytest.approx(0.25 * cells_of(grid, np.arange(grid.cells), shrunk=1e-15).area)
    one = cells_of(grid, np.array([77, 77]))
    assert (len(one), set(one.cells)) == (6, {77})
    assert len(cells_of(grid, np.array([], dtype=int))) == 0


def test_sides_of_cells_go_once_round_and_close(box):
    """The area vectors of a cell's sides, each as it is gone round, add up with their outward sense to nothing."""
    grid, _ = box
    sides = cells_of(grid, np.array([5])).places.reshape(6, 4, 3)
    vectors = 0.5 * np.cross(sides[:, 2] - sides[:, 0], sides[:, 3] - sides[:, 1])
    outward = sides.mean(axis=1) - sides.mean(axis=(0, 1))
    signs = np.sign(np.einsum("nk,nk->n", vectors, outward))
    assert np.abs((signs[:, None] * vectors).sum(axis=0)).max() < 1e-15


def test_a_plane_grid_shows_its_cells_as_they_lie():
    model = model_of(numbered([{"kind": "frame", "width": 2, "height": 1}]))
    grid = filled_grid(model)
    found = cells_of(grid, np.arange(grid.cells))
    assert (len(found), found.area) == (grid.cells, pytest.approx(2.0))
    assert where(measure(grid), np.arange(3)).cells == 3


@pytest.mark.parametrize("metric", list(BY_KEY))
def test_tables_agree_with_the_cells_themselves(box, metric):
    grid, cells = box
    values, better = cells.of(metric), BY_KEY[metric].better
    limit = float(np.nanmedian(values)) if not np.isnan(values).all() else 0.0
    limit *= 1 + 1e-6  # of values that are alike but for rounding none is beyond it alone
    for groups in (
        by_block(grid),
        by_region(grid),
        by_patch(grid),
        by_blocks(grid, {"two": grid.names[:2], "none": ["x"]}),
    ):
        rows = table(cells, metric, groups, limit)
        worsts = [row.worst for row in rows]
        assert worsts == sorted(worsts, reverse=better == "low")
        told = {name for name, own in groups.items() if not np.isnan(values[own]).all()}
        assert {row.name for row in rows} == told
        for row in rows:
            own = values[groups[row.name]]
            own = own[~np.isnan(own)]
            assert row.cells == len(own)
            assert row.worst == (min(own) if better == "high" else max(own))
            assert row.mean == pytest.approx(sum(own) / len(own))
            assert row.beyond == pytest.approx(
                sum(v < limit if better == "high" else v > limit for v in own) / len(own)
            )
    assert sum(row.cells for row in table(cells, metric, by_block(grid), None)) == np.count_nonzero(
        ~np.isnan(values)
    )
    assert {row.beyond for row in table(cells, metric, by_block(grid), None)} <= {0.0}


def test_lists_without_a_screen(box, tmp_path):
    grid, cells = box
    lists = looked_into(grid, cells, "aspect_ratio", worst=3, by="patch", place="x=0.3")
    assert [row["aspect_ratio"] for row in lists["worst"]] == sorted(cells.of("aspect_ratio"))[-1:-4:-1]
    assert {row["patch"] for row in lists["by"]} == {"bed", "sides"}
    (cut,) = lists["section"]
    assert (cut["area"], cut["cells"]) == (pytest.approx(1.0), 72)
    write_csv(tmp_path / "a.csv", list(lists.values()))
    read = list(csv.reader((tmp_path / "a.csv").read_text().splitlines()))
    assert read[0] == ["block", "i", "j", "k", "aspect_ratio", "x", "y", "z"]
    assert len(read) == 1 + 3 + 1 + 2 + 1 + 1
    lines = lines_of(lists)
    assert len(lines) == len(read) + 3
    assert len({len(line) for line in lines[:4]}) == 1
    with pytest.raises(BadFile, match="cannot be written"):
        write_csv(tmp_path / "no" / "a.csv", [])


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ({"metric": "beauty"}, "is no metric.*scaled_jacobian"),
        ({"place": "w=1"}, "is no plane"),
        ({"place": "x=far"}, "is no plane"),
        ({"place": "x=nan"}, "is no plane"),
        ({"place": "x=9"}, "does not meet the grid"),
    ],
)
def test_what_cannot_be_listed_is_told(box, options, words):
    grid, cells = box
    with pytest.raises(PlodekError, match=f"(?s){words}"):
        looked_into(grid, cells, options.pop("metric", "skewness"), **options)


def faces_of(grid):
    """The cells behind each face, by the places of its corners: slow, and by itself."""
    found = {}
    for block in range(len(grid.xyz)):
        xyz = np.round(grid.xyz[block], 9)
        for number, (i, j, k) in enumerate(np.ndindex(grid.shape_of(block))):
            corner = xyz[i : i + 2, j : j + 2, k : k + 2]
            for axis in range(3):
                for end in (0, 1):
                    key = frozenset(map(tuple, np.take(corner, end, axis).reshape(-1, 3)))
                    found.setdefault(key, []).append((grid.starts[block] + number, SIDES[2 * axis + end]))
    return found


def test_a_cell_knows_its_neighbours_and_patches_on_all_sides(box):
    grid, cells = box
    some = set(np.random.default_rng(2).choice(grid.cells, 40, replace=False).tolist())
    seen = 0
    for both in faces_of(grid).values():
        for cell, side in both:
            if cell not in some:
                continue
            seen += 1
            beyond = probe(grid, cells, cell).beyond[side]
            others = [other for other, _ in both if other != cell]
            assert ([beyond.cell] if beyond.cell is not None else []) == others
            assert bool(beyond.patch) == (not others)
    assert seen == 6 * 40


def test_a_cell_is_told_with_its_edges_and_metrics(box):
    grid, cells = box
    found = probe(grid, cells, 500)
    assert found.corners.shape == (8, 3)
    assert [len(edges) for edges in found.edges] == [4, 4, 4]
    lengths = [edges[0] for edges in found.edges]
    assert found.volume == pytest.approx(np.prod(lengths))
    there = [key for key in BY_KEY if not np.isnan(cells.of(key)[500])]
    assert found.values == {key: pytest.approx(cells.of(key)[500]) for key in there}
    i, j, k = (n - 1 for n in found.index)
    assert found.corners[0] == pytest.approx(grid.xyz[found.block][i, j, k])
    assert found.corners[7] == pytest.approx(grid.xyz[found.block][i + 1, j + 1, k + 1])
    for wrong in (-1, grid.cells):
        with pytest.raises(NothingFound, match="has no cell"):
            probe(grid, cells, wrong)


def test_walking_goes_round_a_ring_and_comes_back():
    frame = {"kind": "frame", "shape": "polar", "inner": 1, "outer": 2}
    ring = filled_grid(model_of(numbered([frame, {"kind": "budget", "cells": 200}])))
    cells = measure(ring)
    first = probe(ring, cells, 0).beyond
    (around,) = [side for side in ("i+", "j+") if first[side.replace("+", "-")].cell is not None]
    seen = [0]
    while (beyond := probe(ring, cells, seen[-1]).beyond[around].cell) not in (0, None):
        seen.append(beyond)
    assert beyond == 0
    assert len(set(seen)) == len(seen) > 10


def test_what_would_draw_too_much_is_refused_before_it_is_made(box, monkeypatch):
    monkeypatch.setenv("PLODEK_MOST_FACES", "50")
    grid, _ = box
    with pytest.raises(OverBudget, match="the section"):
        section(grid, bricks_of(grid), plane([0.3, 0, 0], [1, 0, 0]))

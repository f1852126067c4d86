"""Metrics beside the basic ones: by closed forms, over blocks and twins as within a block, and at walls."""

import numpy as np
import pytest

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.build.walls import wall_units_of, walls_of
from plodek.core.check.lines import Lines
from plodek.core.check.measure import measure
from plodek.core.check.metrics import BY_KEY, known
from plodek.core.check.quality import gate, histogram, worst_cells
from plodek.core.errors import BadValue
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, Window
from tests.conftest import evaluated, model_of, numbered

WITHIN = [key for key, metric in BY_KEY.items() if metric.group in ("cell", "size")]


def laid(steps):
    return model_of(numbered(steps))


def lattice(*counts, spacing=None):
    lines = [np.arange(n + 1.0) if spacing is None else spacing for n in counts]
    return np.stack(np.meshgrid(*lines, indexing="ij"), axis=-1)


def shaken(*counts, by=0.2, seed=0):
    nodes = lattice(*counts)
    return nodes + np.random.default_rng(seed).uniform(-by, by, nodes.shape)


def flat(nodes):
    return np.concatenate([nodes, np.zeros((*nodes.shape[:2], 1))], axis=-1)[:, :, None]


def values(grid, keys=WITHIN):
    cells = measure(grid)
    return np.stack([cells.of(key) for key in keys])


@pytest.mark.parametrize("slope", [0.0, 0.3, 1.0])
def test_a_slanted_block_has_the_values_of_its_slope(slope):
    nodes = lattice(4, 3, 5)
    nodes[..., 0] += slope * nodes[..., 2]
    cells = measure(Grid(3, ("a",), (nodes,)))
    length = (1 + slope**2) ** 0.5
    for key, value in {
        "alignment": 1 / length,  # a face's normal against the line of middles
        "non_orthogonality": np.degrees(np.arctan(slope)),
        "face_skewness": 0.0,
        "warpage": 0.0,
        "edge_growth": 1.0,
        "smallest_edge": 1.0,
        "smallest_height": 1 / length,  # volume over its largest side
        "cell_size": 1.0,
    }.items():
        assert np.allclose(cells.of(key), value, atol=1e-6), key


def test_the_face_skewness_of_two_cells_is_that_of_the_line_through_their_middles():
    """The line from (−2, 1) to (1, 0.25) meets the edge at x = 0 where y is 0.5, which is its middle less 0.25."""
    left, shared, right = [[-4, 0], [-4, 2.5]], [[0, 0], [0, 1.5]], [[2, -1.0], [2, 0.5]]
    nodes = flat(np.array([left, shared, right], dtype=float))
    (ax, ay), (bx, by) = nodes[:2, :, 0, :2].mean(axis=(0, 1)), nodes[1:, :, 0, :2].mean(axis=(0, 1))
    crossing = ay + (by - ay) * (0 - ax) / (bx - ax)
    wanted = abs(crossing - 0.75) / np.hypot(bx - ax, by - ay)
    found = measure(Grid(2, ("a",), (nodes,))).of("face_skewness")
    assert found == pytest.approx([wanted, wanted])
    assert wanted > 0.05


def test_the_warpage_of_a_face_is_the_fold_over_its_diagonal():
    nodes = lattice(1, 1, 1)
    nodes[1, 1, 1, 2] = 1.4  # normals (0, −0.4, 1) and (−0.4, 0, 1): more than over the other diagonal
    cells = measure(Grid(3, ("a",), (nodes,)))
    assert cells.of("warpage")[0] == pytest.approx(np.degrees(np.arccos(1 / 1.16)))


@pytest.mark.parametrize("dim", [2, 3])
def test_no_metric_depends_on_the_order_of_a_blocks_axes(dim):
    nodes = flat(shaken(6, 4)) if dim == 2 else shaken(4, 3, 5)
    counts = tuple(n - 1 for n in nodes.shape[:dim])
    wanted = values(Grid(dim, ("a",), (nodes,))).reshape(-1, *counts)
    turns = [(1, 0)] if dim == 2 else [(1, 2, 0), (2, 0, 1), (1, 0, 2)]
    for order in turns:
        rest = tuple(range(dim, 4))
        turned = np.transpose(nodes, (*order, *rest))
        # An odd order turns right into left: one axis runs backwards then.
        odd = round(np.linalg.det(np.eye(dim)[list(order)])) < 0
        turned = turned[::-1] if odd else turned
        found = values(Grid(dim, ("a",), (np.ascontiguousarray(turned),)))
        there = np.transpose(wanted, (0, *(1 + axis for axis in order)))
        there = there[:, ::-1] if odd else there
        assert np.allclose(found, there.reshape(len(there), -1), rtol=1e-9, atol=1e-9)


@pytest.mark.parametrize("dim", [2, 3])
@pytest.mark.parametrize("axis", [0, 1])
def test_cut_in_two_blocks_a_grid_has_the_same_values(dim, axis):
    nodes = flat(shaken(6, 5)) if dim == 2 else shaken(5, 6, 3)
    counts = tuple(max(n - 1, 1) for n in nodes.shape[:3])
    whole = values(Grid(dim, ("a",), (nodes,))).reshape(-1, *counts)
    first = np.take(nodes, range(3), axis)
    second = np.take(nodes, range(2, nodes.shape[axis]), axis)
    # The second block runs the other way along two of its axes, as a neighbour may.
    across = 1 - axis
    turned = np.ascontiguousarray(np.flip(second, (axis, across)))
    signs = [-1 if n in (axis, across) else 1 for n in range(dim)]
    joint = Interface(
        Window(0, axis, 1), Window(1, axis, 1), Orientation(tuple(s * (n + 1) for n, s in enumerate(signs)))
    )
    found = values(Grid(dim, ("a", "b"), (first, turned), (joint,)))
    near = np.take(whole, range(2), 1 + axis).reshape(len(whole), -1)
    far = np.take(whole, range(2, counts[axis]), 1 + axis)
    far = np.flip(far, (1 + axis, 1 + across)).reshape(len(whole), -1)
    assert np.allclose(found, np.concatenate([near, far], axis=1), rtol=1e-9, atol=1e-9)


def test_edges_that_grow_by_a_factor_say_so():
    spacing = np.concatenate([[0.0], np.cumsum(1.25 ** np.arange(8))])
    assert measure(Grid(3, ("a",), (lattice(8, 8, 8, spacing=spacing),))).of("edge_growth") == pytest.approx(
        1.25
    )


CHANNEL = [
    {"kind": "frame", "shape": "box", "width": 4, "height": 1, "depth": 1},
    {"kind": "cut", "by": "y", "at": [0.04]},
    {"kind": "count", "tier": {"at": [2, 0, 0]}, "cells": 8},
    {"kind": "count", "tier": {"at": [0, 0, 0.5]}, "cells": 4},
    {"kind": "count", "tier": {"at": [0, 0.02, 0]}, "cells": 4},
    {"kind": "count", "tier": {"at": [0, 0.5, 0]}, "cells": 96},
    {"kind": "patch", "name": "bed", "type": "wall", "faces": {"side": "y-"}},
    {"kind": "patch", "name": "rest", "type": "far field", "faces": {"rest": True}},
]
FLOW = {"kind": "flow", "speed": 2, "length": "4 m", "fluid": "water", "celsius": 20}


def test_walls_are_measured_along_lines_through_blocks_and_nowhere_else():
    """0.01 high cells in both blocks, evenly: the boundary layer of the plate holds δ / 0.01 of them."""
    model = laid([*CHANNEL, FLOW])
    grid, units = build.filled_grid(model), wall_units_of(model)
    cells = measure(grid, units)
    standing = ~np.isnan(cells.of("first_height"))
    assert standing.sum() == 8 * 4
    for key, value in {
        "first_height": 0.01,
        "wall_angle": 0.0,
        "wall_growth": 1.0,
        "y_plus": 0.01 / units.height,
        "boundary_cells": np.floor(units.thickness / 0.01),
    }.items():
        assert np.allclose(cells.of(key)[standing], value, atol=1e-9), key
        assert np.isnan(cells.of(key)[~standing]).all()
    assert np.floor(units.thickness / 0.01) > 4  # further than the block at the wall reaches


def test_y_plus_is_that_of_the_plate_worked_by_hand():
    """Re = 2 · 4 / 1.0035e-6, C_f = (2 log₁₀ Re − 0.65)^−2.3, u_τ = 2 √(C_f/2); δ = 0.37 · 4 Re^(−1/5)."""
    kinematic = 1.0016e-3 / 998.2  # water at 20 °C, handbook values
    reynolds = 2 * 4 / kinematic
    shear = 2 * ((2 * np.log10(reynolds) - 0.65) ** -2.3 / 2) ** 0.5
    units = wall_units_of(laid([{"kind": "unit", "unit": "mm"}, *CHANNEL, FLOW]))
    assert units.height == pytest.approx(1e3 * kinematic / shear, rel=1e-3)
    assert units.thickness == pytest.approx(1e3 * 0.37 * 4 * reynolds**-0.2, rel=1e-3)


def test_a_wall_that_lines_leave_aslant_says_by_how_much():
    nodes = lattice(4, 4, 4)
    nodes[..., 0] += 0.5 * nodes[..., 2]
    wall = PatchFaces("w", "wall", (Window(0, 2, 0), Window(0, 0, 1)))
    cells = measure(Grid(3, ("a",), (nodes,), patches=(wall,)))
    angle = cells.of("wall_angle").reshape(4, 4, 4)
    assert np.allclose(angle[:, :, 0], np.degrees(np.arctan(0.5)))
    assert np.allclose(angle[-1], np.degrees(np.arctan(0.5)))
    height = cells.of("first_height").reshape(4, 4, 4)
    assert np.allclose(height[:3, :, 0], 1)
    assert np.allclose(height[-1], 1 / 1.25**0.5)  # of two walls the nearer counts


def test_lines_end_where_no_block_goes_on():
    grid = build.filled_grid(laid(CHANNEL))
    bed = next(p for p in grid.patches if p.name == "bed")
    lines = Lines(grid, bed.windows)
    seen = [lines.cell]
    for _ in range(99):
        lines.step()
        seen.append(lines.cell)
    assert all((cell >= 0).all() for cell in seen)
    assert len(np.unique(np.concatenate(seen))) == grid.cells
    assert np.allclose(lines.far[:, 1], 1.0)
    lines.step()
    assert (lines.cell == -1).all()


def test_jumps_are_told_where_blocks_meet_and_twins_as_if_they_met():
    steps = [
        {"kind": "frame", "width": 3, "height": 1},
        {"kind": "cut", "at": [1]},
        {"kind": "count", "tier": {"at": [0.5, 0]}, "cells": 4},
        {"kind": "count", "tier": {"at": [2, 0]}, "cells": 2},
        {"kind": "twin", "sides": {"side": "x-"}, "others": {"side": "x+"}, "shift": [3, 0, 0]},
    ]
    grid = build.filled_grid(laid(steps))
    cells = measure(grid)
    ratio = cells.of("joint_ratio")
    at = ~np.isnan(ratio)
    assert np.allclose(ratio[at], 4.0)  # 0.25 wide against 1 wide, inside and over the twins
    assert at.sum() == 4 * grid.shape_of(0)[1]
    angle = cells.of("twin_angle")
    assert np.allclose(angle[~np.isnan(angle)], 0.0, atol=1e-6)
    assert np.count_nonzero(~np.isnan(angle)) == 2 * grid.shape_of(0)[1]


def test_what_says_nothing_is_left_out_and_what_is_no_metric_refused():
    cells = measure(Grid(3, ("a",), (lattice(2, 2, 2),)))
    assert {s.metric.key for s in cells.summary} == set(WITHIN)
    assert worst_cells(cells.grid, cells, "first_height") == []
    assert sum(histogram(cells, "first_height").counts) == 0
    with pytest.raises(BadValue, match="is no metric"):
        known("beauty")


@pytest.mark.parametrize("key", list(BY_KEY))
def test_a_histogram_holds_every_cell_and_its_volume(key):
    model = laid([*CHANNEL, FLOW])
    cells = measure(build.filled_grid(model), wall_units_of(model))
    there = np.isfinite(cells.of(key))
    for log in (None, True, False):
        found = histogram(cells, key, 12, log=log)
        assert sum(found.counts) == there.sum()
        assert sum(found.volumes) == pytest.approx(cells.volume[there].sum())
        assert len(found.bounds) == 13
        assert (np.diff(found.bounds) > 0).all()


LIMIT = {"kind": "own-limit", "metric": "aspect ratio", "limit": 60}
OWN = LIMIT | {"where": "at a patch", "patch": "bed"}
HEIGHT = {"kind": "own-limit", "metric": "first height", "where": "at a patch", "patch": "bed"}


@pytest.mark.parametrize(
    ("step", "passed", "told"),
    [
        (OWN, True, "aspect ratio at “bed”: worst 50, limit 60"),
        (OWN | {"limit": 40}, False, "aspect ratio at “bed”: 32 cells are above 40, the worst 50"),
        (OWN | {"patch": "hull"}, False, "aspect ratio at “hull”: there is no cell that has it"),
        (LIMIT | {"where": "in a region", "region": "fluid", "limit": 49}, False, "in region “fluid”: "),
        (LIMIT | {"where": "in blocks", "blocks": {"at": [2, 0, 0.5]}}, True, "aspect ratio in B1: worst 50"),
        (HEIGHT | {"length": "5 mm"}, False, "first height at “bed”: 32 cells are above 0.005 m, the worst 0.01 m"),
        (HEIGHT | {"length": "12 mm"}, True, "worst 0.01 m, limit 0.012 m"),
        (OWN | {"metric": "y⁺ of the first height", "limit": 1}, False, "there is no cell that has it"),
        (HEIGHT | {"length": "8 mm", "bound": "at least"}, True, "worst 0.01 m, limit 0.008 m"),
        (HEIGHT | {"length": "12 mm", "bound": "at least"}, False, "32 cells are below 0.012 m, the worst 0.01 m"),
    ],
)  # fmt: skip
def test_a_part_is_held_against_its_own_limit(step, passed, told):
    model = laid([*CHANNEL, step])
    cells = measure(build.filled_grid(model))
    found = gate(cells, {"smallest_angle": 35}, own=model.part_limits, unit=model.unit)
    assert found.passed is passed
    own = [v for v in found.verdicts if v.own]
    assert told in own[0].sentence


def test_a_parts_own_limit_takes_the_place_of_the_general_one_there():
    model = laid([*CHANNEL, OWN | {"limit": 60}])
    cells = measure(build.filled_grid(model))
    assert not gate(cells, {"aspect_ratio": 45}).passed
    general, _ = gate(cells, {"aspect_ratio": 45}, own=model.part_limits).verdicts
    assert general.missed == cells.grid.cells - 32
    assert "aspect ratio elsewhere" in general.sentence
    # Cells away from walls have no such height, and miss nothing.
    (walls,) = gate(cells, {"first_height": 0.005}).verdicts
    assert (walls.missed, walls.worst) == (32, pytest.approx(0.01))


@pytest.mark.parametrize(
    ("step", "said"),
    [
        (OWN | {"metric": "beauty"}, "is no metric"),
        (OWN | {"limit": None}, "no limit for the aspect ratio"),
        (HEIGHT, "the step's length"),
        (OWN | {"patch": ""}, "no patch is named"),
        (LIMIT | {"where": "in a region", "region": "air"}, "there is no region “air”"),
        (LIMIT | {"where": "in blocks"}, "no block is chosen"),
        (FLOW | {"length": "4 miles"}, "length"),
        (FLOW | {"celsius": 300}, "300 °C"),
        (FLOW | {"fluid": "typed"}, "density or viscosity is missing"),
        (FLOW | {"speed": 1e-9}, "Reynolds number"),
    ],
)
def test_limits_and_flows_that_cannot_be_are_refused_with_the_reason(step, said):
    found = evaluated(numbered([*CHANNEL, step]))
    assert said.lower() in str(found.error).lower()


@pytest.mark.parametrize(("cells", "turn"), [(8, 0.0), (9, 90.0)])
def test_a_corner_of_a_guide_that_no_node_is_on_is_a_row_of_the_gate(cells, turn):
    """A step in the bed, half-way along one edge: evenly spaced nodes are on its corners, or beside them."""
    bed = {"kind": "polyline", "name": "bed", "points": [[0, 0], [2, 0], [2, 2], [4, 2], [8, 2]]}
    steps = [
        bed,
        {"kind": "block", "corners": [{"guide": "bed", "fraction": 0}, {"guide": "bed", "fraction": 0.8}, [0, 5], [6, 5]]},
        {"kind": "follow", "guide": "bed", "edges": {"at": [2, 1]}},
        {"kind": "count", "tier": {"at": [2, 1]}, "cells": cells},
        {"kind": "gate", "crease": 30},
    ]  # fmt: skip
    model = laid(steps)
    grid = build.filled_grid(model)
    verdict = next(
        v
        for v in gate(measure(grid), model.limits, walls_of(model, grid)).verdicts
        if v.metric.key == "crease"
    )
    assert verdict.worst == pytest.approx(turn, abs=0.1)
    assert bool(verdict.missed) is (turn > 30)

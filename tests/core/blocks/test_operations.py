"""The operations on blocks through their steps: what they make, what they refuse, and that all stays sound."""

import json
import re
from itertools import pairwise

import numpy as np
import pytest

from plodek.core.blocks.angles import corner_angles
from plodek.core.blocks.plan import clearest, plan
from plodek.core.build import build
from plodek.core.check.measure import measure
from plodek.core.errors import Refused
from plodek.core.model.block_advice import advise
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory
from tests.conftest import evaluated, model_of, numbered
from tests.core.blocks.test_layout import assert_sound

FRAME = {"kind": "frame", "id": "f", "width": 2, "height": 1}
BOX = {"kind": "frame", "id": "f", "shape": "box", "width": 1, "height": 1, "depth": 1}
DISK = {"kind": "frame", "id": "f", "shape": "polar", "outer": 1}
ALL = {"all": True}
EXTRUDE = {"kind": "extrude", "id": "e", "depth": 1, "cells": 3}


def filled(model):
    """Fill a model's grid; coincident nodes of neighbours must be equal to the bit."""
    grid = build.filled_grid(model)
    for face in grid.interfaces:
        one, other = (
            grid.nodes(face.first).squeeze(face.first.axis),
            grid.nodes(face.second).squeeze(face.second.axis),
        )
        places = [{tuple(xyz) for xyz in nodes.reshape(-1, 3)} for nodes in (one, other)]
        assert places[0] == places[1]
    return measure(grid)


def blocks_and_volume(steps):
    model = model_of(steps)
    cells = filled(model)
    assert not cells.folded.any()
    return len(model.layout.filled), float(cells.volume.sum())


@pytest.mark.parametrize(
    ("steps", "blocks", "volume"),
    [
        ([BOX], 1, 1.0),
        ([FRAME, EXTRUDE | {"cuts": [0.25, 0.5]}, {"kind": "cut", "id": "c", "by": "z", "at": [0.8]}], 4, 2.0),
        ([FRAME, EXTRUDE | {"along": [0, 0, -1]}], 1, 2.0),
        ([BOX, {"kind": "ring", "id": "r", "blocks": ALL, "where": "inside", "thickness": 0.2, "layers": 3}], 19, 1.0),
        ([BOX, {"kind": "butterfly", "id": "b", "blocks": ALL, "walls": {"around": ALL}}], 7, 1.0),
        ([BOX, {"kind": "ring", "id": "r", "blocks": ALL, "where": "inside", "thickness": 0.2, "open": {"side": "z-"}}], 6, 1.0),
        ([FRAME, {"kind": "grow", "id": "g", "sides": {"side": "x+"}, "distance": 1}], 2, 3.0),
        ([FRAME, {"kind": "grow", "id": "g", "sides": {"side": "y+"}, "by": "up to a plane", "plane": "y", "value": 3}], 2, 6.0),
        ([BOX, {"kind": "grow", "id": "g", "sides": {"each": [[1, 0.5, 0.5], [0.5, 1, 0.5]]}, "distance": 1}], 4, 4.0),
        ([FRAME, {"kind": "place", "id": "p", "blocks": ALL, "by": "mirror", "at": [2, 0, 0], "along": [1, 0, 0]}], 2, 4.0),
        ([BOX, {"kind": "place", "id": "p", "blocks": ALL, "shift": [0, 0, 1], "copies": 3}], 4, 4.0),
        ([FRAME, {"kind": "place", "id": "p", "blocks": ALL, "by": "turn", "angle": 30, "copies": 0}], 1, 2.0),
        ([FRAME, {"kind": "cut", "id": "c", "by": "pieces", "pieces": 4, "tier": {"at": [1, 0]}}], 4, 2.0),
        ([FRAME, {"kind": "cut", "id": "c", "at": [1]}, {"kind": "pinch", "id": "p", "edges": {"at": [2, 0.5]}}, {"kind": "three", "id": "t", "block": {"at": [1.6, 0.5]}}], 5, 1.5),
    ],
)  # fmt: skip
def test_what_operations_make(steps, blocks, volume):
    found, size = blocks_and_volume(steps)
    assert found == blocks
    if volume is not None:
        assert size == pytest.approx(volume, rel=1e-12)


def test_corners_of_a_block_may_come_in_any_order_and_meet_what_is_there():
    rng = np.random.default_rng(4)
    first = [[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1.2)]
    second = [[x, y, z] for x in (1, 2) for y in (0, 1) for z in (0, 1.2)]
    for _ in range(5):
        steps = [
            {"kind": "block", "id": name, "corners": [list(map(float, c)) for c in rng.permutation(corners)]}
            for name, corners in (("a", first), ("b", second))
        ]
        assert blocks_and_volume(steps) == (2, pytest.approx(2.4))
    twisted = evaluated([{"kind": "block", "id": "a", "corners": [[0, 0], [1, 0], [0.2, 0.2], [0, 1]]}])
    assert "not twisted" in str(twisted.error)
    again = evaluated([*steps, steps[0] | {"id": "c"}])
    assert "already a block" in str(again.error)


def test_a_block_that_opens_to_180_degrees_between_straight_edges_is_sound_once_they_follow():
    """At a nose: until its edges follow the circle, the Blocks stage tells that it is inside out there."""
    nose = [
        {"kind": "circle", "id": "c", "name": "nose", "centre": [1, 0], "radius": 1},
        {"kind": "block", "id": "b", "corners": [[0, 0], [1, 1], [1, 2], [-2, -2.2]]},
    ]
    (told,) = model_of(nose).facts.findings
    assert "turned inside out" in told.text
    follow = {"kind": "follow", "id": "f", "guide": "nose", "edges": {"at": [0.5, 0.5]}}
    model = model_of([*nose, follow])
    assert not model.facts.findings


def test_a_ring_says_how_thick_it_may_be_or_which_corner_is_at_fault():
    frame = [{"kind": "frame", "id": "f", "width": 3, "height": 3}, {"kind": "cut", "id": "x", "at": [1, 2]}]
    ring = {"kind": "ring", "id": "r", "blocks": {"at": [1.5, 1.5]}, "where": "around", "thickness": 1.5}
    said = str(evaluated([*frame, ring]).error)
    most = float(re.search(r"up to ([0-9.e-]+) there is room", said)[1])
    assert 0.9 < most <= 1
    assert evaluated([*frame, ring | {"thickness": most}]).error is None
    tail = [
        {"kind": "frame", "id": "f", "corner": [-3, -3], "width": 8, "height": 6},
        {"kind": "cut", "id": "x", "by": "x", "at": [0, 1]},
        {"kind": "cut", "id": "y", "by": "y", "at": [-0.07, 0.07]},
        {"kind": "hollow", "id": "h", "blocks": {"at": [0.5, 0]}},
        {"kind": "zip", "id": "z", "blocks": {"at": [3, 0]}, "side": {"at": [3, 0.07]}, "keep": "middle"},
    ]
    said = str(evaluated([*tail, ring | {"blocks": {"at": [0.5, 0]}, "thickness": 0.2}]).error)
    assert re.search(r"of any thickness turns a block inside out at \(1, 0, 0\)", said), said


@pytest.mark.parametrize(
    ("frame", "core", "blocks"),
    [
        (DISK, {}, 5),
        (DISK | {"end": 180}, {}, 4),
        (DISK | {"end": 90}, {}, 3),
        (DISK | {"shape": "cylinder", "depth": 2, "axis": [1, 1, 0]}, {}, 5),
    ],
)
def test_butterflies_in_round_sections(frame, core, blocks):
    model = model_of([frame, {"kind": "butterfly", "id": "b", "blocks": ALL} | core])
    assert len(model.layout.filled) == blocks
    cells = filled(model)
    assert not cells.folded.any()
    assert cells.of("smallest_angle").min() > 30
    assert_sound(model.layout)


@pytest.mark.parametrize(
    ("angle", "parts", "blocks"), [(360, 4, 5), (360, 8, 12), (180, 4, 6), (90, 2, 3), (360, 6, 9)]
)
def test_a_butterfly_replaces_the_pole_of_what_was_revolved(angle, parts, blocks):
    revolve = {"kind": "revolve", "id": "r", "angle": angle, "parts": parts}
    pole = model_of([FRAME, revolve])
    assert [a.rule for a in advise(pole)] == ["pole"]
    core = {"kind": "butterfly", "id": "b", "blocks": ALL, "core": 0.5}
    model = model_of([FRAME, revolve, core])
    assert len(model.layout.filled) == blocks
    assert not filled(model).folded.any()
    # The pole is gone: no block has an edge that has shrunk.
    assert all(len(set(b.corners)) == 8 for b in model.layout.blocks.values())
    assert_sound(model.layout)
    odd = evaluated([FRAME, revolve | {"parts": 3 if angle == 360 else 1}, core])
    assert isinstance(odd.error, Refused)
    assert "even number" in str(odd.error)


def test_a_cut_stays_within_blocks_only_where_it_can_end():
    base = [FRAME, {"kind": "cut", "id": "c", "at": [0.5, 1.5]}]
    within = {
        "kind": "cut",
        "id": "w",
        "by": "fraction",
        "fractions": [0.5],
        "tier": {"at": [0, 0.5]},
        "within": {"at": [0.2, 0.5]},
    }
    assert "run on into" in str(evaluated([*base, within]).error)
    hollow = {"kind": "hollow", "id": "h", "blocks": {"at": [1, 0.5]}}
    model = model_of([*base, hollow, within])
    # It ends at the hollow block, which is dropped.
    assert len(model.layout.blocks) == 3
    assert sorted(len(set(t.edges)) for t in model.tiers)[-1] >= 3


def test_merging_undoes_a_cut_with_counts_and_names():
    steps = [
        FRAME,
        {"kind": "count", "id": "n", "tier": {"at": [1, 0]}, "cells": 21},
        {"kind": "patch", "id": "p", "name": "low", "faces": {"side": "y-"}},
        {"kind": "extrude", "id": "e", "depth": 1, "cells": 2},
        {"kind": "cut", "id": "c", "at": [0.6]},
    ]
    cut = model_of(steps)
    names = list(cut.layout.blocks)
    model = model_of([*steps, {"kind": "merge", "id": "m", "blocks": {"ids": names}}])
    plain = model_of(steps[:-1])
    assert set(model.layout.corners) == set(plain.layout.corners)
    assert (model.cells, len(model.layout.blocks)) == (plain.cells, 1)
    assert [p.name for p in model.patch_of.values()] == ["low"]
    lone = evaluated([*steps, {"kind": "ring", "id": "r", "blocks": {"ids": names[:1]}, "where": "inside", "thickness": 0.1}, {"kind": "merge", "id": "m", "blocks": {"each": [[0.05, 0.5, 0.5], [0.3, 0.5, 0.5]]}}])  # fmt: skip
    assert isinstance(lone.error, Refused)


def test_zipping_closes_a_wake_and_refuses_what_would_be_a_pinch():
    base = [
        FRAME,
        {"kind": "cut", "id": "c", "at": [0.6, 1.2]},
        {"kind": "cut", "id": "d", "by": "y", "at": [0.4, 0.6]},
        {"kind": "hollow", "id": "h", "blocks": {"at": [0.9, 0.5]}},
        {"kind": "ring", "id": "r", "blocks": {"each": [[0.9, 0.5], [1.6, 0.5]]}, "thickness": 0.1},
    ]
    zipped = {
        "kind": "zip",
        "id": "z",
        "blocks": {"at": [1.6, 0.5]},
        "side": {"at": [1.6, 0.6]},
        "keep": "middle",
    }
    model = model_of([*base, zipped])
    assert len(model.layout.filled) == len(model_of(base).layout.filled) - 1
    assert not filled(model).folded.any()
    (wedge,) = [b for b in model.layout.blocks.values() if b.hollow]
    assert len(set(wedge.corners)) == 3
    pinched = evaluated(
        [FRAME, base[1], base[2], zipped | {"blocks": {"at": [0.9, 0.5]}, "side": {"at": [0.9, 0.6]}}]
    )
    assert "would shrink to a point in a neighbour" in str(pinched.error)


def test_local_refinement_begins_and_ends_on_the_same_wall():
    steps = [
        FRAME,
        {"kind": "cut", "id": "c", "at": [0.7, 1.3]},
        {"kind": "cut", "id": "d", "by": "y", "at": [0.5]},
        {"kind": "refine", "id": "r", "walls": {"at": [1, 0]}, "levels": 2, "thickness": 0.08},
    ]
    model = model_of(steps)
    assert not filled(model).folded.any()
    # The tiers across the levels stay within the refined block.
    local = [
        tier
        for tier in model.tiers
        if all(0.69 < x < 1.31 for e in tier.edges for x in model.layout.places(e)[:, 0])
        and all(y < 0.51 for e in tier.edges for y in model.layout.places(e)[:, 1])
    ]
    assert len(local) >= 2
    finer = model_of(
        [*steps, {"kind": "count", "id": "n", "tier": {"edges": [list(local[-1].first)]}, "cells": 9}]
    )
    assert finer.laid.cells[local[-1].label] == 9


@pytest.mark.slow
@pytest.mark.parametrize(
    ("centre", "path", "on_path"),
    [
        ((0, 0), [[0, 0, 0], [3, 0, 0]], (0, 0, 0)),
        (
            (5, 2),
            [[5, 2, 0], [5, -2, 0]],
            (5, 2, 0),
        ),  # where the path begins within the plane this stays there
        ((5, 2), [[0, 0, 0], [1, 2, 0]], (0, 0, 0)),  # else its centre comes there
        ((5, 2), [[0, 0, 4], [-1, 1, 4]], (0, 0, 4)),
    ],
)
@pytest.mark.parametrize("run", [False, True])
def test_a_plane_stands_squarely_on_a_path_that_begins_along_it(centre, path, on_path, run):
    """A cylinder of radius 1 round a straight path: its ends are discs across that, its wall is on the guide."""
    smooth = {"kind": "smooth", "control": "interior control", "sweeps": 5}
    model = model_of(
        numbered(
            [
                {"kind": "circle", "name": "rim", "centre": centre, "radius": 1},
                {"kind": "line", "name": "p", "start": path[0], "end": path[1]},
                {"kind": "frame", "shape": "polar", "centre": centre, "outer": 1},
                {"kind": "butterfly", "blocks": {"all": True}, "core": 0.5},
                {"kind": "follow", "guide": "rim", "edges": {"around": {"all": True}}},
                *([smooth] if run else []),
                {"kind": "sweep", "guide": "p", "cells": 6},
                {"kind": "patch", "name": "wall", "type": "wall", "faces": {"on": "rim"}},
            ]
        )
    )
    way = np.subtract(path[1], path[0])
    length = np.linalg.norm(way)
    grid = build.build(model).grid
    xyz = np.concatenate([block.reshape(-1, 3) for block in grid.xyz]) - on_path
    along = xyz @ way / length
    away = np.linalg.norm(xyz - along[:, None] * way / length, axis=1)
    assert (along.min(), along.max(), away.max()) == pytest.approx((0, length, 1), abs=1e-9)
    assert filled(model).volume.min() > 0
    (wall,) = model.patches
    assert len(wall.sides) == 4
    wall_nodes = np.concatenate([grid.nodes(w).reshape(-1, 3) for p in grid.patches for w in p.windows])
    off = np.linalg.norm(np.cross(wall_nodes - on_path, way / length), axis=1)
    assert np.abs(off - 1).max() < 1e-9


def test_sweeps_carry_the_plane_without_twist_and_narrow():
    path = {
        "kind": "spline",
        "id": "p",
        "name": "p",
        "points": [[0, 0, 0], [0.3, 0, 1], [1, 0, 1.8], [1.2, 0, 3]],
        "start_tangent": [0, 0, 1],
    }
    base = [path, DISK | {"outer": 0.2}, {"kind": "butterfly", "id": "b", "blocks": ALL}]
    base += [
        {"kind": "count", "id": f"n{n}", "tier": {"at": at}, "cells": 8}
        for n, at in enumerate(([0, 0.2], [0.2, 0]))
    ]
    sweep = {"kind": "sweep", "id": "s", "guide": "p", "scale": 0.5, "cells": 24, "cuts": [0.5]}
    model = model_of([*base, sweep])
    assert len(model.layout.filled) == 10
    cells = filled(model)
    assert not cells.folded.any()
    # Pappus: the area where the section's centre is, which lies on the path, times its length.
    area = float(measure(build.filled_grid(model_of(base))).volume.sum())
    length = model.guides["p"].length
    s = np.linspace(0, 1, 2001)
    assert cells.volume.sum() == pytest.approx(area * length * np.trapezoid((1 - 0.5 * s) ** 2, s), rel=3e-3)
    smooth = {"kind": "smooth", "id": "m", "sweeps": 3, "control": "no control"}
    carried = model_of([*base, smooth, sweep | {"cuts": []}, {"kind": "cut", "id": "c", "by": "fraction", "fractions": [0.3], "tier": {"at": [0.7, 0, 1.5]}}])  # fmt: skip
    grid = build.build(carried).grid
    for face in grid.interfaces:
        places = [
            {tuple(x) for x in grid.nodes(side).squeeze(side.axis).reshape(-1, 3)}
            for side in (face.first, face.second)
        ]
        assert places[0] == places[1]
    assert measure(grid).volume.sum() == pytest.approx(cells.volume.sum(), rel=2e-3)


def test_twins_stay_matched_whatever_happens_to_one_side():
    base = [
        {"kind": "spline", "id": "low", "name": "low", "points": [[0, 0], [1, 0.2], [2, 0]]},
        {"kind": "block", "id": "k", "corners": [[0, 0], [2, 0], [0, 1], [2, 1]]},
        {"kind": "twin", "id": "t", "sides": {"side": "y-"}, "others": {"side": "y+"}, "shift": [0, 1]},
        {"kind": "follow", "id": "w", "guide": "low", "edges": {"side": "y-"}},
        {"kind": "cut", "id": "c", "by": "fraction", "fractions": [0.3, 0.6], "tier": {"at": [1, 1.2]}},
        {"kind": "cut", "id": "r", "by": "fraction", "fractions": [0.4], "tier": {"at": [0, 0.5]}},
    ]
    model = model_of(base)
    slid = {"kind": "slide", "id": "s", "corner": {"at": [0.6, 0.15]}, "fraction": 0.25}
    for steps in (base, [*base, slid]):
        model = model_of(steps)
        (twin,) = model.layout.twins
        assert len(twin.corners) == 4
        grid = build.filled_grid(model)
        sides = {"low": {}, "high": {}}
        driven = {edge: other for _, edge, other in model.layout.twin_edges}
        for side in model.unnamed:
            key = tuple(sorted(side))
            nodes = model.laid.paths[key].at(model.laid.nodes[key])
            if key in driven:
                sides["low"][driven[key]] = nodes
            elif key in driven.values():
                sides["high"][key] = nodes
        for key, nodes in sides["low"].items():
            high = sides["high"][key]
            order = high if np.allclose(high[0], nodes[0] + np.array([0, 1, 0])) else high[::-1]
            assert np.allclose(order, nodes + np.array([0, 1, 0]), atol=1e-12)
        assert grid.cells
    refused = evaluated(
        [*base, {"kind": "slide", "id": "s", "corner": {"at": [0.6, 1.15]}, "guide": "low", "fraction": 0.2}]
    )
    assert "driven by its twin" in str(refused.error)
    lone = {
        "kind": "ring",
        "id": "o",
        "blocks": {"at": [1, 0.2]},
        "where": "inside",
        "thickness": 0.05,
        "open": {"at": [1, 0.2]},
    }
    assert "no twin" in str(evaluated([*base, lone]).error)
    blades = {
        "kind": "twin",
        "id": "t",
        "sides": {"at": [1.5, 0]},
        "others": {"at": [0, 1.5]},
        "by": "blades",
        "blades": 4,
    }
    sector = DISK | {"inner": 1, "outer": 2, "end": 90, "sectors": 1}
    assert len(model_of([sector, blades]).layout.twins) == 1
    assert "no twin where" in str(evaluated([sector, blades | {"blades": 5}]).error)


def test_a_layout_comes_in_as_a_part_of_another(tmp_path):
    part = {"plodek": 1, "steps": [FRAME, {"kind": "cut", "id": "c", "at": [1]}]}
    files = {"part.json": json.dumps(part).encode(), "loop.json": json.dumps({"steps": [{"kind": "bring-layout", "id": "b", "file": "loop.json"}]}).encode()}  # fmt: skip
    steps = [FRAME, {"kind": "bring-layout", "id": "b", "file": "part.json", "shift": [2, 0]}]
    found = Evaluator().evaluate(document.of({"steps": steps}), in_memory(files))
    assert found.error is None
    assert len(found.model.layout.blocks) == 3
    assert_sound(found.model.layout)
    looped = document.of({"steps": [{"kind": "bring-layout", "id": "b", "file": "loop.json"}]})
    assert "brings in itself" in str(Evaluator().evaluate(looped, in_memory(files)).error)


@pytest.mark.parametrize(
    ("rule", "steps"),
    [
        ("three-sided", [FRAME, {"kind": "cut", "id": "c", "at": [0.5]}, {"kind": "pinch", "id": "p", "edges": {"at": [2, 0.5]}}]),
        ("wide", [DISK, {"kind": "circle", "id": "c", "name": "c", "centre": [0, 0], "radius": 1}]),
        ("near", [{"kind": "spline", "id": "l", "name": "l", "points": [[0, 0], [1, 0.03], [2, 0]]}, FRAME]),
        ("sharp", [FRAME, {"kind": "cut", "id": "c", "at": [1]}, {"kind": "cut", "id": "d", "by": "y", "at": [0.5]}, {"kind": "align", "id": "p", "corners": {"each": [[1, 0.5]]}, "to": "x", "value": 0.1}, {"kind": "align", "id": "q", "corners": {"each": [[0.1, 0.5]]}, "to": "y", "value": 0.9}]),
    ],
)  # fmt: skip
def test_advice_is_given_and_taking_it_helps(rule, steps):
    if rule == "wide":
        steps = [steps[1], {"kind": "block", "id": "k", "corners": [{"guide": "c", "fraction": f} for f in (0.1, 0.35, 0.6, 0.85)]}, {"kind": "follow", "id": "w", "guide": "c", "edges": {"around": ALL}}]  # fmt: skip
    model = model_of(steps)
    found = [a for a in advise(model) if a.rule == rule]
    assert found
    before = corner_angles(model.layout, model.laid.paths).degrees
    taken = [step | {"id": f"a{n}"} for n, step in enumerate(found[0].steps)]
    if not taken:
        return
    after = model_of([*steps, *taken])
    degrees = corner_angles(after.layout, after.laid.paths).degrees
    if rule == "near":
        assert not [a for a in advise(after) if a.rule == rule]
    elif rule == "three-sided":
        assert not [b for b in after.layout.blocks.values() if len(set(b.corners)) < 4]
    else:
        assert max(180 - degrees.min(), degrees.max()) < max(180 - before.min(), before.max())


def test_the_plan_crosses_no_edges_and_shows_rings():
    model = model_of([FRAME, {"kind": "cut", "id": "c", "at": [0.5, 1.5]}, {"kind": "cut", "id": "d", "by": "y", "at": [0.3, 0.7]}, {"kind": "ring", "id": "r", "blocks": {"at": [1, 0.5]}, "thickness": 0.1}])  # fmt: skip
    found = plan(model.layout)
    for _, corners in found.blocks:
        x, y = found.xy[list(corners)].T
        turns = [
            b[0] * a[1] - b[1] * a[0]
            for a, b in pairwise(np.diff(np.stack([x, y], 1), axis=0, append=[[x[0], y[0]]])[:, ::-1])
        ]
        assert all(t > 1e-9 for t in turns) or all(t < -1e-9 for t in turns)
    solid = model_of([DISK | {"shape": "cylinder", "depth": 3}, {"kind": "cut", "id": "c", "by": "z", "at": [1]}, {"kind": "butterfly", "id": "b", "blocks": ALL}])  # fmt: skip
    first = clearest(solid.layout, solid.tiers)[0]
    sheet = plan(solid.layout, next(t for t in solid.tiers if t.label == first))
    assert len(sheet.blocks) == 5  # the section with its core, not a strip along the tube

"""Patches named part by part where the outside turns sharply, renamed and joined."""

import numpy as np
import pytest

from plodek.core.build import build
from tests.conftest import evaluated, model_of, numbered

BOX = {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": 1}
CUT = {"kind": "cut", "by": "x", "at": [0.5, 1.2]}
TUBE = [
    {"kind": "frame", "shape": "polar", "outer": 1},
    {"kind": "butterfly", "blocks": {"all": True}},
    {"kind": "extrude", "depth": 3, "cells": 4},
]
WEDGE = [{"kind": "frame", "width": 2, "height": 1}, {"kind": "revolve", "angle": 90, "parts": 3, "cells": 9}]
CHANNEL = [
    {"kind": "polyline", "name": "bed", "points": [[0, 0], [1, 0.1], [2, 1.1], [3, 1.2]]},
    {"kind": "frame", "width": 3, "height": 2},
    {"kind": "cut", "by": "x", "at": [1, 2]},
    {"kind": "pin", "corner": {"at": [1, 0]}, "to": [1, 0.1]},
    {"kind": "pin", "corner": {"at": [2, 0]}, "to": [2, 1.1]},
    {"kind": "pin", "corner": {"at": [3, 0]}, "to": [3, 1.2]},
]
BOXED = {"kind": "box-opening", "name": "slot", "faces": {"side": "z+"}}
BY_ANGLE = {"kind": "patches-by-angle", "name": "part"}


def patches(steps):
    model = model_of(numbered(steps))
    return {
        patch.name: (patch.type, sum(p is patch for p in model.patch_of.values())) for patch in model.patches
    }


@pytest.mark.parametrize(
    ("steps", "angle", "sides"),
    [
        ([BOX, CUT], 30, [1, 1, 3, 3, 3, 3]),
        ([BOX, CUT], 100, [14]),
        (TUBE, 30, [4, 5, 5]),
        (WEDGE, 30, [1, 1, 3, 3, 3]),
        (CHANNEL, 30, [1, 1, 1, 1, 1, 3]),
        (CHANNEL, 42, [1, 1, 3, 3]),
    ],
    ids=["box", "all of a box", "tube", "wedge", "ramp", "ramp taken as smooth"],
)
def test_parts_end_where_the_outside_turns_by_more_than_the_angle(steps, angle, sides):
    found = patches([*steps, BY_ANGLE | {"angle": angle}])
    assert sorted(count for _, count in found.values()) == sides
    assert list(found) == [f"part-{n}" for n in range(1, len(sides) + 1)]
    assert {type for type, _ in found.values()} == {"wall"}


def test_only_what_has_no_patch_is_named_and_names_are_not_given_twice():
    inlet = {"kind": "patch", "name": "Part-1", "type": "inlet", "faces": {"side": "x-"}}
    found = patches([BOX, inlet, BY_ANGLE])
    assert found == {"Part-1": ("inlet", 1)} | {f"part-{n}": ("wall", 1) for n in range(2, 7)}


RENAME = {"kind": "rename-patch", "patch": "part-1", "name": "inflow"}


@pytest.mark.parametrize(
    ("step", "of", "count"),
    [
        (RENAME, {"inflow": ("wall", 1)}, 6),
        (RENAME | {"type": "inlet"}, {"inflow": ("inlet", 1)}, 6),
        (RENAME | {"name": "part-1", "type": "outlet"}, {"part-1": ("outlet", 1)}, 6),
        (RENAME | {"name": "Part-2"}, {"part-2": ("wall", 2)}, 5),
        (RENAME | {"name": "part-2", "type": "symmetry"}, {"part-2": ("symmetry", 2)}, 5),
    ],
)
def test_a_patch_gets_another_name_or_type_or_becomes_part_of_another(step, of, count):
    found = patches([BOX, BY_ANGLE, step])
    assert of.items() <= found.items()
    assert len(found) == count
    assert sum(sides for _, sides in found.values()) == 6


@pytest.mark.parametrize(
    ("steps", "faces", "box", "area"),
    [
        ([BOX], {"side": "z+"}, [[0.5, 0.2, 1], [1.5, 0.8, 1]], 0.6),
        ([BOX, CUT], {"side": "z+"}, [[0.4, 0.2, 0], [1.5, 0.8, 3]], 0.66),
        ([BOX], {"any": [{"side": "z+"}, {"side": "x+"}]}, [[1.5, 0.25, 0.5], [2, 0.75, 1]], 0.5),
        ([BOX], {"side": "z+"}, [[0.5, -1, 1], [1.5, 0.5, 1]], 0.5),
        ([BOX], {"side": "z+"}, [[-1, -1, 0], [9, 9, 9]], 2.0),
        ([{"kind": "frame", "width": 2, "height": 1}], {"side": "y-"}, [[0.5, 0], [0.75, 0]], 0.25),
    ],
    ids=["within one side", "over several", "round an edge", "to the rim", "all of it", "in the plane"],
)
def test_what_lies_in_a_box_is_cut_out_and_named(steps, faces, box, area):
    step = {
        "kind": "box-opening",
        "name": "slot",
        "type": "inlet",
        "faces": faces,
        "corner": box[0],
        "opposite": box[1],
    }
    model = model_of(numbered([*steps, step]))
    grid = build.filled_grid(model)
    (patch,) = grid.patches
    assert (patch.name, patch.type) == ("slot", "inlet")
    found = 0.0
    for window in patch.windows:
        nodes = grid.nodes(window)
        a, b = (np.ptp(nodes.reshape(-1, 3), axis=0)[axis] for axis in range(3) if axis != window.axis)
        found += a * b if model.layout.dim == 3 else max(a, b)
    assert found == pytest.approx(area)


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([RENAME | {"patch": "bed"}], "there is no patch “bed”"),
        ([RENAME | {"name": "a b"}], "no patch name"),
        ([BY_ANGLE], "every outer face is in a patch"),
        ([BY_ANGLE | {"name": "x" * 30}], "no patch name"),
        ([BOXED | {"corner": [0, 0, 3], "opposite": [1, 1, 4]}], "nothing of these sides lies in the box"),
        ([BOXED | {"corner": [1, 0, 1], "opposite": [1, 1, 1]}], "the box is flat"),
        (
            [BOXED | {"faces": {"side": "z+"}, "corner": [0.1, 0, 1], "opposite": [1, 1, 1]}],
            "already belong to “part-",
        ),
    ],
)
def test_what_cannot_be_done_is_told(steps, words):
    assert words in str(evaluated(numbered([BOX, BY_ANGLE, *steps])).error).lower()


NOSE = [
    {"kind": "arc", "name": "nose", "start": [0, 0], "through": [0.5, 0.2], "end": [1, 0]},
    {"kind": "line", "name": "bed", "start": [1, 0], "end": [4, 0]},
    {"kind": "line", "name": "slope", "start": [1, 0], "end": [2, -1]},
    {"kind": "frame", "width": 4, "height": 2},
    {"kind": "follow", "guide": "nose", "also": ["bed"], "edges": {"side": "y-"}},
]
STRIP = {"kind": "frame", "shape": "box", "width": 4, "height": 0.5, "depth": 1}
FLOOR = {"kind": "plane", "name": "floor", "centre": [1, 0.25, 0], "width": 3, "height": 1}
RULED = {"kind": "rule-opening", "name": "slot", "faces": {"side": "y-"}}


def balled(centre, radius, **more):
    return RULED | {"centre": centre, "radius": radius} | more


ON_NOSE, ON_BED = (RULED | {"where": "on a guide", "guide": name} for name in ("nose", "bed"))
ON_FLOOR = ON_NOSE | {"guide": "floor", "faces": {"side": "z-"}}
ARC_LENGTH = 2 * 0.725 * np.arcsin(0.5 / 0.725)  # of a chord of 1 and a rise of 0.2
CHORD = 2 * np.sqrt(1 - 0.25**2)


@pytest.mark.parametrize(
    ("steps", "extent", "near"),
    [
        ([{"kind": "frame", "width": 4, "height": 2}, balled([1, 0], "30 cm")], 0.6, 1e-12),
        ([{"kind": "frame", "width": 4, "height": 2}, balled([4, 0], 0.5)], 0.5, 1e-12),
        ([{"kind": "frame", "width": 4, "height": 2}, balled([0, 0], 9)], 4.0, 1e-12),
        ([{"kind": "frame", "width": 4, "height": 2}, CUT, balled([1, 0], 0.6)], 1.2, 1e-12),
        ([{"kind": "frame", "width": 4, "height": 2}, balled([4, 0], 1, faces={"rest": True})], 2.0, 1e-12),
        ([*NOSE, ON_NOSE], ARC_LENGTH, 1e-2),
        ([*NOSE, ON_BED], 3.0, 1e-9),
        ([STRIP, balled([2, 0.25, 1], 1, faces={"side": "z+"})], CHORD * 0.5, 1e-12),
        ([STRIP, FLOOR, ON_FLOOR], 2.5 * 0.5, 1e-5),
    ],
    ids=["plane", "at an end", "all", "cut before", "round a corner", "arc", "line", "strip", "surface"],
)
def test_what_is_in_a_ball_or_on_a_guide_is_cut_out_and_named(steps, extent, near):
    model = model_of(numbered(steps))
    grid = build.filled_grid(model)
    (patch,) = grid.patches
    assert (patch.name, patch.type) == ("slot", "inlet")
    found = 0.0
    for window in patch.windows:
        nodes = np.squeeze(grid.nodes(window))
        ways = [np.linalg.norm(np.diff(nodes, axis=a), axis=-1).sum(axis=a) for a in range(nodes.ndim - 1)]
        found += float(np.prod([way.max() for way in ways]))
    assert found == pytest.approx(extent, rel=near)
    assert np.array_equal(sorted(model.layout.outer), sorted({*model.patch_of, *model.unnamed}))


def test_edges_across_a_ball_tell_how_far_they_stay_within_it():
    model = model_of(numbered([STRIP, balled([2, 0.25, 1], 1, faces={"side": "z+"})]))
    (said,) = model.said("s1")
    assert f"up to {1 - CHORD / 2:.3g} m" in said


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([STRIP, balled([2, 0.25, 1], 0.2, faces={"side": "z+"})], "no part of these sides is in a ball"),
        ([STRIP, balled([0, 0, 1], 0.3, faces={"side": "z+"})], "opposite edges of a side must pass into it"),
        ([STRIP, balled([0, 0], 0)], "give a radius above 0"),
        ([STRIP, RULED], "the ball has no radius"),
        ([STRIP, RULED | {"where": "on a guide"}], "no guide is named"),
        ([*NOSE, ON_NOSE | {"guide": "nosee"}], "did you mean “nose”"),
        ([*NOSE, ON_NOSE | {"guide": "slope"}], "no part of these sides is on a guide"),
        (
            [{"kind": "point", "name": "p", "at": [0, 0]}, STRIP, ON_NOSE | {"guide": "p"}],
            "“p” is a guide point",
        ),
    ],
)
def test_what_no_rule_finds_is_told(steps, words):
    assert words in str(evaluated(numbered(steps)).error).lower()


def test_the_cut_at_a_guides_end_is_there_to_round_off():
    model = model_of(numbered([*NOSE, ON_NOSE]))
    ends = model.layout.places(model.layout.corners)
    assert np.linalg.norm(ends - [1, 0, 0], axis=1).min() < 1e-12


BENT = {"kind": "polyline", "name": "bed", "points": [[0, 0], [1, 0], [2, 1], [2.5, 1.1], [4, 1.1]]}
OVER = [BENT, {"kind": "frame", "width": 4, "height": 3}, {"kind": "pin", "corner": {"at": [4, 0]}, "to": [4, 1.1]},
        {"kind": "follow", "guide": "bed", "edges": {"at": [2, 0.55]}}]  # fmt: skip
CUTTING = BY_ANGLE | {"cut": "yes"}


@pytest.mark.parametrize(
    ("steps", "angle", "sides"),
    [
        (OVER, 30, [1, 1, 1, 1, 1, 3]),
        (OVER, 20, [1, 1, 1, 1, 1, 3]),
        (OVER, 50, [1, 1, 1, 1]),
        ([*OVER, {"kind": "extrude", "depth": 1, "cells": 2}], 30, [1, 1, 1, 1, 1, 3, 3, 3]),
        ([BOX], 30, [1] * 6),
    ],
    ids=["ramp", "gentler", "all smooth", "lifted", "box"],
)
def test_sides_that_turn_within_are_cut_there(steps, angle, sides):
    model = model_of(numbered([*steps, CUTTING | {"angle": angle}]))
    counts = sorted(sum(p is patch for p in model.patch_of.values()) for patch in model.patches)
    assert counts == sides
    ends = model.layout.places(model.layout.corners)
    for bend in ([1, 0, 0], [2, 1, 0]) if len(sides) > 4 and steps[0] is BENT else ():
        assert np.linalg.norm(ends - bend, axis=1).min() < 1e-12

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

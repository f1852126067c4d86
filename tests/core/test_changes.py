"""What differs between two hand-offs, told in short."""

import copy

import pytest

from plodek.core.formats.changes import changes

FACTS = {
    "unit": "mm", "metres": 0.001, "cells": 12000, "blocks": 4, "folded": 0, "unnamed_faces": 0, "volume": 2.5e6,
    "metrics": {
        "scaled_jacobian": {"worst": 0.412, "mean": 0.9},
        "smallest_angle": {"worst": 41.2, "mean": 80.0},
    },
    "patches": {"inlet": {"type": "inlet", "faces": 120}, "bed": {"type": "wall", "faces": 3000}},
}  # fmt: skip


@pytest.mark.parametrize(
    ("place", "value", "said"),
    [
        (("cells",), 48000, "cells 12\u202f000 → 48\u202f000"),
        (("folded",), 3, "folded cells 0 → 3"),
        (("volume",), 2.50001e6, "volume 2.5e+06 → 2.50001e+06"),
        (("volume",), 2.5e6 * (1 + 1e-9), None),
        (("metrics", "scaled_jacobian", "worst"), 0.28, "worst scaled Jacobian 0.412 → 0.28"),
        (("metrics", "smallest_angle", "worst"), 35.0, "worst smallest included angle 41.2° → 35°"),
        (("metrics", "smallest_angle", "worst"), 41.2000001, None),
        (("patches", "bed", "faces"), 2990, "faces of bed 3\u202f000 → 2\u202f990"),
        (("patches", "bed", "type"), "symmetry", "patch bed is symmetry in place of wall"),
        (("patches", "lid"), {"type": "wall", "faces": 4}, "patch lid is new"),
    ],
)
def test_one_change_is_told_and_nothing_else(place, value, said):
    after = copy.deepcopy(FACTS)
    node = after
    for key in place[:-1]:
        node = node[key]
    node[place[-1]] = value
    assert changes(FACTS, after) == ([] if said is None else [said])
    assert changes(FACTS, FACTS) == []


def test_what_is_gone_is_told_and_volumes_in_other_units_are_not_held_against_each_other():
    after = FACTS | {
        "unit": "m",
        "metres": 1.0,
        "volume": 2.5e-3,
        "patches": {"bed": FACTS["patches"]["bed"]},
    }
    assert changes(FACTS, after) == ["in m in place of mm", "no patch inlet any more"]


def test_a_patch_whose_type_and_faces_have_both_changed_is_told_of_for_both():
    after = FACTS | {"patches": FACTS["patches"] | {"bed": {"type": "symmetry", "faces": 2990}}}
    assert changes(FACTS, after) == [
        "patch bed is symmetry in place of wall",
        "faces of bed 3\u202f000 → 2\u202f990",
    ]

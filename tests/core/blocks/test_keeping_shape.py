"""What operations make on curved walls stays on them: new corners, edges and the nodes of sides."""

import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.model.block_advice import advise
from plodek.core.recipe import document
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.joined import is_own
from tests.conftest import model_of, numbered

PROFILE = [[x / 10, 1 + 0.3 * math.sin(math.pi * x / 20)] for x in range(21)]
BODY = [
    {"kind": "spline", "name": "profile", "points": PROFILE},
    {"kind": "frame", "corner": [0, 0], "width": 2, "height": 1},
    {"kind": "follow", "guide": "profile", "edges": {"at": [1, 1]}},
    {"kind": "revolve", "angle": 360, "parts": 4, "cells": 32},
    {"kind": "patch", "name": "wall", "faces": {"on": "profile"}},
]
EVERY = {"blocks": {"all": True}}
CHANGES = {
    "core": [{"kind": "butterfly", **EVERY}],
    "cuts": [{"kind": "cut", "by": "x", "at": [0.6, 1.1]}, {"kind": "butterfly", **EVERY}],
    "core, then a cut along it": [{"kind": "butterfly", **EVERY}, {"kind": "cut", "by": "x", "at": [0.6]}],
    "core, then a ring in it": [{"kind": "butterfly", **EVERY}, {"kind": "ring", "where": "inside", **EVERY, "thickness": 0.1, "open": {"any": [{"side": "x-"}, {"side": "x+"}]}}],
    "three parts, spaced unevenly": [{"kind": "butterfly", **EVERY}, {"kind": "space", "tier": {"at": [1, 1.3, 0]}, "over": "edges", "law": "geometric", "first": 0.01}],
}  # fmt: skip


def radius_of(x):
    curve = Spline(np.array([[a, b, 0.0] for a, b in PROFILE]), closed=False, corner_angle=30)
    fine = curve.at(np.linspace(0, 1, 200_001))
    return np.interp(x, fine[:, 0], fine[:, 1])


@pytest.mark.parametrize("name", CHANGES)
def test_the_wall_of_a_revolved_body_stays_round(name):
    model = model_of(numbered([*BODY, *CHANGES[name]]))
    grid = build.build(model).grid
    (wall,) = (patch for patch in grid.patches if patch.name == "wall")
    xyz = np.concatenate([grid.nodes(window).reshape(-1, 3) for window in wall.windows])
    assert np.hypot(xyz[:, 1], xyz[:, 2]) == pytest.approx(radius_of(xyz[:, 0]), abs=2e-9)
    around = np.arctan2(xyz[:, 2], xyz[:, 1])
    assert np.ptp(around) > 6  # all of the way round


def test_a_cut_across_half_a_turn_goes_round_it():
    half = [
        {"kind": "frame", "corner": [0, 1], "width": 2, "height": 1},
        {"kind": "revolve", "angle": 180, "parts": 1, "cells": 16},
        {"kind": "cut", "by": "x", "at": [1]},
    ]
    bent = [
        *BODY[:3],
        {"kind": "revolve", "angle": 179, "parts": 1, "cells": 16},
        {"kind": "cut", "by": "x", "at": [1]},
    ]
    for steps, far in ((half, 2.0), (bent, radius_of(1.0))):
        model = model_of(numbered(steps))
        middles = [
            path.at(np.array([0.5]))[0]
            for edge, path in model.paths.items()
            if np.allclose(model.layout.places(edge)[:, 0], 1) and path.length > 2
        ]
        out = max(float(np.hypot(*middle[1:])) for middle in middles)
        assert out == pytest.approx(far, abs=1e-6)


def test_surfaces_that_a_lift_makes_are_listed_nowhere_and_answer_to_their_curve():
    model = model_of(numbered(BODY))
    assert list(model.own_guides) == ["profile"]
    (wall,) = {model.guides[name] for name in model.layout.lies.values()}
    assert not is_own(wall)
    assert all(model.is_on(name, "profile") for name in model.layout.lies.values())
    assert len(model.patch_of) == 4


def test_a_corner_pinned_off_its_surface_takes_its_sides_off_it():
    ball = [
        {"kind": "sphere", "name": "s", "centre": [0, 0, 0], "radius": 1},
        {"kind": "frame", "shape": "box", "corner": [-0.5, -0.5, -0.5], "width": 1, "height": 1, "depth": 1},
        {"kind": "follow", "guide": "s", "edges": {"around": {"all": True}}},
    ]
    off = {"kind": "pin", "corner": {"at": [0.577, 0.577, 0.577]}, "to": [0.7, 0.7, 0.7]}
    on = off | {"to": [0.6, 0.0 + 0.64, 0.48]}
    assert len(model_of(numbered([*ball, on])).layout.lies) == 6
    after = model_of(numbered([*ball, off])).layout
    assert len(after.lies) == 3
    assert len(after.follows) == 9


def test_copies_carry_their_surfaces_and_patches_on_them():
    copied = [*BODY[:4], CHANGES["core"][0], {"kind": "place", "blocks": {"all": True}, "shift": [5, 0, 0]}]
    model = model_of(numbered([*copied, BODY[4]]))
    grid = build.build(model).grid
    (wall,) = (patch for patch in grid.patches if patch.name == "wall")
    assert len(wall.windows) == 8
    xyz = np.concatenate([grid.nodes(window).reshape(-1, 3) for window in wall.windows])
    x = np.where(xyz[:, 0] > 3, xyz[:, 0] - 5, xyz[:, 0])
    assert np.hypot(xyz[:, 1], xyz[:, 2]) == pytest.approx(radius_of(x), abs=2e-9)


@pytest.mark.parametrize("parts", [3, 4, 6])
def test_what_grows_off_a_round_wall_is_as_thick_as_asked(parts):
    frame = {"kind": "frame", "shape": "polar", "centre": [0, 0], "inner": 0.5, "outer": 1, "sectors": parts}
    angles = [math.tau * (n + 0.5) / parts for n in range(parts)]
    for lift in ([], [{"kind": "extrude", "depth": 1, "cells": 4}]):
        at = [[math.cos(a), math.sin(a), *([0.5] * len(lift))] for a in angles]
        grow = {"kind": "grow", "sides": {"each": at}, "distance": 0.1}
        layout = model_of(numbered([frame, *lift, grow])).layout
        far = np.linalg.norm(layout.places(layout.corners)[:, :2], axis=1)
        assert np.sum(np.abs(far - 1.1) < 1e-5) == parts * (1 + len(lift))
        assert np.max(far) < 1.1 + 1e-5


def test_what_grows_off_a_ball_is_as_thick_as_asked():
    ball = [
        {"kind": "sphere", "name": "s", "centre": [0, 0, 0], "radius": 1},
        {"kind": "frame", "shape": "box", "corner": [-0.5, -0.5, -0.5], "width": 1, "height": 1, "depth": 1},
        {"kind": "follow", "guide": "s", "edges": {"around": {"all": True}}},
        {"kind": "grow", "sides": {"on": "s"}, "distance": 0.1},
    ]
    layout = model_of(numbered(ball)).layout
    far = np.linalg.norm(layout.places(layout.corners), axis=1)
    assert sorted(far) == pytest.approx([1.0] * 8 + [1.1] * 8, abs=1e-5)


@pytest.mark.parametrize("lift", [[], [{"kind": "extrude", "depth": 1, "cells": 4}]])
def test_a_ring_round_a_cylinder_is_as_thick_as_asked(lift):
    """At the corners too, where straight sides would make it √2 times as thick."""
    steps = [
        {"kind": "circle", "name": "c", "centre": [0, 0], "radius": 0.5},
        {"kind": "frame", "corner": [-2, -2], "width": 4, "height": 4},
        {"kind": "cut", "by": "x", "at": [-0.4, 0.4]},
        {"kind": "cut", "by": "y", "at": [-0.4, 0.4]},
        {"kind": "hollow", "blocks": {"at": [0, 0]}},
        {"kind": "follow", "guide": "c", "edges": {"around": {"hollow": True}}},
        *lift,
    ]
    ring = {"kind": "ring", "blocks": {"hollow": True}, "thickness": 0.1, "bow": 1}
    for more, far in (({}, 0.6), ({"measured": "from straight sides"}, 0.5 + 0.1 * math.sqrt(2))):
        layout = model_of(numbered([*steps, ring | more])).layout
        off = np.linalg.norm(layout.places(layout.corners)[:, :2], axis=1)
        assert np.sum(np.abs(off - far) < 1e-6) == 4 * (1 + len(lift))
    assert (
        document.of({"plodek": 2, "steps": numbered([*steps, ring])}).steps[-1].measured
        == "from straight sides"
    )


def test_a_ring_inside_a_tube_is_as_thick_as_asked():
    tube = [
        {"kind": "frame", "shape": "cylinder", "centre": [0, 0, 0], "outer": 1, "depth": 2},
        {"kind": "ring", "where": "inside", "blocks": {"all": True}, "thickness": 0.1, "bow": 1, "open": {"any": [{"side": "z-"}, {"side": "z+"}]}},
    ]  # fmt: skip
    layout = model_of(numbered(tube)).layout
    off = np.linalg.norm(layout.places(layout.corners)[:, :2], axis=1)
    assert sorted(off) == pytest.approx([0.9] * 8 + [1.0] * 8, abs=1e-6)


@pytest.mark.parametrize("k", [1, 7, 16, 31])
def test_a_cut_may_meet_a_bent_edge_where_it_is_looked_at_first(k):
    """On one of its 65 samples, to the bit, or beside it by round-off."""
    steps = [
        {"kind": "sphere", "name": "s", "centre": [0, 0, 0], "radius": 1},
        {"kind": "frame", "shape": "box", "corner": [-0.5, -0.5, -0.5], "width": 1, "height": 1, "depth": 1},
        {"kind": "follow", "guide": "s", "edges": {"around": {"all": True}}},
    ]
    model = model_of(numbered(steps))
    edge = next(e for e in model.paths if abs(np.subtract(*model.layout.places(e))[0]) > 1)
    x = model.paths[edge].at(np.linspace(0, 1, 65))[k, 0]
    for value in (x, x + 1e-17, np.nextafter(x, 1), np.nextafter(x, -1)):
        after = model_of(numbered([*steps, {"kind": "cut", "by": "x", "at": [float(value)]}])).layout
        new = [c for c in after.corners if c not in model.layout.corners]
        assert after.places(new)[:, 0] == pytest.approx(x, abs=1e-12)


def test_a_bent_side_whose_edges_run_on_a_surface_is_advised_to_lie_on_it_and_a_flat_one_is_not():
    bore = {
        "kind": "cylinder",
        "name": "bore",
        "along": [0, 1, 0],
        "base": [0, 0, 0],
        "radius": 1,
        "height": 2,
    }
    lid = {"kind": "plane", "name": "lid", "centre": [0, 2, 0], "width": 4, "height": 4, "normal": [0, 1, 0]}
    tube = [
        {"kind": "frame", "corner": [0, 0], "width": 1, "height": 2},
        {"kind": "revolve", "angle": 90, "along": [0, 1, 0], "parts": 2, "cells": 8},
    ]
    (advice,) = [a for a in advise(model_of(numbered([bore, lid, *tube]))) if a.rule == "near"]
    assert "of “bore” but not on it" in advice.text
    assert advice.text.startswith("2 sides lie within 0 m")

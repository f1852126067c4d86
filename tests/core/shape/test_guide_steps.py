"""Guides as recipe steps: every kind makes what it says; mending, measuring, renaming, units."""

import math
import re
from pathlib import Path

import numpy as np
import pytest

from plodek.core.errors import BadValue, NothingFound
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.rewriting import in_unit, renamed
from plodek.core.shape.measure import Target, measure
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.units import factor
from tests.conftest import DEMO_FILES, numbered

DEMO = Path(__file__).parents[3] / "plodek" / "demo"


def evaluated(steps, *, fine=True):
    found = Evaluator().evaluate(document.of({"steps": numbered(steps)}), DEMO_FILES)
    if fine:
        assert found.error is None, found.error
    return found


LINE = {"kind": "line", "name": "a", "start": [0, 0], "end": [3, 4]}
CIRCLE = {"kind": "circle", "name": "c", "centre": [0, 0], "radius": 1}

CURVES = [
    ({"kind": "polyline", "name": "x", "points": [[0, 0], {"guide": "a", "fraction": 1}, [3, 0]]}, 9.0),
    ({"kind": "arc", "name": "x", "by": "centre", "centre": [1, 1], "radius": "2 m", "to_angle": 180}, math.tau),
    ({"kind": "arc", "name": "x", "by": "radius", "start": [0, 0], "end": [2, 0], "radius": 1}, math.pi),
    ({"kind": "arc", "name": "x", "by": "tangent", "after": "a", "radius": 2, "angle": 90}, math.pi),
    ({"kind": "ellipse", "name": "x", "centre": [0, 0], "first": 2, "second": 2, "to_angle": 90}, math.pi),
    ({"kind": "spline", "name": "x", "points": [[0, 0], [1, 0], [2, 0]]}, 2.0),
    ({"kind": "offset", "name": "x", "guide": "c", "distance": -0.5}, 3 * math.pi),
    ({"kind": "join", "name": "x", "guides": ["a", "b"]}, 6.0),
    ({"kind": "section", "name": "x", "surface": "tube", "at": [0, 0, 1]}, math.tau),
    ({"kind": "border", "name": "x", "surface": "sheet", "joined": "joined"}, 6.0),
    ({"kind": "crossing", "name": "x", "surface": "sheet", "second": "tube"}, math.tau),
]  # fmt: skip
SURFACES = [
    ({"kind": "plane", "name": "x", "width": 2, "height": 3, "normal": [1, 0, 0]}, 6.0),
    ({"kind": "cone", "name": "x", "radius": 1, "height": 0}, math.pi),
    ({"kind": "sphere", "name": "x", "radius": 1, "from_latitude": 0}, math.tau),
    ({"kind": "torus", "name": "x", "radius": 2, "tube": 0.5, "turn": 180}, 2 * math.pi**2),
    ({"kind": "extrude-curve", "name": "x", "guide": "a", "by": [0, 0, "2 m"]}, 10.0),
    ({"kind": "revolve-curve", "name": "x", "guide": "b", "along": [3, 4, 0], "turn": 180}, None),
    ({"kind": "sweep-curve", "name": "x", "guide": "c", "path": "up"}, 2 * math.tau),
    ({"kind": "loft", "name": "x", "guides": ["a", "up"]}, None),
    ({"kind": "fill", "name": "x", "guides": ["a", "b"]}, None),
]  # fmt: skip
BASE = [
    LINE, CIRCLE, {"kind": "line", "name": "b", "start": [3, 4], "end": [3, 5]},
    {"kind": "line", "name": "up", "start": [0, 0, 0], "end": [0, 0, 2]},
    {"kind": "cylinder", "name": "tube", "radius": 1, "height": 2, "base": [0, 0, -0.5]},
    {"kind": "plane", "name": "sheet", "width": 1, "height": 2, "centre": [9, 0, 0]},
]  # fmt: skip


@pytest.mark.parametrize(
    ("step", "length"), CURVES, ids=lambda v: v["kind"] + v.get("by", "") if isinstance(v, dict) else ""
)
def test_every_curve_step_makes_its_curve(step, length):
    base = [
        dict(s, centre=[0, 0, 0], width=3, height=3)
        if step["kind"] == "crossing" and s["name"] == "sheet"
        else s
        for s in BASE
    ]
    curve = evaluated([*base, step]).model.curve("x")
    assert curve.length == pytest.approx(length, rel=1e-9)


@pytest.mark.parametrize(("step", "area"), SURFACES, ids=lambda v: v["kind"] if isinstance(v, dict) else "")
def test_every_surface_step_makes_its_surface(step, area):
    surface = evaluated([*BASE, step]).model.surface("x")
    assert surface.area > 0
    if area is not None:
        assert surface.area == pytest.approx(area, rel=1e-12)


@pytest.mark.parametrize(
    ("step", "xyz"),
    [
        ({"by": "at", "at": ["50 cm", 1, 2]}, [0.5, 1, 2]),
        ({"by": "on curve", "guide": "a", "fraction": 0.2}, [0.6, 0.8, 0]),
        ({"by": "crossing", "guide": "a", "second": "c"}, [0.6, 0.8, 0]),
        ({"by": "beside", "at": {"guide": "a", "fraction": 1}, "shift": [0, 0, 1]}, [3, 4, 1]),
        ({"by": "projected", "guide": "tube", "at": [5, 0, 1]}, [1, 0, 1]),
    ],
)
def test_points_in_every_way(step, xyz):
    point = evaluated([*BASE, {"kind": "point", "name": "x", **step}]).model.guides["x"]
    np.testing.assert_allclose(point.xyz, xyz, atol=1e-12)


def test_dividing_moving_grouping_and_leaving_out():
    found = evaluated([
        *BASE,
        {"kind": "divide", "name": "d", "guide": "c", "by": "crossing", "across": ["a"]},
        {"kind": "divide", "name": "e", "guide": "a", "fractions": [0.2, 0.5]},
        {"kind": "move", "guides": ["a", "b"], "by": "shift", "shift": [0, 0, 1], "copies": 2},
        {"kind": "move", "guides": ["c"], "by": "scale", "scale": 3},
        {"kind": "group", "guides": ["a*"], "name": "all-a", "colour": "rust"},
        {"kind": "leave-out", "guides": ["sheet"]},
        {"kind": "rename", "guide": "a-2", "to": "top"},
    ], fine=False)  # fmt: skip
    # A circle that is crossed once cannot be cut there into parts that end: it is opened.
    assert found.error is None, found.error
    model = found.model
    assert [model.curve(f"e.{n}").length for n in (1, 2, 3)] == pytest.approx([1, 1.5, 2.5])
    assert model.curve("c").length == pytest.approx(3 * math.tau)
    assert model.curve("top").start()[2] == pytest.approx(2)
    assert model.groups["all-a"].members == ("a", "a-1", "top")
    assert "sheet" not in model.guides


@pytest.mark.parametrize(
    ("step", "words"),
    [
        ({"kind": "offset", "name": "x", "guide": "aa", "distance": 1}, "did you mean “a”"),
        ({"kind": "offset", "name": "x", "guide": "tube", "distance": 1}, "no guide curve is called “tube”"),
        ({"kind": "border", "name": "x", "surface": "a"}, "no surface is called “a”"),
        ({"kind": "point", "name": "x", "by": "crossing", "guide": "a"}, "no second curve"),
        ({"kind": "point", "name": "x", "by": "beside", "at": [0, 0]}, "no shift"),
        ({"kind": "line", "name": "a", "start": [0, 0], "end": [1, 0]}, "already called “a”"),
        ({"kind": "line", "name": "x", "start": [1, 0], "end": [1, 0]}, "same place"),
        ({"kind": "arc", "name": "x", "by": "tangent", "after": "c", "radius": 1}, "closed and has no end"),
        ({"kind": "arc", "name": "x", "by": "radius", "start": [0, 0], "radius": 1}, "“to” is not given"),
        ({"kind": "move", "guides": ["a"], "by": "turn"}, "no angle"),
        ({"kind": "divide", "name": "x", "guide": "a"}, "nothing says where"),
        ({"kind": "sew", "guides": ["a"], "tolerance": 1}, "no surface to sew"),
        ({"kind": "crossing", "name": "x", "surface": "tube", "second": "tube"}, "run along each other"),
        ({"kind": "crossing", "name": "x", "surface": "tube", "second": "sheet"}, "do not cross"),
        (
            {"kind": "point", "name": "x", "by": "crossing", "guide": "c", "second": "c"},
            "run along each other",
        ),
        ({"kind": "extrude-curve", "name": "x", "guide": "up", "by": [0, 0, 1]}, "no area"),
        ({"kind": "move", "guides": ["tube"], "by": "scale", "scale": 1e30, "copies": 3}, "too large"),
        ({"kind": "move", "guides": ["c"], "by": "scale", "scale": 1e-15}, "too small"),
    ],
)
def test_impossible_steps_say_what_helps(step, words):
    error = evaluated([*BASE, step], fine=False).error
    assert words in str(error).lower()


def test_guides_that_blocks_follow_stay():
    steps = [
        {"kind": "circle", "name": "c", "centre": [1, 1], "radius": 0.3},
        {"kind": "frame", "width": 2, "height": 2},
        {"kind": "cut", "by": "x", "at": [0.7, 1.3]},
        {"kind": "cut", "by": "y", "at": [0.7, 1.3]},
        {"kind": "hollow", "blocks": {"at": [1, 1]}},
        {"kind": "follow", "guide": "c", "edges": {"around": {"at": [1, 1]}}},
    ]
    moved = {"kind": "move", "guides": ["c"], "by": "shift", "shift": [1, 0]}
    assert "already follow “c”" in str(evaluated([*steps, moved], fine=False).error)


# --- mending --------------------------------------------------------------------------------------------


@pytest.mark.slow
def test_the_gapped_cone_is_sewn_and_undone_by_taking_the_step_out():
    bring = {"kind": "bring-in", "name": "cone", "file": "draft-cone-gaps.igs", "edges": "no"}
    unsewn = evaluated([bring]).model
    # The panels were shifted by up to |(0.2, -0.8, 0.1)| mm.
    for tolerance, left in (("0.5 mm", 8), ("0.85 mm", 0)):
        sewn = evaluated([bring, {"kind": "sew", "tolerance": tolerance}]).model
        free = [b.key for g in sewn.guides.values() if isinstance(g, Surface) for b in g.borders]
        assert sum(free.count(key) == 1 for key in free) == left
        report = sewn.said("s1")
        assert any("edges divided where others end" in line for line in report)
        assert report[-1] == ("no free edge is left" if left == 0 else f"{left} free edges are left")
    assert evaluated([bring]).model.guides.keys() == unsewn.guides.keys()
    too_wide = evaluated([bring, {"kind": "sew", "tolerance": "40 cm"}], fine=False).error
    assert "sew within less than" in str(too_wide).lower()


# --- measuring ------------------------------------------------------------------------------------------


def target(model, name, xyz=None):
    return Target(name, model.guides[name], None if xyz is None else np.array(xyz, float))


def test_measurements_in_closed_form():
    model = evaluated([*BASE, {"kind": "point", "name": "p", "at": [0, 0, 7]}]).model
    value = {v[0]: v[1] for wish, targets in [
        ("distance", [target(model, "p"), target(model, "tube")]),
        ("length", [target(model, "a"), target(model, "c")]),
        ("area", [target(model, "tube")]),
        ("radius", [target(model, "c")]),
    ] for v in measure(wish, targets).values}  # fmt: skip
    assert value["distance"] == pytest.approx(math.hypot(1, 5.5))
    assert value["all"] == pytest.approx(5 + math.tau)
    assert value["tube"] == pytest.approx(2 * math.tau)
    assert value["smallest radius"] == pytest.approx(1)
    # Two whole guides: a circle of radius 1 and a line that stays 2 away from its centre.
    far = evaluated([*BASE, {"kind": "line", "name": "far", "start": [-5, 2], "end": [5, 2]}]).model
    assert measure("distance", [target(far, "c"), target(far, "far")]).values[0][1] == pytest.approx(
        1, rel=1e-9
    )
    corner = [Target("", None, np.array(p, float)) for p in ([1, 0, 0], [0, 0, 0], [0, 1, 0])]
    assert measure("angle", corner).values[0][1] == pytest.approx(90)
    assert measure("extent", [target(model, "sheet")]).values[1][1] == pytest.approx(9.5)
    for wish, targets, words in (
        ("distance", [target(model, "a")], "needs 2"),
        ("area", [target(model, "a")], "has no area"),
        ("length", [target(model, "tube")], "has no length"),
        ("place", [target(model, "a")], "whole curve"),
        ("radius", [target(model, "tube")], "place on it"),
        ("angle", [target(model, "p")], "three places"),
        ("place", [], "is chosen to measure"),
    ):
        with pytest.raises(BadValue, match=words):
            measure(wish, targets)


def test_the_venturi_has_the_angles_of_the_standard():
    """ISO 5167-4, classical Venturi tube: inlet cone 21° ± 1°, outlet cone 7° to 15° (whole angles)."""
    found = document.read((DEMO / "dosing-venturi.json").read_bytes())
    model = evaluate(found).model
    axis = target(model, "axis")
    inlet, outlet = (
        measure("angle", [target(model, name), axis]).values[0][1] for name in ("inlet-cone", "outlet-cone")
    )
    assert 20 <= 2 * inlet <= 22
    assert 7 <= 2 * outlet <= 15
    assert 2 * inlet == pytest.approx(21, abs=1e-4)
    assert 2 * outlet == pytest.approx(8, abs=1e-4)


# --- changes through a whole recipe ---------------------------------------------------------------------


def evaluate(recipe):
    return Evaluator().evaluate(recipe, DEMO_FILES)


def of_steps(steps):
    return evaluate(document.Recipe(steps=steps))


def test_a_rename_reaches_every_later_reference():
    steps = [{"id": f"s{n}", **s} for n, s in enumerate([
        *BASE,
        {"kind": "offset", "name": "o", "guide": "c", "distance": 0.5},
        {"kind": "polyline", "name": "p", "points": [[5, 5], {"guide": "c", "fraction": 0.5}]},
        {"kind": "group", "name": "g", "guides": ["c", "a"]},
    ])]  # fmt: skip
    after = renamed(evaluated(steps), "c", "rim").steps
    found = of_steps(after).model
    assert "c" not in found.guides
    assert found.groups["g"].members == ("rim", "a")
    assert len(after) == len(steps)
    # A name from a file is changed by a step behind the one that brought it in.
    bring = [{"id": "b", "kind": "bring-in", "name": "cone", "file": "draft-cone.step"},
             {"id": "e", "kind": "border", "name": "rim", "surface": "cone.inlet"}]  # fmt: skip
    after = renamed(evaluated(bring), "cone.inlet", "mouth").steps
    assert [s.kind for s in after] == ["bring-in", "rename", "border"]
    assert of_steps(after).model.surface("mouth").area == pytest.approx(0.16 * math.pi)
    with pytest.raises(NothingFound):
        renamed(evaluated(steps), "nix", "x")


BANK = [
    {"kind": "line", "id": "l", "name": "left", "start": [0, 0], "end": [1, 0]},
    {"kind": "line", "id": "r", "name": "right", "start": [1, 0], "end": [2, 0]},
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "follow", "id": "w", "guide": "left", "also": ["right"], "edges": {"side": "y-"}},
]


def test_a_guide_that_is_followed_together_with_others_is_not_moved_under_the_blocks():
    """It moved, and the curve that blocks follow stayed where it was."""
    for step in ({"kind": "move", "shift": [0, 1]}, {"kind": "leave-out"}):
        found = evaluate(document.of({"steps": [*BANK, {"id": "m", "guides": ["right"], **step}]}))
        assert "blocks already follow “right”" in str(found.error).lower()
    rename = {"kind": "rename", "id": "m", "guide": "right", "to": "east"}
    assert "already follow" in str(evaluate(document.of({"steps": [*BANK, rename]})).error)


def test_a_rename_reaches_rules_that_name_joined_guides():
    for rule in ("left+right", "right"):
        patch = {"kind": "patch", "id": "p", "name": "bank", "faces": {"on": rule}}
        after = renamed(evaluated([*BANK, patch]), "right", "east").steps
        assert after[-1].faces.on == rule.replace("right", "east")
        found = of_steps(after)
        assert found.error is None, str(found.error)
        assert len(found.model.patches[0].sides) == 1


def test_another_unit_converts_the_numbers_or_keeps_them():
    steps = [{"id": f"s{n}", **s} for n, s in enumerate([
        {"kind": "unit", "unit": "m"}, *BASE,
        {"kind": "read", "name": "pier", "file": "pier-outline.csv"},
        {"kind": "frame", "width": 9, "height": "5 m"},
        {"kind": "cut", "by": "x", "at": [2]},
        {"kind": "cut", "by": "fraction", "fractions": [0.5], "tier": {"at": [1, 0]}},
    ])]  # fmt: skip
    before = evaluated(steps).model
    recipe = document.of({"steps": steps})
    converted, kept = (
        evaluate(in_unit(recipe, "mm", convert=c, evaluate=evaluate)).model for c in (True, False)
    )
    for name, guide in before.guides.items():
        same, other = converted.guides[name], kept.guides[name]
        size = "area" if isinstance(guide, Surface) else "length"
        power = 2 if size == "area" else 1
        assert getattr(same, size) == pytest.approx(getattr(guide, size) * 1000**power, rel=1e-12)
        assert getattr(other, size) == pytest.approx(getattr(guide, size), rel=1e-12)
    assert converted.layout.size() == pytest.approx(before.layout.size() * 1000)
    assert len(converted.layout.blocks) == len(before.layout.blocks)
    # Kept, a length with a unit of its own stays what it is: 9 mm by 5 m.
    assert kept.layout.size() == pytest.approx(math.hypot(9, 5000))
    assert factor("mm", "m") == 0.001
    with pytest.raises(BadValue):
        in_unit(recipe, "ell", convert=True, evaluate=evaluate)


def bow(name, z, height):
    return {"kind": "polyline", "name": name, "points": [[0, 0, z], [1, height, z], [2, 0, z]]}


@pytest.mark.parametrize(
    ("sections", "more"),
    [
        ([bow("a", 0, 0.1), bow("b", 1, 0.3), bow("c", 0.2, 0.1)], {}),  # the last goes back
        (
            [
                {"kind": "line", "name": "a", "start": [0, 0, 0], "end": [1, 0, 0]},
                {"kind": "line", "name": "b", "start": [1, 0, 1], "end": [0, 0, 1]},
            ],
            {"starts": "as drawn"},
        ),  # run against each other
    ],
)
def test_a_loft_that_folds_is_refused_with_the_place(sections, more):
    loft = {"kind": "loft", "name": "l", "guides": [s["name"] for s in sections], **more}
    said = str(evaluated([*sections, loft], fine=False).error)
    assert re.search(r"The loft folds over itself near \(.+, .+, .+\)", said)
    assert "Check the order of the sections" in said


def test_a_loft_that_ends_in_a_point_or_turns_is_none_that_folds():
    tip = {"kind": "polyline", "name": "t", "points": [[1, 0, 3], [1, 1e-9, 3], [1 + 1e-9, 0, 3]]}
    turned = [
        {"kind": "circle", "name": f"c{n}", "centre": [math.cos(a), 0, math.sin(a)], "radius": 0.3, "normal": [-math.sin(a), 0, math.cos(a)]}
        for n, a in enumerate(np.linspace(0, 3, 7))
    ]  # fmt: skip
    for sections in ([bow("a", 0, 0.3), bow("b", 1, 0.3), tip], turned):
        loft = {"kind": "loft", "name": "l", "guides": [s["name"] for s in sections]}
        assert evaluated([*sections, loft]).error is None

"""Naming things by rule: how far a place reaches, what is doubtful, lists of rules, places on guides, regions."""

import json
from typing import get_args

import numpy as np
import pytest

from plodek.core.errors import BadValue, NothingFound
from plodek.core.recipe import document, fields
from plodek.core.recipe.explaining import explained, lines_of
from plodek.core.recipe.reference import reference
from plodek.core.recipe.selectors import blocks, corners, edges, sides
from tests.conftest import evaluated, model_of, numbered

FRAME = {"kind": "frame", "id": "f", "width": 3, "height": 2}
THIRDS = [FRAME, {"kind": "cut", "id": "c", "by": "x", "at": [1, 2]}]
BOX = {"kind": "frame", "id": "f", "shape": "box", "width": 1, "height": 1, "depth": 1}


@pytest.mark.parametrize("at", [[500, 0.5], [-40, 1], [1.5, 30]])
@pytest.mark.parametrize(
    "step",
    [
        {"kind": "hollow", "blocks": None},
        {"kind": "count", "tier": None, "cells": 3},
        {"kind": "patch", "name": "w", "faces": None},
        {"kind": "pin", "corner": None, "to": [0, 0]},
    ],
)
def test_a_place_out_of_reach_finds_nothing_and_says_what_is_nearest(step, at):
    filled = {k: {"at": at} if v is None else v for k, v in step.items()}
    error = evaluated([*THIRDS, filled | {"id": "s"}]).error
    assert "is nearest" in str(error)
    assert "m away" in str(error)


def test_the_reach_grows_with_the_block_and_not_with_the_layout():
    """Beside a block of 1 by 1, a place two away is too far; beside one of 100 by 100 it is not."""
    small = evaluated(
        [
            FRAME | {"width": 1, "height": 1},
            {"kind": "pin", "id": "p", "corner": {"at": [3, 0]}, "to": [1, 0]},
        ]
    )
    assert "is near" in str(small.error)
    large = [
        FRAME | {"width": 100, "height": 100},
        {"kind": "pin", "id": "p", "corner": {"at": [98, 0]}, "to": [100, 1]},
    ]
    assert evaluated(large).error is None


def test_a_second_candidate_nearly_as_near_is_told():
    hollow = {"kind": "hollow", "id": "h", "blocks": {"at": [1.01, 1]}}
    said = model_of([*THIRDS, hollow]).said("h")
    assert len(said) == 1
    assert "nearly as near" in said[0]
    assert "h" not in model_of([*THIRDS, hollow | {"blocks": {"at": [1.2, 1]}}]).reports


def test_a_place_may_be_one_on_a_guide():
    mark = {"kind": "point", "id": "m", "name": "nose", "at": [1.5, 0.9]}
    hollow = {"kind": "hollow", "id": "h", "blocks": {"at": {"guide": "nose"}}}
    model = model_of([mark, *THIRDS, hollow])
    (gone,) = [name for name, block in model.layout.blocks.items() if block.hollow]
    assert np.allclose(model.layout.centre(gone)[:2], [1.5, 1])


def test_lists_of_rules_find_what_any_of_them_finds():
    model = model_of(THIRDS)

    def rule(kind, field, value):
        step = {"kind": kind, "id": "x", field: value, "name": "n", "cells": 3}
        known = {"hollow": ("blocks",), "count": ("tier", "cells"), "patch": ("name", "faces")}[kind]
        (found,) = document.of(
            {"steps": [{k: v for k, v in step.items() if k in ("kind", "id", *known)}]}
        ).steps
        return getattr(found, field)

    both = rule("patch", "faces", {"any": [{"side": "x-"}, {"side": "x+"}]})
    assert sides(model, both) == sides(model, rule("patch", "faces", {"side": "x-"})) + sides(
        model, rule("patch", "faces", {"side": "x+"})
    )
    two = rule("hollow", "blocks", {"any": [{"at": [0.5, 1]}, {"at": [2.5, 1]}]})
    assert len(blocks(model, two)) == 2
    assert len(edges(model, rule("count", "tier", {"any": [{"at": [0.5, 0]}, {"at": [0, 1]}]}))) == 2


def test_a_selector_that_means_several_does_all_of_them_or_is_refused():
    each = {"each": [[0.5, 0], [1.5, 0], [2.5, 0]]}
    model = model_of([*THIRDS, {"kind": "count", "id": "n", "tier": each, "cells": 9}])
    assert sum(n == 9 for n in model.laid.cells.values()) == 3
    spaced = model_of([*THIRDS, {"kind": "space", "id": "s", "tier": each, "first": 0.01, "cells": 20}])
    assert len(spaced.spacing.laws) == 6
    name = evaluated([*THIRDS, {"kind": "name-tier", "id": "n", "tier": each, "name": "a"}])
    assert "edges of 3 tiers are named" in str(name.error).lower()
    pin = {"kind": "pin", "id": "p", "corner": {"ids": list(model.layout.corners)[:2]}, "to": [0, 0]}
    assert "2 corners are named" in str(evaluated([*THIRDS, pin]).error)


def test_regions_are_named_found_and_bounded():
    gravel = {"kind": "region", "id": "r", "blocks": {"at": [0.5, 1]}, "name": "gravel"}
    model = model_of([*THIRDS, gravel])
    assert {n: len(b) for n, b in model.layout.regions.items()} == {"gravel": 1, "fluid": 2}
    between = {
        "kind": "patch",
        "id": "p",
        "name": "grate",
        "type": "general",
        "faces": {"between": ["gravel", "fluid"]},
    }
    (owner,) = model_of([*THIRDS, gravel, between]).patch_of.values()
    assert owner.name == "grate"
    wrong = between | {"faces": {"between": ["gravel", "sand"]}}
    assert "regions: gravel, fluid" in str(evaluated([*THIRDS, gravel, wrong]).error).lower()
    inner = {"kind": "hollow", "id": "h", "blocks": {"region": "gravel"}}
    assert list(model_of([*THIRDS, gravel, inner]).layout.regions) == ["fluid"]
    merged = {"kind": "merge", "id": "m", "blocks": {"each": [[0.5, 1], [1.5, 1]]}}
    assert "belong to the regions" in str(evaluated([*THIRDS, gravel, merged]).error)


@pytest.mark.parametrize(
    "more",
    [
        {"kind": "cut", "by": "y", "at": [1]},
        {"kind": "ring", "blocks": {"at": [0.5, 1]}, "where": "inside", "thickness": 0.1},
        {"kind": "grow", "sides": {"side": "x-"}, "distance": 1},
        {"kind": "place", "blocks": {"at": [0.5, 1]}, "shift": [0, 5]},
        {"kind": "extrude", "depth": 1, "cells": 2},
    ],
)
def test_what_is_made_of_a_region_stays_in_it(more):
    gravel = {"kind": "region", "id": "r", "blocks": {"at": [0.5, 1]}, "name": "gravel"}
    before, after = model_of([*THIRDS, gravel]), model_of([*THIRDS, gravel, more | {"id": "m"}])
    assert len(after.layout.regions["gravel"]) >= len(before.layout.regions["gravel"])
    new = [n for n in after.layout.blocks if n not in before.layout.blocks]
    for name in new:
        if after.layout.centre(name)[0] < 1:
            assert after.layout.blocks[name].region == "gravel"


def test_an_explanation_tells_what_each_rule_found():
    steps = [
        *THIRDS,
        {"kind": "hollow", "id": "h", "blocks": {"at": [1.5, 1]}},
        {"kind": "cut", "id": "x", "at": [77]},
    ]
    told = explained(evaluated(steps))
    assert [one["state"] for one in told] == ["ok", "ok", "ok", "failed"]
    (field,) = told[2]["found"]
    assert (field["field"], field["what"], field["count"]) == ("blocks", "blocks", 1)
    assert field["first"][0]["at"] == [1.5, 1.0, 0.0]
    assert "No edge crosses x = 77" in told[3]["error"]
    text = "\n".join(lines_of(told))
    assert "blocks finds 1 block\n" in text
    assert field["first"][0]["id"] in text
    assert json.dumps(told)


def test_corners_are_found_by_their_ids_and_places():
    model = model_of([BOX])
    ids = list(model.layout.corners)
    step = {"kind": "align", "id": "a", "corners": {"each": [[0, 0, 0], [1, 1, 1]]}, "to": "x"}
    (found,) = document.of({"steps": [step]}).steps
    assert set(corners(model, found.corners)) == {ids[0], ids[7]}


SLOPED = {
    "kind": "block",
    "id": "f",
    "corners": [[0, 0, 0], [2, 0, 1], [0, 1, 0], [2, 1, 1], [0, 0, 2], [2, 0, 2], [0, 1, 2], [2, 1, 2]],
}


def labels_of(model, rule):
    patched = evaluated([*model, {"kind": "patch", "id": "p", "name": "w", "faces": rule}])
    return patched.error or patched.model.patches[0].sides


def test_sides_are_found_by_the_way_they_look():
    """A floor that slopes by 26.6° looks down within 30°, not within 20°."""
    floor = labels_of([SLOPED], {"looks": [0, 0, -1], "within": 30})
    assert len(floor) == 1
    error = labels_of([SLOPED], {"looks": [0, 0, -2], "within": 20})
    assert "o outer side looks that way within 20°" in str(error)
    assert "the nearest looks 26.6° off" in str(error)
    assert len(labels_of([SLOPED], {"looks": [1, 0, 0], "within": 180})) == 6
    assert len(labels_of([FRAME], {"looks": [0, 1, 0]})) == 1
    assert "no length" in str(labels_of([SLOPED], {"looks": [0, 0, 0]}))


def test_sides_are_found_in_a_box_in_any_order_of_its_corners_and_in_any_unit():
    thirds = [BOX | {"width": 3}, {"kind": "cut", "id": "c", "by": "x", "at": [1, 2]}]
    for box in ([[-1, -1, -1], [1, 2, 2]], [["100 cm", 2, 2], [-1, -1, "-1 m"]]):
        assert len(labels_of(thirds, {"inside": box})) == 5
    assert "all corners must be in it" in str(labels_of(thirds, {"inside": [[0.1, 0, 0], [0.9, 1, 1]]}))
    assert len(labels_of(THIRDS, {"inside": [[0, 0], [1, 2]]})) == 3


def test_rules_are_taken_out_of_another():
    walls = {"of": {"around": {"all": True}}, "but": [{"side": "x-"}, {"side": "x+"}]}
    assert len(labels_of([BOX], walls)) == 4
    assert "o side is left" in str(labels_of([BOX], {"of": {"side": "x-"}, "but": [{"side": "x-"}]}))
    assert (
        len(
            edges(
                model_of([BOX]),
                document.of({"steps": [{"kind": "patch", "id": "p", "name": "w", "faces": walls}]})
                .steps[0]
                .faces,
            )
        )
        == 12
    )


def test_rules_that_every_side_must_meet():
    layout = model_of([BOX, {"kind": "cut", "id": "c", "by": "x", "at": [0.5]}])
    low = fields.OnSide(side="z-")
    left = fields.Inside(inside=([0, 0, 0], [0.5, 1, 1]))
    found = sides(layout, fields.EveryOfSides(every=[low, left]))
    assert len(found) == 1
    assert layout.layout.places(found[0]).mean(axis=0) == pytest.approx([0.25, 0.5, 0])
    rest = sides(layout, fields.SidesBut(of=fields.EveryOfSides(every=[left, left]), but=[low]))
    assert len(rest) == 5 - 1
    with pytest.raises(NothingFound, match="every one of these rules"):
        sides(layout, fields.EveryOfSides(every=[low, fields.OnSide(side="z+")]))


def test_what_lies_in_a_ball_is_found_by_all_its_corners():
    layout = model_of([BOX, {"kind": "cut", "id": "c", "by": "x", "at": [0.5]}])
    (end,) = sides(layout, fields.InBall(ball=[0, 0.5, 0.5], radius=0.5**0.5))
    assert layout.layout.places(end)[:, 0] == pytest.approx([0, 0, 0, 0])
    half = sides(layout, fields.InBall(ball=[0, 0.5, 0.5], radius="90 cm"))
    assert len(half) == 5
    with pytest.raises(NothingFound, match="(?i)no outer side lies in the ball"):
        sides(layout, fields.InBall(ball=[0, 0.5, 0.5], radius=0.7))
    with pytest.raises(BadValue, match="(?i)the radius of the ball is -1"):
        sides(layout, fields.InBall(ball=[0, 0, 0], radius=-1))


NINE = [
    {"kind": "frame", "id": "f", "width": 3, "height": 3},
    {"kind": "cut", "id": "x", "by": "x", "at": [1, 2]},
    {"kind": "cut", "id": "y", "by": "y", "at": [1, 2]},
    {"kind": "hollow", "id": "h", "blocks": {"at": [1.5, 1.5]}},
]


def test_all_blocks_are_those_of_the_flow_and_hollow_ones_have_their_own_word():
    model = model_of(NINE)
    assert len(blocks(model, fields.AllBlocks(all=True))) == 8
    assert len(blocks(model, fields.AllBlocks(all="hollow too"))) == 9
    assert len(sides(model, fields.Around(around=fields.AllBlocks(all=True)))) == 12 + 4
    assert len(sides(model, fields.Around(around=fields.AllBlocks(all="hollow too")))) == 12
    ringed = model_of(
        [*NINE, {"kind": "ring", "id": "r", "blocks": {"all": True}, "where": "inside", "thickness": 0.1}]
    )
    assert len(ringed.layout.filled) == 8 + 12 + 4  # on the outer sides, and round the body


def test_recipes_of_format_2_go_on_meaning_what_they_meant():
    ring = {"kind": "ring", "id": "r", "blocks": {"all": True}, "where": "inside", "thickness": 0.1}
    patch = {"kind": "patch", "id": "p", "name": "w", "faces": {"any": [{"around": {"all": True}}]}}
    count = {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 4}
    recipe = document.of({"plodek": 2, "steps": [*NINE, ring, patch, count]})
    read = json.loads(recipe.model_dump_json())["steps"]
    assert read[-3]["blocks"] == {"all": "hollow too"}
    assert read[-2]["faces"] == {"any": [{"around": {"all": "hollow too"}}]}
    assert read[-1]["tier"] == {"all": True}
    assert len(model_of(read).layout.filled) == 8 + 12


GROWN = [
    {"kind": "frame", "id": "f", "width": 2, "height": 1},
    {"kind": "patch", "id": "p", "name": "out", "type": "outlet", "faces": {"side": "x+"}},
    {"kind": "grow", "id": "g", "sides": {"side": "x+"}, "distance": 1},
]


@pytest.mark.parametrize(
    "lift", [[], [{"kind": "extrude", "id": "e", "depth": 1, "cells": 3, "cuts": [0.5]}]]
)
def test_a_patch_moves_out_with_what_grows_or_stays_and_is_told(lift):
    steps = [GROWN[0], *lift, *GROWN[1:]]
    model = model_of(steps)
    assert all(model.layout.places(side)[:, 0] == pytest.approx(3) for side in model.patch_of)
    assert len(model.patch_of) == (2 if lift else 1)
    stays = model_of([*steps[:-1], steps[-1] | {"patches": "stay"}])
    assert stays.patch_of == {}
    assert stays.said("g")[0].endswith("of out lie inside now, and belong to no patch")
    old = document.of({"plodek": 2, "steps": steps})
    assert old.steps[-1].patches == "stay"
    twice = model_of([*steps, steps[-1] | {"id": "h"}])
    assert all(twice.layout.places(side)[:, 0] == pytest.approx(4) for side in twice.patch_of)


def test_the_reference_tells_every_rule():
    told = reference()
    selectors = (fields.CornersSelector, fields.BlockSelector, fields.EdgeSelector, fields.FaceSelector)
    rules = {kind for one in selectors for kind in get_args(get_args(one)[0])}
    for rule in rules:
        key = next(name for name, part in rule.model_fields.items() if part.is_required())
        assert f'{{"{key}":' in told, rule.__name__


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        ({"nearby": [0, 0]}, 'field “faces” is no rule that is known here: {"nearby": [0, 0]}'),
        ({"side": "up"}, "field “faces” takes x-, x+, y-, y+, z- or z+, got “up”"),
        ({"but": [{"side": "x-"}]}, "field “faces” is no rule that is known here"),
    ],
)
def test_a_rule_that_cannot_be_read_is_told(rule, words):
    with pytest.raises(BadValue) as refused:
        document.of({"steps": [{"kind": "patch", "id": "p", "name": "w", "faces": rule}]})
    assert words in str(refused.value)


def explained_lines(steps):
    return "\n".join(lines_of(explained(evaluated(numbered(steps)))))


SECTOR = {"kind": "frame", "shape": "polar", "outer": 40, "inner": 19, "start": -60, "end": 60, "sectors": 1}


def test_the_middle_of_a_bent_edge_is_that_of_its_way_in_what_is_explained_too():
    told = explained_lines([SECTOR, {"kind": "count", "tier": {"at": [40, 0]}, "cells": 30}])
    assert "at (40, 0, 0)" in told  # where its chord is at (20, 0), nearer to the inner one


def test_what_is_explained_of_following_a_surface_are_sides():
    floor = {"kind": "plane", "name": "floor", "centre": [0.5, 0.5, 0], "width": 4, "height": 4}
    steps = [floor, BOX, {"kind": "follow", "guide": "floor", "edges": {"side": "z-"}}]
    assert "edges finds 1 side\n" in explained_lines(steps)


def test_a_group_is_followed_where_one_of_its_guides_is():
    lines = [
        {"kind": "line", "name": n, "start": [0, y], "end": [3, y]} for n, y in (("low", 0), ("high", 2))
    ]
    group = {"kind": "group", "name": "walls", "guides": ["low", "high"]}
    follow = [
        {"kind": "follow", "guide": n, "edges": {"side": s}} for n, s in (("low", "y-"), ("high", "y+"))
    ]
    model = model_of(numbered([*lines, group, FRAME, *follow]))
    for find in (edges, sides):
        assert len(find(model, fields.On(on="walls"))) == 2
        assert len(find(model, fields.On(on="low"))) == 1


@pytest.mark.parametrize("at", [[1.5, 1.5], [1.5, 1.9]])
def test_what_is_spaced_lies_at_filled_blocks(at):
    """The nearest edge of all is between two hollow blocks: a cut of the hole."""
    steps = [*NINE, {"kind": "cut", "by": "y", "at": [1.4]}]
    for kind in ({"kind": "count", "cells": 7}, {"kind": "space", "law": "uniform", "cells": 7}):
        told = explained_lines([*steps, kind | {"tier": {"at": at}}])
        assert "tier finds 1 edge" in told
        assert "error" not in told
    model = model_of(numbered([*steps, {"kind": "count", "cells": 7, "tier": {"at": at}}]))
    assert set(model.spacing.counts) & set(model.layout.filled_edges)


def test_sides_a_hair_off_the_extreme_one_are_on_it():
    far = [[0, 0], [1, 0], [0, 1], [1 + 2e-7, 1]]
    model = model_of([{"kind": "block", "id": "b", "corners": far}])
    assert len(sides(model, fields.OnSide(side="x+"))) == 1


def test_the_two_planes_of_a_sector_are_found_in_one_go_each():
    steps = [
        SECTOR | {"sectors": 2},
        {"kind": "cut", "by": "fraction", "fractions": [0.5], "tier": {"at": [30 * 0.5, -30 * 0.866]}},
    ]
    model = model_of(numbered([*steps, {"kind": "extrude", "depth": 3, "cells": 2, "cuts": [0.5]}]))
    for angle in np.radians([-60, 60]):
        plane = fields.InPlane(plane=[0, 0, 0], normal=[-np.sin(angle), np.cos(angle), 0])
        assert len(sides(model, plane)) == 4
    with pytest.raises(NothingFound, match="(?i)no outer side lies in the plane"):
        sides(model, fields.InPlane(plane=[500, 0, 0], normal=[1, 0, 0]))


def test_all_the_rest_says_when_it_looks_along_different_directions():
    patch = {"kind": "patch", "name": "left", "faces": {"side": "x-"}}
    told = explained_lines([FRAME, patch, {"kind": "patch", "name": "rest", "faces": {"rest": True}}])
    assert "1 along x+, 1 along y+, 1 along y-" in told
    others = [patch | {"name": n, "faces": {"side": s}} for n, s in (("low", "y-"), ("high", "y+"))]
    last = [FRAME, patch, *others, {"kind": "patch", "name": "rest", "faces": {"rest": True}}]
    assert "different directions" not in explained_lines(last)

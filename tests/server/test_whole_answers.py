"""Whole answers on a channel of 8 by 4 square cells, where every number can be said by hand."""

import json

import pytest

STEPS = [
    {"kind": "line", "id": "l", "name": "bed", "start": [0, 0], "end": [4, 0]},
    {"kind": "frame", "id": "f", "width": 4, "height": 2},
    {"kind": "follow", "id": "w", "guide": "bed", "edges": {"side": "y-"}},
    {"kind": "count", "id": "n", "tier": {"at": [2, 0]}, "cells": 8},
    {"kind": "count", "id": "m", "tier": {"at": [0, 1]}, "cells": 4},
    {"kind": "patch", "id": "p", "faces": {"side": "y-"}, "name": "bed", "type": "wall"},
]


@pytest.fixture
def channel(client):
    project = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    answer = client.put(f"/api/projects/{project}/recipe", json={"base": 0, "steps": STEPS})
    assert answer.status_code == 200
    return project


@pytest.fixture
def ask(client, channel):
    def asked(path):
        answer = client.get(f"/api/projects/{channel}/{path}")
        assert answer.status_code == 200, answer.text
        return answer.json

    return asked


@pytest.fixture
def model(ask):
    """The model with its ids written as labels: what they are made of is not of interest here."""
    found = ask("model")
    text = json.dumps(found)
    for one in [*found["corners"], *found["blocks"]]:
        text = text.replace(one["id"], one["label"])
    return json.loads(text)


EVEN_8, EVEN_4 = [n / 8 for n in range(9)], [n / 4 for n in range(5)]


def edge(one, other, tier, follows, length, path, nodes):
    return {
        "id": [one, other],
        "label": f"{one}\u2013{other}",
        "tier": tier,
        "ahead": True,
        "state": "outer",
        "follows": follows,
        "length": length,
        "path": path,
        "nodes": nodes,
        "law": "uniform",
        "own": False,
        "before": [],
        "beyond": [],
    }


def test_corners_and_blocks(model):
    places = {"c1": [0, 0, 0], "c2": [4, 0, 0], "c3": [0, 2, 0], "c4": [4, 2, 0]}
    on = {"c1": ("bed", 0.0), "c2": ("bed", 1.0)}
    assert model["corners"] == [
        {
            "id": name,
            "label": name,
            "xyz": xyz,
            "sign": "pinned",
            "guide": on.get(name, (None, None))[0],
            "fraction": on.get(name, (None, None))[1],
            "foot": None,
        }
        for name, xyz in places.items()
    ]
    assert model["blocks"] == [
        {
            "id": "B1",
            "label": "B1",
            "corners": ["c1", "c2", "c3", "c4"],
            "hollow": False,
            "region": "fluid",
            "base": None,
            "cells": [8, 4],
            "centre": [2.0, 1.0, 0.0],
        }
    ]


def test_edges(model):
    bed, top, left, right = model["edges"]
    assert (bed["path"][0], bed["path"][-1]) == ([4, 0, 0], [0, 0, 0])  # drawn finely, as it follows a guide
    assert bed == edge("c2", "c1", "T1", "bed", 4.0, bed["path"], EVEN_8)
    assert top == edge("c4", "c3", "T1", None, 4.0, [[4, 2, 0], [0, 2, 0]], EVEN_8)
    assert left == edge("c3", "c1", "T2", None, 2.0, [[0, 2, 0], [0, 0, 0]], EVEN_4)
    assert right == edge("c4", "c2", "T2", None, 2.0, [[4, 2, 0], [4, 0, 0]], EVEN_4)


def test_tiers(model):
    def tier(label, count, edges, length, step):
        return {
            "label": label, "name": "", "count": count, "locked": True, "edges": edges, "shortest": length,
            "longest": length, "smallest": 0.5, "largest": 0.5, "growth": 1.0, "count_step": step,
            "law_step": None, "name_step": None,
        }  # fmt: skip

    assert model["tiers"] == [
        tier("T1", 8, [["c2", "c1"], ["c4", "c3"]], 4.0, "n"),
        tier("T2", 4, [["c3", "c1"], ["c4", "c2"]], 2.0, "m"),
    ]


def test_the_rest_of_the_model(model):
    step = {"state": "ok", "code": "", "title": "", "error": "", "labels": {}, "report": [], "proposals": []}
    told = {key: model[key] for key in model if key not in ("corners", "blocks", "edges", "tiers", "limits")}
    assert told == {
        "unit": "m",
        "dim": 2,
        "steps": [step] * 6,
        "guides": [
            {
                "name": "bed", "kind": "polyline", "dim": 1, "step": "l", "length": 4.0, "area": 0.0,
                "closed": False, "points": 2, "low": [0, 0, 0], "high": [4, 0, 0],
                "xyz": [[0, 0, 0], [4, 0, 0]], "corners": [0.0, 1.0],
            }
        ],
        "groups": [],
        "sides": [],
        "patches": [{"name": "bed", "type": "wall", "sides": [["c2", "c1"]], "faces": 8}],
        "findings": [],
        "twins": [],
        "regions": ["fluid"],
        "jumps": [],
        "growth_limit": 1.2,
        "unnamed_sides": [["c3", "c1"], ["c4", "c2"], ["c4", "c3"]],
        "unnamed_faces": 16,
        "faces": 24,
        "plane_step": None,
        "cells": 32,
        "smoothing": 0,
        "smoothing_in_space": 0,
    }  # fmt: skip


PERFECT = {
    "scaled_jacobian": 1.0,
    "smallest_angle": 90.0,
    "largest_angle": 90.0,
    "skewness": 0.0,
    "aspect_ratio": 1.0,
    "volume_ratio": 1.0,
    "non_orthogonality": 0.0,
    "edge_growth": 1.0,
    "alignment": 1.0,
    "face_skewness": 0.0,
    "warpage": 0.0,
    "smallest_edge": 0.5,
    "smallest_height": 0.5,
    "cell_size": 0.5,
    "first_height": 0.5,
    "wall_angle": 0.0,
    "wall_growth": 1.0,
}
LENGTHS = ("smallest_edge", "smallest_height", "cell_size", "first_height")
AT_WALLS = ("first_height", "wall_angle", "wall_growth")


def test_quality_of_squares(ask, model):
    found = ask("quality")
    assert {key: found[key] for key in ("cells", "folded", "poles", "passed", "volume", "metric", "runs")} == {
        "cells": 32, "folded": 0, "poles": 0, "passed": True, "volume": 8.0,
        "metric": "scaled_jacobian", "runs": [],
    }  # fmt: skip
    for row in found["metrics"]:
        best = PERFECT[row["key"]]
        assert (row["worst"], row["mean"], row["best"], row["missed"]) == (best, best, best, 0)
        assert row["cells"] == (8 if row["key"] in AT_WALLS else 32)
        assert row["unit"] == (" m" if row["key"] in LENGTHS else row["unit"].strip())
        assert row["limit"] == model["limits"].get(row["key"])
        limited = f"{row['label']}: worst {best:g}{row['unit']}, limit "
        assert row["sentence"].startswith(limited if row["limit"] is not None else "no limit")
    assert [row["key"] for row in found["metrics"]] == list(PERFECT)


@pytest.mark.parametrize("metric", PERFECT)
def test_a_histogram_stays_within_what_its_metric_can_be(ask, metric):
    possible = {
        "scaled_jacobian": (-1, 1),
        "skewness": (0, 1),
        "aspect_ratio": (1, 1e99),
        "volume_ratio": (1, 1e99),
        "edge_growth": (1, 1e99),
        "alignment": (-1, 1),
    }
    low, high = possible.get(metric, (0, 360))
    found = ask(f"quality?metric={metric}")
    bounds = found["bounds"]
    assert bounds == sorted(bounds)
    assert low <= bounds[0] <= PERFECT[metric] <= bounds[-1] <= high
    assert sum(found["counts"]) == (8 if metric in AT_WALLS else 32)
    assert len(bounds) == len(found["counts"]) + 1


def test_cells_of_a_bar_are_named_from_one_on_with_their_corners(ask):
    found = ask("cells?metric=aspect_ratio&low=0.5&high=2")
    assert found["all"] == len(found["cells"]) == 32
    assert found["cells"][0] == {
        "cell": 0,
        "block": "B1",
        "index": [1, 1, 1],
        "value": 1.0,
        "at": [0.25, 0.25, 0.0],
        "corners": [[0, 0, 0], [0.5, 0, 0], [0, 0.5, 0], [0.5, 0.5, 0]],
    }
    assert {tuple(cell["index"]) for cell in found["cells"]} == {
        (i, j, 1) for i in range(1, 9) for j in range(1, 5)
    }
    assert ask("cells?metric=aspect_ratio&low=1.5&high=2") == {"cells": [], "all": 0}


def test_the_effect_of_more_cells(client, channel):
    body = {"steps": [*STEPS[:3], STEPS[3] | {"cells": 16}, *STEPS[4:]], "against": STEPS}
    found = client.post(f"/api/projects/{channel}/effect", json=body)
    assert found.status_code == 200, found.text
    same = {
        "coarse": False, "blocks": 1, "smallest_corner": 90.0, "largest_corner": 90.0, "folded": 0,
        "smallest_angle": 90.0, "largest_angle": 90.0, "jump": 1.0, "growth": 1.0, "jumps": 0, "misfit": 0.0,
    }  # fmt: skip
    told = found.json
    for effect, cells in ((told["before"], 32), (told["after"], 64)):
        assert effect == pytest.approx(same | {"cells": cells})
    assert (told["error"], told["worse"]) == ("", False)


def test_what_folds_cells_or_misses_angles_that_were_met_is_told_as_worse(client, channel):
    """Advice that comes to this is not given."""
    corner = {"kind": "pin", "id": "q", "corner": {"at": [0, 0]}}
    for to, worse in (([0.1, 0.1], False), ([1.5, 0.9], True), ([3, 3], True)):
        body = {"steps": [*STEPS, corner | {"to": to}], "against": STEPS}
        told = client.post(f"/api/projects/{channel}/effect", json=body).json
        assert told["after"] is None or told["worse"] is worse, told


def test_a_fill_that_is_coarser_than_the_grid_is_told_as_a_trial(client, channel):
    lift = {"kind": "extrude", "id": "e", "depth": 1, "cells": 3}
    body = {"steps": [*STEPS, lift], "against": STEPS}
    found = client.post(f"/api/projects/{channel}/effect", json=body).json
    assert (found["before"]["coarse"], found["after"]["coarse"]) == (False, True)
    few = [*STEPS[:3], STEPS[3] | {"cells": 4}, *STEPS[4:], lift]
    assert (
        client.post(f"/api/projects/{channel}/effect", json=body | {"steps": few}).json["after"]["coarse"]
        is False
    )


def test_a_unit_changes_numbers_and_not_the_channel(client, channel, ask):
    answer = client.post(
        f"/api/projects/{channel}/unit", json={"base": 1, "unit": "mm", "meaning": "convert"}
    )
    assert answer.status_code == 200, answer.text
    model = ask("model")
    assert model["unit"] == "mm"
    assert [corner["xyz"] for corner in model["corners"]] == [
        [0, 0, 0], [4000, 0, 0], [0, 2000, 0], [4000, 2000, 0],
    ]  # fmt: skip
    assert model["cells"] == 32
    assert ask("quality")["volume"] == pytest.approx(8e6)  # the area: a plane cell is one unit deep


@pytest.mark.parametrize("lift", [[], [{"kind": "revolve", "id": "e", "angle": 90, "parts": 1, "cells": 6}]])
def test_a_patch_between_two_regions_is_told_with_the_faces_on_both_of_its_sides(client, lift):
    steps = [
        {"kind": "frame", "id": "f", "width": 4, "height": 2},
        {"kind": "cut", "id": "x", "by": "x", "at": [2]},
        {"kind": "count", "id": "m", "tier": {"at": [0, 1]}, "cells": 4},
        {"kind": "region", "id": "r", "blocks": {"at": [1, 1]}, "name": "cooling"},
        *lift,
        {
            "kind": "patch",
            "id": "p",
            "faces": {"between": ["cooling", "fluid"]},
            "name": "sheet",
            "type": "wall",
        },
    ]
    project = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    client.put(f"/api/projects/{project}/recipe", json={"base": 0, "steps": steps})
    model = client.get(f"/api/projects/{project}/model")
    assert model.status_code == 200
    assert [(patch["name"], patch["faces"]) for patch in model.json["patches"]] == [
        ("sheet", 2 * 4 * (6 if lift else 1))
    ]
    assert model.json["unnamed_faces"] == model.json["faces"]
    for path in ("quality", "grid", "plan", "advice"):
        assert client.get(f"/api/projects/{project}/{path}").status_code == 200, path

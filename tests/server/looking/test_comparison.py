"""Two states side by side through the HTTP client: filled and smoothed, revisions, values, projects."""

import numpy as np
import pytest

from tests.conftest import numbered
from tests.server.looking.boxed import PLANE, opened

STEPS = numbered(
    [
        {"kind": "frame", "shape": "box", "width": 2, "height": 1, "depth": 1},
        {"kind": "count", "tier": {"all": True}, "cells": 4},
        {"kind": "patch", "name": "bed", "type": "wall", "faces": {"side": "z-"}},
    ]
)
HALF = 0.5**0.5
FINER = [STEPS[0], STEPS[1] | {"cells": 8}, STEPS[2]]


def made(client, name, *revisions):
    project = client.post("/api/projects", json={"name": name}).json["id"]
    for number, steps in enumerate(revisions):
        put = client.put(f"/api/projects/{project}/recipe", json={"base": number, "steps": steps})
        assert put.status_code == 200, put.json
    return project


@pytest.fixture
def place(client):
    return f"/api/projects/{made(client, 'Box', STEPS, FINER)}"


def compared(client, place, other, **more):
    answer = client.post(f"{place}/comparison", json={"other": other, **more})
    assert answer.status_code == 200, answer.json
    return answer.json


def test_an_earlier_revision_is_told_beside_the_present(client, place):
    found = compared(client, place, {"revision": 1}, metric="cell_size")
    assert (found["ours"]["cells"], found["theirs"]["cells"]) == (512, 64)
    assert (found["ours"]["name"], found["theirs"]["name"]) == ("now", "revision 1")
    pairs = {pair["key"]: pair for pair in found["pairs"]}
    assert pairs["cell_size"]["verdict"] == "better"
    assert pairs["cell_size"]["unit"] == " m"
    assert pairs["cell_size"]["theirs"]["worst"] == pytest.approx(2 * pairs["cell_size"]["ours"]["worst"])
    assert pairs["aspect_ratio"]["verdict"] == "same"
    assert found["apart"] is None
    assert sum(found["ours"]["counts"]) == 512
    assert sum(found["theirs"]["counts"]) == 64
    assert sum(found["theirs"]["volumes"]) == pytest.approx(2.0)


def test_other_values_of_the_same_recipe_are_tried(client, place):
    same = compared(client, place, {"values": {"s1.cells": "8"}})
    assert same["theirs"]["name"] == "s1.cells = 8"
    assert same["apart"] == {"largest": 0.0, "mean": 0.0, "at": same["apart"]["at"]}
    assert compared(client, place, {"values": {"s1.cells": "2"}})["theirs"]["cells"] == 8
    wrong = client.post(f"{place}/comparison", json={"other": {"values": {"depth": "2"}}})
    assert wrong.status_code == 422
    assert "“depth” is no parameter" in wrong.json["detail"]


def test_another_project_in_another_unit_is_told_in_this_ones(client):
    flow = {"kind": "flow", "id": "w", "speed": 1.0, "length": "2 m"}
    unit = {"kind": "unit", "id": "u", "unit": "mm"}
    wide = STEPS[0] | {"width": 2000, "height": 1000, "depth": 1000}
    place = f"/api/projects/{made(client, 'In metres', [*FINER, flow])}"
    other = made(client, "In millimetres", [unit, wide, FINER[1], FINER[2], flow])
    found = compared(client, place, {"project": other})
    assert found["theirs"]["name"] == "In millimetres"
    assert {pair["verdict"] for pair in found["pairs"]} == {"same"}
    assert {"first_height", "y_plus"} <= {pair["key"] for pair in found["pairs"]}
    assert found["apart"]["largest"] == pytest.approx(0.0, abs=1e-12)
    index, _ = opened(
        client.post(f"{place}/sections/picture", json={"sections": [PLANE], "other": {"project": other}})
    )
    assert index["told"][0]["area"] == pytest.approx(1.0)


def test_the_smoothed_grid_is_told_beside_the_filled_one(client):
    bent = [
        {"kind": "circle", "id": "c", "name": "c", "centre": [0, 0], "radius": 1},
        {"kind": "frame", "id": "k", "corner": [-HALF, -HALF], "width": 2 * HALF, "height": 2 * HALF},
        {"kind": "follow", "id": "w", "guide": "c", "edges": {"around": {"all": True}}},
        {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 6},
        {"kind": "smooth", "id": "m", "sweeps": 200, "control": "no control"},
    ]
    project = made(client, "Bent", bent)
    place = f"/api/projects/{project}"
    refused = client.post(f"{place}/comparison", json={"other": {"smoothed": False}})
    assert refused.status_code == 422, refused.json
    assert "smoothing has not been run" in refused.json["detail"]
    filled = compared(client, place, {"smoothed": False}, smoothed=False)
    assert filled["ours"]["name"] == "now, as filled"
    assert filled["apart"]["largest"] == 0.0
    run = client.post(f"{place}/builds", json={"base": 1, "steps": bent})
    assert run.json["state"] == "done"
    found = compared(client, place, {"smoothed": False})
    assert found["apart"]["largest"] > 0.01
    assert {pair["verdict"] for pair in found["pairs"]} > {"better"}


def test_the_other_state_is_drawn_from_outside_and_cut(client, place):
    wish = {"other": {"revision": 1}, "metric": "aspect_ratio"}
    _, arrays = opened(client.post(f"{place}/comparison/picture", json=wish))
    assert len(arrays["faces"].reshape(-1, 4)) == 6 * 16
    assert np.allclose(arrays["values"], arrays["values"][0])
    index, _ = opened(client.post(f"{place}/sections/picture", json=wish | {"sections": [PLANE]}))
    assert index["told"][0]["cells"] == 16


@pytest.mark.parametrize(
    ("other", "status", "said"),
    [
        ({"revision": 99}, 404, "there is no revision 99"),
        ({"project": 99}, 404, "no project"),
        ({"values": {"s1.count": "3"}}, 422, "s1.count"),
        ({"values": {"s1.cells": "many"}}, 422, "cells"),
    ],
)
def test_a_state_that_is_none_is_refused_with_the_reason(client, place, other, status, said):
    for path in ("comparison", "comparison/picture"):
        answer = client.post(f"{place}/{path}", json={"other": other})
        assert answer.status_code == status, answer.json
        assert said.lower() in str(answer.json).lower()


def test_revisions_say_what_they_changed(client, place):
    moved = [FINER[0], FINER[2], FINER[1]]
    told = [moved, moved[:2], [*moved[:2], {"kind": "gate", "id": "g"}]]
    for base, steps in enumerate(told, start=2):
        assert client.put(f"{place}/recipe", json={"base": base, "steps": steps}).status_code == 200
    found = client.get(f"{place}/revisions").json["revisions"]
    assert [one["what"] for one in found] == [
        "gate added", "count taken out", "order of steps", "count changed",
        "frame added, count added, patch added", "0 steps",
    ]  # fmt: skip
    assert [one["number"] for one in found] == [5, 4, 3, 2, 1, 0]

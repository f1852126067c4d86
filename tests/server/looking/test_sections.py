"""Sections and chosen cells through the HTTP client: pictures, what is told, and what is kept."""

import numpy as np
import pytest

from plodek.server.api.sections import routes
from tests.conftest import numbered
from tests.server.looking.boxed import KEPT, PLANE, opened


def cut(client, place, *sections, **more):
    return opened(client.post(f"{place}/sections/picture", json={"sections": list(sections), **more}))


@pytest.mark.parametrize(
    ("section", "area"),
    [
        (PLANE, 1.0),
        (PLANE | {"moved": 0.3}, 1.0),
        ({"kind": "plane", "through": [[0, 0, 0.3], [1, 0, 0.3], [0, 1, 0.3]]}, 2.0),
        ({"kind": "plane", "guide": "path", "at": 0.25}, 1.0),
        ({"kind": "cylinder", "point": [1, 0.5, 0], "axis": [0, 0, 2], "radius": 0.4}, 2 * np.pi * 0.4),
        ({"kind": "sphere", "point": [1, 0.5, 0.5], "radius": 0.3, "moved": 0.1}, 4 * np.pi * 0.16),
    ],
    ids=["plane", "moved", "three places", "guide", "cylinder", "sphere"],
)
def test_each_way_to_tell_a_section(client, place, section, area):
    index, arrays = cut(client, place, section, metric="aspect_ratio")
    (told,) = index["told"]
    assert told["problem"] == ""
    assert told["area"] == pytest.approx(area, rel=0.03)
    nodes = arrays["nodes"].reshape(-1, 3).astype(float)
    corners = nodes[arrays["triangles"].reshape(-1, 3)]
    drawn = 0.5 * np.linalg.norm(
        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
    )
    assert drawn.sum() == pytest.approx(told["area"], rel=1e-3)
    assert len(arrays["values"]) == len(nodes)
    assert len(set(arrays["cells"])) == told["cells"]


def test_several_sections_and_whole_cells_make_one_picture(client, place):
    _, one = cut(client, place, PLANE)
    _, both = cut(client, place, PLANE, PLANE | {"point": [1.3, 0, 0]})
    assert len(both["nodes"]) == 2 * len(one["nodes"])
    _, whole = cut(client, place, PLANE | {"whole": True})
    assert set(whole["cells"]) == set(one["cells"])
    assert "values" not in whole
    assert len(cut(client, place)[1]["nodes"]) == 0


def test_a_section_that_is_none_is_told_and_the_others_are_drawn(client, place):
    beside, none = PLANE | {"point": [5, 0, 0]}, {"kind": "sphere"}
    index, arrays = cut(client, place, beside, PLANE, none, {"guide": "nix"}, PLANE | {"axis": [0, 0, 0]})
    words = [told["problem"] for told in index["told"]]
    assert "between (0, 0, 0) and (2, 1, 1)" in words[0]
    assert words[1] == ""
    assert [text.split(".")[0] for text in words[2:]] == [
        "The section's radius is 0",
        "The guide “nix” is not there",
        "The plane's normal has no direction",
    ]
    assert len(arrays["cells"])


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ({"sections": [{"kind": "cone"}]}, 422, "sections.0.kind: Input should be"),
        ({"sections": [{"point": [0, 0]}]}, 422, "point"),
        ({"sections": [PLANE] * 13}, 422, "sections"),
        ({"sections": [PLANE], "metric": "beauty"}, 422, "is no metric"),
    ],
)
def test_what_is_no_section_is_refused(client, place, body, status, words):
    answer = client.post(f"{place}/sections/picture", json=body)
    assert answer.status_code == status
    assert words in answer.json["detail"]


def test_a_plane_grid_has_no_sections_but_cells(client):
    place = f"/api/projects/{client.post('/api/projects', json={'name': 'A'}).json['id']}"
    client.put(
        f"{place}/recipe", json={"base": 0, "steps": numbered([{"kind": "frame", "width": 2, "height": 1}])}
    )
    answer = client.post(f"{place}/sections/picture", json={"sections": [PLANE]})
    assert (answer.status_code, "this grid is plane" in answer.json["detail"].lower()) == (422, True)
    index, _ = opened(client.post(f"{place}/cells/picture", json={"ranges": []}))
    assert index["where"]["share"] == pytest.approx(1.0)


def test_chosen_cells_are_told_with_their_labels(client, place):
    ask = {
        "ranges": [{"metric": "aspect_ratio", "high": 1e9}],
        "patch": "all",
        "metric": "aspect_ratio",
        "shrunk": 0.2,
    }
    index, arrays = opened(client.post(f"{place}/cells/picture", json=ask))
    found = index["where"]
    assert found["blocks"] == {"B1": found["cells"]}
    assert len(arrays["cells"]) == 6 * found["cells"]
    grown, _ = opened(client.post(f"{place}/cells/picture", json=ask | {"grown": 20}))
    assert grown["where"]["share"] == pytest.approx(1.0)
    none, arrays = opened(
        client.post(f"{place}/cells/picture", json={"ranges": [{"metric": "skewness", "low": 2}]})
    )
    assert (none["where"]["cells"], len(arrays["nodes"])) == (0, 0)
    nix = client.post(f"{place}/cells/picture", json={"ranges": [], "patch": "nix"})
    assert (nix.status_code, "the patches are all" in nix.json["detail"].lower()) == (404, True)


def test_many_cells_are_drawn_whole(client, place, monkeypatch):
    monkeypatch.setattr(routes, "MOST_SHRUNK", 100)
    index, arrays = opened(client.post(f"{place}/cells/picture", json={"ranges": [], "shrunk": 0.5}))
    assert index["shrunk"] == 0
    assert len(arrays["cells"]) < index["where"]["cells"]


def test_sections_are_kept_with_the_project_and_its_copies_and_are_no_step(client, place):
    assert client.get(f"{place}/sections").json == {"sections": []}
    put = client.put(
        f"{place}/sections", json={"sections": [PLANE, {"kind": "sphere", "point": [0, 0, 0], "radius": 1}]}
    )
    kept = [KEPT | PLANE, KEPT | {"kind": "sphere", "point": [0, 0, 0], "radius": 1.0}]
    assert put.json == client.get(f"{place}/sections").json == {"sections": kept}
    copy = client.post(f"{place}/copies").json["id"]
    assert client.get(f"/api/projects/{copy}/sections").json == {"sections": kept}
    assert client.get(f"{place}/recipe").json["revision"] == 1


@pytest.mark.parametrize(
    ("by", "names"), [("block", ["B1"]), ("region", ["fluid"]), ("patch", ["all"]), ("tier", None)]
)
def test_a_metric_is_told_by_parts(client, place, by, names):
    told = client.get(f"{place}/table", query_string={"by": by, "metric": "aspect_ratio"}).json["rows"]
    quality = client.get(f"{place}/quality", query_string={"metric": "aspect_ratio"}).json
    tiers = [tier["label"] for tier in client.get(f"{place}/model").json["tiers"]]
    assert sorted(row["name"] for row in told) == (names or sorted(tiers))
    (metric,) = [one for one in quality["metrics"] if one["key"] == "aspect_ratio"]
    if by != "patch":
        assert {row["cells"] for row in told} == {quality["cells"]}
        assert told[0] == {
            "name": told[0]["name"],
            "cells": quality["cells"],
            "worst": pytest.approx(metric["worst"]),
            "mean": pytest.approx(metric["mean"]),
            "beyond": 0.0,
        }


def test_a_cell_is_looked_at_by_its_number_and_its_neighbours_lead_on(client, place):
    found = client.get(f"{place}/cells/0").json
    assert (found["cell"], found["block"], found["index"]) == (0, "B1", [1, 1, 1])
    assert found["beyond"]["i-"] == {"cell": None, "patch": "all"}
    there = client.get(f"{place}/cells/{found['beyond']['i+']['cell']}").json
    assert (there["index"], there["beyond"]["i-"]["cell"]) == ([2, 1, 1], 0)
    assert found["volume"] == pytest.approx(np.prod([edges[0] for edges in found["edges"]]))
    worst = client.get(f"{place}/quality", query_string={"metric": "aspect_ratio"}).json["worst"][0]
    same = client.get(f"{place}/cells/{worst['cell']}").json
    assert (same["index"], same["values"]["aspect_ratio"]) == (worst["index"], pytest.approx(worst["value"]))
    assert client.get(f"{place}/cells/123456789").status_code == 404


def test_faces_of_the_outside_tell_their_cells(client, place):
    _, arrays = opened(client.get(f"{place}/grid", query_string={"metric": "aspect_ratio"}))
    assert len(arrays["face_cells"]) == len(arrays["faces"]) // 4
    nodes = arrays["nodes"].reshape(-1, 3)[arrays["faces"].reshape(-1, 4)].astype(float)
    for face in (0, len(nodes) // 2, -1):
        corners = np.array(client.get(f"{place}/cells/{arrays['face_cells'][face]}").json["corners"])
        middle = [1.0, 0.5, 0.5]
        away = np.abs(nodes[face][:, None] + middle - corners[None]).max(axis=2).min(axis=1)
        assert away.max() < 1e-6


def test_what_made_cells_is_told_with_advice_and_what_is_nearest(client, place):
    ask = {"ranges": [{"metric": "aspect_ratio", "low": 1.0}], "patch": "all"}
    found = client.post(f"{place}/cells/causes", json=ask).json
    assert set(found["patches"]) == {"all"}
    assert found["guides"] == {}
    assert {one["kind"] for one in found["causes"]} <= {"corner", "edge", "side", "block"}
    assert all(one["text"] and one["cure"] for one in found["causes"])
    bent = [
        {"kind": "block", "id": "k", "corners": [[0, 0], [4, 0], [0, 1], [4, 1]]},
        {"kind": "block", "id": "l", "corners": [[0, 1], [4, 1], [0.6, 1.4], [7, 1.4]]},
        {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 8},
    ]
    assert client.put(f"{place}/recipe", json={"base": 1, "steps": bent}).status_code == 200
    ask = {"ranges": [{"metric": "smallest_angle", "high": 30.0}]}
    told = client.post(f"{place}/cells/causes", json=ask).json["causes"]
    (sharp,) = [one for one in told if "with 8°" in one["text"]]
    assert sharp["kind"] == "corner"
    assert sharp["advice"]["corners"] == sharp["corners"]
    assert [one["advice"] for one in told if one is not sharp] == [None] * (len(told) - 1)

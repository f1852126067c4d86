"""Geometry files, guides drawn, mended, measured, renamed, re-scaled and written, through HTTP."""

import json
import struct

import numpy as np
import pytest

from tests.conftest import demo_file
from tests.server.test_projects import kept, made

UNIT = {"kind": "unit", "id": "u", "unit": "m"}
CONE = {"kind": "bring-in", "id": "b", "file": "draft-cone.step", "name": "cone"}
GAPS = {"kind": "bring-in", "id": "b", "file": "draft-cone-gaps.igs", "name": "cone", "edges": "no"}


def sent(client, project, name, data):
    answer = client.post(f"/api/projects/{project}/geometry?name={name}", data=data)
    assert answer.status_code == 202, answer.json
    return client.get(f"/api/jobs/{answer.json['id']}").json


@pytest.fixture
def cone(client):
    project = made(client)
    sent(client, project, "draft-cone.step", demo_file("draft-cone.step"))
    assert kept(client, project, 0, [UNIT, CONE]).status_code == 200
    return project


def test_a_cad_file_is_read_by_a_job_and_then_stored(client):
    project = made(client)
    job = sent(client, project, "a/draft-cone.step", demo_file("draft-cone.step"))
    assert job["state"] == "done"
    assert job["progress"]["share"] > 0.5
    facts = client.get(f"/api/projects/{project}/files/draft-cone.step").json
    assert facts == job["result"]
    assert (facts["kind"], facts["unit"], facts["file_unit"]) == ("step", "mm", "metre")
    assert facts["counts"] == {"faces": 6}
    assert "inlet" in facts["names"]
    assert kept(client, project, 0, [UNIT, CONE]).status_code == 200
    model = client.get(f"/api/projects/{project}/model").json
    inlet = next(g for g in model["guides"] if g["name"] == "cone.inlet")
    assert (inlet["dim"], inlet["step"], inlet["area"]) == (2, "b", pytest.approx(0.16 * np.pi))
    assert [g["name"] for g in model["groups"]] == ["cone"]


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.step", b"ISO-10303-21;\nHEADER;\n", "breaks off at line 3"),
        ("a.stl", b"solid a\nfacet normal 0 0 1\n", "breaks off"),
    ],
)
def test_a_bad_file_leaves_the_project_as_it_was(client, name, data, words):
    project = made(client)
    job = sent(client, project, name, data)
    assert job["state"] == "failed"
    assert words in job["result"]["error"]
    assert client.get(f"/api/projects/{project}/recipe").json["files"] == []


def test_foreign_and_huge_files_are_refused_at_once(client):
    project = made(client)
    url = f"/api/projects/{project}"
    bomb = client.post(f"{url}/geometry?name=a.step", data=b"PK\x03\x04 and more")
    assert (bomb.status_code, "ZIP archive" in bomb.json["detail"]) == (422, True)
    client.application.config["MAX_CONTENT_LENGTH"] = 1000
    huge = client.post(f"{url}/geometry?name=a.step", data=b"x" * 2000)
    assert huge.status_code == 413
    assert "PLODEK_MOST_UPLOAD_MB" in huge.json["detail"]


def unpacked(data):
    size = struct.unpack("<I", data[:4])[0]
    head = json.loads(data[4 : 4 + size])
    arrays = {
        name: np.frombuffer(data, at["type"], at["length"], 4 + size + at["start"])
        for name, at in head["arrays"].items()
    }
    return head, arrays


def test_surfaces_are_drawn_as_one_picture_with_their_edges(client, cone):
    head, arrays = unpacked(client.get(f"/api/projects/{cone}/shape").data)
    names = [surface["name"] for surface in head["surfaces"]]
    assert names == [f"cone.{n}" for n in ("east", "north", "west", "south", "inlet", "outlet")]
    triangles = arrays["triangles"].reshape(-1, 3)
    assert head["surfaces"][-1]["triangles"] == len(triangles)
    xyz = arrays["nodes"].reshape(-1, 3) + np.array(head["origin"])
    np.testing.assert_allclose(np.ptp(xyz, axis=0), [1.0, 1.0, 1.5], atol=1e-5)
    assert head["surfaces"][-1]["lines"] == len(arrays["lines"]) // 6 > 24
    normals = arrays["normals"].reshape(-1, 3)
    np.testing.assert_allclose(np.linalg.norm(normals, axis=1), 1, atol=1e-5)
    ball = {"kind": "sphere", "id": "s", "name": "ball", "radius": 1}
    tried = {"steps": [UNIT, CONE, ball], "against": [UNIT, CONE]}
    head, _ = unpacked(client.post(f"/api/projects/{cone}/preview/shape", json=tried).data)
    assert [surface["name"] for surface in head["surfaces"]] == ["ball"]


def test_the_gaps_are_found_sewn_and_back_after_undo(client):
    project = made(client)
    sent(client, project, "draft-cone-gaps.igs", demo_file("draft-cone-gaps.igs"))
    kept(client, project, 0, [UNIT, GAPS])
    found = client.get(f"/api/projects/{project}/mending").json
    assert (found["surfaces"], len(found["free"]), found["volume"]) == (7, 28, None)
    assert found["tolerance"] == pytest.approx(0.00083, rel=0.01)
    sew = {"kind": "sew", "id": "s", "tolerance": found["tolerance"]}
    kept(client, project, 1, [UNIT, GAPS, sew])
    sewn = client.get(f"/api/projects/{project}/mending").json
    assert sewn["free"] == []
    assert sewn["volume"] == pytest.approx(1.112, rel=1e-3)
    report = client.get(f"/api/projects/{project}/model").json["steps"][2]["report"]
    assert report[-1]["text"] == "no free edge is left"
    client.post(f"/api/projects/{project}/undo", json={"base": 2})
    assert len(client.get(f"/api/projects/{project}/mending").json["free"]) == 28


def test_measuring(client, cone):
    def measured(wish, *targets):
        return client.post(
            f"/api/projects/{cone}/measurements", json={"wish": wish, "targets": list(targets)}
        )

    area = measured("area", {"guide": "cone.inlet"}).json
    assert area["values"] == [{"name": "cone.inlet", "value": pytest.approx(0.16 * np.pi), "power": 2}]
    away = measured("distance", {"guide": "cone.inlet"}, {"at": [0, 0, "50 cm"]}).json
    assert away["values"][0]["value"] == pytest.approx(0.5)
    assert away["mark"] == [pytest.approx([0, 0, 0], abs=1e-9), [0, 0, 0.5]]
    flat = measured("radius", {"guide": "cone.edge-3"})
    assert flat.status_code == 200
    for wish, target, words in (
        ("area", {"guide": "nix"}, "no guide is called"),
        ("area", {}, "neither a guide nor a place"),
        ("length", {"guide": "cone.inlet", "fraction": 0.5}, "is no curve"),
    ):
        answer = measured(wish, target)
        assert answer.status_code in (404, 422)
        assert words in answer.json["detail"].lower()


def test_a_rename_and_another_unit_are_revisions_like_any_other(client, cone):
    url = f"/api/projects/{cone}"
    border = {"kind": "border", "id": "r", "name": "rim", "surface": "cone.inlet"}
    kept(client, cone, 1, [UNIT, CONE, border])
    done = client.post(f"{url}/renames", json={"base": 2, "guide": "cone.inlet", "to": "mouth"})
    assert [s["kind"] for s in done.json["steps"]] == ["unit", "bring-in", "rename", "border"]
    taken = client.post(f"{url}/renames", json={"base": 3, "guide": "rim.1", "to": "mouth"})
    assert (taken.status_code, "already there" in taken.json["detail"]) == (422, True)
    stale = client.post(f"{url}/unit", json={"base": 2, "unit": "mm", "meaning": "convert"})
    assert stale.status_code == 409
    client.post(f"{url}/unit", json={"base": 3, "unit": "mm", "meaning": "convert"})
    model = client.get(f"{url}/model").json
    assert model["unit"] == "mm"
    assert {s["state"] for s in model["steps"]} == {"ok"}
    assert client.post(f"{url}/undo", json={"base": 4}).json["steps"][0]["unit"] == "m"


def test_guides_are_written_as_step_and_stl(client, cone):
    step = client.get(f"/api/projects/{cone}/guides.step?guides=cone.inlet,cone.edge-1")
    assert step.data.startswith(b"ISO-10303-21")
    assert b"ADVANCED_FACE('cone.inlet'" in step.data
    stl = client.get(f"/api/projects/{cone}/guides.stl?unit=mm")
    assert stl.data.count(b"endsolid") == 6
    none = client.get(f"/api/projects/{cone}/guides.stl?guides=cone.edge-1")
    assert "none of the chosen guides is a surface" in none.json["detail"].lower()
    assert client.get(f"/api/projects/{made(client)}/guides.step").status_code == 422

"""Hand-offs of a project: listed, fetched, alike to the byte, written again from the recipe as it was, solved on."""

import io
import json
import zipfile

import pytest

BOX = [
    {"kind": "frame", "id": "f", "shape": "box", "width": 2, "height": 1, "depth": 1},
    {"kind": "cut", "id": "c", "by": "x", "at": [1]},
    {"kind": "count", "id": "n", "tier": {"all": True}, "cells": 4},
    {"kind": "patch", "id": "i", "name": "inflow", "type": "inlet", "faces": {"side": "x-"}},
    {"kind": "patch", "id": "o", "name": "outflow", "type": "outlet", "faces": {"side": "x+"}},
    {"kind": "patch", "id": "w", "name": "walls", "faces": {"rest": True}},
]


@pytest.fixture
def box(client):
    project = client.post("/api/projects", json={"name": "Box"}).json["id"]
    client.put(f"/api/projects/{project}/recipe", json={"base": 0, "steps": BOX})
    return project


def hand_off(client, project, **wish):
    job = client.post(f"/api/projects/{project}/handoffs", json=wish).json
    return client.get(f"/api/jobs/{job['id']}").json


def listed(client, project):
    return client.get(f"/api/projects/{project}/handoffs").json["handoffs"]


def test_every_format_is_handed_off_and_proved(client, box):
    offered = client.get("/api/schema").json["formats"]
    assert {"cgns", "plot3d", "vtk", "vtkhdf", "xdmf", "stl", "tables"} <= {one["key"] for one in offered}
    for one in offered:
        assert one["label"]
        assert all(option["choices"] for option in one["options"])
    done = hand_off(client, box, formats=[one["key"] for one in offered], unit="mm")
    assert done["state"] == "done", done
    proofs = done["result"]["proofs"]
    endings = ("cgns", "xyz", "vtm", "vtkhdf", "xdmf", "stl", "csv")
    assert {proof["file"] for proof in proofs} == {f"box.{ending}" for ending in endings}
    assert all(proof["holds"] for proof in proofs)
    assert {proof["file"] for proof in proofs if not proof["grid"]} == {"box.stl", "box.csv"}
    data = client.get(f"/api/jobs/{done['id']}/download").data
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert sorted(archive.namelist()) == sorted(done["result"]["files"])


def test_hand_offs_are_listed_and_written_again_to_the_byte(client, box):
    wish = {"formats": ["cgns", "plot3d", "vtkhdf", "xdmf"], "unit": "cm", "scale": 2.0}
    first = hand_off(client, box, **wish)
    before = client.get(f"/api/jobs/{first['id']}/download").data
    steps = [*BOX[:2], BOX[2] | {"cells": 6}, *BOX[3:]]
    assert client.put(f"/api/projects/{box}/recipe", json={"base": 1, "steps": steps}).status_code == 200
    other = hand_off(client, box, **wish)
    newest, oldest = listed(client, box)
    assert (newest["revision"], oldest["revision"]) == (2, 1)
    assert newest["digest"] != oldest["digest"]
    assert (oldest["cells"], newest["cells"]) == (4**3 * 2, 6**3 * 2)
    assert newest["holds"]
    assert newest["there"]
    assert newest["against"] == oldest["id"]
    assert newest["changes"][0] == "cells 128 → 432"
    assert newest["changes"][-3:] == [
        "faces of inflow 16 → 36", "faces of outflow 16 → 36", "faces of walls 128 → 288",
    ]  # fmt: skip
    assert (oldest["against"], oldest["changes"]) == (None, [])
    turned = client.get(f"/api/projects/{box}/handoffs?against={other['id']}").json["handoffs"]
    assert [one["against"] for one in turned] == [None, other["id"]]
    assert turned[1]["changes"][0] == "cells 432 → 128"
    strange = client.get(f"/api/projects/{box}/handoffs?against=none")
    assert strange.status_code == 404
    assert "no such hand-off" in strange.json["detail"]
    assert newest["asked"]["formats"] == wish["formats"]
    client.application.extensions["plodek"].desk.download_path(first["id"]).unlink()
    assert [one["there"] for one in listed(client, box)] == [True, False]
    gone = client.get(f"/api/jobs/{first['id']}/download")
    assert "hand off again" in gone.json["detail"].lower()
    client.patch(f"/api/projects/{box}", json={"name": "Crate"})
    assert hand_off(client, box, **wish)["result"]["name"] == "crate.zip"
    again = hand_off(client, box, **oldest["asked"] | {"revision": 1})
    assert again["result"]["name"] == "box.zip"
    assert again["id"] not in (first["id"], other["id"])
    assert again["result"]["digest"] == oldest["digest"]
    assert client.get(f"/api/jobs/{again['id']}/download").data == before


def test_the_same_is_not_written_twice(client, box):
    one, same = (hand_off(client, box, formats=["cgns"]) for _ in range(2))
    assert one["id"] == same["id"]
    other = hand_off(client, box, formats=["cgns"], options={"cgns": {"zones": "unstructured"}})
    assert other["id"] != one["id"]
    assert len(listed(client, box)) == 2


def test_a_dry_run_solves_on_a_file_that_was_handed_off(client, box):
    done = hand_off(
        client, box, formats=["vtk", "cgns"], unit="mm", options={"vtk": {"cells": "unstructured"}}
    )
    for file in ("box.cgns", "box.vtm"):
        place = f"/api/projects/{box}/handoffs/{done['id']}/dry-runs"
        job = client.post(place, json={"file": file}).json
        found = client.get(f"/api/jobs/{job['id']}").json
        assert found["state"] == "done", found
        assert found["result"]["holds"]
        if file == "box.cgns":  # the other says no types
            assert found["result"]["balance"] == pytest.approx(
                {"inflow": -1e6, "outflow": 1e6, "walls": 0}, abs=1e-3
            )
        assert client.post(place, json={"file": file}).json["id"] == job["id"]
        picture = client.get(f"/api/jobs/{job['id']}/field?field=speed")
        if file == "box.cgns":
            head = json.loads(picture.data[4 : 4 + int.from_bytes(picture.data[:4], "little")])
            assert sorted(head["patches"]) == ["inflow", "outflow", "walls"]
            assert (head["low"], head["high"]) == pytest.approx((1, 1))
            assert head["origin"] == pytest.approx([1, 0.5, 0.5])  # in the project's unit
            assert head["arrays"]["values"]["length"] == 2 * 16 + 4 * 2 * 16
        else:
            assert picture.status_code == 404
    for bad in ("../box.cgns", "nothing.cgns"):
        answer = client.post(f"/api/projects/{box}/handoffs/{done['id']}/dry-runs", json={"file": bad})
        assert answer.status_code == 404
        assert "no such file" in answer.json["detail"].lower()


@pytest.mark.slow
def test_the_report_tells_of_the_dry_run_of_this_state(client, box):
    def report():
        return client.get(f"/api/projects/{box}/report").data.decode()

    assert "Dry run" not in report()
    done = hand_off(client, box, formats=["cgns"], unit="mm")
    client.post(f"/api/projects/{box}/handoffs/{done['id']}/dry-runs", json={"file": "box.cgns"})
    before, found = report().count("<img"), report()
    assert "Dry run of box.cgns" in found
    assert "inflow -1e+06, outflow +1e+06" in found
    assert "lines of equal potential" in found
    recipe = client.get(f"/api/projects/{box}/recipe").json
    steps = [*recipe["steps"], {"kind": "gate", "id": "g"}]
    client.put(f"/api/projects/{box}/recipe", json={"base": recipe["revision"], "steps": steps})
    assert "Dry run" not in report()
    assert report().count("<img") == before - 1


@pytest.mark.parametrize(
    ("wish", "said"),
    [
        ({"formats": ["pdf"]}, "no format that grids are written in"),
        ({"formats": []}, "no format is chosen"),
        ({"formats": ["plot3d"], "options": {"plot3d": {"form": "stone"}}}, "no choice for form"),
        ({"formats": ["cgns"], "options": {"cgns": {"colour": "red"}}}, "no option"),
        ({"formats": ["cgns"], "revision": 77}, "77"),
    ],
)
def test_bad_wishes_are_told(client, box, wish, said):
    asked = client.post(f"/api/projects/{box}/handoffs", json=wish)
    words = (
        json.dumps(asked.json)
        if asked.status_code >= 400
        else json.dumps(client.get(f"/api/jobs/{asked.json['id']}").json["result"])
    )
    assert said in words
    assert listed(client, box) == []

"""Grids received in files: read by a job, told what they hold, and the beginning of a project; through HTTP."""

import io
import zipfile
from dataclasses import replace

import numpy as np
import pytest

from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.grid.window import PatchFaces, Window
from tests.conftest import demo_file
from tests.received import bent, of_nodes, pipe, wedge, written
from tests.server.test_geometry import sent
from tests.server.test_projects import kept, made

START = {
    "kind": "start-from-grid",
    "id": "s",
    "file": "dewatering-bend.xyz",
    "file_unit": "mm",
    "within": "0.1 mm",
}


#: A quarter of a pipe with a pole: as cells it has wedges there.
POLE = of_nodes(
    pipe(0.5, *(np.eye(3)[[axis] * 3] * scale for axis, scale in ((2, [[0], [1], [2]]), (0, 1), (1, 1))))[
        :, :7
    ]
)


def facts_of(client, project, name):
    return client.get(f"/api/projects/{project}/files/{name}").json


def test_a_grid_is_told_about_taken_up_and_goes_along_with_the_recipe(client):
    project = made(client)
    job = sent(client, project, "in/dewatering-bend.xyz", demo_file("dewatering-bend.xyz"))
    assert job["state"] == "done"
    facts = facts_of(client, project, "dewatering-bend.xyz")
    assert facts == job["result"]
    assert (facts["kind"], facts["unit"]) == ("grid", "")
    assert facts["counts"] == {"cells": 9600, "blocks": 2, "interfaces": 2}
    assert np.subtract(facts["high"], facts["low"]) == pytest.approx([800, 200, 400], abs=0.1)
    assert kept(client, project, 0, [START]).status_code == 200
    model = client.get(f"/api/projects/{project}/model").json
    assert (len(model["blocks"]), model["cells"], model["unnamed_faces"]) == (8, 9600, 1440)
    packed = client.get(f"/api/projects/{project}/recipe/download")
    assert "dewatering-bend.xyz" in zipfile.ZipFile(io.BytesIO(packed.data)).namelist()


def test_patches_interfaces_and_unit_come_from_the_map_that_is_sent_beside(client, tmp_path):

    grid = of_nodes(bent())
    grid = replace(grid, patches=(PatchFaces("bed", "wall", (Window(0, 1, 0),)),), unnamed=())
    registry.written()["plot3d"].write(
        tmp_path / "a.xyz", Cargo(grid, "cm"), registry.written()["plot3d"].choices()
    )
    project = made(client)
    sent(client, project, "a.xyz", (tmp_path / "a.xyz").read_bytes())
    told = client.post(
        f"/api/projects/{project}/files?name=a.map.json", data=(tmp_path / "a.map.json").read_bytes()
    )
    assert told.status_code == 201
    assert (told.json["kind"], told.json["unit"], told.json["counts"]["patches"]) == ("map", "cm", 1)
    assert facts_of(client, project, "a.map.json") == told.json
    step = START | {"file": "a.xyz", "map": "a.map.json", "file_unit": None, "within": None}
    assert kept(client, project, 0, [step]).status_code == 200
    model = client.get(f"/api/projects/{project}/model").json
    assert [(p["name"], p["type"], p["faces"]) for p in model["patches"]] == [("bed", "wall", 32)]
    packed = client.get(f"/api/projects/{project}/recipe/download").data
    assert {"a.xyz", "a.map.json"} < set(zipfile.ZipFile(io.BytesIO(packed)).namelist())
    [again] = client.post("/api/projects/uploads?name=a.zip", data=packed).json["projects"]
    assert client.get(f"/api/projects/{again['id']}/model").json["patches"] == model["patches"]


@pytest.mark.parametrize("key", ["vtk", "xdmf", "plot3d"])
def test_what_consists_of_several_files_is_sent_as_a_zip(client, tmp_path, key):
    grid = replace(of_nodes(bent()), patches=(PatchFaces("bed", "wall", (Window(0, 1, 0),)),), unnamed=())
    one = registry.written()[key]
    files = one.write(tmp_path / f"a{one.endings[0]}", Cargo(grid, "cm"), one.choices())
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as archive:
        for file in files:
            archive.write(file, file.relative_to(tmp_path))
    project = made(client)
    job = sent(client, project, "a.zip", (tmp_path / "a.zip").read_bytes())
    assert (job["state"], job["result"]["counts"]["cells"]) == ("done", grid.cells)
    assert facts_of(client, project, "a.zip") == job["result"]
    step = START | {"file": "a.zip", "file_unit": "cm", "within": None}
    assert kept(client, project, 0, [step]).status_code == 200
    model = client.get(f"/api/projects/{project}/model").json
    assert ("bed", 32) in [(p["name"], p["faces"]) for p in model["patches"]]
    packed = client.get(f"/api/projects/{project}/recipe/download").data
    [again] = client.post("/api/projects/uploads?name=b.zip", data=packed).json["projects"]
    assert client.get(f"/api/projects/{again['id']}/model").json["patches"] == model["patches"]


def test_a_grid_is_read_once_and_told_about_from_the_cache_then(client, monkeypatch):
    project = made(client)
    told = sent(client, project, "a.xyz", demo_file("dewatering-bend.xyz"))["result"]
    monkeypatch.setattr(registry, "read_of", None)
    assert facts_of(client, project, "a.xyz") == told


def test_points_that_end_as_a_grid_may_are_still_points(client):
    project = made(client)
    assert (
        client.post(f"/api/projects/{project}/files?name=a.xyz", data=b"0 0 0\n1 0 0\n1 1 0\n").status_code
        == 201
    )
    assert facts_of(client, project, "a.xyz")["kind"] == "points"


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.cgns", b"\x89HDF and nothing", "a.cgns"),
        ("a.cgns", written(of_nodes(bent()))[:5000], "a.cgns"),
        ("a.cgns", written(POLE, zones="unstructured"), "cells of the kind PENTA_6"),
        ("a.xyz", wedge()[:-8], "a.xyz"),
        ("a.xyz", wedge()[:4] + b"\xff" * 8 + wedge()[12:], "a.xyz"),
        ("a.vtm", b"<VTKFile/>", "a.vtm"),
    ],
    ids=["no file", "cut off", "no blocks", "cut short", "wrong counts", "other files"],
)
def test_what_cannot_be_read_is_told_and_nothing_is_kept(client, name, data, words):
    project = made(client)
    job = sent(client, project, name, data)
    assert job["state"] == "failed"
    assert words in job["result"]["error"]
    assert client.get(f"/api/projects/{project}/recipe").json["files"] == []


def test_a_map_that_is_none_is_refused(client):
    project = made(client)
    answer = client.post(f"/api/projects/{project}/files?name=a.map.json", data=b'{"blocks": 3}')
    assert (answer.status_code, "a.map.json" in answer.json["detail"]) == (422, True)

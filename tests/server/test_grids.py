"""Grids, quality and jobs through the HTTP client; jobs run within the request that asks for them."""

import io
import json
import struct
import zipfile

import numpy as np
import pytest

from plodek.server.jobs import work

CUT = [
    {"kind": "frame", "id": "f", "width": 4, "height": 2},
    {"kind": "cut", "id": "x", "by": "x", "at": [1]},
    {"kind": "extrude", "id": "e", "depth": 1, "cells": 2},
]
REST = {"kind": "patch", "id": "p", "name": "walls", "faces": {"rest": True}}


@pytest.fixture
def project(client):
    """An empty project."""
    return client.post("/api/projects", json={"name": "Two blocks"}).json["id"]


@pytest.fixture
def demo(client, project, demo_steps):
    made = client.post("/api/projects", json={"name": "Pier", "demo": True}).json["id"]
    return made


def keep(client, project, steps):
    base = client.get(f"/api/projects/{project}/recipe").json["revision"]
    answer = client.put(f"/api/projects/{project}/recipe", json={"base": base, "steps": steps})
    assert answer.status_code == 200, answer.json
    return answer.json["revision"]


def unpacked(data):
    (size,) = struct.unpack_from("<I", data)
    index = json.loads(data[4 : 4 + size])
    arrays = {
        name: np.frombuffer(data, dtype=at["type"], count=at["length"], offset=4 + size + at["start"])
        for name, at in index["arrays"].items()
    }
    return index, arrays


def test_a_picture_holds_the_outer_faces_with_their_patches(client, project):
    keep(client, project, [*CUT, REST | {"faces": {"side": "x-"}}])
    index, arrays = unpacked(client.get(f"/api/projects/{project}/grid?metric=volume_ratio").data)
    model = client.get(f"/api/projects/{project}/model").json
    assert (index["dim"], index["cells"], index["patches"]) == (3, model["cells"], ["walls"])
    faces = arrays["faces"].reshape(-1, 4)
    assert len(faces) == model["faces"]
    assert np.sum(arrays["groups"] == 65535) == model["unnamed_faces"]
    places = arrays["nodes"].reshape(-1, 3) + index["origin"]
    assert np.allclose([places.min(axis=0), places.max(axis=0)], [[0, 0, 0], [4, 2, 1]])
    assert len(arrays["values"]) == len(faces)
    assert len(index["origins"]) == arrays["sides"].max() + 1
    plane, _ = unpacked(client.get(f"/api/projects/{project}/grid?upto=2").data)
    assert plane["dim"] == 2
    assert len(plane["edges"]) == 7


def test_quality_is_measured_and_the_shelf_tells_it(client, project):
    keep(client, project, [*CUT, {"kind": "gate", "id": "g", "volume_ratio": 1.001}])
    found = client.get(f"/api/projects/{project}/quality?metric=volume_ratio").json
    assert (found["folded"], found["metric"], sum(found["counts"])) == (0, "volume_ratio", found["cells"])
    assert found["volume"] == pytest.approx(8)
    gates = {m["key"]: m for m in found["metrics"]}
    assert gates["volume_ratio"]["limit"] == 1.001
    fullest = int(np.argmax(found["counts"]))
    low, high = found["bounds"][fullest : fullest + 2]
    bar = client.get(f"/api/projects/{project}/cells?metric=volume_ratio&low={low}&high={high}").json
    assert bar["all"] == found["counts"][fullest]
    assert len(bar["cells"][0]["corners"]) == 8
    (shelf,) = [p for p in client.get("/api/projects").json["projects"] if p["id"] == project]
    assert shelf["facts"]["cells"] == found["cells"]
    wrong = client.get(f"/api/projects/{project}/quality?metric=beauty")
    assert (wrong.status_code, "the metrics are" in wrong.json["detail"].lower()) == (422, True)


def test_an_empty_project_says_what_is_missing(client, project):
    for path in ("grid", "quality"):
        answer = client.get(f"/api/projects/{project}/{path}")
        assert answer.status_code == 422
        assert answer.json["detail"].startswith("There are no blocks yet.")
    assert client.get(f"/api/projects/{project}/model").json["cells"] == 0


def test_smoothing_runs_as_a_job_and_its_grid_is_kept_in_the_cache(client, demo, tmp_path):
    steps = client.get(f"/api/projects/{demo}/recipe").json["steps"]
    assert "smoothing has not been run" in client.get(f"/api/projects/{demo}/grid").json["detail"]
    body = {"base": 0, "steps": steps}
    job = client.post(f"/api/projects/{demo}/builds", json=body)
    assert job.status_code == 202
    assert (job.json["state"], job.json["result"]["runs"][0]["note"]) == ("done", "settled")
    assert client.get(f"/api/projects/{demo}/grid").status_code == 200
    (run,) = client.get(f"/api/projects/{demo}/quality").json["runs"]
    assert run["heights_within"] >= 0.95
    assert client.get(f"/api/jobs/{job.json['id']}").json["state"] == "done"
    # Deleting the cache loses nothing: the same bits come back.
    first = client.get(f"/api/projects/{demo}/grid").data
    for path in (tmp_path / "cache").glob("*.npz"):
        path.unlink()
    engine = client.application.extensions["plodek"].engine
    engine.__init__(engine.cache)  # as after a start
    assert client.get(f"/api/projects/{demo}/grid").status_code == 422
    client.post(f"/api/projects/{demo}/builds", json=body)
    assert client.get(f"/api/projects/{demo}/grid").data == first


def test_a_run_that_is_kept_becomes_a_step_and_a_stop_keeps_the_sweeps_reached(client, demo, monkeypatch):
    steps = [s for s in client.get(f"/api/projects/{demo}/recipe").json["steps"] if s["kind"] != "smooth"]
    base = keep(client, demo, steps)
    at = next(n for n, s in enumerate(steps) if s["kind"] == "extrude")
    draft = {"kind": "smooth", "id": "run", "sweeps": 300, "control": "no control"}
    body = {"base": base, "steps": [*steps[:at], draft, *steps[at:]], "keep": True}
    done = client.post(f"/api/projects/{demo}/builds", json=body).json
    assert done["result"]["revision"] == base + 1
    monkeypatch.setattr(work, "LOOK_EVERY", 0.0)
    told = []
    real = work._mark

    def mark(job, **values):
        real(job, **values)
        if "progress" in values:
            told.append(json.loads(values["progress"]))
            if told[-1]["sweeps"] >= 40:
                work.Job.update(stop=1).where(work.Job.id == job.id).execute()

    monkeypatch.setattr(work, "_mark", mark)
    # Only the steps up to the run are looked at; a stop must not lose the ones after it.
    two = [*steps[:at], draft | {"id": "two", "sweeps": 2000}, *steps[at:]]
    body = {"base": base + 1, "steps": two, "upto": at + 1}
    stopped = client.post(f"/api/projects/{demo}/builds", json=body).json
    assert stopped["state"] == "stopped"
    recipe = client.get(f"/api/projects/{demo}/recipe").json
    assert recipe["steps"][at]["sweeps"] == 40
    assert [s["id"] for s in recipe["steps"]] == [s["id"] for s in two]
    assert client.get(f"/api/projects/{demo}/grid").status_code == 200  # nothing has to be run again
    assert {"sweeps", "of", "move", "folded", "seconds_left"} <= set(told[-1])


def test_a_stop_in_the_first_of_two_runs_keeps_what_it_has_reached(client, project, monkeypatch):
    """The second one stays in the recipe, not run yet: that begins from where the first was stopped."""
    run = {"kind": "smooth", "sweeps": 300, "control": "no control", "start": "from the grid as it is"}
    base = keep(client, project, CUT)
    real = work._Watch.__call__

    def stop(watch, progress, picture):
        real(watch, progress, picture)
        watch.stopped = watch.stopped or progress.sweeps >= 20
        return not watch.stopped

    monkeypatch.setattr(work._Watch, "__call__", stop)
    steps = [*CUT, run | {"id": "one"}, run | {"id": "two", "sweeps": 200}]
    body = {"base": base, "steps": steps, "keep": True}
    told = client.post(f"/api/projects/{project}/builds", json=body).json
    assert (told["state"], [one["sweeps"] for one in told["result"]["runs"]]) == ("stopped", [20])
    kept = client.get(f"/api/projects/{project}/recipe").json
    assert [step.get("sweeps") for step in kept["steps"][-2:]] == [20, 200]
    monkeypatch.undo()
    again = client.post(
        f"/api/projects/{project}/builds", json=body | {"base": base + 1, "steps": kept["steps"]}
    )
    runs = again.json["result"]["runs"]
    assert (len(runs), runs[0]["sweeps"]) == (2, 20)


def test_earlier_runs_are_listed_with_their_figures_and_brought_back(client, project):
    smooth = {"kind": "smooth", "id": "s", "sweeps": 3, "control": "no control"}
    assert client.get(f"/api/projects/{project}/runs").json == {"runs": []}
    base = keep(client, project, CUT)
    for n, sweeps in enumerate((3, 5)):
        body = {"base": base + n, "steps": [*CUT, smooth | {"sweeps": sweeps}], "keep": True}
        asked = client.post(f"/api/projects/{project}/builds", json=body).json
        assert asked["state"] == "done"
    later, first = client.get(f"/api/projects/{project}/runs").json["runs"]
    assert (later["revision"], first["revision"]) == (base + 2, base + 1)
    assert later["kinds"] == first["kinds"] == ["smooth"]
    assert later["ended"] >= first["ended"]
    back = f"/api/projects/{project}/revisions/{first['revision']}/again"
    recipe = client.post(back, json={"base": base + 2}).json
    assert recipe["revision"] == base + 3
    assert recipe["steps"][-1]["sweeps"] == 3
    quality = client.get(f"/api/projects/{project}/quality").json  # nothing has to be run again
    assert quality["runs"] == first["reached"]
    assert client.post(back, json={"base": base}).status_code == 409
    assert client.post(f"/api/projects/{project}/undo", json={"base": base + 3}).json["revision"] == base + 2
    gone = client.post(f"/api/projects/{project}/revisions/99/again", json={"base": base + 2})
    assert (gone.status_code, gone.json["detail"]) == (404, "The project has no revision 99.")


def test_a_run_being_set_up_tells_what_sides_will_do_and_why_it_cannot_run(client, project):
    run = {"kind": "smooth", "id": "s", "control": "no control"}

    def tried(fields):
        body = {"steps": [*CUT, run | fields], "against": CUT}
        return client.post(f"/api/projects/{project}/preview", json=body).json

    found = tried({"glide": {"side": "y-"}})
    counts = {one["role"]: len(one["sides"]) for one in found["roles"]}
    assert counts.keys() == {"hold", "glide", "free"}
    assert sum(counts.values()) == len(found["model"]["sides"])
    assert (found["before"], found["after"], found["error"]) == (None, None, "")
    both = tried({"glide": {"side": "y-"}, "spread": {"side": "y-"}})
    assert both["roles"] == []
    assert "shall both move by themselves and glide" in both["error"]


def test_a_run_based_on_an_old_revision_is_refused_before_it_starts(client, demo):
    steps = client.get(f"/api/projects/{demo}/recipe").json["steps"]
    assert client.post(f"/api/projects/{demo}/builds", json={"base": 7, "steps": steps}).status_code == 409
    answer = client.post(f"/api/projects/{demo}/builds", json={"base": 0, "steps": CUT})
    assert "nothing to smooth" in answer.json["detail"]


def test_a_hand_off_is_one_download_with_a_report(client, project):
    keep(client, project, [*CUT, REST])
    job = client.post(
        f"/api/projects/{project}/handoffs", json={"unit": "mm", "formats": ["cgns", "vtk"]}
    ).json
    assert job["state"] == "done", job
    data = client.get(f"/api/jobs/{job['id']}/download")
    assert "two-blocks.zip" in data.headers["Content-Disposition"]
    with zipfile.ZipFile(io.BytesIO(data.data)) as found:
        assert {"report.md", "two-blocks.cgns", "two-blocks.vtm"} <= set(found.namelist())
        assert sorted(found.namelist()) == sorted(job["result"]["files"])


def test_a_hand_off_that_is_not_ready_says_why(client, project):
    keep(client, project, CUT)
    job = client.post(f"/api/projects/{project}/handoffs", json={}).json
    assert job["state"] == "failed"
    assert "belong to no patch" in job["result"]["error"]
    assert client.get(f"/api/jobs/{job['id']}/download").status_code == 404
    bad = client.post(f"/api/projects/{project}/handoffs", json={"scale": -1})
    assert bad.status_code == 422


def test_what_only_the_smoothing_fixes_is_told_as_derived(client, project):
    count = {"kind": "count", "id": "n", "tier": {"at": [0.5, 0]}, "cells": 5}
    smooth = {"kind": "smooth", "id": "s", "sweeps": 1, "control": "no control"}
    keep(client, project, [*CUT[:2], count, smooth, CUT[2]])
    tiers = client.get(f"/api/projects/{project}/model").json["tiers"]
    assert {t["count"]: t["locked"] for t in tiers if t["count"] in (5, 2)} == {5: True, 2: True}
    assert [t["locked"] for t in tiers].count(False) == 2
    assert all(t["count_step"] is None for t in tiers if not t["locked"])


def test_parts_of_a_grid_and_what_they_refuse(client, project, monkeypatch):
    keep(client, project, [*CUT, REST])
    model = client.get(f"/api/projects/{project}/model").json
    address = f"/api/projects/{project}/grid"
    first = next(b for b in model["blocks"] if b["cells"])
    ni, nj, nk = first["cells"]
    index, arrays = unpacked(client.get(address, query_string={"blocks": first["id"]}).data)
    assert len(arrays["faces"]) // 4 == 2 * (ni * nj + nj * nk + ni * nk)
    # Its side to the other block is of no patch, and inside.
    assert np.count_nonzero(arrays["groups"] == 65534) == nj * nk
    way = next(t for t in model["tiers"] if t["count"] == 2)
    layer = {"tier": way["label"], "at": 0.5}
    index, arrays = unpacked(client.get(address, query_string=layer | {"metric": "volume_ratio"}).data)
    assert len(arrays["faces"]) // 4 == len(arrays["values"]) == model["cells"] // 2
    assert np.ptp(arrays["nodes"].reshape(-1, 3)[:, 2]) == 0
    assert index["origin"][2] == pytest.approx(0.5)
    steps = [*CUT, REST, {"kind": "count", "id": "n", "tier": {"at": [0.5, 0, 0]}, "cells": 30}]
    tried = client.post(f"/api/projects/{project}/preview/grid", json={"steps": steps} | layer)
    assert len(unpacked(tried.data)[1]["faces"]) > len(arrays["faces"])
    monkeypatch.setattr("plodek.server.api.grids.routes._MOST_FACES", 50)
    for part in (layer, {}):
        quick, whole = (
            unpacked(
                client.post(
                    f"/api/projects/{project}/preview/grid", json={"steps": steps, "fine": fine} | part
                ).data
            )
            for fine in (False, True)
        )
        assert (quick[0]["coarse"], whole[0]["coarse"]) == (True, False)
        assert len(quick[1]["faces"]) < len(whole[1]["faces"])
    gone = client.get(address, query_string={"blocks": "nothing"})
    assert gone.status_code == 404
    assert "not there any more" in gone.json["detail"]
    assert "The tiers are" in client.get(address, query_string={"tier": "T99"}).json["detail"]


def test_first_heights_and_advice_on_spacing(client, project):
    query = {"unit": "mm", "speed": 10, "length": "1 m", "fluid": "typed", "density": 1, "viscosity": 1e-5}
    found = client.get("/api/wall-height", query_string=query).json
    assert found["height"] == pytest.approx(2.3108e-2, rel=1e-4)  # mm, see test_wall_units
    assert found["layers"] > 20
    wrong = client.get("/api/wall-height", query_string={"fluid": "water", "celsius": 400})
    assert wrong.status_code == 422
    assert "0 to 100" in wrong.json["detail"]
    assert client.get("/api/wall-height", query_string={"fluid": "typed"}).status_code == 422

"""Jobs as the table of jobs has them: joined, taken in turn, stopped, and ended clearly whatever happens."""

import json
import os
import threading
from contextlib import suppress
from types import SimpleNamespace

import pytest
from peewee import OperationalError

from plodek.server.jobs import work, worker
from plodek.server.jobs.desk import READING, WORK
from plodek.server.store import projects, tables
from plodek.server.store.tables import Job
from plodek.server.workspace import Workspace

FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}
SMOOTH = {"kind": "smooth", "id": "s", "sweeps": 20, "control": "no control"}


@pytest.fixture
def desk(tmp_path):
    workspace = Workspace(tmp_path)
    with workspace.database.connection_context():
        yield workspace.desk


#: All kinds of jobs.
LANES = (*WORK, *READING)


def project(name="A"):
    return projects.make(name, {"steps": []})


def test_what_is_asked_for_twice_is_one_job_until_it_has_ended(desk):
    one = project()
    first = desk.ask(one, "build", {}, "key")
    assert desk.ask(one, "build", {}, "key").id == first.id
    assert desk.ask(one, "build", {}, "other").id != first.id
    assert desk.ask(project("B"), "build", {}, "key").id != first.id
    assert desk.ask(one, "handoff", {}).id != desk.ask(one, "handoff", {}).id
    desk.stop(first.id, keep=True)
    assert desk.ask(one, "build", {}, "key").id != first.id


def test_each_project_has_its_turn(desk):
    busy, quick = project("busy"), project("quick")
    asked = [desk.ask(busy, "build", {}) for _ in range(3)]
    late = desk.ask(quick, "build", {})
    order = [desk.take(LANES).id for _ in range(4)]
    assert order == [asked[0].id, late.id, asked[1].id, asked[2].id]
    assert desk.take(LANES) is None


def test_a_job_that_waits_is_stopped_at_once_and_never_taken(desk):
    job = desk.ask_with(project(), "read", {"name": "a.stl"}, b"solid")
    upload = desk.engine.cache / json.loads(job.asked)["upload"]
    assert upload.is_file()
    assert desk.stop(job.id, keep=True).state == "stopped"
    assert not upload.exists()
    assert desk.take(LANES) is None


def test_the_jobs_of_a_worker_that_has_ended_are_told_as_failed_and_others_are_not(desk):
    mine, waits = desk.ask(project(), "build", {}), desk.ask(project("B"), "build", {})
    desk.take(LANES)
    Job.update(worker=1).where(Job.id == mine.id).execute()
    desk.end_crashed(os.getpid())
    assert desk.get(mine.id).state == "running"
    desk.end_crashed(1)
    told = desk.get(mine.id)
    assert (told.state, "worker stopped" in told.result) == ("failed", True)
    assert desk.get(waits.id).state == "waiting"


@pytest.mark.parametrize(
    ("kind", "progress", "stop", "asked_for", "ends"),
    [
        ("build", "{}", 0, 9.0, False),
        ("build", "{}", work.STOP, 0.0, True),
        ("build", '{"sweeps": 5}', work.STOP, 9.0, False),
        ("build", '{"sweeps": 5}', work.DISCARD, 0.0, False),
        ("build", '{"sweeps": 5}', work.DISCARD, 1.0, True),
        ("handoff", "{}", work.STOP, 0.0, True),
        ("read", '{"share": 0.5}', work.STOP, 0.0, True),
    ],
)
def test_only_smoothing_that_has_begun_sees_to_its_stop_itself(kind, progress, stop, asked_for, ends):
    assert work.must_end(Job(kind=kind, progress=progress, stop=stop), asked_for) == ends


def test_a_stopped_job_whose_worker_has_ended_is_stopped_not_failed(desk):
    job = desk.ask(project(), "handoff", {})
    desk.take(LANES)
    desk.stop(job.id, keep=True)
    desk.end_crashed(os.getpid())
    assert (desk.get(job.id).state, desk.get(job.id).result) == ("stopped", "{}")


def build(client, at):
    body = {"base": 1, "steps": [FRAME, SMOOTH], "keep": False}
    return client.post(f"/api/projects/{at}/builds", json=body).json


def test_what_has_been_smoothed_is_not_smoothed_again(client, monkeypatch):
    at = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": [FRAME, SMOOTH]})
    first = build(client, at)
    assert first["state"] == "done", first
    engine = client.application.extensions["plodek"].engine
    monkeypatch.setattr(engine, "smooth", None)
    again = build(client, at)
    assert (again["state"], again["result"]) == ("done", first["result"])


def test_a_hand_off_that_is_there_is_given_again_until_the_recipe_changes(client):
    at = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    steps = [FRAME, {"kind": "extrude", "id": "e", "depth": 1, "cells": 1}]
    steps += [{"kind": "patch", "id": "p", "name": "all", "type": "wall", "faces": {"rest": True}}]
    client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": steps})
    url = f"/api/projects/{at}/handoffs"
    first = client.post(url, json={"formats": ["vtk"]}).json
    assert first["state"] == "done", first
    assert client.post(url, json={"formats": ["vtk"]}).json["id"] == first["id"]
    assert client.post(url, json={"formats": ["cgns"]}).json["id"] != first["id"]
    desk = client.application.extensions["plodek"].desk
    desk.download_path(first["id"]).unlink()
    assert client.post(url, json={"formats": ["vtk"]}).json["id"] != first["id"]


def test_a_damaged_file_of_the_cache_is_thrown_away_and_made_again(client):
    at = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": [FRAME, SMOOTH]})
    assert build(client, at)["state"] == "done"
    engine = client.application.extensions["plodek"].engine
    for path in engine.cache.glob("*.npz"):
        data = bytearray(path.read_bytes())
        data[len(data) // 2] ^= 1
        path.write_bytes(data)
    engine.__init__(engine.cache)  # as after a start
    told = client.get(f"/api/projects/{at}/grid").json
    assert "has not been run yet" in told["detail"]
    assert not list(engine.cache.glob("*.npz"))
    assert build(client, at)["state"] == "done"
    assert client.get(f"/api/projects/{at}/grid").status_code == 200


def test_a_grid_that_was_thrown_away_is_made_again_though_the_step_after_its_run_is_known(
    client, monkeypatch
):
    monkeypatch.setattr("plodek.server.engine.MOST_SMOOTHED", 1)  # it lies in its file alone
    engine = client.application.extensions["plodek"].engine
    engine.__init__(engine.cache)
    at = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    steps = [FRAME, SMOOTH, {"kind": "cut", "id": "c", "by": "x", "at": [0.5]}]
    client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": steps})
    body = {"base": 1, "steps": steps, "keep": False}
    first = client.post(f"/api/projects/{at}/builds", json=body).json
    assert first["state"] == "done", first
    for path in engine.cache.glob("*.npz"):
        path.unlink()
    again = client.post(f"/api/projects/{at}/builds", json=body).json
    assert (again.get("state"), again.get("result")) == ("done", first["result"]), again
    assert list(engine.cache.glob("*.npz"))


def test_a_file_that_takes_long_to_read_holds_up_no_other_work_and_the_other_way_round(desk):
    reading, building = desk.ask(project(), "read", {}), desk.ask(project("B"), "build", {})
    assert desk.take(WORK).id == building.id
    assert desk.take(WORK) is None
    assert desk.take(READING).id == reading.id


def test_ended_jobs_are_pruned_but_the_last_of_each_project_and_kind(desk, monkeypatch):
    monkeypatch.setattr("plodek.server.jobs.desk.MOST_ENDED", 2)
    one, other = project(), project("B")
    jobs = [desk.ask(one, "build", {}) for _ in range(4)] + [
        desk.ask(other, "build", {}),
        desk.ask(one, "read", {}),
    ]
    waits = desk.ask(one, "build", {})
    for number, job in enumerate(jobs):
        Job.update(state="done", changed=float(number)).where(Job.id == job.id).execute()
    assert desk.prune() == 2
    left = {job.id for job in Job.select()}
    assert left == {job.id for job in (*jobs[2:], waits)}


def test_a_watch_that_meets_a_fault_goes_on_watching(desk, monkeypatch):
    """A database that is locked for a moment must not leave a job that nobody can stop."""
    job, looks = desk.ask(project(), "build", {}), []

    class Enough(BaseException):
        pass

    def get(number):
        looks.append(number)
        if len(looks) == 1:
            raise OperationalError("database is locked")
        raise Enough

    workspace = SimpleNamespace(desk=SimpleNamespace(get=get), database=tables.database.obj)
    watching = worker._Running(workspace)
    watching._job = job
    monkeypatch.setattr(worker, "LOOK_EVERY", 0.0)

    def watch():
        with suppress(Enough):
            watching.watch()

    thread = threading.Thread(target=watch)  # each has a connection of its own
    thread.start()
    thread.join(20)
    assert looks == [job.id] * 2

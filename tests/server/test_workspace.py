"""What a workspace keeps: older databases, uploads and downloads whole, jobs without writes, memory within bounds."""

import io
import json
import sqlite3
import time
import zipfile
from pathlib import Path

import pytest

from plodek.core.errors import OverBudget, PlodekError
from plodek.core.recipe import document
from plodek.server.api.projects import archive
from plodek.server.app import make_app
from plodek.server.engine import Engine
from plodek.server.settings import Settings
from plodek.server.store import projects
from plodek.server.store.tables import VERSION
from plodek.server.workspace import Workspace
from tests.conftest import DEMO_FILES, demo_file

OLDER = Path(__file__).parent / "older"
FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}
BRING = {"kind": "bring-layout", "id": "b", "file": "part.json", "shift": [4, 0]}
PART = {
    "plodek": 1,
    "steps": [FRAME, {"kind": "read", "id": "r", "file": "pier.csv", "name": "pier", "shape": "closed"}],
}


def sent(client, data, name="recipe.zip"):
    return client.post(f"/api/projects/uploads?name={name}", data=data)


def zipped(files):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return packed.getvalue()


def test_a_download_has_all_that_brought_in_recipes_read_and_makes_the_project_again(client):
    project = client.post("/api/projects", json={"name": "Two parts"}).json["id"]
    for name, data in (
        ("part.json", json.dumps(PART).encode()),
        ("pier.csv", demo_file("pier-outline.csv")),
        ("unused.csv", b"0 0\n1 1\n"),
    ):
        assert client.post(f"/api/projects/{project}/files?name={name}", data=data).status_code == 201
    body = {"base": 0, "steps": [FRAME, BRING], "parameters": {"wide": "f.width"}}
    assert client.put(f"/api/projects/{project}/recipe", json=body).status_code == 200
    data = client.get(f"/api/projects/{project}/recipe/download").data
    with zipfile.ZipFile(io.BytesIO(data)) as found:
        assert sorted(found.namelist()) == ["part.json", "pier.csv", "recipe.json"]
    again = sent(client, data)
    assert again.status_code == 201
    [made] = again.json["projects"]
    assert (made["name"], made["steps"]) == ("Two parts", 2)
    recipes = [client.get(f"/api/projects/{p}/recipe").json for p in (project, made["id"])]
    assert recipes[0]["steps"] == recipes[1]["steps"]
    assert recipes[1]["parameters"] == {"wide": "f.width"}
    models = [client.get(f"/api/projects/{p}/model").json for p in (project, made["id"])]
    assert models[0] == models[1]
    assert models[0]["steps"][1]["state"] == "ok"


def test_a_recipe_alone_makes_a_project_too(client):
    made = sent(client, json.dumps({"plodek": 1, "name": "", "steps": [FRAME]}).encode(), "weir.json")
    assert (made.status_code, made.json["projects"][0]["name"]) == (201, "weir.json")


def test_a_whole_shelf_goes_out_and_comes_back(client):
    """Recipes and files of all projects; what was taken off the shelf does not go along."""
    for name in ("Weir", "Weir", "Pier: a/b"):
        made = client.post("/api/projects", json={"name": name, "demo": name != "Weir"}).json["id"]
    gone = client.post("/api/projects", json={"name": "Gone"}).json["id"]
    client.delete(f"/api/projects/{gone}")
    answer = client.get("/api/projects/download")
    assert ".zip" in answer.headers["Content-Disposition"]
    again = sent(client, answer.data).json["projects"]
    assert sorted(one["name"] for one in again) == ["Pier: a/b", "Weir", "Weir"]
    pier = next(one["id"] for one in again if one["name"] != "Weir")
    assert client.get(f"/api/projects/{pier}/recipe").json["files"] == ["pier-outline.csv"]
    models = [client.get(f"/api/projects/{p}/model").json for p in (made, pier)]
    assert models[0] == models[1]
    bad = zipped({"x/recipe.json": b"{}", "y/recipe.json": json.dumps({"steps": [{"kind": "no"}]}).encode()})
    assert sent(client, bad).status_code == 422
    assert len(client.get("/api/projects").json["projects"]) == 6


def test_what_was_taken_off_the_shelf_is_listed_until_it_is_swept_out(client):
    workspace = client.application.extensions["plodek"]
    ids = [client.post("/api/projects", json={"name": name}).json["id"] for name in "AB"]
    for one in ids:
        client.delete(f"/api/projects/{one}")
    told = client.get("/api/projects").json
    assert [one["name"] for one in told["taken_off"]] == ["B", "A"]
    assert told["taken_off"][0]["until"] > time.time() + 29 * 24 * 3600
    assert client.post(f"/api/projects/{ids[0]}/restored").json["name"] == "A"
    with workspace.database.connection_context():
        projects.Project.update(deleted=1.0).where(projects.Project.id == ids[1]).execute()
    workspace.sweep_out()
    told = client.get("/api/projects").json
    assert ([one["name"] for one in told["projects"]], told["taken_off"]) == (["A"], [])
    assert client.post(f"/api/projects/{ids[1]}/restored").status_code == 404


def test_old_states_are_dropped_and_undo_goes_as_far_as_they_are_kept(client, monkeypatch):
    monkeypatch.setenv("PLODEK_MOST_REVISIONS", "5")
    project = client.post("/api/projects", json={"name": "A"}).json["id"]
    for base in range(12):
        steps = [{**FRAME, "width": base + 1}]
        assert (
            client.put(f"/api/projects/{project}/recipe", json={"base": base, "steps": steps}).status_code
            == 200
        )
    widths = []
    recipe = client.get(f"/api/projects/{project}/recipe").json
    while recipe["can_undo"]:
        recipe = client.post(f"/api/projects/{project}/undo", json={"base": recipe["revision"]}).json
        widths.append(recipe["steps"][0]["width"])
    assert widths == [11, 10, 9, 8]
    assert client.post(f"/api/projects/{project}/undo", json={"base": recipe["revision"]}).status_code == 404
    assert client.post(f"/api/projects/{project}/redo", json={"base": recipe["revision"]}).status_code == 200


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"PK\x03\x04 torn", "no ZIP file that can be read"),
        (zipped({"a.csv": b"0 0\n"}), "there is no recipe in it"),
        (zipped({"a.json": b"{}", "b.json": b"{}"}), "2 files of it may be the recipe"),
        (
            zipped({"x/recipe.json": b"{}", "y/part.json": b"{}", "z/part.json": b"{}"}),
            "two files in it are called",
        ),
        (zipped({"x/recipe.json": b"{}", "y/recipe.json": b"{"}), "it is not JSON"),
        (zipped({"recipe.json": b"{"}), "it is not JSON"),
        (b"[]", "recipe.zip"),
    ],
)
def test_a_bad_upload_is_refused_with_a_sentence_and_makes_nothing(client, data, words):
    answer = sent(client, data)
    assert answer.status_code == 422
    assert words in answer.json["detail"]
    assert client.get("/api/projects").json["projects"] == []


def test_an_upload_that_would_fill_the_disk_is_refused(monkeypatch):
    monkeypatch.setenv("PLODEK_MOST_UNPACKED_MB", "1")
    with pytest.raises(OverBudget, match="MB unpacked"):
        archive.unpacked(zipped({"recipe.json": b" " * 2 * 1024**2}), "big.zip")


@pytest.mark.parametrize("version", range(1, VERSION))
def test_an_older_database_is_brought_up(tmp_path, version):
    """What each version of the tables has written: a frame and a cut by fraction, a file, and a job."""
    with sqlite3.connect(tmp_path / "plodek.db") as raw:
        raw.executescript((OLDER / f"tables-{version}.sql").read_text())
    with make_app(Workspace(tmp_path, immediate=True), door=False).test_client() as client:
        recipe = client.get("/api/projects/1/recipe").json
        assert client.get("/api/projects").json["projects"][0]["owner"] == ""
        assert (recipe["name"], recipe["files"]) == ("Old weir", ["pier.csv"])
        assert recipe["steps"][1]["fractions"] == [0.5]
        assert client.get("/api/projects/1/model").json["steps"][1]["state"] == "ok"
        assert client.get("/api/projects/1/files/pier.csv").json["counts"] == {"points": 3}
        assert client.get(f"/api/jobs/{'a' * 32}").json["result"] == {"name": "old.zip"}
        back = client.post("/api/projects/1/undo", json={"base": 1}).json
        assert len(back["steps"]) == 1
        job = client.post("/api/projects/1/handoffs", json={}).json
        assert job["state"] == "failed"  # plane still, but a job of today's tables
    with sqlite3.connect(tmp_path / "plodek.db") as raw:
        assert raw.execute("PRAGMA user_version").fetchone() == (VERSION,)


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda path: path.write_bytes(b"no database at all" * 100), "cannot be used as Plodek's database"),
        (lambda path: sqlite3.connect(path).execute("PRAGMA user_version = 99"), "by a newer Plodek"),
        (lambda path: (path.unlink(), path.mkdir()), "cannot be used as Plodek's database"),
    ],
    ids=["damaged", "newer", "a folder"],
)
def test_a_database_that_cannot_be_used_is_told_in_a_sentence(tmp_path, spoil, words):
    Workspace(tmp_path)
    for name in ("plodek.db-wal", "plodek.db-shm"):
        (tmp_path / name).unlink(missing_ok=True)
    spoil(tmp_path / "plodek.db")
    with pytest.raises(PlodekError, match=words):
        Workspace(tmp_path)


def test_watching_a_job_writes_nothing(client, demo_steps):
    project = client.post("/api/projects", json={"name": "Pier", "demo": True}).json["id"]
    job = client.post(f"/api/projects/{project}/builds", json={"base": 0, "steps": demo_steps}).json["id"]
    folder = client.application.extensions["plodek"].folder
    with sqlite3.connect(folder / "plodek.db") as raw:
        before = raw.execute("SELECT changed, progress FROM job").fetchall()
        for _ in range(50):
            assert client.get(f"/api/jobs/{job}").json["state"] == "done"
        assert raw.execute("SELECT changed, progress FROM job").fetchall() == before


def test_listing_and_answering_read_no_file_contents(client, monkeypatch):
    """Names and hashes come from the database by themselves; the contents stay where they are."""
    project = client.post("/api/projects", json={"name": "Pier", "demo": True}).json["id"]
    assert client.get(f"/api/projects/{project}/model").status_code == 200

    def refuse(*_):
        raise AssertionError("a file's contents were read")

    monkeypatch.setattr(projects, "read_file", refuse)
    assert client.get(f"/api/projects/{project}/recipe").json["files"] == ["pier-outline.csv"]
    assert client.get(f"/api/projects/{project}/model").status_code == 200
    steps = client.get(f"/api/projects/{project}/recipe").json["steps"]
    assert (
        client.post(
            f"/api/projects/{project}/preview", json={"steps": steps[:-1], "against": steps}
        ).status_code
        == 200
    )


def test_files_of_the_cache_are_of_this_code_and_stay_young(tmp_path, monkeypatch):
    engine = Engine(tmp_path / "cache")
    recipe = document.of(
        {"steps": [FRAME, {"kind": "smooth", "id": "s", "sweeps": 5, "control": "no control"}]}
    )
    key = engine.smoothed_key(recipe, DEMO_FILES)
    blocks, runs = engine.smooth(engine.evaluate(recipe, DEMO_FILES).model, recipe, DEMO_FILES)
    engine.keep_smoothed(key, blocks, runs)
    (path,) = engine.cache.glob("*.npz")
    import os

    os.utime(path, (0, 0))
    fresh = Engine(tmp_path / "cache")
    assert fresh.smoothed(key)[1] == runs
    fresh.sweep_out()
    assert path.exists()  # asked for just now
    monkeypatch.setattr("plodek.server.engine.fingerprint", lambda: "other")
    assert fresh.smoothed_key(recipe, DEMO_FILES) != key
    os.utime(path, (0, 0))
    fresh.sweep_out()
    assert not path.exists()


@pytest.mark.slow
def test_250_previews_hold_the_process_below_a_limit(tmp_path):
    """Each preview is another model of 70 blocks; what is kept of them is bounded in bytes."""
    engine = Engine(tmp_path / "cache")
    frame = {"kind": "frame", "id": "f", "shape": "box", "width": 4, "height": 4, "depth": 4}
    cuts = [{"kind": "cut", "id": f"c{a}", "by": a, "at": [1, 2, 3]} for a in "xyz"]

    def resident():
        import resource

        return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 1024**2

    engine._evaluator = type(engine._evaluator)(most_bytes=20 * 1024**2)
    before = 0.0
    for n in range(250):
        ring = {"kind": "ring", "id": "r", "thickness": 0.1 + n * 1e-5, "blocks": {"at": [1.5, 1.5, 1.5]}}
        found = engine.evaluate(document.of({"steps": [frame, *cuts, ring]}), DEMO_FILES)
        assert found.error is None
        _ = found.model.cells, found.model.facts.angles, found.model.facts.drawn
        if n == 99:
            before = resident()
    assert resident() - before < 80


def test_settings_come_from_the_environment_in_one_place(monkeypatch):
    monkeypatch.setenv("PLODEK_HOSTS", "grid.local, other.local")
    monkeypatch.setenv("PLODEK_WORKERS", "3")
    found = Settings.of_environment("10.0.0.5")
    assert found.hosts == ("127.0.0.1", "localhost", "10.0.0.5", "grid.local", "other.local")
    assert (found.workers, found.evaluators) == (3, 4)


def test_another_host_and_another_sites_page_are_refused(client):
    assert client.get("/api/projects", headers={"Host": "evil.example"}).status_code == 403
    foreign = client.post("/api/projects", json={"name": "x"}, headers={"Origin": "http://evil.example"})
    assert (foreign.status_code, "another site" in foreign.json["detail"]) == (403, True)


def test_two_workspaces_in_a_process_keep_apart(tmp_path):
    one, other = (
        make_app(Workspace(tmp_path / name, immediate=True)).test_client() for name in ("one", "other")
    )
    assert one.post("/api/projects", json={"name": "Weir", "demo": False}).status_code == 201
    assert other.get("/api/projects").json["projects"] == []
    assert other.post("/api/projects", json={"name": "Siphon", "demo": False}).status_code == 201
    assert [project["name"] for project in one.get("/api/projects").json["projects"]] == ["Weir"]

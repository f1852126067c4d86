"""What an administrator meets: backups, the doctor, health, figures, the log, and what browsers are told."""

import json
import logging
import shutil
import sqlite3
import threading

import pytest
from click.testing import CliRunner

from plodek.cli import plodek
from plodek.core.errors import BadFile, NotReady, PlodekError
from plodek.server import doctor, log, seen
from plodek.server.app import make_app
from plodek.server.pool.passing import is_evaluated
from plodek.server.store import backup, projects
from plodek.server.store.holding import held, holder, is_held
from plodek.server.workspace import Workspace

FRAME = {"kind": "frame", "id": "f", "width": 4, "height": 2}


def folder(path, *names):
    """Make a data folder with projects, each with a file and a second state."""
    workspace = Workspace(path)
    with workspace.database.connection_context():
        for name in names:
            made = projects.make(name, {"steps": []}, {"pier.csv": projects.kept(b"0 0\n1 1\n")})
            projects.keep(made.id, 0, [FRAME])
    return workspace


def told(path):
    with Workspace(path).database.connection_context():
        return [
            (p.name, p.revision, projects.steps_of(p)[0]["width"], projects.read_file(p, "pier.csv"))
            for p in projects.listed()
        ]


def test_a_backup_is_the_whole_folder_and_comes_back_whole(tmp_path):
    folder(tmp_path / "a", "Weir", "Pier")
    assert backup.back_up(tmp_path / "a", tmp_path / "b.db") == 2
    folder(tmp_path / "c", "Other")
    count, before = backup.restore(tmp_path / "b.db", tmp_path / "c")
    assert count == 2
    assert told(tmp_path / "c") == told(tmp_path / "a")
    assert backup.look(before) == 1
    assert [path.name for path in tmp_path.iterdir() if path.suffix == ".part"] == []


def test_a_backup_taken_while_edits_go_on_is_whole(tmp_path):
    workspace, end = folder(tmp_path / "a", "Weir"), threading.Event()

    def edit():
        with workspace.database.connection_context():
            while not end.is_set():
                at = projects.get(1).revision
                projects.keep(1, at, [{**FRAME, "width": at + 1}])

    editing = threading.Thread(target=edit)
    editing.start()
    for number in range(5):
        backup.back_up(tmp_path / "a", tmp_path / f"{number}.db")
    end.set()
    editing.join()
    revisions = []
    for number in range(5):
        backup.restore(tmp_path / f"{number}.db", tmp_path / f"r{number}")
        [(_, revision, width, _)] = told(tmp_path / f"r{number}")
        assert width in (revision, 4)
        revisions.append(revision)
    assert revisions == sorted(revisions)


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda path: path.write_bytes(b""), "no whole backup"),
        (lambda path: path.write_bytes(b"text " * 1000), "no backup of Plodek"),
        (lambda path: path.write_bytes(path.read_bytes()[:9000]), "no backup|no whole backup"),
        (lambda path: path.unlink(), "no such file"),
        (lambda path: sqlite3.connect(path).execute("DROP TABLE revision"), "no whole backup"),
        (lambda path: sqlite3.connect(path).execute("PRAGMA user_version = 99"), "newer Plodek"),
    ],
    ids=["empty", "text", "torn", "gone", "a table less", "newer"],
)
def test_what_is_no_whole_backup_is_not_put_back(tmp_path, spoil, words):
    folder(tmp_path / "a", *(f"Weir {n}" for n in range(30)))
    backup.back_up(tmp_path / "a", tmp_path / "b.db")
    spoil(tmp_path / "b.db")
    before = told(tmp_path / "a")
    with pytest.raises(BadFile, match=words):
        backup.restore(tmp_path / "b.db", tmp_path / "a")
    assert told(tmp_path / "a") == before


def test_a_damaged_database_is_replaced_by_a_backup(tmp_path):
    folder(tmp_path / "a", "Weir")
    backup.back_up(tmp_path / "a", tmp_path / "b.db")
    (tmp_path / "a" / "plodek.db").write_bytes(b"no database " * 500)
    with pytest.raises(PlodekError):
        Workspace(tmp_path / "a")
    backup.restore(tmp_path / "b.db", tmp_path / "a")
    assert [name for name, *_ in told(tmp_path / "a")] == ["Weir"]


def run(*words):
    return CliRunner().invoke(plodek, [str(word) for word in words])


def test_the_commands_for_backups_say_what_they_did_and_what_is_wrong(tmp_path):
    folder(tmp_path / "a", "Weir")
    data = ("--data", tmp_path / "a")
    assert "1 projects written" in run("backup", "--to", tmp_path / "b.db", *data).output
    assert "what was there is in" in run("restore", tmp_path / "b.db", *data).output
    for command in (
        ("backup", "--to", tmp_path / "x.db", "--data", tmp_path / "none"),
        ("restore", tmp_path / "no"),
    ):
        assert isinstance(run(*command, *(() if "--data" in command else data)).exception, PlodekError)
    with held(tmp_path / "a", "a server"):
        assert isinstance(run("restore", tmp_path / "b.db", *data).exception, NotReady)
        assert run("backup", "--to", tmp_path / "c.db", *data).exit_code == 0


def test_a_folder_is_held_by_one_and_said_by_whom(tmp_path):
    assert not is_held(tmp_path)
    with held(tmp_path, "the first"):
        assert is_held(tmp_path)
        assert holder(tmp_path).startswith("the first, process")
        with pytest.raises(NotReady, match="held by the first"), held(tmp_path, "the second"):
            pass
    assert not is_held(tmp_path)


def test_a_folder_that_is_a_file_is_told(tmp_path):
    (tmp_path / "a").write_text("x")
    with pytest.raises(BadFile, match="cannot be written to"), held(tmp_path / "a", "a server"):
        pass


def test_the_doctor_finds_all_well_and_what_is_not(tmp_path, monkeypatch):
    folder(tmp_path / "a", "Weir")
    well = run("doctor", "--data", tmp_path / "a")
    assert well.exit_code == 0, well.output
    assert "whole, 1 projects" in well.output
    assert run("doctor", "--data", tmp_path / "new").exit_code == 0
    monkeypatch.setattr(doctor, "_ROOM", 10**18)
    (tmp_path / "a" / "plodek.db").write_bytes(b"no database " * 500)
    monkeypatch.setenv("PLODEK_MOST_CELLS", "many")
    ill = run("doctor", "--data", tmp_path / "a", "--json")
    assert ill.exit_code == 1
    assert {one["what"] for one in json.loads(ill.output) if not one["fine"]} == {
        "database", "room on the disk", "limits",
    }  # fmt: skip


def test_health_tells_what_is_not_well(client, monkeypatch):
    assert client.get("/healthz").json == dict.fromkeys(["database", "evaluators", "workers", "room"], True)
    monkeypatch.setattr(seen, "ROOM", 10**18)
    ill = client.get("/healthz")
    assert (ill.status_code, ill.json["room"], ill.json["database"]) == (503, False, True)


def test_figures_are_in_the_open_format(client):
    from prometheus_client.parser import text_string_to_metric_families

    at = client.post("/api/projects", json={"name": "A"}).json["id"]
    client.post(f"/api/projects/{at}/handoffs", json={})
    client.get("/api/no-such")
    found = {
        (sample.name, *sample.labels.values()): sample.value
        for family in text_string_to_metric_families(client.get("/metrics").text)
        for sample in family.samples
    }
    assert found["plodek_projects",] == 1
    assert found["plodek_jobs", "failed"] == 1
    assert found["plodek_requests_total", "404"] == 1
    assert found["plodek_request_seconds_count", "/api/projects"] == 1


def test_requests_have_numbers_and_the_log_has_them_and_no_contents(client, caplog):
    caplog.set_level(logging.INFO, "plodek.requests")
    given = client.get("/api/projects", headers={"X-Request-Id": "from-the-proxy-7"})
    assert given.headers["X-Request-Id"] == "from-the-proxy-7"
    for bad in ("a b", "x" * 65, "a;b"):
        made = client.get("/api/projects", headers={"X-Request-Id": bad}).headers["X-Request-Id"]
        assert (made != bad, len(made)) == (True, 12)
    client.post("/api/projects", json={"name": "a secret name"})
    lines = [json.loads(log._Lines().format(record)) for record in caplog.records]
    assert lines[0]["request"] == "from-the-proxy-7"
    assert lines[-1] | {"method": "POST", "path": "/api/projects", "status": 201} == lines[-1]
    assert "secret" not in json.dumps(lines)


@pytest.mark.parametrize("path", ["/", "/api/projects", "/api/no-such", "/healthz", "/assets/none.js"])
def test_every_answer_tells_browsers_what_they_may_do(client, path):
    answer = client.get(path)
    told = {
        "X-Content-Type-Options": "nosniff",
        "X-Frame-Options": "DENY",
        "Referrer-Policy": "no-referrer",
        "Cross-Origin-Opener-Policy": "same-origin",
        "Cross-Origin-Resource-Policy": "same-origin",
    }
    assert {name: answer.headers[name] for name in told} == told
    policy = dict(part.split(" ", 1) for part in answer.headers["Content-Security-Policy"].split("; "))
    assert (policy["default-src"], policy["object-src"], policy["frame-ancestors"]) == (
        "'self'",
        *["'none'"] * 2,
    )
    assert "script-src" not in policy
    assert [name for name, value in policy.items() if "unsafe" in value] == ["style-src"]


def test_a_name_is_clean_in_the_headers_and_an_upload_is_never_a_page(client):
    name = 'a"b\r\nSet-Cookie: x=1\u2028é'
    at = client.post("/api/projects", json={"name": name}).json["id"]
    page = b"<html><script>alert(1)</script>"
    assert client.post(f"/api/projects/{at}/files?name=a.html", data=page).status_code == 422
    steps = [FRAME, {"kind": "sphere", "id": "p", "name": "g", "centre": [1, 0, 0], "radius": 2}]
    client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": steps})
    answer = client.get(f"/api/projects/{at}/guides.stl")
    assert answer.status_code == 200
    assert "Set-Cookie" not in answer.headers
    assert answer.headers["Content-Disposition"].startswith("attachment")


def test_a_full_disk_refuses_the_edit_in_a_sentence_and_reading_goes_on(client, monkeypatch):
    at = client.post("/api/projects", json={"name": "A"}).json["id"]
    database = client.application.extensions["plodek"].database
    real = database.connect

    def small(**how):
        opened = real(**how)
        pages = database.execute_sql("PRAGMA page_count").fetchone()[0]
        database.execute_sql(f"PRAGMA max_page_count = {pages}")
        return opened

    monkeypatch.setattr(database, "connect", small)
    steps = [{"kind": "polyline", "id": "p", "name": "p", "points": [[n, n % 7] for n in range(5000)]}]
    full = client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": steps})
    assert full.status_code == 503
    assert "has not been kept" in full.json["detail"]
    assert client.get(f"/api/projects/{at}/recipe").json["revision"] == 0
    monkeypatch.setattr(database, "connect", real)
    assert client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": steps}).status_code == 200


def test_a_disk_that_is_full_fails_a_job_in_a_sentence(client, monkeypatch):
    smooth = {"kind": "smooth", "id": "s", "sweeps": 5, "control": "no control"}
    at = client.post("/api/projects", json={"name": "A"}).json["id"]
    client.put(f"/api/projects/{at}/recipe", json={"base": 0, "steps": [FRAME, smooth]})
    engine = client.application.extensions["plodek"].engine

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(engine, "_put", full)
    job = client.post(f"/api/projects/{at}/builds", json={"base": 1, "steps": [FRAME, smooth]}).json
    assert (job["state"], "No space left" in job["result"]["error"]) == ("failed", True)


def test_what_evaluates_is_never_done_by_the_server_itself(tmp_path, monkeypatch):
    """With a pool, the routes that answer here do without evaluating, drawing or measuring anything."""
    from plodek.server.engine import Engine

    app = make_app(Workspace(tmp_path, immediate=True))
    with app.test_client() as client:
        at = client.post("/api/projects", json={"name": "A", "demo": True}).json["id"]

        def refuse(*_, **__):
            raise AssertionError("the server evaluates")

        for name in ("evaluate", "grid", "sides", "smooth", "geometry"):
            monkeypatch.setattr(Engine, name, refuse)
        names = {"project": at, "number": at, "job": "a", "name": "pier-outline.csv", "revision": 0}
        tried = 0
        for rule in app.url_map.iter_rules():
            if rule.endpoint in ("static",) or is_evaluated(app.view_functions[rule.endpoint]):
                continue
            if "handoffs" in rule.rule:  # a job, done by a worker
                continue
            with app.test_request_context():
                url = app.url_for(rule.endpoint, **{k: names.get(k, "x") for k in rule.arguments})
            for how in rule.methods & {"GET", "POST", "PUT", "PATCH"}:
                assert client.open(url, method=how, json=None if how == "GET" else {}).status_code < 500
                tried += 1
        assert tried > 10


def test_a_copy_of_a_folder_without_its_cache_is_the_folder(tmp_path):
    folder(tmp_path / "a", "Weir")
    shutil.rmtree(tmp_path / "a" / "cache")
    with make_app(Workspace(tmp_path / "a", immediate=True)).test_client() as client:
        assert client.get("/api/projects/1/model").json["steps"][0]["state"] == "ok"

"""Doors: what one user may do to another's project, and who counts as somebody that has come in."""

import json
import time
import urllib.error
import urllib.request

import pytest

from plodek.server.app import make_app
from plodek.server.door import guard
from plodek.server.store import projects, users
from plodek.server.workspace import Workspace
from tests.server.attacks.conftest import PASSWORD
from tests.server.standing.hostile import numbered
from tests.server.test_every_route import ROUTES, filled, names
from tests.serving import Someone

FRAME = {"kind": "frame", "width": 2, "height": 1}
#: A run that takes its time: around a hole, of many cells, from where filling has put them.
RUN = [
    {"kind": "circle", "name": "c", "centre": [1, 1], "radius": 0.3},
    {"kind": "cut", "by": "x", "at": [0.7, 1.3]},
    {"kind": "cut", "by": "y", "at": [0.7, 1.3]},
    {"kind": "hollow", "blocks": {"at": [1, 1]}},
    {"kind": "ring", "blocks": {"at": [1, 1]}, "thickness": 0.2},
    {"kind": "follow", "guide": "c", "edges": {"around": {"at": [1, 1]}}},
    {"kind": "budget", "cells": 600_000},
    {"kind": "smooth", "sweeps": 100_000, "control": "no control", "start": "from the grid as it is"},
]


def steps_of(width):
    return numbered([{"kind": "frame", "width": width, "height": 2}, *RUN])


def running(someone, job):
    """Wait until a job has reached something."""
    while not (told := someone.ask("GET", f"jobs/{job['id']}")[1])["progress"].get("sweeps"):
        assert told["state"] in ("waiting", "running"), told
        time.sleep(0.03)


@pytest.mark.slow
def test_one_who_may_only_see_cannot_have_their_steps_kept_by_the_owner(mira, jon):
    """Jon asks for a run of steps of his own; Mira asks for hers, and stops and keeps: hers are kept, never his."""
    own = steps_of(2)
    project = mira.project(own)
    mira.share(project, jon="see")
    evil = steps_of(2.5)
    body = {"base": 1, "upto": None, "keep": False}
    his = jon.ask("POST", f"projects/{project}/builds", body | {"steps": evil})[1]
    running(jon, his)
    hers = mira.ask("POST", f"projects/{project}/builds", body | {"steps": own})[1]
    assert hers["id"] != his["id"]
    assert jon.ask("POST", f"jobs/{his['id']}/stop?keep=true")[0] == 403
    status, told = mira.ask("POST", f"jobs/{his['id']}/stop?keep=true")
    assert (status, "may not change the project" in told["detail"]) == (403, True)
    assert jon.ask("POST", f"jobs/{his['id']}/stop?keep=false")[0] == 200
    jon.ended(his)
    running(mira, hers)
    assert mira.ask("POST", f"jobs/{hers['id']}/stop?keep=true")[0] == 200
    assert mira.ended(hers)["state"] == "stopped"
    kept = mira.ask("GET", f"projects/{project}/recipe")[1]
    assert (kept["revision"], kept["steps"][0]["width"]) == (2, 2)


@pytest.mark.slow
def test_a_share_that_is_taken_back_while_a_run_goes_on_keeps_nothing(mira, jon):
    steps = steps_of(2)
    project = mira.project(steps)
    mira.share(project, jon="edit")
    asked = {"base": 1, "upto": None, "keep": True, "steps": steps_of(2.5)}
    job = jon.ask("POST", f"projects/{project}/builds", asked)[1]
    running(jon, job)
    mira.share(project)
    assert jon.ask("GET", f"jobs/{job['id']}")[0] == 404
    assert mira.ask("POST", f"jobs/{job['id']}/stop?keep=false")[0] == 200
    mira.ended(job)
    assert mira.ask("GET", f"projects/{project}/recipe")[1]["revision"] == 1


@pytest.mark.parametrize("end", ["log out", "another password", "removed", "from elsewhere"])
def test_an_ended_session_opens_nothing_whoever_kept_its_cookie(server, end):
    name = f"u{abs(hash(end)) % 10**6}"
    workspace = Workspace(server.data)
    with workspace.database.connection_context():
        users.add(name, PASSWORD)
    someone = Someone(server, name, PASSWORD)
    assert someone.ask("GET", "projects")[0] == 200
    if end == "log out":
        assert someone.ask("DELETE", "session")[0] == 204
    elif end == "from elsewhere":
        other = Someone(server, name, PASSWORD)
        listed = other.ask("GET", "sessions")[1]["sessions"]
        assert (len(listed), sum(one["own"] for one in listed)) == (2, 1)
        assert len(other.ask("DELETE", "sessions")[1]["sessions"]) == 1
        assert other.ask("GET", "projects")[0] == 200
    else:
        with workspace.database.connection_context():
            users.remove(name) if end == "removed" else users.add(name, PASSWORD + "!")
    assert someone.ask("GET", "projects")[0] == 401
    assert someone.ask("POST", "projects", {"name": "x", "demo": False})[0] == 401


def test_a_cookie_that_is_signed_right_but_names_no_session_opens_nothing(server, mira):
    """Whoever has the secret of a folder can sign, and still has no token: of those the hashes alone are kept."""
    app = make_app(Workspace(server.data))
    with app.test_request_context("/"):
        for token in ("mira", "mira x", ""):
            forged = app.session_interface.get_signing_serializer(app).dumps(
                {"_user_id": token, "_fresh": True}
            )
            headers = {"Cookie": f"plodek={forged}", guard.TOKEN: "x"}
            assert server.ask("GET", "projects", headers=headers)[0] == 401


OF_PROJECT = [(how, path, told) for how, path, told in ROUTES if "{project}" in path]
OF_JOB = [(how, path, told) for how, path, told in ROUTES if "{job}" in path and "{project}" not in path]


def answers(someone, how, path, told):
    """What is answered to somebody, with a body or without."""
    for body in (None, {}, {"base": 0, "steps": []}) if told.get("requestBody") else (None,):
        status, answer = someone.ask(how, path.removeprefix("/api/"), body)
        assert status == 404, (how, path, answer)
        yield json.dumps(answer)


@pytest.mark.parametrize(("how", "path", "told"), OF_PROJECT, ids=names(OF_PROJECT))
def test_a_hidden_project_answers_as_one_that_is_not_there(mira, jon, how, path, told):
    """By every route, with a job that is none, one of one's own, and one of the hidden project."""
    hidden, mine = of(mira, "hidden"), of(jon, "mine")
    said = set()
    for job in ("none", job_of(jon, mine), job_of(mira, hidden)) if "{job}" in path else ("",):
        for project in (hidden, 987_654):
            where = filled(path.replace("{job}", job), project)
            said |= {answer.replace(str(project), "N") for answer in answers(jon, how, where, told)}
    assert len(said) == 1, said


@pytest.mark.parametrize(("how", "path", "told"), OF_JOB, ids=names(OF_JOB))
def test_a_hidden_job_answers_as_one_that_is_not_there(mira, jon, how, path, told):
    jobs = (job_of(mira, of(mira, "hidden")), "f" * 32)
    said = {
        one.replace(job, "N") for job in jobs for one in answers(jon, how, path.replace("{job}", job), told)
    }
    assert len(said) == 1, said


_MADE: dict[tuple[str, str], int] = {}


def of(someone, name):
    key = (someone.name + someone.server.address, name)
    if key not in _MADE:
        _MADE[key] = someone.project(numbered([FRAME]), name)
    return _MADE[key]


def job_of(someone, project):
    """A job of a project that has ended."""
    return someone.ask("POST", f"projects/{project}/handoffs", {})[1]["id"]


def test_what_was_known_of_a_dropped_project_is_never_told_of_a_new_one(tmp_path):
    workspace = Workspace(tmp_path)
    with workspace.database.connection_context():
        old = projects.make("Old")
        projects.keep_facts(old, {"cells": 12})
        projects.delete(old)
        projects.sweep_out(time.time() + 1)
        new = projects.make("New")
        assert new.id > old.id
        assert projects.row_of(new).facts is None
        assert not workspace.database.execute_sql("SELECT count(*) FROM gridsummary").fetchone()[0]


def test_sixty_wrong_passwords_at_once_are_counted_before_they_are_looked_at(server):
    from concurrent.futures import ThreadPoolExecutor

    from tests.serving import resident

    def guess(number):
        body = json.dumps({"name": "toma", "password": f"guess {number}"}).encode()
        asked = urllib.request.Request(
            f"{server.address}/api/session", body, {"Content-Type": "application/json"}
        )
        try:
            urllib.request.urlopen(asked, timeout=60)
        except urllib.error.HTTPError as error:
            return error.code

    before = resident(server.process.pid)
    with ThreadPoolExecutor(60) as many:
        codes = list(many.map(guess, range(60)))
    assert set(codes) <= {401, 429}
    assert codes.count(401) <= guard.MOST_FOR_NAME.amount
    assert resident(server.process.pid) - before < 64 * (guard.HASHES + 1)

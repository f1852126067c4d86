"""Stalls: whatever one client asks for, another one's edit is acknowledged, and what has ended is started again."""

import contextlib
import io
import json
import os
import socket
import threading
import time
import zipfile

import pytest

from plodek.server.door.bodies import ANYBODY
from tests.server.standing.hostile import numbered
from tests.serving import resident

FRAME = {"kind": "frame", "width": 2, "height": 1}


def evaluators(server):
    return set(server.evaluators)


@pytest.mark.parametrize("name", ["a%3Fb", "%00", "%FF%FE", "a%0Ab", "%2e%2e%2fsecret", "a%23b", "%E2%82"])
@pytest.mark.parametrize("query", ["", "?x=%FF", "?name=%00"])
def test_no_path_and_no_query_ends_an_evaluator(server, mira, name, query):
    project = of(mira)
    assert mira.ask("GET", f"projects/{project}/model")[0] == 200
    before = evaluators(server)
    status, told = mira.ask("GET", f"projects/{project}/files/{name}{query}")
    assert (status in (404, 422), "mistake" in json.dumps(told)) == (True, False), told
    assert evaluators(server) >= before


_MADE: dict[str, int] = {}


def of(someone):
    if someone.server.address not in _MADE:
        _MADE[someone.server.address] = someone.project(numbered([FRAME]))
    return _MADE[someone.server.address]


def raw(server, head, body=b"", *, chunk=1 << 16, many=0):
    """Send a head and a body as it comes; gives the status line, "" where the connection was closed."""
    host, port = server.address.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=30) as line:
        with contextlib.suppress(ConnectionError):
            line.sendall(head.replace("HOST", host).encode() + b"\r\n\r\n" + body)
            for _ in range(many):
                line.sendall(b"%x\r\n" % chunk + bytes(chunk) + b"\r\n")
        with contextlib.suppress(ConnectionError, TimeoutError):
            return line.recv(200).split(b"\r\n")[0].decode()
    return ""


def room(server):
    disk = os.statvfs(server.data)
    return disk.f_bavail * disk.f_frsize


@pytest.mark.parametrize("way", ["said", "in pieces", "to a page"])
def test_a_stranger_fills_no_disk(server, way):
    """A body of 600 MB from somebody who has not come in: refused by what it says, or as soon as it is too much."""
    path = {"to a page": "/healthz"}.get(way, "/api/projects/uploads?name=a.zip")
    before = room(server)
    if way == "in pieces":
        head = f"POST {path} HTTP/1.1\r\nHost: HOST\r\nTransfer-Encoding: chunked"
        answer = raw(server, head, many=9600)
    else:
        head = f"POST {path} HTTP/1.1\r\nHost: HOST\r\nContent-Length: {600 * 10**6}\r\nExpect: 100-continue"
        answer = raw(server, head)
    assert answer == "" or " 413 " in answer
    assert before - room(server) < 50 * 10**6


def test_what_is_too_large_is_said_to_whoever_has_come_in(mira):
    project = of(mira)
    status, told = mira.ask("PUT", f"projects/{project}/recipe", b" " * (9 * 1024**2), as_json=True)
    assert (status, "larger than the 8 MB" in told["detail"]) == (413, True)
    status, told = mira.ask("POST", "projects", b" " * (ANYBODY + 10), as_json=True)
    assert status in (400, 422)


@pytest.mark.slow
def test_bringing_in_a_large_zip_holds_up_no_edit(server, mira, jon):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            "recipe.json", json.dumps({"plodek": 3, "name": "Large", "steps": numbered([FRAME])})
        )
        for number in range(40):
            archive.writestr(f"f{number}.csv", b"%d 0\n" % number + os.urandom(500_000) * 2)
    project = jon.project(numbered([FRAME]))
    bringing = threading.Thread(
        target=lambda: mira.ask("POST", "projects/uploads?name=a.zip", packed.getvalue())
    )
    bringing.start()
    slowest, revision = 0.0, 1
    while bringing.is_alive():
        began = time.monotonic()
        body = {"base": revision, "steps": numbered([{**FRAME, "width": 3.0 + revision}])}
        status, told = jon.ask("PUT", f"projects/{project}/recipe", body)
        assert status == 200, told
        slowest, revision = max(slowest, time.monotonic() - began), revision + 1
    print(f"the slowest of {revision} edits beside a ZIP file took {slowest:.2f} s")
    assert revision > 2
    assert "Large" in [one["name"] for one in mira.ask("GET", "projects")[1]["projects"]]


def test_files_count_once_for_whoever_has_them_and_no_more_than_may_be(client, monkeypatch):
    monkeypatch.setenv("PLODEK_MOST_FILES_OF_USER_MB", "1")
    project = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    line = b"%07d 0.123456789\n"
    data = b"".join(line % n for n in range(30_000))
    for name in ("a.csv", "b.csv", "c.csv"):  # the same bytes: kept once, counted once
        assert client.post(f"/api/projects/{project}/files?name={name}", data=data).status_code == 201
    assert 0.5 < client.get("/api/projects").json["files_mb"] < 0.6
    other = b"".join(line % n for n in range(1, 30_001))
    answer = client.post(f"/api/projects/{project}/files?name=d.csv", data=other)
    assert (answer.status_code, "MB in all files of a user" in answer.json["detail"]) == (422, True)
    assert client.get(f"/api/projects/{project}/recipe").json["files"] == ["a.csv", "b.csv", "c.csv"]


def test_a_hand_off_without_blocks_says_so(client):
    project = client.post("/api/projects", json={"name": "A", "demo": False}).json["id"]
    job = client.post(f"/api/projects/{project}/handoffs", json={}).json
    assert (job["state"], "no blocks" in job["result"]["error"]) == ("failed", True), job


@pytest.mark.slow
def test_the_dearest_answers_at_once_hold_up_no_edit_of_another_user(server, mira, jon):
    """Eight clients ask for all that is dear, of recipes of 2 MB too; how fast edits are beside it `make soak` says."""
    large = [
        {"kind": "polyline", "name": f"c{n}", "points": [[k, 0.123456789 * n + k] for k in range(40)]}
        for n in range(1900)
    ]
    dear = mira.project(numbered([*large, FRAME, {"kind": "budget", "cells": 200_000}]))
    ended = threading.Event()
    paths = [
        "model",
        "grid?smoothed=false",
        "quality?smoothed=false",
        "recipe",
        "revisions",
        "recipe/download",
    ]

    def ask(path):
        while not ended.is_set():
            mira.ask("GET", f"projects/{dear}/{path}")

    clients = [threading.Thread(target=ask, args=(paths[n % len(paths)],)) for n in range(8)]
    for one in clients:
        one.start()
    project, times = jon.project(numbered([FRAME])), []
    for revision in range(1, 16):
        began = time.monotonic()
        body = {"base": revision, "steps": numbered([{**FRAME, "width": 3.0 + revision}])}
        assert jon.ask("PUT", f"projects/{project}/recipe", body)[0] == 200
        times.append(time.monotonic() - began)
    ended.set()
    for one in clients:
        one.join()
    print(
        f"edits beside: {sorted(times)[-1]:.2f} s at most; the server has {resident(server.process.pid)} MB"
    )
    assert resident(server.process.pid) < 1000

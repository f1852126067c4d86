"""How soon a server answers: edits, alone and among watchers and clients, and models through an evaluator."""

from __future__ import annotations

import socket
import sqlite3
import statistics
import tempfile
import time
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path

from report import QUICK, demo_steps, say, seconds

from plodek.demo import __path__ as demo_path
from plodek.server.app import make_app
from plodek.server.workspace import Workspace
from tests.server.standing.hostile import BOX, FRAME, numbered, too_much
from tests.server.standing.strain import Beside, edit_at_once, send
from tests.serving import Served, served

WATCHERS, SILENT = (5, 5) if QUICK else (200, 300)
EDITS = 4 if QUICK else 40


def answering() -> None:
    """Time edits and models of a server with all its processes."""
    with tempfile.TemporaryDirectory() as folder, served(Path(folder, "one")) as server:
        project = server.project(numbered([FRAME]))
        alone = _edits(server, project, EDITS, lambda: None)
        say("an edit, kept through power loss", f"{1e3 * alone:.1f} ms", "< 20 ms")
        among = _among(server, project)
        say(
            f"an edit among {WATCHERS} watchers and {SILENT} silent ones", f"{1e3 * among:.0f} ms", "< 100 ms"
        )
        found = edit_at_once(server, clients=8, each=EDITS // 2)
        say("slowest of eight clients' edits at once", f"{1e3 * found.slowest:.0f} ms", "< 1000 ms")
        _models(server, Path(folder, "two"))
        _beside_too_much(server)
        say("a hand-off of 10 million cells stops", f"{_stopped(server):.2f} s", "< 1 s")
    say(
        "of which writing through to the disk",
        f"{1e3 * _synced(full=True) - 1e3 * _synced(full=False):.1f} ms",
        "",
    )


def _edits(server: Served, project: int, count: int, before: Callable[[], object]) -> float:
    """Give the median seconds of edits."""
    times = []
    base = server.ask("GET", f"projects/{project}/recipe")[1]["revision"]
    for number in range(base, base + count):
        before()
        steps = numbered([{**FRAME, "width": 4 + number}])
        began = time.perf_counter()
        assert server.ask("PUT", f"projects/{project}/recipe", {"base": number, "steps": steps})[0] == 200
        times.append(time.perf_counter() - began)
    return statistics.median(times)


def _among(server: Served, project: int) -> float:
    """Let watchers look at a job as browsers do, each about once in half a second, while edits come."""
    job = server.ask("POST", f"projects/{project}/handoffs", {})[1]["id"]
    host, port = server.address.removeprefix("http://").split(":")
    look = f"GET /api/jobs/{job} HTTP/1.1\r\nHost: {host}\r\n\r\n".encode()
    with ExitStack() as opened:
        lines = [
            opened.enter_context(socket.create_connection((host, int(port))))
            for _ in range(WATCHERS + SILENT)
        ]
        turn = 0

        def some_look() -> None:
            nonlocal turn
            for line in lines[turn % 20 : WATCHERS : 20]:
                line.sendall(look)
            turn += 1
            time.sleep(0.025)

        return _edits(server, project, EDITS, some_look)


def _models(server: Served, folder: Path) -> None:
    """Compare the model of the demo through an evaluator with one that is made in this process."""
    outline = Path(next(iter(demo_path)), "pier-outline.csv").read_bytes()
    project = server.project(demo_steps(), {"pier-outline.csv": outline})
    with make_app(Workspace(folder)).test_client() as here:
        home = here.post("/api/projects", json={"name": "pier", "demo": True}).json["id"]
        ours = seconds(lambda: server.ask("GET", f"projects/{project}/model"))
        plain = seconds(lambda: here.get(f"/api/projects/{home}/model"))
    say("a model through an evaluator / in place", f"{ours / plain:.2f} x", "< 1.5 x")


def _beside_too_much(server: Served) -> None:
    """Compare models that somebody asks for beside what is too much with the same ones asked for alone."""
    with Beside(server) as beside:
        time.sleep(0.5 if QUICK else 5.0)
        alone = statistics.median(beside.times)
        beside.times.clear()
        for case in too_much()[: 2 if QUICK else None]:
            send(server, case)
        median, slowest = statistics.median(beside.times), max(beside.times)
    say("a model beside what is too much / alone", f"{median / alone:.1f} x", "< 5 x")
    say("the slowest of these", f"{slowest:.2f} s", "< 1 s")


def _stopped(server: Served) -> float:
    """Give the seconds from asking until a long hand-off has stopped."""
    cells = 10**5 if QUICK else 10**7
    rest = {"kind": "patch", "name": "all", "type": "wall", "faces": {"rest": True}}
    project = server.project(numbered([BOX, {"kind": "budget", "cells": cells}, rest]))
    job = server.ask("POST", f"projects/{project}/handoffs", {})[1]["id"]
    time.sleep(2.0)
    began = time.perf_counter()
    server.ask("POST", f"jobs/{job}/stop")
    while server.ask("GET", f"jobs/{job}")[1]["state"] in ("waiting", "running"):
        time.sleep(0.02)
    return time.perf_counter() - began


def _synced(*, full: bool) -> float:
    """Give the median seconds of a small transaction."""
    with tempfile.TemporaryDirectory() as folder, sqlite3.connect(Path(folder, "a.db")) as found:
        found.execute("PRAGMA journal_mode = wal")
        found.execute(f"PRAGMA synchronous = {'full' if full else 'normal'}")
        found.execute("CREATE TABLE a (b TEXT)")
        times = []
        for _ in range(EDITS):
            began = time.perf_counter()
            found.execute("INSERT INTO a VALUES (?)", ["x" * 1500])
            found.commit()
            times.append(time.perf_counter() - began)
        return statistics.median(times)

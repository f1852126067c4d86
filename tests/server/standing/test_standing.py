"""A server that stands: with all its processes, under what is too much, under many watchers, and after kills."""

import contextlib
import io
import signal
import socket
import subprocess
import sys
import time
import zipfile

import numpy as np
import pytest

from tests.server.standing.hostile import BOX, FRAME, at_random, numbered, too_much
from tests.server.standing.strain import Beside, edit_at_once, kill_parts, kill_whole, send
from tests.serving import served

pytestmark = pytest.mark.slow

#: MB of memory that a process may have here, and what it may show beyond: shared code is counted too.
MEMORY, SHARED = 2000, 400
GOOD = numbered([FRAME])


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    with served(
        tmp_path_factory.mktemp("standing"), PLODEK_MOST_MEMORY_MB=str(MEMORY), PLODEK_MOST_BLOCKS="2000"
    ) as found:
        yield found


def test_what_is_too_much_is_refused_and_holds_nobody_up(server):
    """Whoever asks beside it is answered while the longest case still goes on (the bench says how soon)."""
    longest = (0.0, 0)
    with Beside(server) as beside:
        for case in [*too_much(), *at_random(seed=13, count=60)]:
            began, before = time.monotonic(), len(beside.times)
            status, told = send(server, case)
            assert status < 500, (case.name, status)
            assert "Traceback" not in told
            assert bool(told) == (status >= 400)
            longest = max(longest, (time.monotonic() - began, len(beside.times) - before))
    assert not beside.wrong
    assert longest[1] >= 2, longest
    assert beside.memory < MEMORY + SHARED


def test_what_takes_too_long_is_stopped_and_its_project_goes_on(tmp_path):
    slow = [BOX, {"kind": "budget", "cells": 3 * 10**7}]
    with served(tmp_path, PLODEK_MOST_EVALUATION_SECONDS="2") as server:
        project = server.project(numbered(slow))
        status, told = server.ask("GET", f"projects/{project}/quality?smoothed=false")
        assert (status, "took longer than 2 seconds" in told["detail"]) == (422, True)
        assert server.ask("GET", f"projects/{project}/model")[0] == 200


def test_evaluators_and_workers_that_die_take_nothing_along(server):
    found = kill_parts(server, 20)
    assert (found.edits, found.lost, found.wrong) == (20, 0, [])


def test_eight_clients_and_two_tabs_lose_no_edit(server):
    found = edit_at_once(server, clients=8, each=25)
    assert (found.edits, found.lost, found.wrong) == (200, 0, [])


def test_work_that_nobody_waits_for_is_given_up(server):
    project = server.project(numbered([BOX, {"kind": "budget", "cells": 2 * 10**7}]))
    host, port = server.address.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port))) as line:
        path = f"/api/projects/{project}/quality?smoothed=false"
        line.sendall(f"GET {path} HTTP/1.1\r\nHost: {host}\r\n\r\n".encode())
        time.sleep(1.0)
    before = set(server.family)
    for _ in range(300):
        time.sleep(0.1)
        if before - set(server.family):
            break
    assert before - set(server.family)


def test_watchers_and_silent_connections_hold_no_edit_up(server):
    """Each edit is acknowledged among them, and each watcher answered; the bench says how soon."""
    project = server.project(GOOD)
    job = server.ask("POST", f"projects/{project}/handoffs", {})[1]["id"]
    host, port = server.address.removeprefix("http://").split(":")
    with contextlib.ExitStack() as opened:
        for _ in range(300):
            opened.enter_context(socket.create_connection((host, int(port))))
        watchers = [opened.enter_context(socket.create_connection((host, int(port)))) for _ in range(200)]
        look = f"GET /api/jobs/{job} HTTP/1.1\r\nHost: {host}\r\n\r\n".encode()
        for revision in range(1, 11):
            for watcher in watchers[revision % 5 :: 5]:  # each looks about once a second
                watcher.sendall(look)
            steps = numbered([{**FRAME, "width": 4 + revision}])
            body = {"base": revision, "steps": steps}
            assert server.ask("PUT", f"projects/{project}/recipe", body)[0] == 200
            time.sleep(0.2)
        assert all(watcher.recv(20).startswith(b"HTTP/1.1 200") for watcher in watchers)


def test_every_process_ends_with_the_server_and_nothing_kept_is_lost(tmp_path):
    found = kill_whole(tmp_path, [signal.SIGKILL, signal.SIGHUP], edits=5)
    assert (found.edits, found.lost, found.wrong) == (15, 0, [])


def test_a_server_killed_early_leaves_no_process(tmp_path):
    command = [sys.executable, "-m", "plodek.cli", "serve", "--port", "0", "--data", str(tmp_path)]
    for seconds in (0.7, 1.4):
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(seconds)
        process.kill()
        process.wait(10)
    for _ in range(300):
        left = subprocess.run(["pgrep", "-f", str(tmp_path)], capture_output=True, text=True).stdout
        if not left:
            break
        time.sleep(0.1)
    assert not left


def test_a_second_server_on_a_folder_is_refused_and_told_who_holds_it(server):
    command = [sys.executable, "-m", "plodek.cli", "serve", "--port", "1", "--data", str(server.data)]
    second = subprocess.run(command, capture_output=True, text=True, timeout=30)
    assert second.returncode == 2
    assert f"held by the server at {server.address}, process {server.process.pid}" in second.stderr


def test_a_large_answer_comes_whole_and_one_that_cannot_be_given_is_told(server):
    numbers = np.random.default_rng(13).random((200_000, 2))
    points = "\n".join(f"{x:.9f} {y:.9f}" for x, y in numbers).encode()
    outline = {"kind": "read", "id": "o", "file": "outline.txt", "name": "bank"}
    project = server.project([outline], {"outline.txt": points})
    status, packed = server.ask("GET", f"projects/{project}/recipe/download")
    assert status == 200
    assert zipfile.ZipFile(io.BytesIO(packed)).read("outline.txt") == points
    temporary = server.data / "temporary"
    assert [one.name for one in temporary.iterdir()] == []
    temporary.rename(server.data / "away")
    status, told = server.ask("GET", f"projects/{project}/recipe/download")
    assert (status, "made a mistake" in told["detail"]) == (500, True)
    (server.data / "away").rename(temporary)
    assert server.ask("GET", f"projects/{project}/recipe/download")[0] == 200


def test_a_job_is_stopped_wherever_it_is(tmp_path):
    """A hand-off that takes long, with one that waits behind it: both are stopped, and the next one runs.

    The bench says how soon.
    """
    steps = [BOX, {"kind": "budget", "cells": 10**7}]
    steps.append({"kind": "patch", "name": "all", "type": "wall", "faces": {"rest": True}})
    with served(tmp_path) as server:
        large, small = server.project(numbered(steps)), server.project(numbered([*steps[:1], steps[2]]))

        def hand_off(project, **how):
            return server.ask("POST", f"projects/{project}/handoffs", how)[1]["id"]

        def state(job):
            return server.ask("GET", f"jobs/{job}")[1]["state"]

        runs_long, waits = hand_off(large), hand_off(large, scale=2.0)
        assert hand_off(large) == runs_long
        while state(runs_long) == "waiting":
            time.sleep(0.1)
        time.sleep(1.0)
        for job in (waits, runs_long):
            server.ask("POST", f"jobs/{job}/stop")
            while (now := state(job)) in ("waiting", "running"):
                time.sleep(0.02)
            assert now == "stopped"
        last = hand_off(small)
        while (now := state(last)) in ("waiting", "running"):
            time.sleep(0.1)
        assert now == "done"
        assert not list((tmp_path / "cache").glob("*.files"))

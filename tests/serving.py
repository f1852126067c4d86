"""A real server with all its processes, over a folder of its own."""

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass
class Served:
    """A server that runs: its process, where it is, and its folder."""

    process: subprocess.Popen[bytes]
    address: str
    data: Path

    def ask(
        self,
        method: str,
        path: str,
        body: Any = None,
        *,
        timeout: float = 100,
        as_json: bool = False,
        headers: dict[str, str] | None = None,
    ) -> tuple[int, Any]:
        """Ask for something; gives the status and what was answered. Bytes are sent as they are."""
        raw = isinstance(body, bytes)
        data = None if body is None else body if raw else json.dumps(body).encode()
        kind = {"Content-Type": "application/octet-stream" if raw and not as_json else "application/json"}
        request = urllib.request.Request(
            f"{self.address}/api/{path}",
            data,
            (headers or {}) | ({} if data is None else kind),
            method=method,
        )
        try:
            with urllib.request.urlopen(request, timeout=timeout) as answer:
                status, kind, text = answer.status, answer.headers.get_content_type(), answer.read()
        except urllib.error.HTTPError as error:
            status, kind, text = error.code, error.headers.get_content_type(), error.read()
        return status, json.loads(text) if text and kind.endswith("json") else text

    def project(self, steps: list[dict[str, Any]], files: dict[str, bytes] | None = None) -> int:
        """Make a project with steps and files."""
        _, made = self.ask("POST", "projects", {"name": "tried", "demo": False})
        for name, data in (files or {}).items():
            assert self.ask("POST", f"projects/{made['id']}/files?name={name}", data)[0] == 201
        told = self.ask("PUT", f"projects/{made['id']}/recipe", {"base": 0, "steps": steps})
        assert told[0] == 200, told
        return made["id"]

    @property
    def family(self) -> list[int]:
        """The processes that the server has started, and those that these have, and so on."""
        found = [self.process.pid]
        for pid in found:
            with contextlib.suppress(OSError):
                for task in Path(f"/proc/{pid}/task").iterdir():
                    found += map(int, (task / "children").read_text().split())
        return found

    @property
    def evaluators(self) -> list[int]:
        """The processes that evaluate: children of the one that they are forked off."""
        return [pid for pid in self.family if _parent(pid) not in (self.process.pid, os.getpid(), None)]

    def kill(self, how: int = signal.SIGKILL) -> None:
        self.process.send_signal(how)
        self.process.wait(20)


class Someone:
    """A user who has logged in at a server, as their browser is."""

    def __init__(self, server: Served, name: str, password: str) -> None:
        self.server, self.name, self._password = server, name, password
        self.headers: dict[str, str] = {}
        self.log_in()

    def log_in(self) -> None:
        """Log in anew."""
        body = json.dumps({"name": self.name, "password": self._password}).encode()
        url = f"{self.server.address}/api/session"
        request = urllib.request.Request(url, body, {"Content-Type": "application/json"})
        with urllib.request.urlopen(request, timeout=60) as answer:
            cookie = answer.headers["Set-Cookie"].split(";")[0]
            self.headers = {"Cookie": cookie, "X-Plodek-Token": json.loads(answer.read())["token"]}

    def ask(self, method: str, path: str, body: Any = None, **how: Any) -> tuple[int, Any]:
        """Ask for something; gives the status and what was answered."""
        return self.server.ask(method, path, body, headers=self.headers, **how)

    def project(self, steps: list[dict[str, Any]] | None = None, name: str = "tried") -> int:
        """Make a project, with steps where they are given."""
        number = self.ask("POST", "projects", {"name": name, "demo": False})[1]["id"]
        if steps is not None:
            told = self.ask("PUT", f"projects/{number}/recipe", {"base": 0, "steps": steps})
            assert told[0] == 200, told
        return int(number)

    def share(self, project: int, **roles: str) -> None:
        """Share a project of one's own with others."""
        told = self.ask("PUT", f"projects/{project}/sharing", {"owner": self.name, "roles": roles})
        assert told[0] == 200, told

    def ended(self, job: dict[str, Any]) -> dict[str, Any]:
        """Wait until a job has ended, and give it."""
        while job["state"] in ("waiting", "running"):
            time.sleep(0.03)
            job = self.ask("GET", f"jobs/{job['id']}")[1]
        return job


def _parent(pid: int) -> int | None:
    """Give the process that has started one; None where that has ended meanwhile."""
    try:
        return int(Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[1])
    except OSError:
        return None


def resident(pid: int) -> int:
    """Give the MB of memory that a process has; 0 for one that is none."""
    try:
        lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    except OSError:
        return 0
    return next((int(line.split()[1]) // 1024 for line in lines if line.startswith("VmRSS")), 0)


def runs(pid: int) -> bool:
    """Whether a process runs; one that has ended and waits to be collected does not."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except OSError:
        return False


def start_server(data: Path, **environment: str) -> Served:
    """Start a server over a folder, and wait until it answers."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    clean = {k: v for k, v in os.environ.items() if not k.startswith("PLODEK_")}
    command = [sys.executable, "-m", "plodek.cli", "serve", "--port", str(port), "--data", str(data)]
    process = subprocess.Popen(command, env=clean | environment, stdout=subprocess.DEVNULL)
    found = Served(process, f"http://127.0.0.1:{port}", data)
    for _ in range(300):
        with contextlib.suppress(OSError):
            found.ask("GET", "projects", timeout=1)
            return found
        time.sleep(0.1)
    process.kill()
    raise RuntimeError("the server did not start")


@contextlib.contextmanager
def served(data: Path, **environment: str) -> Iterator[Served]:
    """Serve over a folder for as long as the context lasts."""
    found = start_server(data, **environment)
    try:
        yield found
    finally:
        found.process.kill()
        found.process.wait(20)

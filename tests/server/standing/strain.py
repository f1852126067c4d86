"""What a server is put under, in the tests for a short while and in the soak for long: edits, kills, hostile things."""

import os
import random
import signal
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from plodek.core.errors import OwnMistake
from tests.server.standing.hostile import FRAME, Case, numbered
from tests.serving import Served, resident, runs, start_server


@dataclass
class Figures:
    """What came of it: edits acknowledged and lost, the longest one in seconds, and answers that were wrong."""

    edits: int = 0
    lost: int = 0
    slowest: float = 0.0
    wrong: list[str] = field(default_factory=list)
    changing: threading.Lock = field(default_factory=threading.Lock)


class Beside:
    """Asks meanwhile for the model of a small project, again and again, and looks how much memory processes have."""

    def __init__(self, server: Served) -> None:
        self._server, self._home = server, server.project(width(4.0))
        self.memory, self.wrong, self.times = 0, list[int](), list[float]()
        self._end = threading.Event()
        self._threads = [threading.Thread(target=self._look, args=(do,)) for do in (self._ask, self._weigh)]

    def __enter__(self) -> "Beside":
        self._ask()
        self.times.clear()
        for thread in self._threads:
            thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._end.set()
        for thread in self._threads:
            thread.join()

    def _look(self, do: Callable[[], None]) -> None:
        while not self._end.wait(0.1):
            do()

    def _ask(self) -> None:
        began = time.monotonic()
        status, _ = self._server.ask("GET", f"projects/{self._home}/model")
        self.times.append(time.monotonic() - began)
        if status != 200:
            self.wrong.append(status)

    def _weigh(self) -> None:
        self.memory = max(self.memory, *(resident(pid) for pid in self._server.family))


def width(value: float) -> list[dict]:
    return numbered([{**FRAME, "width": value}])


def edit_at_once(server: Served, clients: int, each: int) -> Figures:
    """Let clients edit at once, two of them the same project, as two tabs do: a stale edit is made again."""
    found = Figures()
    homes = [server.project(width(1.0)) for _ in range(clients - 1)]
    homes.append(homes[0])
    made: dict[int, int] = dict.fromkeys(homes, 0)

    def edit(client: int, home: int) -> None:
        done = 0
        while done < each:
            base = server.ask("GET", f"projects/{home}/recipe")[1]["revision"]
            began = time.monotonic()
            body = {"base": base, "steps": width(2.0 + client * each + done)}
            status, told = server.ask("PUT", f"projects/{home}/recipe", body)
            took = time.monotonic() - began
            with found.changing:
                found.slowest = max(found.slowest, took)
                if status == 200:
                    found.edits += 1
                    made[home] += 1
                elif status != 409:
                    found.wrong.append(f"{status} {told}")
            done += status != 409

    threads = [threading.Thread(target=edit, args=one) for one in enumerate(homes)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    for home, count in made.items():
        revision = server.ask("GET", f"projects/{home}/recipe")[1]["revision"]
        found.lost += abs(revision - 1 - count)
    return found


def kill_parts(server: Served, times: int, seed: int = 0) -> Figures:
    """Kill evaluators and workers while models are asked for and edited; the server goes on."""
    found, chance = Figures(), random.Random(seed)
    home = server.project(width(1.0))
    for number in range(times):
        parts = server.evaluators
        if parts:
            os.kill(chance.choice(parts), signal.SIGKILL)
        body = {"base": number + 1, "steps": width(2.0 + number)}
        status, told = server.ask("PUT", f"projects/{home}/recipe", body)
        found.edits += status == 200
        if status != 200:
            found.wrong.append(f"{status} {told}")
        status, told = server.ask("GET", f"projects/{home}/model")
        if status != 200:
            found.wrong.append(f"{status} {told}")
    kept = server.ask("GET", f"projects/{home}/recipe")[1]
    found.lost = times + 1 - kept["revision"]
    return found


def kill_whole(data: Path, hows: list[signal.Signals], edits: int) -> Figures:
    """Edit a server and end it, again and again: all that was acknowledged is there, and no process is left."""
    found, home, value = Figures(), 0, 1.0
    for how in [*hows, None]:
        server = start_server(data)
        home = home or server.project(width(value))
        recipe = server.ask("GET", f"projects/{home}/recipe")[1]
        found.lost += recipe["steps"][0]["width"] != value
        if server.ask("GET", f"projects/{home}/model")[0] != 200:
            found.wrong.append(f"no model after {how}")
        for _ in range(edits):
            body = {"base": recipe["revision"], "steps": width(value + 1.0)}
            status, told = server.ask("PUT", f"projects/{home}/recipe", body)
            if status == 200:
                recipe, value = told, value + 1.0
                found.edits += 1
            else:
                found.wrong.append(f"{status} {told}")
        family = server.family
        if len(family) < 4:
            found.wrong.append(f"only {len(family)} processes ran")
        server.kill(how or signal.SIGKILL)
        until = time.monotonic() + 30.0
        while any(runs(pid) for pid in family) and time.monotonic() < until:
            time.sleep(0.05)
        found.wrong += [f"process {pid} is left after {how}" for pid in family if runs(pid)]
    return found


def send(server: Served, case: Case) -> tuple[int, str]:
    """Send a case, and give the status and what was told; where steps are kept, of what is asked of them.

    A mistake of our own counts as 500 wherever it stands in an answer.
    """
    project = server.ask("POST", "projects", {"name": case.name, "demo": False})[1]["id"]
    if case.body is not None:
        as_json = "?" not in case.path
        status, told = server.ask(case.method, f"projects/{project}/{case.path}", case.body, as_json=as_json)
    else:
        for name, data in case.files.items():
            server.ask("POST", f"projects/{project}/files?name={name}", data)
        body = {"base": 0, "steps": numbered(case.steps)}
        status, told = server.ask("PUT", f"projects/{project}/recipe", body)
        if status == 200:
            status, told = server.ask("GET", f"projects/{project}/{case.path}")
    if OwnMistake.title in str(told):
        return 500, str(told)
    return status, told["detail"] if status >= 400 else ""

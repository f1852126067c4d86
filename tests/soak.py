"""A long strain on a server, with the figures that came of it: `make soak`, or with the minutes as an argument."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from itertools import count
from pathlib import Path
from typing import Any

from tests.server.attacks.files import hostile, route_of
from tests.server.standing.hostile import at_random, too_much
from tests.server.standing.strain import edit_at_once, kill_parts, kill_whole, send, width
from tests.serving import Served, resident, runs, served

MEMORY = 2000
#: Tests that try as many random cases as they are told to.
WITH_MORE_CASES = ("tests/server/test_contract.py", "tests/core/smooth/test_shaping.py")


#: Files that lie, in each round.
FILES = 240


class Edits(threading.Thread):
    """Edits of somebody else while the server is attacked, with the seconds that each took."""

    def __init__(self, server: Served) -> None:
        super().__init__()
        self._server, self._end, self._times = server, threading.Event(), list[float]()

    def run(self) -> None:
        home = self._server.project(width(1.0))
        while not self._end.wait(0.2):
            revision = len(self._times) + 1
            at = time.monotonic()
            body = {"base": revision, "steps": width(1.0 + revision)}
            status, told = self._server.ask("PUT", f"projects/{home}/recipe", body)
            if status != 200:
                raise RuntimeError(f"an edit was answered with {status} {told}")
            self._times.append(time.monotonic() - at)

    def ended(self) -> list[float]:
        """End them, and give the seconds that each took."""
        self._end.set()
        self.join()
        return self._times


def sent_file(server: Served, name: str, data: bytes) -> tuple[int, Any]:
    """Send a file to a project of its own; gives the status, and what was told of it in the end."""
    project = server.ask("POST", "projects", {"name": name, "demo": False})[1]["id"]
    status, told = server.ask("POST", f"projects/{project}/{route_of(name)}", data)
    while status == 202 and told["state"] in ("waiting", "running"):
        time.sleep(0.03)
        told = server.ask("GET", f"jobs/{told['id']}")[1]
    return status, told


def main() -> int:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0
    began, bad = time.monotonic(), 0
    with tempfile.TemporaryDirectory() as folder:
        with served(Path(folder, "one"), PLODEK_MOST_MEMORY_MB=str(MEMORY)) as server:
            peak, sent, refused, slowest, secrets = 0, 0, 0, 0.0, 0
            edits = Edits(server)
            edits.start()
            for seed in count():
                for case in [*too_much(), *at_random(seed, 460)]:
                    at = time.monotonic()
                    status, _ = send(server, case)
                    slowest = max(slowest, time.monotonic() - at)
                    sent, refused, bad = sent + 1, refused + (status >= 400), bad + (status >= 500)
                    peak = max(peak, *(resident(pid) for pid in server.family))
                secret = server.data / "secret"
                for name, data in hostile(seed, FILES, secret):
                    status, told = sent_file(server, name, data)
                    words = json.dumps(told, ensure_ascii=False)
                    secrets += secret.read_bytes().hex() in words
                    sent, refused = sent + 1, refused + (status >= 400)
                    bad += status >= 500 or "mistake" in words
                    peak = max(peak, *(resident(pid) for pid in server.family))
                if time.monotonic() - began > minutes * 60 * 0.4:
                    break
            times = edits.ended()
            late = sum(one > 1.0 for one in times)
            bad += secrets + (late > 0.01 * len(times)) + (peak > MEMORY)
            print(
                f"hostile: {sent} requests and files, {refused} refused, {bad} times 5xx or worse, "
                f"slowest answer {slowest:.1f} s, {peak} MB at most"
            )
            print(f"edits beside: {len(times)}, {late} over 1 s, slowest {max(times):.3f} s")
            found = edit_at_once(server, clients=8, each=250)
            bad += found.lost + len(found.wrong)
            print(
                f"edits of 8 clients: {found.edits}, lost {found.lost}, wrong {len(found.wrong)}, slowest {found.slowest:.3f} s"
            )
            found = kill_parts(server, 200)
            bad += found.lost + len(found.wrong)
            print(f"200 kills of evaluators and workers: lost {found.lost}, wrong {found.wrong[:3]}")
            family = server.family
        time.sleep(2.0)
        left = [pid for pid in family if runs(pid)]
        bad += len(left)
        print(f"processes left: {len(left)}")
        hows = [signal.SIGKILL, signal.SIGTERM, signal.SIGHUP] * max(2, int(minutes * 60 * 0.4 / 12))
        found = kill_whole(Path(folder, "two"), hows, edits=20)
        bad += found.lost + len(found.wrong)
        print(
            f"{len(hows)} ends of the server: {found.edits} edits, lost {found.lost}, wrong {found.wrong[:3]}"
        )
    more = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-n", "2", *WITH_MORE_CASES],
        env=os.environ | {"CONTRACT_EXAMPLES": str(max(12, int(minutes * 8))), "RANDOM_CASES": "200"},
    )
    bad += more.returncode
    print(f"{(time.monotonic() - began) / 60:.1f} minutes, {'all well' if not bad else f'{bad} faults'}")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())

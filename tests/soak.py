"""A long strain on a server, with the figures that came of it: `make soak`, or with the minutes as an argument."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from itertools import count
from pathlib import Path

from tests.server.standing.hostile import at_random, too_much
from tests.server.standing.strain import edit_at_once, kill_parts, kill_whole, send
from tests.serving import resident, served

MEMORY = 2000
#: Tests that try as many random cases as they are told to.
WITH_MORE_CASES = ("tests/server/test_contract.py", "tests/core/smooth/test_shaping.py")


def main() -> int:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0
    began, bad = time.monotonic(), 0
    with tempfile.TemporaryDirectory() as folder:
        with served(Path(folder, "one"), PLODEK_MOST_MEMORY_MB=str(MEMORY)) as server:
            peak, sent, refused, slowest = 0, 0, 0, 0.0
            for seed in count():
                for case in [*too_much(), *at_random(seed, 460)]:
                    at = time.monotonic()
                    status, _ = send(server, case)
                    slowest = max(slowest, time.monotonic() - at)
                    sent, refused, bad = sent + 1, refused + (status >= 400), bad + (status >= 500)
                    peak = max(peak, *(resident(pid) for pid in server.family))
                if time.monotonic() - began > minutes * 60 * 0.4:
                    break
            print(
                f"hostile: {sent} sent, {refused} refused, {bad} times 5xx, slowest {slowest:.1f} s, {peak} MB at most"
            )
            found = edit_at_once(server, clients=8, each=250)
            bad += found.lost + len(found.wrong)
            print(
                f"edits of 8 clients: {found.edits}, lost {found.lost}, wrong {len(found.wrong)}, slowest {found.slowest:.3f} s"
            )
            found = kill_parts(server, 200)
            bad += found.lost + len(found.wrong)
            print(f"200 kills of evaluators and workers: lost {found.lost}, wrong {found.wrong[:3]}")
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

"""The worker process: takes jobs off the queue, one at a time."""

from __future__ import annotations

import os
import threading
import time

from plodek.server.jobs.queue import queue
from plodek.server.jobs.work import run


def main() -> None:
    """Work until told to end, or until the server that started it is gone."""
    parent = os.getppid()

    def follow_parent() -> None:
        while os.getppid() == parent:
            time.sleep(1.0)
        os._exit(0)

    threading.Thread(target=follow_parent, daemon=True).start()
    assert run.huey is queue
    queue.create_consumer(workers=1, initial_delay=0.05, max_delay=0.2, periodic=False).run()


if __name__ == "__main__":
    main()

"""The worker process: takes jobs off the queue of a data folder, one at a time."""

from __future__ import annotations

import os
import sys
import threading
import time
from pathlib import Path

from plodek.server.jobs.desk import BEAT_EVERY
from plodek.server.workspace import Workspace


def main() -> None:
    """Work until told to end, or until the server that started it is gone."""
    parent = os.getppid()
    workspace = Workspace(Path(sys.argv[1]))
    desk, database = workspace.desk, workspace.database
    with database.connection_context():
        desk.end_crashed()

    def live() -> None:
        told = 0.0
        while os.getppid() == parent:
            if time.monotonic() - told > BEAT_EVERY:
                with database.connection_context():
                    desk.beat()
                told = time.monotonic()
            time.sleep(0.5)
        os._exit(0)

    threading.Thread(target=live, daemon=True).start()
    desk.queue.create_consumer(workers=1, initial_delay=0.05, max_delay=0.2, periodic=False).run()


if __name__ == "__main__":
    main()

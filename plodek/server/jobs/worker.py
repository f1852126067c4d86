"""The worker process: takes jobs off the queue of a data folder, one at a time."""

from __future__ import annotations

import sys
import threading
import time
from pathlib import Path

from plodek.core import lifeline
from plodek.server.jobs.desk import BEAT_EVERY
from plodek.server.workspace import Workspace


def main() -> None:
    """Work on a data folder until told to end, or until the server that started it is gone."""
    lifeline.end_with(int(sys.argv[2]))
    lifeline.limit_memory()
    workspace = Workspace(Path(sys.argv[1]))
    desk, database = workspace.desk, workspace.database
    with database.connection_context():
        desk.end_crashed()

    def live() -> None:
        while True:
            with database.connection_context():
                desk.beat()
            time.sleep(BEAT_EVERY)

    threading.Thread(target=live, daemon=True).start()
    desk.queue.create_consumer(workers=1, initial_delay=0.05, max_delay=0.2, periodic=False).run()


if __name__ == "__main__":
    main()

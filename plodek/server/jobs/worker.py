"""The worker process: takes jobs off the queue, one at a time."""

from __future__ import annotations

import os
import threading
import time

from plodek.server.jobs import work
from plodek.server.jobs.queue import data_folder, queue
from plodek.server.store.tables import open_database


def main() -> None:
    """Work until told to end, or until the server that started it is gone."""
    parent = os.getppid()
    database = open_database(data_folder() / "plodek.db")
    with database.connection_context():
        work.end_crashed_jobs()

    def live() -> None:
        told = 0.0
        while os.getppid() == parent:
            if time.time() - told > work.BEAT_EVERY:
                with database.connection_context():
                    work.beat()
                told = time.time()
            time.sleep(0.5)
        os._exit(0)

    threading.Thread(target=live, daemon=True).start()
    queue.create_consumer(workers=1, initial_delay=0.05, max_delay=0.2, periodic=False).run()


if __name__ == "__main__":
    main()

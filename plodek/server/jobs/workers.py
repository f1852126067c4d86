"""The workers beside the server: one that ends is started again, and the job that it had is ended clearly."""

from __future__ import annotations

import logging
import threading
import time
from multiprocessing.context import ForkServerProcess

from plodek.server.jobs import worker
from plodek.server.jobs.desk import READING, WORK, Lane
from plodek.server.pool import forked
from plodek.server.workspace import Workspace

#: Workers that read files, whatever else there is to do: a file that takes long holds up no other work.
READERS = 2


class Workers:
    """As many workers as the settings say, and those that read, from now until the server ends."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._processes: dict[int, ForkServerProcess] = {}
        with workspace.database.connection_context():
            workspace.desk.end_crashed()  # those of a server before
        lanes = [WORK] * workspace.settings.workers + [READING] * READERS
        for number, lane in enumerate(lanes):
            threading.Thread(target=self._keep, args=(number, lane), daemon=True).start()

    @property
    def alive(self) -> int:
        """How many of them live."""
        return sum(process.is_alive() for process in list(self._processes.values()))

    def _keep(self, number: int, lane: Lane) -> None:
        while True:
            began = time.monotonic()
            try:
                process = self._processes[number] = forked.start(worker.main, self._workspace.folder, lane)
                process.join()
                with self._workspace.database.connection_context():
                    self._workspace.desk.end_crashed(process.pid)
            except Exception:  # without this thread no worker would be started again
                logging.getLogger(__name__).exception("looking after a worker")
            # One that cannot start is no reason to spin.
            time.sleep(max(0.0, began + 1.0 - time.monotonic()))

"""The workers beside the server: one that ends is started again, and the job that it had is ended clearly."""

from __future__ import annotations

import threading
import time
from multiprocessing.context import ForkServerProcess

from plodek.server.jobs import worker
from plodek.server.pool import forked
from plodek.server.workspace import Workspace


class Workers:
    """As many workers as the settings say, from now until the server ends."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._processes: dict[int, ForkServerProcess] = {}
        with workspace.database.connection_context():
            workspace.desk.end_crashed()  # those of a server before
        for number in range(workspace.settings.workers):
            threading.Thread(target=self._keep, args=(number,), daemon=True).start()

    @property
    def alive(self) -> int:
        """How many of them live."""
        return sum(process.is_alive() for process in list(self._processes.values()))

    def _keep(self, number: int) -> None:
        while True:
            process = self._processes[number] = forked.start(worker.main, self._workspace.folder)
            began = time.monotonic()
            process.join()
            with self._workspace.database.connection_context():
                self._workspace.desk.end_crashed(process.pid)
            # One that cannot start is no reason to spin.
            time.sleep(max(0.0, began + 1.0 - time.monotonic()))

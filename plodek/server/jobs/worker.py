"""A worker process: takes jobs of a data folder, one at a time."""

from __future__ import annotations

import logging
import os
import threading
import time
from pathlib import Path

from plodek.core import lifeline
from plodek.server.jobs import work
from plodek.server.jobs.desk import Lane
from plodek.server.log import start_log
from plodek.server.pool.apart import Apart
from plodek.server.pool.fence import see_only_work_in
from plodek.server.store.tables import Job
from plodek.server.workspace import TEMPORARY, Workspace

#: Seconds between two looks for a job, and whether the one that runs shall stop.
LOOK_EVERY = 0.1


def main(folder: Path, lane: Lane) -> None:
    """Do the jobs of a lane of a data folder until the server is gone."""
    lifeline.end_with(os.getppid())
    lifeline.limit_memory()
    start_log()
    reading = Apart(folder / TEMPORARY)
    see_only_work_in(folder)
    workspace = Workspace(folder, reading=reading)
    running = _Running(workspace)
    threading.Thread(target=running.watch, daemon=True).start()
    with workspace.database.connection_context():
        while True:
            job = workspace.desk.take(lane)
            if job is None:
                time.sleep(LOOK_EVERY)
            else:
                running.run(job)


class _Running:
    """The job that runs. What does not look itself whether it shall stop ends with the whole process."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._job: Job | None = None
        self._changing = threading.Lock()

    def run(self, job: Job) -> None:
        """Run a job to its end."""
        with self._changing:
            self._job = job
        work.run(self._workspace.engine, job)
        with self._changing:
            self._job = None

    def watch(self) -> None:
        """Look whether the job that runs shall stop, and stops by itself; else end this process.

        The server then tells how the job ended, and starts another worker.
        """
        asked, since = "", 0.0
        while True:
            time.sleep(LOOK_EVERY)
            try:
                with self._changing, self._workspace.database.connection_context():
                    if self._job is None:
                        continue
                    job = self._workspace.desk.get(self._job.id)
                    if job.stop and job.id != asked:
                        asked, since = job.id, time.monotonic()
                    if work.must_end(job, time.monotonic() - since):
                        os._exit(0)
            except Exception:  # a job that nobody watches could not be stopped any more
                logging.getLogger(__name__).exception("looking after the job that runs")

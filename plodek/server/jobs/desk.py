"""The desk where long work is asked for, watched and stopped; a worker takes it from the queue behind it."""

from __future__ import annotations

import json
import time
import uuid
from pathlib import Path
from typing import Any, cast

from huey import SqliteHuey
from peewee import SqliteDatabase

from plodek.core.errors import NothingFound
from plodek.server.engine import Engine
from plodek.server.jobs import work
from plodek.server.store.tables import Job, Project

#: Seconds between two signs of life of a worker, and without one till its jobs are dead.
BEAT_EVERY = 5.0
DEAD_AFTER = 30.0

_ALIVE = ("waiting", "running")
_CRASHED = json.dumps(
    {"error": "The worker stopped before the job was done. Start it again; nothing was lost."}
)


class Desk:
    """The jobs of one data folder."""

    def __init__(self, folder: Path, engine: Engine, database: SqliteDatabase, *, immediate: bool) -> None:
        self.engine, self._database = engine, database
        self.queue = SqliteHuey(
            "plodek",
            filename=str(folder / "queue.db"),
            immediate=immediate,
            immediate_use_memory=True,
        )
        self._run = self.queue.task(name="run")(self._do)

    def ask(self, project: Project, kind: str, asked: dict[str, Any]) -> Job:
        """Put a job on the queue."""
        now = time.time()
        job = Job.create(
            id=uuid.uuid4().hex, project=project, kind=kind, asked=json.dumps(asked), created=now, beat=now
        )
        self._run(job.id)
        return self.get(job.id)

    def ask_with(self, project: Project, kind: str, asked: dict[str, Any], data: bytes) -> Job:
        """Put a job on the queue that works on bytes which are not the project's yet."""
        upload = f"{uuid.uuid4().hex}.upload"
        (self.engine.cache / upload).write_bytes(data)
        return self.ask(project, kind, asked | {"upload": upload})

    def get(self, job: str) -> Job:
        """Find a job; one whose worker has died is ended first. Raises NothingFound."""
        found = Job.get_or_none(Job.id == job)
        if found is None:
            raise NothingFound(f"there is no job {job}")
        if found.state in _ALIVE and found.beat < time.time() - DEAD_AFTER:
            found.state, found.result = "failed", _CRASHED
            found.save()
        return cast(Job, found)

    def stop(self, job: str, *, keep: bool) -> Job:
        """Stop a job; what it has reached is kept, or thrown away."""
        found = self.get(job)
        Job.update(stop=work.STOP if keep else work.DISCARD).where(Job.id == found.id).execute()
        return self.get(job)

    def end_crashed(self) -> None:
        """End the jobs that a worker before this one was running: it has crashed."""
        Job.update(state="failed", result=_CRASHED).where(Job.state == "running").execute()

    def beat(self) -> None:
        """Give a sign of life for all jobs that this worker runs or will run."""
        Job.update(beat=time.time()).where(Job.state.in_(_ALIVE)).execute()

    def live_path(self, job: str) -> Path:
        """Where a running job keeps the nodes it has reached, for a live picture."""
        return work.live_path(self.engine, job)

    def download_path(self, job: str) -> Path:
        """Where a hand-off keeps its download."""
        return work.download_path(self.engine, job)

    def _do(self, job: str) -> None:
        opened = self._database.connect(reuse_if_open=True)
        try:
            work.run(self.engine, Job.get_by_id(job))
        finally:
            if opened:
                self._database.close()

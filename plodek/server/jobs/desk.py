"""The desk where long work is asked for, watched and stopped, and where workers take it from.

The table of jobs is the queue: there is nothing beside it that could say otherwise.
"""

from __future__ import annotations

import json
import os
import time
import uuid
from pathlib import Path
from typing import Any, TypeAlias, cast

from peewee import fn

from plodek.core.errors import NothingFound
from plodek.server.engine import Engine
from plodek.server.jobs import work
from plodek.server.store.tables import Job, Project, writing

#: Ended jobs of a project and kind that are kept: more than any list of them shows.
MOST_ENDED = 100
#: Kinds of jobs that the same workers do.
Lane: TypeAlias = tuple[str, ...]
READING: Lane = ("read",)
WORK: Lane = tuple(kind for kind in work.KINDS if kind not in READING)
_ALIVE = ("waiting", "running")
_CRASHED = json.dumps(
    {"error": "The worker stopped before the job was done. Start it again; nothing was lost."}
)


class Desk:
    """The jobs of one data folder; ``immediate`` runs each within the call that asks for it."""

    def __init__(self, engine: Engine, *, immediate: bool) -> None:
        self.engine, self._immediate = engine, immediate

    def ask(
        self, project: Project, kind: str, asked: dict[str, Any], key: str = "", asker: str | None = None
    ) -> Job:
        """Ask for a job; one for the same, told by its ``key``, that waits or runs already is joined."""
        with writing():
            same = (Job.project == project) & (Job.kind == kind) & (Job.key == key) & Job.state.in_(_ALIVE)
            same &= (Job.stop == 0) & (Job.asker == (asker or ""))
            there = Job.get_or_none(same) if key else None
            if there is not None:
                return cast(Job, there)
            now = time.time()
            job = Job.create(
                id=uuid.uuid4().hex, project=project, kind=kind, asked=json.dumps(asked), key=key,
                created=now, changed=now, asker=asker or "",
            )  # fmt: skip
        if self._immediate:
            work.run(self.engine, job)
        return self.get(job.id)

    def ask_with(
        self, project: Project, kind: str, asked: dict[str, Any], data: bytes, asker: str | None = None
    ) -> Job:
        """Ask for a job that works on bytes which are not the project's yet."""
        upload = f"{uuid.uuid4().hex}.upload"
        (self.engine.cache / upload).write_bytes(data)
        return self.ask(project, kind, asked | {"upload": upload}, asker=asker)

    def get(self, job: str) -> Job:
        """Find a job. Raises NothingFound."""
        found = Job.get_or_none(Job.id == job)
        if found is None:
            raise NothingFound(f"there is no job {job}")
        return cast(Job, found)

    def done(self, project: Project, kind: str, key: str) -> Job | None:
        """Find the last job for the same that was done, by its ``key``."""
        same = (Job.project == project) & (Job.kind == kind) & (Job.key == key) & (Job.state == "done")
        return cast(Job | None, Job.select().where(same).order_by(Job.changed.desc()).first())

    def stop(self, job: str, *, keep: bool) -> Job:
        """Stop a job; what it has reached is kept, or thrown away. One that waits is stopped at once."""
        found = self.get(job)
        waits = (Job.id == found.id) & (Job.state == "waiting")
        if Job.update(state="stopped", changed=time.time()).where(waits).execute():
            work.tidy(self.engine, found)
        else:
            Job.update(stop=work.STOP if keep else work.DISCARD).where(Job.id == found.id).execute()
        return self.get(job)

    def take(self, lane: Lane) -> Job | None:
        """Take the next job of a lane that waits: of the project whose turn it is, its oldest one."""
        if not Job.select().where((Job.state == "waiting") & Job.kind.in_(lane)).exists():
            return None
        with writing():
            running = fn.SUM(Job.state == "running")
            last = fn.MAX(fn.COALESCE(Job.started, 0.0))
            waiting = fn.SUM(Job.state == "waiting")
            here = Job.kind.in_(lane)
            turn = Job.select(Job.project).where(here).group_by(Job.project).having(waiting > 0)
            project = turn.order_by(running, last).limit(1).scalar()
            waits = here & (Job.state == "waiting") & (Job.project == project)
            job = Job.select().where(waits).order_by(Job.created).first()
            if job is not None:
                job.state, job.started, job.worker = "running", time.time(), os.getpid()
                values = {"state": job.state, "started": job.started, "worker": job.worker}
                Job.update(**values).where(Job.id == job.id).execute()
        return cast(Job | None, job)

    def end_crashed(self, worker: int | None = None) -> None:
        """End the jobs that a worker was running, or any worker: it has ended itself."""
        ran = Job.state == "running"
        if worker is not None:
            ran &= Job.worker == worker
        for job in Job.select().where(ran):
            state = "stopped" if job.stop else "failed"
            Job.update(state=state, result="{}" if job.stop else _CRASHED, changed=time.time()).where(
                (Job.id == job.id) & (Job.state == "running")
            ).execute()
            work.tidy(self.engine, job)

    def prune(self) -> int:
        """Drop the jobs of each project and kind that have ended before its last ones; give how many."""
        place = fn.ROW_NUMBER().over(partition_by=[Job.project, Job.kind], order_by=[Job.changed.desc()])
        ended = Job.select(Job.id, place.alias("place")).where(Job.state.not_in(_ALIVE))
        early = ended.select_from(ended.c.id).where(ended.c.place > MOST_ENDED)
        return int(Job.delete().where(Job.id.in_(early)).execute())

    def live_path(self, job: str) -> Path:
        """Where a running job keeps the nodes it has reached, for a live picture."""
        return work.live_path(self.engine, job)

    def field_path(self, job: str) -> Path:
        """Where a dry run keeps its flow as it is seen from outside."""
        return work.field_path(self.engine, job)

    def download_path(self, job: str) -> Path:
        """Where a hand-off keeps its download."""
        return work.download_path(self.engine, job)

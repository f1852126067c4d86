"""The long work itself, run by the worker: building grids with a live picture, and handing them off."""

from __future__ import annotations

import json
import shutil
import time
import traceback
import uuid
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, cast

from plodek.core.arrays import Floats
from plodek.core.errors import Halted, NotReady, PlodekError
from plodek.core.formats.handoff import Format, hand_off
from plodek.core.recipe import recipe as recipes
from plodek.core.shape.files import geometry_file
from plodek.core.smooth.smooth import Progress
from plodek.server.api.grid_pictures import plane_picture
from plodek.server.engine import Engine
from plodek.server.jobs.queue import data_folder, queue
from plodek.server.store import projects
from plodek.server.store.tables import Job, Project, database, open_database

#: Seconds between two pictures of a running job, between two signs of life, and without one till it is dead.
PICTURE_EVERY = 0.25
BEAT_EVERY = 5.0
DEAD_AFTER = 30.0
#: What a job may be told: stop and keep what is reached, or end without a trace.
STOP, DISCARD = 1, 2


class _Stopped(Exception):
    """The user's stop, where nothing worth keeping has been reached."""


@cache
def _engine() -> Engine:
    return Engine(data_folder())


def ask(project: Project, kind: str, asked: dict[str, Any]) -> Job:
    """Put a job on the queue."""
    now = time.time()
    job = Job.create(
        id=uuid.uuid4().hex, project=project, kind=kind, asked=json.dumps(asked), created=now, beat=now
    )
    run(job.id)
    return cast(Job, Job.get_by_id(job.id))


def ask_with(project: Project, kind: str, asked: dict[str, Any], data: bytes) -> Job:
    """Put a job on the queue that works on bytes which are not the project's yet."""
    upload = f"{uuid.uuid4().hex}.upload"
    (data_folder() / "cache" / upload).write_bytes(data)
    return ask(project, kind, asked | {"upload": upload})


def picture_path(folder: Path, job: str) -> Path:
    """Where a running job keeps its live picture."""
    return folder / "cache" / f"{job}.picture"


def download_path(folder: Path, job: str) -> Path:
    """Where a hand-off keeps its download."""
    return folder / "cache" / f"{job}.zip"


_ALIVE = ("waiting", "running")
_CRASHED = json.dumps(
    {"error": "The worker stopped before the job was done. Start it again; nothing was lost."}
)


def end_dead_jobs() -> None:
    """End the jobs that have shown no sign of life for long: no worker is there."""
    silent = Job.state.in_(_ALIVE) & (Job.beat < time.time() - DEAD_AFTER)
    Job.update(state="failed", result=_CRASHED).where(silent).execute()


def end_crashed_jobs() -> None:
    """End the jobs that a worker before this one was running: it has crashed."""
    Job.update(state="failed", result=_CRASHED).where(Job.state == "running").execute()


def beat() -> None:
    """Give a sign of life for all jobs that this worker runs or will run."""
    Job.update(beat=time.time()).where(Job.state.in_(_ALIVE)).execute()


@queue.task()  # type: ignore[untyped-decorator]  # huey brings no types
def run(job_id: str) -> None:
    """Run a job to a clear end: done, stopped, or failed with a sentence."""
    if database.obj is None:
        open_database(data_folder() / "plodek.db")
    opened = database.connect(reuse_if_open=True)
    try:
        _run(Job.get_by_id(job_id))
    finally:
        if opened:
            database.close()


def _run(job: Job) -> None:
    _mark(job, state="running")
    work: dict[str, Callable[[Job], tuple[str, dict[str, Any]]]] = {
        "build": _build,
        "handoff": _handoff,
        "read": _read,
    }
    try:
        state, result = work[job.kind](job)
    except (_Stopped, Halted):
        state, result = "stopped", {}
    except PlodekError as error:
        state, result = "failed", {"error": str(error), "title": error.title}
    except Exception:  # the job must end clearly, and the cause must reach the log
        traceback.print_exc()
        state, result = "failed", {"error": "Plodek made a mistake here; the log of the server has more."}
    _mark(job, state=state, result=json.dumps(result))
    picture_path(data_folder(), job.id).unlink(missing_ok=True)


def _mark(job: Job, **values: Any) -> None:
    Job.update(beat=time.time(), **values).where(Job.id == job.id).execute()


def _build(job: Job) -> tuple[str, dict[str, Any]]:
    """Smooth what the steps ask for; a stop keeps the sweeps that were reached, as the step's own value."""
    asked = json.loads(job.asked)
    project = projects.get(job.project_id)
    engine = _engine()
    read_file = projects.reader(project)
    recipe = recipes.of({"plodek": recipes.FORMAT, "steps": asked["steps"]})
    evaluation = engine.evaluate(recipe, read_file)
    models = evaluation.models[: asked["upto"]]
    applied = recipe.model_copy(update={"steps": recipe.steps[: len(models)]})
    key = engine.plane_key(applied, read_file)
    if key is None:
        raise evaluation.error or NotReady("there is nothing to smooth", remedy="add a smoothing step")
    watch = _Watch(job, [s.sweeps for s in models[-1].plane.smoothing])
    plane, runs = engine.smooth(models[-1], watch)
    steps = [dict(step) for step in asked["steps"]]
    if watch.stopped:
        if all(run.sweeps == 0 for run in runs):
            raise _Stopped
        reached = iter(runs)
        for step in steps[: len(models)]:
            if step["kind"] == "smooth":
                step["sweeps"] = max(next(reached).sweeps, 1)
        applied = recipes.of({"plodek": recipes.FORMAT, "steps": steps[: len(models)]})
        key = cast(str, engine.plane_key(applied, read_file))
    engine.keep_plane(key, plane, runs)
    result: dict[str, Any] = {"runs": [run.model_dump() for run in runs]}
    if asked["keep"] or watch.stopped:
        try:
            result["revision"] = projects.keep(project.id, asked["base"], steps).revision
        except projects.Stale as error:
            # Another tab was quicker: the browser offers the step again, and the plane is in the cache.
            return "failed", result | {"error": str(error), "steps": steps}
    return ("stopped" if watch.stopped else "done"), result


class _Watch:
    """Tells the browser how a smoothing run goes, and looks whether it shall stop."""

    def __init__(self, job: Job, sweeps: list[int]) -> None:
        self.job, self.sweeps, self.run = job, sweeps, 0
        self.began, self.told, self.last = time.time(), 0.0, 0
        self.stopped = False

    def __call__(self, progress: Progress, picture: Callable[[], Mapping[str, Floats]]) -> bool:
        now = time.time()
        if progress.sweeps < self.last:
            self.run += 1
        self.last = progress.sweeps
        if now - self.told < PICTURE_EVERY:
            return not self.stopped
        self.told = now
        blocks = picture()
        path = picture_path(data_folder(), self.job.id)
        part = path.with_suffix(".part")
        part.write_bytes(plane_picture(list(blocks), list(blocks.values())))
        part.replace(path)
        whole = self.sweeps[min(self.run, len(self.sweeps) - 1)]
        left = (now - self.began) / progress.sweeps * (whole - progress.sweeps)
        told = {
            "run": self.run + 1,
            "runs": len(self.sweeps),
            "sweeps": progress.sweeps,
            "of": whole,
            "move": progress.move,
            "folded": progress.folded,
            "heights_off": progress.heights_off,
            "seconds_left": left,
            "picture": int(now * 1000),
        }
        _mark(self.job, progress=json.dumps(told))
        stop = Job.get_by_id(self.job.id).stop
        if stop == DISCARD:
            raise _Stopped
        self.stopped = stop == STOP
        return not self.stopped


def _read(job: Job) -> tuple[str, dict[str, Any]]:
    """Read a geometry file, and store it with the project once it has been read."""
    asked = json.loads(job.asked)
    path = data_folder() / "cache" / asked["upload"]
    try:
        data = path.read_bytes()
        packed = _engine().geometry(data, asked["name"], lambda share, words: _tell_read(job, share, words))
        name = projects.add_file(projects.get(job.project_id), asked["name"], data)
    finally:
        path.unlink(missing_ok=True)
    return "done", file_facts(name, packed)


def _tell_read(job: Job, share: float, words: str) -> None:
    _mark(job, progress=json.dumps({"share": share, "words": words}))
    if Job.get_by_id(job.id).stop:
        raise Halted("the reading was stopped")


def file_facts(name: str, packed: bytes) -> dict[str, Any]:
    """Tell what packed contents of a geometry file hold."""
    found = geometry_file.summary(packed, name)
    return {
        "name": name, "kind": found.kind, "unit": found.unit, "file_unit": found.file_unit,
        "counts": found.counts, "names": list(found.names), "left_out": list(found.left_out),
        "title": "", "closed": False, "gap": 0.0, "low": list(found.low), "high": list(found.high),
    }  # fmt: skip


def _handoff(job: Job) -> tuple[str, dict[str, Any]]:
    """Write the files of a hand-off and pack them as one download."""
    asked = json.loads(job.asked)
    project = projects.get(job.project_id)
    engine = _engine()
    read_file = projects.reader(project)
    evaluation = engine.evaluate(projects.recipe_of(project), read_file)
    if evaluation.error is not None:
        raise evaluation.error
    found = engine.grid(evaluation, read_file)
    if found is None:
        raise NotReady("the smoothing has not been run yet", remedy="let it run first (Smooth)")
    folder = engine.cache / f"{job.id}.files"
    name = "-".join("".join(c if c.isalnum() else " " for c in project.name).split()).lower()[:60] or "grid"
    try:
        done = hand_off(
            found[0],
            folder,
            name=name,
            unit=evaluation.model.unit,
            limits=evaluation.model.limits,
            formats=cast(tuple[Format, ...], tuple(asked["formats"])),
            file_unit=asked["unit"],
            scale=asked["scale"],
            folded_too=asked["folded_too"],
        )
        shutil.make_archive(str(download_path(data_folder(), job.id).with_suffix("")), "zip", folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    files = [str(f.relative_to(folder)) for f in done.files]
    return "done", {"name": f"{name}.zip", "files": files, "facts": done.facts}

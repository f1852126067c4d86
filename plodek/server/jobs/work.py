"""The long work itself: building grids with a live picture, handing them off, reading geometry."""

from __future__ import annotations

import json
import logging
import shutil
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any, cast

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.budget import out_of_memory
from plodek.core.build.walls import wall_units_of
from plodek.core.dryrun.dry_run import dry_run
from plodek.core.errors import Halted, NotReady, OverBudget, PlodekError
from plodek.core.formats import registry
from plodek.core.formats.handoff import hand_off
from plodek.core.model.model import Model
from plodek.core.proof.proof import prove_all, told_in
from plodek.core.recipe import document
from plodek.core.recipe.document import Recipe
from plodek.core.recipe.files import Files
from plodek.core.recipe.steps.smooth.run_step import RunStep
from plodek.core.smooth.outcome import WITHOUT_PICTURE, Progress, Reached
from plodek.core.smooth.relaxation import PORTION
from plodek.server.engine import Engine, not_run
from plodek.server.file_facts import file_facts
from plodek.server.jobs.bundle import digest_of, pack, unpack
from plodek.server.store import projects, sharing
from plodek.server.store.contents import digest
from plodek.server.store.files import ProjectFiles
from plodek.server.store.sharing import Role
from plodek.server.store.tables import Job, Project

#: Seconds between two looks at a running job, and between two pictures of it, for each so many nodes.
LOOK_EVERY, NODES_A_LOOK = 0.25, 50_000
#: What a job may be told: stop and keep what is reached, or end without a trace.
STOP, DISCARD = 1, 2
#: Seconds in which smoothing that shall end without a trace does so by itself, and its worker lives on.
PATIENCE = 0.6
#: The share of a hand-off that writing takes; the rest is proof.
_WRITING = 0.5


class _Stopped(BaseException):
    """The user's stop, where nothing worth keeping has been reached; nothing takes it for a mistake."""


def live_path(engine: Engine, job: str) -> Path:
    """Where a running job keeps the nodes it has reached."""
    return engine.cache / f"{job}.live"


def download_path(engine: Engine, job: str) -> Path:
    """Where a hand-off keeps its download."""
    return engine.cache / f"{job}.zip"


def field_path(engine: Engine, job: str) -> Path:
    """Where a dry run keeps its flow as it is seen from outside."""
    return engine.cache / f"{job}.field"


def must_end(job: Job, asked_for: float) -> bool:
    """Whether the process of a running job has to end for it to stop, which was asked for so long ago.

    Smoothing that has begun sees to it itself: it may keep what it has as long as it takes, or has a moment
    to end without a trace. Everything else ends with its process.
    """
    smoothing = job.kind == "build" and job.progress != "{}"
    if not job.stop:
        return False
    return not smoothing or (job.stop == DISCARD and asked_for > PATIENCE)


def tidy(engine: Engine, job: Job) -> None:
    """Throw away what a job has laid down for itself."""
    live_path(engine, job.id).unlink(missing_ok=True)
    shutil.rmtree(_files(engine, job.id), ignore_errors=True)
    upload = json.loads(job.asked).get("upload")
    if upload:
        (engine.cache / upload).unlink(missing_ok=True)


def _files(engine: Engine, job: str) -> Path:
    return engine.cache / f"{job}.files"


def run(engine: Engine, job: Job) -> None:
    """Run a job to a clear end: done, stopped, or failed with a sentence."""
    _mark(job, state="running")
    try:
        state, result = KINDS[job.kind](engine, job)
    except (_Stopped, Halted):
        state, result = "stopped", {}
    except OSError as error:
        words = f"The data folder cannot be written to ({error.strerror}). Make room, and start it again."
        state, result = "failed", {"error": words}
    except MemoryError:
        state, result = "failed", {"error": str(out_of_memory()), "title": OverBudget.title}
    except PlodekError as error:
        state, result = "failed", {"error": str(error), "title": error.title}
    except Exception:  # the job must end clearly, and the cause must reach the log
        logging.getLogger(__name__).exception("job %s (%s)", job.id, job.kind)
        state, result = "failed", {"error": "Plodek made a mistake here; the log of the server has more."}
    _mark(job, state=state, result=json.dumps(result))
    tidy(engine, job)


def _mark(job: Job, **values: Any) -> None:
    Job.update(changed=time.time(), **values).where(Job.id == job.id).execute()


def _build(engine: Engine, job: Job) -> tuple[str, dict[str, Any]]:
    """Smooth what the steps ask for; a stop keeps the sweeps that were reached, as the step's own value.

    Runs after the one that was stopped stay in the recipe as they are, not run yet.
    """
    asked = json.loads(job.asked)
    project = projects.get(job.project_id)
    files = ProjectFiles(project, engine)
    recipe = document.of({"steps": asked["steps"]})
    part = recipe.upto(asked["upto"])
    watch = _Watch(engine, job, [step.sweeps for step in part.steps if isinstance(step, RunStep)])
    smoothing = _Smoothing(engine, watch)
    evaluation = engine.evaluate(part, files, smoothing)
    # The last runs are asked for here, whether or not steps after them have: what these found may be kept
    # from before, and the grid itself be gone.
    last = evaluation.last_run
    with suppress(Halted):
        if last is not None and not watch.stopped:
            smoothing(part.upto(last + 1), files, evaluation.models[last])
    if smoothing.reached is None:
        raise evaluation.error or NotReady("there is nothing to smooth", remedy="add a smoothing step")
    if asked["keep"] and evaluation.error is not None and not watch.stopped:
        raise evaluation.error  # of a step after the run, which could be tried with its grid alone
    key, blocks, runs = smoothing.reached
    steps = list(recipe.steps)
    cut_short = False
    if watch.stopped:
        if not blocks:
            raise _Stopped  # no step of the recipe would give what has been reached
        at = [n for n, step in enumerate(steps) if isinstance(step, RunStep)][len(runs) - 1]
        cut_short = runs[-1].note == "stopped"
        if cut_short:
            steps[at] = steps[at].model_copy(update={"sweeps": runs[-1].sweeps})
        recipe = recipe.model_copy(update={"steps": steps})
        key = cast(str, engine.smoothed_key(recipe.upto(at + 1), files))
        engine.keep_smoothed(key, blocks, runs)
    result: dict[str, Any] = {"runs": [asdict(one) for one in runs]}
    if asked["keep"] or cut_short:
        _need_still(job, "edit")
        try:
            kept = projects.keep(project.id, asked["base"], recipe.document()["steps"])
            result["revision"] = kept.revision
        except projects.Stale as error:
            # Another tab was quicker: the browser offers the step again, and the grid is in the cache.
            return "failed", result | {"error": str(error), "steps": recipe.document()["steps"]}
    return ("stopped" if watch.stopped else "done"), result


def _need_still(job: Job, least: Role) -> Project:
    """Give the project of a job, as it is now. Raises NotReady where who asked may not do this any more."""
    project = projects.get(job.project_id)
    if not sharing.may(project, job.asker or None, least):
        raise NotReady(
            "who asked for this may not change the project any more, and nothing of it was kept",
            remedy="ask its owner",
        )
    return project


class _Smoothing:
    """Smooths a recipe, also between steps that work on the smoothed grid; what has run is not run again."""

    def __init__(self, engine: Engine, watch: _Watch) -> None:
        self.engine, self.watch = engine, watch
        #: The key of what was reached last, the nodes and what is told of the runs.
        self.reached: tuple[str, dict[str, Floats], list[Reached]] | None = None

    def __call__(self, recipe: Recipe, files: Files, model: Model) -> dict[str, Floats]:
        """Give what the runs of a recipe's model give. Raises Halted where they are stopped."""
        key = cast(str, self.engine.smoothed_key(recipe, files))
        known = self.engine.smoothed(key)
        blocks, runs = known or self.engine.smooth(model, recipe, files, self.watch.of)
        self.reached = key, blocks, runs
        if self.watch.stopped:
            raise Halted("the smoothing was stopped")
        if known is None:
            self.engine.keep_smoothed(key, blocks, runs)
        return blocks


class _Watch:
    """Tells the browser how a smoothing run goes, and looks whether it shall stop."""

    def __init__(self, engine: Engine, job: Job, sweeps: list[int]) -> None:
        self.engine, self.job, self.sweeps, self.run = engine, job, sweeps, 0
        self.began, self.told = time.monotonic(), 0.0
        self.stopped, self.drawn, self.next_picture = False, 0, 0.0

    def of(self, run: int) -> _Watch:
        """Watch a run by its number, from 0."""
        self.run = run
        return self

    def __call__(self, progress: Progress, picture: Callable[[], Mapping[str, Floats]]) -> bool:
        now = time.monotonic()
        if progress.sweeps <= PORTION:
            self.began = now
        if now - self.told < LOOK_EVERY:
            return not self.stopped
        self.told = now
        if now >= self.next_picture and progress.note not in WITHOUT_PICTURE:
            self._draw(picture(), now)
        whole = self.sweeps[self.run]
        done = max(progress.sweeps - PORTION, 1)
        told = {
            "run": self.run + 1,
            "runs": len(self.sweeps),
            "sweeps": progress.sweeps,
            "of": whole,
            "move": progress.move,
            "folded": progress.folded,
            "share": progress.share,
            "worst": progress.worst,
            "note": progress.note,
            "heights_off": progress.heights_off,
            "seconds_left": (now - self.began) / done * (whole - progress.sweeps),
            **({"picture": self.drawn} if self.drawn else {}),
        }
        _mark(self.job, progress=json.dumps(told))
        stop = Job.get_by_id(self.job.id).stop
        if stop == DISCARD:
            raise _Stopped
        self.stopped = stop == STOP
        return not self.stopped

    def _draw(self, blocks: Mapping[str, Floats], now: float) -> None:
        path = live_path(self.engine, self.job.id)
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.savez(file, **cast(dict[str, Any], blocks))
        part.replace(path)
        nodes = sum(block[..., 0].size for block in blocks.values())
        self.drawn, self.next_picture = int(time.time() * 1000), now + LOOK_EVERY * nodes / NODES_A_LOOK


def _teller(job: Job, stopped: str) -> Callable[[float, str], None]:
    """Give what writes down how far a job is, a few times a second, and ends it where it is to stop."""
    began = told = time.monotonic()
    said = ""

    def tell(share: float, words: str) -> None:
        nonlocal told, said
        now = time.monotonic()
        if words == said and now - told < LOOK_EVERY:
            return
        told, said = now, words
        left = (now - began) * (1 - share) / share if share > 0 else None
        _mark(job, progress=json.dumps({"share": share, "words": words, "seconds_left": left}))
        if Job.get_by_id(job.id).stop:
            raise Halted(stopped)

    return tell


def _read(engine: Engine, job: Job) -> tuple[str, dict[str, Any]]:
    """Read a geometry file or a grid, and store it with the project once it has been read."""
    asked = json.loads(job.asked)
    path = engine.cache / asked["upload"]

    data = path.read_bytes()
    tell = _teller(job, "the reading was stopped")
    if registry.is_grid(asked["name"]):
        told = engine.grid_told(data, asked["name"], digest(data), tell)
    else:
        told = file_facts(asked["name"], engine.geometry(data, asked["name"], digest(data), tell))
    name = projects.add_file(_need_still(job, "edit"), asked["name"], data)
    return "done", told | {"name": name}


def _handoff(engine: Engine, job: Job) -> tuple[str, dict[str, Any]]:
    """Write the files of a hand-off and pack them as one download."""
    asked = json.loads(job.asked)
    project = projects.get(job.project_id)
    files = ProjectFiles(project, engine)
    evaluation = engine.evaluate(projects.recipe_of(project, asked["revision"]), files)
    if evaluation.error is not None:
        raise evaluation.error
    if not evaluation.model.layout.filled:
        raise NotReady("there are no blocks to hand off yet", remedy="lay out blocks first (Blocks)")
    found = engine.grid(evaluation, files)
    if found is None:
        raise not_run()
    folder = _files(engine, job.id)
    tell = _teller(job, "the hand-off was stopped")
    name = "-".join("".join(c if c.isalnum() else " " for c in asked["name"]).split()).lower()[:60] or "grid"
    done = hand_off(
        found.grid,
        folder,
        name=name,
        unit=evaluation.model.unit,
        limits=evaluation.model.limits,
        walls=found.walls,
        own_limits=evaluation.model.part_limits,
        wall_units=wall_units_of(evaluation.model),
        labels=evaluation.model.layout.labels,
        formats=asked["formats"],
        options=asked["options"],
        recipe=evaluation.recipe.model_copy(update={"name": asked["name"]}).model_dump_json(
            exclude_defaults=True
        ),
        tell=lambda share, words: tell(_WRITING * share, words),
        file_unit=asked["unit"],
        scale=asked["scale"],
        folded_too=asked["folded_too"],
        poles_too=asked["poles_too"],
    )
    proofs = prove_all(
        done.files, done.sent, lambda share, words: tell(_WRITING + (1 - _WRITING) * share, words)
    )
    told_in(done.report, proofs)
    written = {str(file.relative_to(folder)): file for file in done.files}
    pack(download_path(engine, job.id), written)
    return "done", {
        "name": f"{name}.zip",
        "files": list(written),
        "bytes": sum(file.stat().st_size for file in done.files),
        "digest": digest_of(written),
        "factor": done.sent.factor,
        "facts": done.facts,
        "proofs": [
            {
                "file": str(proof.file.relative_to(folder)),
                "holds": proof.holds,
                "grid": proof.grid,
                "findings": [asdict(finding) for finding in proof.findings],
            }
            for proof in proofs
        ],
    }


def _dry_run(engine: Engine, job: Job) -> tuple[str, dict[str, Any]]:
    """Solve on a file of a hand-off."""
    asked = json.loads(job.asked)
    bundle, folder = download_path(engine, asked["handoff"]), _files(engine, job.id)
    if not bundle.is_file():
        raise NotReady("the files of this hand-off are gone", remedy="write them again")
    unpack(bundle, asked["with"], folder)
    run = dry_run(folder / asked["file"], _teller(job, "the dry run was stopped"))
    if run.outside is not None:
        with field_path(engine, job.id).open("wb") as out:
            np.savez(out, factor=asked["factor"], **asdict(run.outside))
    return "done", {
        "holds": run.holds,
        "findings": [asdict(finding) for finding in run.findings],
        "balance": {} if run.flow is None else dict(run.flow.balance),
        "seen": run.outside is not None,
    }


#: What does each kind of job.
KINDS: Mapping[str, Callable[[Engine, Job], tuple[str, dict[str, Any]]]] = {
    "build": _build,
    "dry_run": _dry_run,
    "handoff": _handoff,
    "read": _read,
}

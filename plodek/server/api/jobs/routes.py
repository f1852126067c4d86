"""Jobs: long work asked for, looked at until it has ended, stopped, and its result fetched.

A browser asks again and again how a job stands: that holds no thread between two looks and writes nothing.
"""

from __future__ import annotations

import json
from dataclasses import asdict

import numpy as np
from apiflask import APIBlueprint, HTTPError
from flask import Response, send_file
from pydantic import BaseModel

from plodek.core.build.assemble import assemble
from plodek.core.errors import NothingFound, NotReady, NotRun
from plodek.core.fingerprint import fingerprint
from plodek.core.formats.changes import changes
from plodek.core.formats.registry import writers
from plodek.server.api.context import desk, engine, evaluated, files_of, sends, user
from plodek.server.api.grids.messages import PartOf
from plodek.server.api.grids.pictures import grid_picture, plane_picture
from plodek.server.api.grids.routes import shown_of
from plodek.server.api.jobs.fields import field_picture
from plodek.server.api.jobs.messages import (
    AgainstQuery,
    BuildIn,
    DryRunIn,
    FieldQuery,
    HandoffIn,
    HandoffOut,
    HandoffsOut,
    JobOut,
)
from plodek.server.door.roles import need_role, needs
from plodek.server.pool.passing import evaluated_apart
from plodek.server.store import handoffs, projects, sharing
from plodek.server.store.contents import digest
from plodek.server.store.handoffs import HandedOff
from plodek.server.store.tables import Job

blueprint = APIBlueprint("jobs", __name__)


@blueprint.post("/projects/<int:project>/builds")
@blueprint.input(BuildIn)
@blueprint.output(JobOut, status_code=202)
@needs("see")
@evaluated_apart(again=False)
def ask_build(project: int, json_data: BuildIn) -> JobOut:
    """Smooth what the steps ask for; with ``keep``, keep them as a revision once it has run."""
    found = projects.get(project)
    if json_data.keep:
        need_role(found, "edit")
    if found.revision != json_data.base:
        raise projects.Stale(found)
    evaluation = evaluated(found, json_data.steps)
    waits = isinstance(evaluation.error, NotRun)  # for a run between its steps
    if json_data.keep and evaluation.error is not None and not waits:
        raise evaluation.error
    if not waits and evaluation.last_run is None:
        raise NotReady("there is nothing to smooth", remedy="add a smoothing step")
    key = engine().smoothed_key(evaluation.applied.upto(json_data.upto), files_of(found))
    asked = json_data.model_dump()
    own = digest(json.dumps(asked).encode())
    return job_out(desk().ask(found, "build", asked, f"{key} {own}", user()))


@blueprint.post("/projects/<int:project>/handoffs")
@blueprint.input(HandoffIn)
@blueprint.output(JobOut, status_code=202)
@needs("see")
def ask_handoff(project: int, json_data: HandoffIn) -> JobOut:
    """Write the grid in the wished formats, as one download; one that is there already is given again."""
    found = projects.get(project)
    writers(json_data.formats)  # said at once, where one is none
    asked = json_data.model_dump()
    asked["name"] = json_data.name or found.name
    asked["revision"] = found.revision if json_data.revision is None else json_data.revision
    key = f"{fingerprint()} {json.dumps(asked)}"
    done = desk().done(found, "handoff", key)
    if done is not None and desk().download_path(done.id).is_file():
        return job_out(done)
    return job_out(desk().ask(found, "handoff", asked, key, user()))


@blueprint.get("/projects/<int:project>/handoffs")
@blueprint.input(AgainstQuery, location="query")
@blueprint.output(HandoffsOut)
@needs("see")
def get_handoffs(project: int, query_data: AgainstQuery) -> HandoffsOut:
    """List what has been handed off, the last first; each held against one, or else the one before it."""
    made = handoffs.listed(projects.get(project))
    chosen = next((one for one in made if one.id == query_data.against), None)
    if query_data.against and chosen is None:
        raise NothingFound("there is no such hand-off", remedy="choose one that is listed")
    befores = [chosen] * len(made) if chosen else [*made, None][1:]
    return HandoffsOut(
        handoffs=[_handoff_out(one, before) for one, before in zip(made, befores, strict=True)]
    )


def _handoff_out(one: HandedOff, before: HandedOff | None) -> HandoffOut:
    told = asdict(one)
    del told["facts"]
    return HandoffOut(
        there=desk().download_path(one.id).is_file(),
        against=before.id if before and before is not one else None,
        changes=changes(before.facts, one.facts) if before else [],
        **told,
    )


@blueprint.post("/projects/<int:project>/handoffs/<job>/dry-runs")
@blueprint.input(DryRunIn)
@blueprint.output(JobOut, status_code=202)
@needs("see")
def ask_dry_run(project: int, job: str, json_data: DryRunIn) -> JobOut:
    """Solve on a file of a hand-off."""
    found = projects.get(project)
    handoff = next((one for one in handoffs.listed(found) if one.id == job), None)
    if handoff is None or json_data.file not in handoff.files:
        raise NothingFound("there is no such file among those handed off", remedy="choose one of the list")
    asked = {
        "handoff": handoff.id, "file": json_data.file, "with": handoff.files, "factor": handoff.factor
    }  # fmt: skip
    key = f"{fingerprint()} {json.dumps(asked)}"
    done = desk().done(found, "dry_run", key)
    if done is not None and (not json.loads(done.result)["seen"] or desk().field_path(done.id).is_file()):
        return job_out(done)
    return job_out(desk().ask(found, "dry_run", asked, key, user()))


@blueprint.get("/jobs/<job>/field")
@blueprint.input(FieldQuery, location="query")
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@evaluated_apart()
def job_field(job: str, query_data: FieldQuery) -> Response:
    """Give the flow that a dry run has solved, on the outside of its grid, in the unit of the project."""
    path = desk().field_path(desk().get(job).id)
    try:
        with np.load(path, allow_pickle=False) as arrays:
            picture = field_picture({name: arrays[name] for name in arrays.files}, query_data.field)
    except OSError as error:
        raise NothingFound("this dry run has no picture", remedy="run it again") from error
    return Response(picture, mimetype="application/octet-stream")


@blueprint.get("/jobs/<job>")
@blueprint.output(JobOut)
def get_job(job: str) -> JobOut:
    """Tell where a job stands."""
    return job_out(desk().get(job))


class StopQuery(BaseModel):
    """Whether what was reached is kept."""

    keep: bool = True


@blueprint.post("/jobs/<job>/stop")
@blueprint.input(StopQuery, location="query")
@blueprint.output(JobOut)
@needs("see")
def stop_job(job: str, query_data: StopQuery) -> JobOut:
    """Stop a job; what it has reached is kept, or thrown away where a newer recipe has overtaken it.

    Whoever asked for a job may stop it; another one's needs to edit. What it has reached are the steps of
    whoever asked: keeping it needs that both of them may edit.
    """
    found = desk().get(job)
    if query_data.keep or found.asker != (user() or ""):
        need_role(found.project, "edit")
    if query_data.keep and not sharing.may(found.project, found.asker or None, "edit"):
        raise HTTPError(403, "Who asked for this run may not change the project: it can only be thrown away.")
    return job_out(desk().stop(job, keep=query_data.keep))


@blueprint.get("/jobs/<job>/picture")
@blueprint.input(PartOf, location="query")
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
@evaluated_apart()
def job_picture(job: str, query_data: PartOf) -> Response:
    """Give the live picture of a running job: in space its outer faces, or the part that is asked for."""
    found = desk().get(job)
    try:
        with np.load(desk().live_path(found.id), allow_pickle=False) as arrays:
            blocks = {name: arrays[name] for name in arrays.files}
    except OSError as error:
        raise NothingFound("this job has no picture now") from error
    if next(iter(blocks.values())).shape[2] == 1:
        picture = plane_picture(list(blocks), list(blocks.values()))
    else:
        asked = json.loads(found.asked)
        model = evaluated(projects.get(found.project_id), asked["steps"]).models[: asked["upto"]][-1]
        grid = assemble(model, blocks)
        picture = grid_picture(grid, model=model, shown=shown_of(grid, model, query_data))
    return Response(picture, mimetype="application/octet-stream")


@blueprint.get("/jobs/<job>/download")
@blueprint.doc(responses=sends("a ZIP file", "application/zip"))
def download(job: str) -> Response:
    """Give the files of a hand-off as one ZIP file."""
    found = desk().get(job)
    path = desk().download_path(found.id)
    if not path.is_file():
        raise NothingFound("this download is gone or not ready yet", remedy="hand off again")
    name = json.loads(found.result)["name"]
    return send_file(path, as_attachment=True, download_name=name)


def job_out(job: Job) -> JobOut:
    """Tell a job."""
    return JobOut(
        id=job.id,
        project=job.project_id,
        kind=job.kind,
        state=job.state,
        progress=json.loads(job.progress),
        result=json.loads(job.result),
    )

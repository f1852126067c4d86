"""Jobs: long work asked for, watched by server-sent events, stopped, and its result fetched."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from typing import cast

from apiflask import APIBlueprint
from flask import Response, send_file
from pydantic import BaseModel

from plodek.core.errors import NothingFound, NotReady
from plodek.server.api.messages import BuildIn, HandoffIn, JobOut
from plodek.server.api.presenting import evaluated, sends
from plodek.server.jobs import work
from plodek.server.jobs.queue import data_folder
from plodek.server.store import projects
from plodek.server.store.tables import Job, database

blueprint = APIBlueprint("jobs", __name__)

#: Seconds between two looks at a job that is being watched.
LOOK = 0.1


@blueprint.post("/projects/<int:project>/builds")
@blueprint.input(BuildIn)
@blueprint.output(JobOut, status_code=202)
def ask_build(project: int, json_data: BuildIn) -> JobOut:
    """Smooth what the steps ask for; with ``keep``, keep them as a revision once it has run."""
    found = projects.get(project)
    if found.revision != json_data.base:
        raise projects.Stale(found)
    evaluation = evaluated(found, json_data.steps)
    if json_data.keep and evaluation.error is not None:
        raise evaluation.error
    if not evaluation.model.plane.smoothing:
        raise NotReady("there is nothing to smooth", remedy="add a smoothing step")
    return job_out(work.ask(found, "build", json_data.model_dump()))


@blueprint.post("/projects/<int:project>/handoffs")
@blueprint.input(HandoffIn)
@blueprint.output(JobOut, status_code=202)
def ask_handoff(project: int, json_data: HandoffIn) -> JobOut:
    """Write the grid in the wished formats, as one download."""
    return job_out(work.ask(projects.get(project), "handoff", json_data.model_dump()))


@blueprint.get("/jobs/<job>")
@blueprint.output(JobOut)
def get_job(job: str) -> JobOut:
    """Tell where a job stands."""
    return job_out(_job(job))


class StopQuery(BaseModel):
    """Whether what was reached is kept."""

    keep: bool = True


@blueprint.post("/jobs/<job>/stop")
@blueprint.input(StopQuery, location="query")
@blueprint.output(JobOut)
def stop_job(job: str, query_data: StopQuery) -> JobOut:
    """Stop a job; what it has reached is kept, or thrown away where a newer recipe has overtaken it."""
    found = _job(job)
    stop = work.STOP if query_data.keep else work.DISCARD
    Job.update(stop=stop).where(Job.id == found.id).execute()
    return job_out(_job(job))


@blueprint.get("/jobs/<job>/events")
@blueprint.doc(responses=sends("server-sent events", "text/event-stream"))
def watch_job(job: str) -> Response:
    """Tell every change of a job until it has ended."""
    _job(job)

    def events() -> Iterator[str]:
        told = ""
        while True:
            work.end_dead_jobs()
            with database.connection_context() if database.is_closed() else database.atomic():
                out = job_out(_job(job))
            text = out.model_dump_json()
            if text != told:
                yield f"data: {text}\n\n"
                told = text
            if out.state in ("done", "stopped", "failed"):
                return
            time.sleep(LOOK)

    return Response(events(), mimetype="text/event-stream", headers={"Cache-Control": "no-store"})


@blueprint.get("/jobs/<job>/picture")
@blueprint.doc(responses=sends("a picture", "application/octet-stream"))
def job_picture(job: str) -> Response:
    """Give the live picture of a running job."""
    path = work.picture_path(data_folder(), _job(job).id)
    if not path.is_file():
        raise NothingFound("this job has no picture now")
    return Response(path.read_bytes(), mimetype="application/octet-stream")


@blueprint.get("/jobs/<job>/download")
@blueprint.doc(responses=sends("a ZIP file", "application/zip"))
def download(job: str) -> Response:
    """Give the files of a hand-off as one ZIP file."""
    found = _job(job)
    path = work.download_path(data_folder(), found.id)
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


def _job(job: str) -> Job:
    found = Job.get_or_none(Job.id == job)
    if found is None:
        raise NothingFound(f"there is no job {job}")
    return cast(Job, found)

"""The server seen from outside: whether it is well, its figures, and a line of the log a request."""

from __future__ import annotations

import logging
import re
import shutil
import time
import uuid

from apiflask import APIFlask
from flask import Response, g, jsonify, request
from peewee import PeeweeException, fn
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, generate_latest
from prometheus_client.exposition import CONTENT_TYPE_LATEST

from plodek.server.jobs.workers import Workers
from plodek.server.pool.pool import Pool
from plodek.server.store.tables import Job, Project
from plodek.server.workspace import Workspace

#: Bytes of room on the disk below which the server is not well.
ROOM = 200 * 1024**2
_ID = re.compile(r"[A-Za-z0-9-]{1,64}")
_SECONDS = (0.005, 0.02, 0.1, 0.5, 2.0, 10.0, 60.0)
_log = logging.getLogger("plodek.requests")


def watch(app: APIFlask, workspace: Workspace, pool: Pool | None, workers: Workers | None) -> None:
    """Give every request a number, log and count it, and answer how the server is."""
    registry = CollectorRegistry()
    count = Counter("plodek_requests", "Requests by status.", ["status"], registry=registry)
    seconds = Histogram(
        "plodek_request_seconds", "Seconds until answered.", ["route"], buckets=_SECONDS, registry=registry
    )
    jobs = Gauge("plodek_jobs", "Jobs by state.", ["state"], registry=registry)
    shelf = Gauge("plodek_projects", "Projects on the shelf.", registry=registry)
    room = Gauge("plodek_free_bytes", "Room on the disk of the data folder.", registry=registry)
    evaluators = Gauge("plodek_evaluators", "Processes that evaluate recipes.", registry=registry)
    waiting = Gauge("plodek_waiting", "Requests that evaluators have.", registry=registry)
    living = Gauge("plodek_workers", "Processes that do jobs.", registry=registry)

    @app.before_request
    def begin() -> None:
        given = request.headers.get("X-Request-Id", "")
        g.number = given if _ID.fullmatch(given) else uuid.uuid4().hex[:12]
        g.began = time.monotonic()

    @app.after_request
    def end(answer: Response) -> Response:
        route = str(request.url_rule or "none")
        took = time.monotonic() - g.began
        count.labels(answer.status_code).inc()
        seconds.labels(route).observe(took)
        answer.headers["X-Request-Id"] = g.number
        told = {"request": g.number, "method": request.method, "path": request.path}
        told |= {"status": answer.status_code, "seconds": round(took, 4), "bytes": answer.content_length or 0}
        level = logging.DEBUG if route == "/api/jobs/<job>" else logging.INFO  # browsers ask it all the time
        _log.log(level, "answered", extra={"request": told})
        return answer

    @app.get("/healthz")
    @app.doc(hide=True)
    def health() -> tuple[Response, int]:
        """Say whether the server is well: its database answers, its processes live, its disk has room."""
        found = {
            "database": _answers(),
            "evaluators": pool is None or bool(pool.processes),
            "workers": workers is None or workers.alive > 0,
            "room": shutil.disk_usage(workspace.folder).free > ROOM,
        }
        return jsonify(found), 200 if all(found.values()) else 503

    @app.get("/metrics")
    @app.doc(hide=True)
    def metrics() -> Response:
        """Give the figures in the open exposition format."""
        for state, number in Job.select(Job.state, fn.COUNT()).group_by(Job.state).tuples():
            jobs.labels(state).set(number)
        shelf.set(Project.select().where(Project.deleted.is_null()).count())
        room.set(shutil.disk_usage(workspace.folder).free)
        evaluators.set(len(pool.processes) if pool else 0)
        waiting.set(pool.waiting if pool else 0)
        living.set(workers.alive if workers else 0)
        return Response(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)


def _answers() -> bool:
    try:
        Project.select().limit(1).first()
    except PeeweeException:
        return False
    return True

"""The application factory: configuration, guards, errors, and the API's blueprints."""

from __future__ import annotations

import os
from http import HTTPStatus
from importlib.metadata import version
from pathlib import Path
from typing import Any, cast
from urllib.parse import urlsplit

from apiflask import APIFlask, HTTPError
from flask import Response, json, request, send_from_directory
from flask.json.provider import DefaultJSONProvider

from plodek.core.errors import NothingFound, PlodekError
from plodek.server.api.messages import Problem
from plodek.server.api.presenting import project_out
from plodek.server.engine import Engine
from plodek.server.store.projects import Stale
from plodek.server.store.tables import open_database

#: The largest upload, in MB, unless the environment says otherwise.
MOST_MB = int(os.environ.get("PLODEK_MOST_MB", "200"))
STATIC = Path(__file__).parent / "static"


def make_app(data: Path) -> APIFlask:
    """Make the application over a data folder."""
    os.environ["PLODEK_DATA"] = str(data)  # the queue and the worker read it
    app = APIFlask(
        "plodek", title="Plodek", version=version("plodek"), static_folder="no-static", docs_path=None,
        spec_path="/api/openapi.json",
    )  # fmt: skip
    cast(
        DefaultJSONProvider, app.json
    ).sort_keys = False  # the fields of a step keep their order, and so do the forms
    app.config["MAX_CONTENT_LENGTH"] = MOST_MB * 1024**2
    app.config["VALIDATION_ERROR_STATUS_CODE"] = 422
    database = open_database(data / "plodek.db")
    app.extensions["plodek"] = Engine(data)

    @app.before_request
    def open_connection() -> None:
        _check_origin()
        database.connect(reuse_if_open=True)

    @app.teardown_request
    def close_connection(_: BaseException | None) -> None:
        if not database.is_closed():
            database.close()

    from plodek.server.api import advices, files, grids, guides, jobs, models, projects, recipes, walls

    for part in (projects, recipes, files, guides, models, advices, grids, jobs, walls):
        app.register_blueprint(part.blueprint, url_prefix="/api")
    _handle_errors(app)
    _serve_pages(app)
    return app


def _check_origin() -> None:
    """Refuse requests for another host (DNS rebinding) and changes asked by another site's page."""
    host = request.host
    allowed = os.environ.get("PLODEK_HOSTS", "127.0.0.1,localhost").split(",")
    if (urlsplit(f"//{host}").hostname or "") not in allowed:
        raise HTTPError(403, f"Plodek does not answer for the host {host}.")
    origin = request.headers.get("Origin")
    if origin and request.method not in ("GET", "HEAD") and urlsplit(origin).netloc != host:
        raise HTTPError(403, "This request comes from another site's page.")


def _handle_errors(app: APIFlask) -> None:
    @app.errorhandler(PlodekError)
    def core_error(error: PlodekError) -> Response:
        status = 409 if isinstance(error, Stale) else 404 if isinstance(error, NothingFound) else 422
        return _problem(
            Problem(
                title=error.title,
                status=status,
                detail=str(error),
                what=error.what,
                where=error.where,
                remedy=error.remedy,
                rows=list(getattr(error, "rows", ())),
                project=project_out(error.project) if isinstance(error, Stale) else None,
            )
        )

    @app.error_processor
    def http_error(error: HTTPError) -> tuple[dict[str, Any], int, dict[str, str]]:
        status = error.status_code
        detail = error.message or HTTPStatus(status).phrase
        if status == 422 and error.detail:
            detail = _said(error.detail)
        if status == 413:
            detail = f"The upload is larger than {MOST_MB} MB. Send a smaller file, or raise PLODEK_MOST_MB."
        problem = Problem(title=HTTPStatus(status).phrase, status=status, detail=detail)
        return problem.model_dump(), status, {"Content-Type": "application/problem+json"}


def _said(detail: Any) -> str:
    """Put what the validation of a message found into a sentence."""
    while isinstance(detail, dict) and detail:
        name, detail = next(iter(detail.items()))
        if not isinstance(detail, dict | list):
            return f"{name}: {detail}."
    first = detail[0] if isinstance(detail, list) and detail else detail
    if isinstance(first, dict) and "msg" in first:
        place = ".".join(str(p) for p in first.get("loc", ()))
        return f"{place}: {first['msg']}."
    return f"{first}"


def _problem(problem: Problem) -> Response:
    return Response(json.dumps(problem.model_dump()), problem.status, mimetype="application/problem+json")


def _serve_pages(app: APIFlask) -> None:
    @app.get("/")
    @app.get("/project/<int:number>")
    @app.doc(hide=True)
    def page(number: int | None = None) -> Response:
        return send_from_directory(STATIC, "index.html", max_age=0)

    @app.get("/assets/<path:name>")
    @app.doc(hide=True)
    def asset(name: str) -> Response:
        return send_from_directory(STATIC / "assets", name, max_age=31_536_000)

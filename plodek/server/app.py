"""The application factory: configuration, guards, errors, and the API's blueprints."""

from __future__ import annotations

from http import HTTPStatus
from importlib import import_module
from importlib.metadata import version
from pathlib import Path
from pkgutil import iter_modules
from typing import Any, cast
from urllib.parse import urlsplit

from apiflask import APIFlask, HTTPError
from flask import Response, json, request, send_from_directory
from flask.json.provider import DefaultJSONProvider

from plodek.core.errors import NothingFound, PlodekError
from plodek.server import api
from plodek.server.api.context import project_out
from plodek.server.api.messages import Problem
from plodek.server.settings import Settings
from plodek.server.store import tables
from plodek.server.store.projects import Stale
from plodek.server.workspace import Workspace

STATIC = Path(__file__).parent / "static"


def make_app(workspace: Workspace) -> APIFlask:
    """Make the application over a workspace."""
    app = APIFlask(
        "plodek", title="Plodek", version=version("plodek"), static_folder="no-static", docs_path=None,
        spec_path="/api/openapi.json",
    )  # fmt: skip
    cast(
        DefaultJSONProvider, app.json
    ).sort_keys = False  # the fields of a step keep their order, and so do the forms
    app.config["MAX_CONTENT_LENGTH"] = workspace.settings.most_mb * 1024**2
    app.config["VALIDATION_ERROR_STATUS_CODE"] = 422
    app.extensions["plodek"] = workspace
    database = workspace.database

    @app.before_request
    def open_connection() -> None:
        _check_origin(workspace.settings)
        tables.database.initialize(database)  # the tables are those of the workspace that is asked
        database.connect(reuse_if_open=True)

    @app.teardown_request
    def close_connection(_: BaseException | None) -> None:
        if not database.is_closed():
            database.close()

    for resource in sorted(one.name for one in iter_modules(api.__path__) if one.ispkg):
        routes = import_module(f"{api.__name__}.{resource}.routes")
        app.register_blueprint(routes.blueprint, url_prefix="/api")
    _handle_errors(app, workspace.settings)
    _serve_pages(app)
    return app


def _check_origin(settings: Settings) -> None:
    """Refuse requests for another host (DNS rebinding) and changes asked by another site's page."""
    host = request.host
    if (urlsplit(f"//{host}").hostname or "") not in settings.hosts:
        raise HTTPError(403, f"Plodek does not answer for the host {host}.")
    origin = request.headers.get("Origin")
    if origin and request.method not in ("GET", "HEAD") and urlsplit(origin).netloc != host:
        raise HTTPError(403, "This request comes from another site's page.")


def _handle_errors(app: APIFlask, settings: Settings) -> None:
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
            most = settings.most_mb
            detail = f"The upload is larger than {most} MB. Send a smaller file, or raise PLODEK_MOST_MB."
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

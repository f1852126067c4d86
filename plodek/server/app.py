"""The application factory: configuration, guards, errors, and the API's blueprints."""

from __future__ import annotations

from importlib import import_module
from importlib.metadata import version
from pathlib import Path
from pkgutil import iter_modules
from types import ModuleType
from typing import cast
from urllib.parse import urlsplit

from apiflask import APIFlask, HTTPError
from flask import Response, g, request, send_from_directory
from flask.json.provider import DefaultJSONProvider
from flask_talisman import Talisman
from werkzeug.exceptions import HTTPException

from plodek.core.budget import most, need
from plodek.core.recipe.document import need_bounded
from plodek.server import api, seen
from plodek.server.door.guard import Door
from plodek.server.door.roles import look_at_role
from plodek.server.jobs.workers import Workers
from plodek.server.pool.passing import USER, goes_apart, passed_on
from plodek.server.pool.pool import Pool
from plodek.server.problems import handle_errors
from plodek.server.settings import Settings
from plodek.server.store import tables
from plodek.server.workspace import Workspace

#: What pages may do, as browsers are told: run their own scripts only, and stand in no frame.
#: Styles are put in by the pages themselves.
POLICY = {
    "default-src": "'self'",
    "style-src": "'self' 'unsafe-inline'",
    "img-src": "'self' data: blob:",
    "font-src": "'self' data:",
    "object-src": "'none'",
    "base-uri": "'none'",
    "form-action": "'self'",
    "frame-ancestors": "'none'",
}
STATIC = Path(__file__).parent / "static"


def make_app(
    workspace: Workspace, pool: Pool | None = None, workers: Workers | None = None, *, door: bool = True
) -> APIFlask:
    """Make the application over a workspace; where there are a pool and workers they do what takes long.

    Without a ``door`` everyone is let in: those who ask have been looked at already.
    """
    app = APIFlask(
        "plodek", title="Plodek", version=version("plodek"), static_folder="no-static", docs_path=None,
        spec_path="/api/openapi.json",
    )  # fmt: skip
    cast(
        DefaultJSONProvider, app.json
    ).sort_keys = False  # the fields of a step keep their order, and so do the forms
    app.config["MAX_CONTENT_LENGTH"] = most("upload_mb") * 1024**2
    app.config["VALIDATION_ERROR_STATUS_CODE"] = 422
    app.extensions["plodek"] = workspace
    database = workspace.database
    seen.watch(app, workspace, pool, workers)
    look_who = Door(app, workspace.folder, workspace.settings).look if door else None
    Talisman(
        app,
        force_https=False,  # the proxy before it sees to that
        strict_transport_security=workspace.settings.tls,
        session_cookie_secure=workspace.settings.tls,
        session_cookie_http_only=True,
        session_cookie_samesite="Strict",
        content_security_policy=POLICY,
        frame_options="DENY",
        referrer_policy="no-referrer",
    )

    @app.before_request
    def open_connection() -> Response | None:
        _check_origin(workspace.settings)
        tables.database.initialize(database)  # the tables are those of the workspace that is asked
        database.connect(reuse_if_open=True)
        g.user = look_who() if look_who else request.headers.get(USER)
        view = app.view_functions.get(request.endpoint or "")
        if look_who and view:
            look_at_role(view)
        if request.is_json and not isinstance(request.routing_exception, HTTPException):
            need("json_mb", (request.content_length or 0) / 1024**2, where="the message")
            need_bounded(request.get_data(), "the message")
        if pool and view and goes_apart(view):
            return passed_on(pool, workspace.temporary, view)
        return None

    @app.teardown_request
    def close_connection(_: BaseException | None) -> None:
        if not database.is_closed():
            database.close()

    @app.after_request
    def guard(answer: Response) -> Response:
        for name in ("Cross-Origin-Opener-Policy", "Cross-Origin-Resource-Policy"):
            answer.headers.setdefault(name, "same-origin")
        return answer

    for routes in load_routes():
        app.register_blueprint(routes.blueprint, url_prefix="/api")
    handle_errors(app)
    _serve_pages(app)
    return app


def load_routes() -> list[ModuleType]:
    """Import the routes of all resources."""
    resources = sorted(one.name for one in iter_modules(api.__path__) if one.ispkg)
    return [import_module(f"{api.__name__}.{resource}.routes") for resource in resources]


def _check_origin(settings: Settings) -> None:
    """Refuse requests for another host (DNS rebinding) and changes asked by another site's page."""
    host = request.host
    if (urlsplit(f"//{host}").hostname or "") not in settings.hosts:
        raise HTTPError(403, f"Plodek does not answer for the host {host}.")
    origin = request.headers.get("Origin")
    if origin and request.method not in ("GET", "HEAD") and urlsplit(origin).netloc != host:
        raise HTTPError(403, "This request comes from another site's page.")


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

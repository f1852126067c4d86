"""Errors as they are answered: in words, in one form (RFC 9457), with nothing of the inside."""

from __future__ import annotations

import errno
import logging
import os
import sqlite3
from collections.abc import Mapping
from http import HTTPStatus
from typing import Any

from apiflask import APIFlask, HTTPError
from flask import Response, json, request
from peewee import PeeweeException

from plodek.core.budget import most, out_of_memory
from plodek.core.errors import NothingFound, OwnMistake, PlodekError
from plodek.server.api.context import project_out
from plodek.server.api.messages import Problem
from plodek.server.door.bodies import too_large
from plodek.server.store.projects import Stale

#: How errors are answered that are not 422.
_STATUS: Mapping[type[PlodekError], int] = {Stale: 409, NothingFound: 404, OwnMistake: 500}
#: Errors of the disk that the data folder is on, and what is said of them.
_OF_DISK = {
    errno.ENOSPC: "the disk is full",
    errno.EDQUOT: "the disk is full for this user",
    errno.EROFS: os.strerror(errno.EROFS),
}
_log = logging.getLogger(__name__)


def handle_errors(app: APIFlask) -> None:
    """Let an application answer every error in words."""
    app.register_error_handler(PeeweeException, _not_kept)
    app.register_error_handler(OSError, _of_the_disk)
    app.register_error_handler(MemoryError, lambda _: _of_the_core(out_of_memory()))
    app.register_error_handler(PlodekError, _of_the_core)
    app.error_processor(_of_http)


def _not_kept(met: PeeweeException) -> Response:
    error: BaseException = met
    while isinstance(error.__context__, PeeweeException | sqlite3.Error):
        error = error.__context__  # taking back what could not be written fails too, and says less
    return _in_trouble(str(error))


def _of_the_disk(error: OSError) -> Response:
    if error.errno in _OF_DISK:
        return _in_trouble(_OF_DISK[error.errno])
    _log.error("%s %s", request.method, request.path, exc_info=error)
    return _of_the_core(OwnMistake("Plodek made a mistake here; the log of the server has more"))


def _in_trouble(why: str) -> Response:
    _log.error("%s %s: %s", request.method, request.path, why)
    detail = f"The data folder cannot be read or written ({why}), and this has not been kept. See that "
    detail += "its disk has room, and do it again; what was kept before is still there."
    return _problem(
        Problem(code="data-folder", title="The data folder is in trouble", status=503, detail=detail)
    )


def _of_the_core(error: PlodekError) -> Response:
    return _problem(
        Problem(
            code=error.code,
            title=error.title,
            status=next((code for kind, code in _STATUS.items() if isinstance(error, kind)), 422),
            detail=str(error),
            what=error.what,
            where=error.where,
            remedy=error.remedy,
            rows=list(getattr(error, "rows", ())),
            project=project_out(error.project) if isinstance(error, Stale) else None,
        )
    )


def _of_http(error: HTTPError) -> tuple[dict[str, Any], int, dict[str, str]]:
    status = error.status_code
    detail = error.message or HTTPStatus(status).phrase
    if status == 422 and error.detail:
        detail = _said(error.detail)
    if status == 413:
        detail = too_large(most("upload_mb") * 1024**2)
    phrase = HTTPStatus(status).phrase
    code = phrase.lower().replace(" ", "-")
    problem = Problem(code=code, title=phrase, status=status, detail=detail)
    headers = {name: str(value) for name, value in dict(error.headers).items()}
    return problem.model_dump(), status, headers | {"Content-Type": "application/problem+json"}


def _said(detail: Any) -> str:
    """Put what the validation of a message found first into a sentence, with the field's name before it."""
    name = ""
    while isinstance(detail, dict) and detail:
        name, detail = next(iter(detail.items()))
    words = detail[0] if isinstance(detail, list) and detail else detail
    return f"{name}: {words}." if name else f"{words}"


def _problem(problem: Problem) -> Response:
    return Response(json.dumps(problem.model_dump()), problem.status, mimetype="application/problem+json")

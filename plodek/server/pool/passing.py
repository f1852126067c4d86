"""Which routes evaluators answer, and how their requests are passed on."""

from __future__ import annotations

import io
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from shutil import copyfileobj
from typing import Any, TypeVar

from apiflask import HTTPError
from flask import Response, g, request
from werkzeug.wsgi import wrap_file

from plodek.server.door.roles import project_asked
from plodek.server.pool.message import SMALL, Asked
from plodek.server.pool.pool import Busy, Pool
from plodek.server.store import projects

_View = TypeVar("_View", bound=Callable[..., Any])
#: Where a view says that evaluators answer it, and whether that may be done once more.
_EVALUATED = "evaluated_again"
#: Where a view says that evaluators answer it for large recipes alone, and from how many characters one is.
_LARGE, LARGE = "evaluated_where_large", 200_000
#: Headers that belong to one connection, or are made anew.
_OWN = {"connection", "transfer-encoding"}
#: The user who asks, as the server tells its evaluators; and what they are never told by a browser.
USER = "X-Plodek-User"
_SET_HERE = {"x-request-id", USER.lower()}


def evaluated_apart(*, again: bool = True) -> Callable[[_View], _View]:
    """Have a view answered by an evaluator: it evaluates a recipe, or reads or writes something large.

    What may not be done ``again`` is not tried a second time where the evaluator has died.
    """

    def mark(view: _View) -> _View:
        view.__dict__[_EVALUATED] = again
        return view

    return mark


def is_evaluated(view: Callable[..., Any]) -> bool:
    """Whether evaluators answer a view."""
    return _EVALUATED in view.__dict__


def large_alone(view: _View) -> _View:
    """Have a view answered by an evaluator where a project's recipe, or what is sent, is large to read."""
    view.__dict__[_LARGE] = True
    return view


def goes_apart(view: Callable[..., Any]) -> bool:
    """Whether an evaluator answers the present request, which a view is for."""
    if _LARGE not in view.__dict__:
        return is_evaluated(view)
    project = project_asked()
    sent = request.content_length or 0
    return sent > LARGE or (project is not None and projects.size_of(project) > LARGE)


def passed_on(pool: Pool, temporary: Path, view: Callable[..., Any]) -> Response:
    """Have the present request answered by an evaluator."""
    own = [("X-Request-Id", g.number)] + ([] if g.user is None else [(USER, g.user)])
    sent = [(name, value) for name, value in request.headers if name.lower() not in _SET_HERE]
    gone = request.environ.get("waitress.client_disconnected", lambda: False)
    with _body(temporary) as body:
        asked = Asked(
            0,
            request.method,
            request.environ["PATH_INFO"],
            request.environ.get("QUERY_STRING", ""),
            (*sent, *own),
            body,
        )
        try:
            answered = pool.answer(
                asked, project_asked() or 0, gone, again=view.__dict__.get(_EVALUATED, False)
            )
        except Busy as error:
            raise HTTPError(
                429,
                "So much is being worked out already that this has to wait. Try again in a second.",
                headers={"Retry-After": "1"},
            ) from error
    headers = [(name, value) for name, value in answered.headers if name.lower() not in _OWN]
    if isinstance(answered.body, bytes):
        return Response(answered.body, answered.status, headers)
    file = answered.body.open("rb")
    answered.body.unlink()  # it goes with the answer
    return Response(wrap_file(request.environ, file), answered.status, headers, direct_passthrough=True)


@contextmanager
def _body(folder: Path) -> Iterator[bytes | Path]:
    """Give the body of the present request; a large one as a file, which is taken away afterwards."""
    if (request.content_length or 0) <= SMALL:
        yield request.get_data()
        return
    folder.mkdir(exist_ok=True)
    path = folder / f"{uuid.uuid4().hex}.body"
    try:
        read = io.BytesIO(request.get_data()) if request.is_json else request.stream  # JSON was looked at
        with path.open("wb") as file:
            copyfileobj(read, file)
        yield path
    finally:
        path.unlink(missing_ok=True)

"""A process that evaluates recipes, and draws and measures grids, beside the server: the same application.

What takes long, all memory, or the process itself down is kept away from everyone else that way.
"""

from __future__ import annotations

import io
import json
import logging
import os
import uuid
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Lock

from apiflask import APIFlask
from werkzeug.test import EnvironBuilder, run_wsgi_app

from plodek.core import lifeline
from plodek.core.errors import OwnMistake
from plodek.server.app import make_app
from plodek.server.log import start_log
from plodek.server.pool.apart import Apart
from plodek.server.pool.fence import see_only_work_in
from plodek.server.pool.message import SMALL, Answered, Asked
from plodek.server.settings import Settings
from plodek.server.workspace import TEMPORARY, Workspace

#: What is answered where all that answers has failed.
_MISTAKE = json.dumps({
    "type": "about:blank", "code": OwnMistake.code, "title": OwnMistake.title, "status": 500,
    "detail": "Plodek made a mistake here; the log of the server has more.",
}).encode()  # fmt: skip
#: Requests of one evaluator that go on at once.
THREADS = 6


def main(connection: Connection, folder: Path, settings: Settings) -> None:
    """Answer requests until the server is gone."""
    lifeline.end_with(os.getppid())
    lifeline.limit_memory()
    start_log()
    reading = Apart(folder / TEMPORARY)
    see_only_work_in(folder)
    app = make_app(Workspace(folder, settings, reading), door=False)
    sending = Lock()

    def work(asked: Asked) -> None:
        try:
            answered = _answer(app, asked, folder / TEMPORARY)
        except BaseException:  # one request must not take those of others along
            logging.getLogger(__name__).exception("no answer to %s %s", asked.method, asked.path)
            answered = Answered(asked.number, 500, (("Content-Type", "application/problem+json"),), _MISTAKE)
        try:
            with sending:
                connection.send(answered)
        except BaseException:  # nobody can be answered any more
            os._exit(1)

    with ThreadPoolExecutor(THREADS) as threads:
        while True:
            try:
                threads.submit(work, connection.recv())
            except EOFError:
                os._exit(0)


def _answer(app: APIFlask, asked: Asked, temporary: Path) -> Answered:
    with ExitStack() as opened:
        body = asked.body
        stream = io.BytesIO(body) if isinstance(body, bytes) else opened.enter_context(body.open("rb"))
        builder = EnvironBuilder(method=asked.method, headers=list(asked.headers), input_stream=stream)
        environ = builder.get_environ() | {"PATH_INFO": asked.path, "QUERY_STRING": asked.query}
        chunks, status, headers = run_wsgi_app(app.wsgi_app, environ)
        opened.callback(getattr(chunks, "close", lambda: None))
        answer = _gathered(chunks, temporary)
    return Answered(asked.number, int(status.split()[0]), tuple(headers.items()), answer)


def _gathered(chunks: Iterable[bytes], temporary: Path) -> bytes | Path:
    """Gather an answer, in a file as soon as it is large."""
    data, ahead = bytearray(), iter(chunks)
    for chunk in ahead:
        data += chunk
        if len(data) > SMALL:
            path = temporary / f"{uuid.uuid4().hex}.answer"
            with path.open("wb") as file:
                file.write(data)
                file.writelines(ahead)
            return path
    return bytes(data)

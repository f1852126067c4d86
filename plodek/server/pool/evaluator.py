"""A process that evaluates recipes, and draws and measures grids, beside the server: the same application.

What takes long, all memory, or the process itself down is kept away from everyone else that way.
"""

from __future__ import annotations

import io
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
from plodek.server.app import make_app
from plodek.server.pool.apart import Apart
from plodek.server.pool.fence import see_only_work_in
from plodek.server.pool.message import SMALL, Answered, Asked
from plodek.server.seen import start_log
from plodek.server.settings import Settings
from plodek.server.workspace import TEMPORARY, Workspace

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
            with sending:
                connection.send(answered)
        except BaseException:  # whoever asked would wait until the deadline: the end of the process is told
            logging.getLogger(__name__).exception("no answer to %s %s", asked.method, asked.path)
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
        builder = EnvironBuilder(
            path=asked.path, query_string=asked.query, method=asked.method,
            headers=list(asked.headers), input_stream=stream,
        )  # fmt: skip
        chunks, status, headers = run_wsgi_app(app.wsgi_app, builder.get_environ())
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

"""Starting Plodek: the web server, and beside it the evaluators, and the worker for long jobs."""

from __future__ import annotations

import atexit
import fcntl
import gc
import json
import logging
import os
import shutil
import signal
import sys
import threading
import time
from pathlib import Path
from typing import IO

import waitress

from plodek.core.errors import NotReady
from plodek.server.app import make_app
from plodek.server.demo import RECIPES, demo_files, demo_recipe
from plodek.server.jobs import worker
from plodek.server.pool import forked
from plodek.server.pool.pool import MOST_IN_ALL, Pool
from plodek.server.settings import Settings
from plodek.server.store import projects
from plodek.server.workspace import Workspace

#: Connections at once, and seconds after which one that says nothing is closed.
CONNECTIONS, SILENT = 2000, 60
#: Threads: each waits for an evaluator, but for these, which answer what needs none.
THREADS = MOST_IN_ALL + 8


def serve(host: str, port: int, data: Path, *, with_demo: bool = False) -> None:
    """Serve on a host and port until interrupted; the data folder is made where missing.

    Raises NotReady where another server has the folder.
    """
    for signal_number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(signal_number, lambda *_: sys.exit(0))
    data.mkdir(parents=True, exist_ok=True)
    with hold(data, f"http://{host}:{port}"):
        _serve(host, port, data, with_demo=with_demo)


def hold(data: Path, address: str) -> IO[str]:
    """Hold a data folder as long as what is given is open. Raises NotReady where another server has it."""
    file = (data / "server").open("a+")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        file.seek(0)
        who = file.read().strip() or "another server"
        file.close()
        raise NotReady(
            f"the data folder {data} is held by {who}", remedy="use that one, or give another --data"
        ) from error
    file.truncate(0)
    file.write(f"the server at {address}, process {os.getpid()}")
    file.flush()
    return file


def _serve(host: str, port: int, data: Path, *, with_demo: bool) -> None:
    workspace = Workspace(data, Settings.of_environment(host))
    shutil.rmtree(workspace.temporary, ignore_errors=True)  # what a server before has left
    workspace.temporary.mkdir()
    if with_demo:
        _put_demo(workspace)
    workspace.engine.sweep_out()
    pool = Pool(data, workspace.settings)
    atexit.register(pool.stop)
    app = make_app(workspace, pool)
    with workspace.database.connection_context():
        workspace.desk.end_crashed()
    for _ in range(workspace.settings.workers):
        threading.Thread(target=_keep_worker, args=(workspace,), daemon=True).start()
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    # What is cached has few cycles: looking through all of it often would hold up answers by 0.2 s each time.
    gc.freeze()
    gc.set_threshold(20_000, 50, 50)
    print(f"Plodek is at http://{host}:{port}  (data in {data}; Ctrl C ends it)", flush=True)
    waitress.serve(
        app,
        host=host,
        port=port,
        threads=THREADS,
        connection_limit=CONNECTIONS,
        channel_timeout=SILENT,
        channel_request_lookahead=1,  # that a client has gone is noticed only while more is read from it
        asyncore_use_poll=True,
    )


def _put_demo(workspace: Workspace) -> None:
    with workspace.database.connection_context():
        if not projects.listed():
            for name in RECIPES:
                recipe = json.loads(demo_recipe(name))
                projects.make(recipe["name"], recipe, demo_files(name))


def _keep_worker(workspace: Workspace) -> None:
    """Start a worker, and start it again should it end; it ends with this process."""
    while True:
        process = forked.start(worker.main, workspace.folder)
        began = time.monotonic()
        process.join()
        with workspace.database.connection_context():
            workspace.desk.end_crashed(process.pid)
        time.sleep(max(0.0, began + 1.0 - time.monotonic()))  # one that cannot start is no reason to spin

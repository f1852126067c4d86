"""Starting Plodek: the web server, and beside it the evaluators, and the worker for long jobs."""

from __future__ import annotations

import atexit
import gc
import json
import logging
import shutil
import signal
import sys
import threading
import time
from collections.abc import Mapping
from pathlib import Path
from typing import cast

import waitress
from apiflask import APIFlask
from waitress.server import TcpWSGIServer
from werkzeug.exceptions import HTTPException

from plodek.server.app import make_app
from plodek.server.demo import RECIPES, demo_files, demo_recipe
from plodek.server.door.bodies import ANYBODY, LimitOf, channel, limit_of
from plodek.server.door.guard import Door, need_door
from plodek.server.jobs.workers import Workers
from plodek.server.log import start_log
from plodek.server.pool import evaluator
from plodek.server.pool.pool import MOST_IN_ALL, Pool
from plodek.server.settings import Settings
from plodek.server.store import projects
from plodek.server.store.holding import held
from plodek.server.store.tables import held_open
from plodek.server.workspace import Workspace

#: Connections at once, and seconds after which one that says nothing is closed.
CONNECTIONS, SILENT = 2000, 60
#: Threads: each waits for an evaluator, but for these, which answer what needs none.
THREADS = MOST_IN_ALL + 8


def serve(host: str, port: int, data: Path, *, with_demo: bool = False) -> None:
    """Serve on a host and port until interrupted; the data folder is made where missing.

    Raises NotReady where another server has the folder.
    """
    start_log()
    for signal_number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(signal_number, lambda *_: sys.exit(0))
    with held(data, f"the server at http://{host}:{port}"):
        _serve(host, port, data, with_demo=with_demo)


def _serve(host: str, port: int, data: Path, *, with_demo: bool) -> None:
    workspace = Workspace(data, Settings.of_environment(host))
    with workspace.database.connection_context():
        need_door(workspace.settings)
    shutil.rmtree(workspace.temporary, ignore_errors=True)  # what a server before has left
    workspace.temporary.mkdir()
    if with_demo:
        _put_demo(workspace)
    workspace.database_kept_open = held_open(workspace.database)
    pool = Pool(evaluator.main, data, workspace.settings)
    atexit.register(pool.stop)
    app = make_app(workspace, pool, Workers(workspace))
    threading.Thread(target=_sweep, args=(workspace,), daemon=True).start()
    # What is cached has few cycles: looking through all of it often would hold up answers by 0.2 s each time.
    gc.freeze()
    gc.set_threshold(20_000, 50, 50)
    print(f"Plodek is at http://{host}:{port}  (data in {data}; Ctrl C ends it)", flush=True)
    TcpWSGIServer.channel_class = channel(_limit_for(app, workspace))  # for each address that a host has
    settings = workspace.settings
    forwarded = (
        {"trusted_proxy": settings.proxy, "trusted_proxy_count": settings.proxies} if settings.proxy else {}
    )
    waitress.serve(
        app,
        **forwarded,
        trusted_proxy_headers={"x-forwarded-for"} if settings.proxy else set(),
        clear_untrusted_proxy_headers=False,  # that there are any tells that a request was passed on
        host=host,
        port=port,
        threads=THREADS,
        connection_limit=CONNECTIONS,
        channel_timeout=SILENT,
        channel_request_lookahead=1,  # that a client has gone is noticed only while more is read from it
        asyncore_use_poll=True,
    )


def _limit_for(app: APIFlask, workspace: Workspace) -> LimitOf:
    """Give what says how much may be sent where."""
    door = cast(Door, app.extensions["plodek-door"])

    def limit(method: str, path: str, headers: Mapping[str, str]) -> int:
        try:
            endpoint, _ = app.url_map.bind("").match(path, method)
        except HTTPException:
            return ANYBODY
        with workspace.database.connection_context():
            return limit_of(app.view_functions.get(endpoint), known=door.knows(headers))

    return limit


def _sweep(workspace: Workspace) -> None:
    """Sweep out what is old, now and once an hour."""
    while True:
        try:
            workspace.sweep_out()
        except Exception:  # a disk that is full for an hour must not end the sweeping
            logging.getLogger(__name__).exception("sweeping out")
        time.sleep(3600.0)


def _put_demo(workspace: Workspace) -> None:
    with workspace.database.connection_context():
        if not projects.listed():
            for name in RECIPES:
                recipe = json.loads(demo_recipe(name))
                files = {file: projects.kept(data) for file, data in demo_files(name).items()}
                projects.make(recipe["name"], recipe, files)

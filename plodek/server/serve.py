"""Starting Plodek: the web server, and beside it the worker for long jobs."""

from __future__ import annotations

import atexit
import gc
import json
import logging
import subprocess
import sys
import threading
import time
from pathlib import Path

import waitress

from plodek.server.app import make_app
from plodek.server.demo import RECIPES, demo_files, demo_recipe
from plodek.server.settings import Settings
from plodek.server.store import projects
from plodek.server.workspace import Workspace


def serve(host: str, port: int, data: Path, *, with_demo: bool = False) -> None:
    """Serve on a host and port until interrupted; the data folder is made where missing."""
    workspace = Workspace(data, Settings.of_environment(host))
    app = make_app(workspace)
    if with_demo:
        _put_demo(workspace)
    workspace.engine.sweep_out()
    threading.Thread(target=_keep_worker, args=(data,), daemon=True).start()
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    # What is cached has few cycles: looking through all of it often would hold up answers by 0.2 s each time.
    gc.freeze()
    gc.set_threshold(20_000, 50, 50)
    print(f"Plodek is at http://{host}:{port}  (data in {data}; Ctrl C ends it)", flush=True)
    waitress.serve(app, host=host, port=port, threads=16, channel_timeout=3600)


def _put_demo(workspace: Workspace) -> None:
    with workspace.database.connection_context():
        if not projects.listed():
            for name in RECIPES:
                recipe = json.loads(demo_recipe(name))
                projects.make(recipe["name"], recipe, demo_files(name))


def _keep_worker(data: Path) -> None:
    """Start the worker, and start it again should it crash."""
    while True:
        worker = subprocess.Popen([sys.executable, "-m", "plodek.server.jobs.worker", str(data)])
        atexit.register(worker.terminate)
        worker.wait()
        atexit.unregister(worker.terminate)
        time.sleep(1.0)

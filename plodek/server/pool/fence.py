"""What the processes beside the server see of the data folder: what is theirs, and not the secret."""

from __future__ import annotations

import logging
import os
import tempfile
from pathlib import Path

import plodek
from plodek.core import confinement
from plodek.server.store.contents import FILES
from plodek.server.store.tables import DATABASE
from plodek.server.workspace import CACHE, TEMPORARY

#: What SQLite keeps beside a database while it is open; the server has it open all the time.
_DATABASE = (DATABASE, f"{DATABASE}-wal", f"{DATABASE}-shm")


def see_only_work_in(folder: Path) -> None:
    """Let this process see the program and, of a data folder, what it works with.

    On machines that cannot do it nothing is changed, and the log says so.
    """
    tempfile.tempdir = str(folder / TEMPORARY)
    os.environ["MPLCONFIGDIR"] = str(folder / CACHE / "drawing")
    own = [folder / name for name in (*_DATABASE, FILES, CACHE, TEMPORARY)]
    if not all(path.exists() for path in own):
        os._exit(1)  # the server has ended, and its database is closed: there is nothing to work for
    own += (Path(plodek.__file__).parent / "core").rglob("__pycache__")  # kernels compiled here are kept
    if not confinement.confine(confinement.of_the_program(), own):
        logging.getLogger(__name__).warning("this machine cannot keep processes from files (no Landlock)")

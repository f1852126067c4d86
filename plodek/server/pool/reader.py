"""A process that reads one file that somebody has sent, and sees nothing else: no data folder, no secret.

A file that upsets it, or a library that it uses, ends this process alone.
"""

from __future__ import annotations

import json
import logging
import os
import pickle
import tempfile
import threading
from collections.abc import Callable, Mapping
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from plodek.core import confinement, lifeline
from plodek.core.budget import out_of_memory
from plodek.core.errors import OwnMistake, PlodekError
from plodek.core.recipe.files import Reading
from plodek.core.telling import Tell

#: The files in the folder of a reader: what is to be read, the map beside it, and what was found.
SOURCE, BESIDE, FOUND = "source", "beside", "found"


def main(connection: Connection, what: str, folder: Path, name: str) -> None:
    """Read a file in this process, which sees its folder alone, and ends with whoever asks."""
    lifeline.end_with(os.getppid())
    lifeline.limit_memory()
    os.environ["TMPDIR"] = tempfile.tempdir = str(folder)
    confinement.confine(confinement.of_the_program(), [folder])
    threading.Thread(target=_end_with, args=(connection,), daemon=True).start()
    _say(connection, *_said(what, folder, name, connection))


def _say(connection: Connection, *words: Any) -> None:
    connection.send_bytes(json.dumps(words).encode())


def _said(what: str, folder: Path, name: str, connection: Connection) -> tuple[Any, ...]:
    """Do the work; give what is to be said of how it ended."""
    try:
        found = _WORK[what](folder, name, lambda share, words: _say(connection, "tell", share, words))
        (folder / FOUND).write_bytes(found)
    except MemoryError:
        met: PlodekError = out_of_memory()
    except PlodekError as error:
        met = error
    except Exception:  # it must end clearly, and the cause must reach the log
        logging.getLogger(__name__).exception("reading “%s”", name)
        met = OwnMistake("Plodek made a mistake in reading it; the log has more", where=name)
    else:
        return ("done",)
    return type(met).__name__, met.what, met.where, met.remedy, list(getattr(met, "rows", ()))


def _geometry(folder: Path, name: str, tell: Tell) -> bytes:
    return Reading().geometry((folder / SOURCE).read_bytes(), name, tell)


def _grid(folder: Path, name: str, tell: Tell) -> bytes:
    beside = (folder / BESIDE).read_bytes() if (folder / BESIDE).exists() else None
    return pickle.dumps(Reading().grid((folder / SOURCE).read_bytes(), name, beside, tell), protocol=5)


_WORK: Mapping[str, Callable[[Path, str, Tell], bytes]] = {"geometry": _geometry, "grid": _grid}


def _end_with(connection: Connection) -> None:
    """End this process as soon as nobody waits for it any more: nothing is ever sent to it."""
    try:
        connection.recv_bytes()
    except (EOFError, OSError):
        os._exit(0)

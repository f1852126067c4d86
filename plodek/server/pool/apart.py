"""Having files read in processes of their own, each forked for one file, with its time and memory bounded.

What comes back is taken for no more than it should be: bytes, numbers, words, and the parts of a grid.
"""

from __future__ import annotations

import io
import json
import logging
import os
import pickle
import signal
import socket
import tempfile
import threading
import time
from contextlib import suppress
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from plodek.core import lifeline
from plodek.core.budget import need
from plodek.core.errors import BadFile, OwnMistake, PlodekError
from plodek.core.grid.grid import Grid
from plodek.core.recipe.files import Reading
from plodek.core.telling import Tell, unheard_of
from plodek.server.pool import reader

#: Seconds between two looks whether a reader takes too long.
_LOOK_EVERY = 0.25
#: Bytes of one message at most, in either direction.
_MESSAGE = 64 * 1024
#: What a grid consists of: nothing else is made of the bytes that a reader gives back.
_PARTS = {
    "plodek.core.grid.grid": {"Grid"},
    "plodek.core.grid.window": {"Window", "Interface", "PatchFaces", "Pole", "Seam"},
    "plodek.core.blocks.orientation": {"Orientation"},
    "plodek.core.shape.move": {"Move"},
    "numpy": {"ndarray", "dtype"},
    "numpy._core.multiarray": {"_reconstruct"},
    "numpy._core.numeric": {"_frombuffer"},
}


class Apart(Reading):
    """Reading in processes of their own, which keep what they need in a ``folder``.

    They are forked off a process that is forked here: made while this one has a single thread.
    """

    def __init__(self, folder: Path) -> None:
        self._folder, self._asking = folder, threading.Lock()
        self._line, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        parent = os.getpid()
        if os.fork() == 0:
            self._line.close()
            _fork_readers(theirs, parent)
        theirs.close()

    def geometry(self, data: bytes, name: str, tell: Tell = unheard_of) -> bytes:
        """Read a CAD, STL, OBJ or DXF file as packed contents. Raises BadFile, OverBudget."""
        return self._read("geometry", data, name, None, tell)

    def grid(
        self, data: bytes, name: str, beside: bytes | None = None, tell: Tell = unheard_of
    ) -> tuple[Grid, str]:
        """Read a grid with the map beside it, and its unit. Raises BadFile, OverBudget."""
        grid, unit = _Parts(io.BytesIO(self._read("grid", data, name, beside, tell))).load()
        if not (isinstance(grid, Grid) and isinstance(unit, str)):
            raise OwnMistake("a reader gave no grid", where=name)
        return grid, unit

    def _read(self, what: str, data: bytes, name: str, beside: bytes | None, tell: Tell) -> bytes:
        with tempfile.TemporaryDirectory(dir=self._folder, ignore_cleanup_errors=True) as folder:
            own = Path(folder)
            (own / reader.SOURCE).write_bytes(data)
            if beside is not None:
                (own / reader.BESIDE).write_bytes(beside)
            ours, theirs = socket.socketpair()
            with self._asking, theirs:
                message = json.dumps([what, folder, name]).encode()
                process = _handle_of(self._forked(message, theirs.fileno()))
            with Connection(ours.detach()) as connection:
                try:
                    _wait(connection, name, tell)
                finally:
                    _end(process)
            return (own / reader.FOUND).read_bytes()

    def _forked(self, message: bytes, line: int) -> int:
        """Have a reader forked; give its process id. Without what it is forked off this process ends too."""
        try:
            socket.send_fds(self._line, [message], [line])
            return int(self._line.recv(_MESSAGE))
        except (OSError, ValueError):
            logging.getLogger(__name__).warning("what readers are forked off has ended")
            os._exit(1)


def _fork_readers(line: socket.socket, parent: int) -> None:
    """Fork a reader for each file that is asked for, and tell its process id, until the parent has ended."""
    try:
        lifeline.end_with(parent)
        signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for those that end
        while True:
            message, given, *_ = socket.recv_fds(line, _MESSAGE, 1)
            if not message:
                os._exit(0)
            number = os.fork()
            if number == 0:
                signal.signal(signal.SIGCHLD, signal.SIG_DFL)
                line.close()
                what, folder, name = json.loads(message)
                reader.main(Connection(given[0]), what, Path(folder), name)
                os._exit(0)
            os.close(given[0])
            line.send(str(number).encode())
    finally:
        os._exit(1)


def _handle_of(number: int) -> int | None:
    with suppress(ProcessLookupError):
        return os.pidfd_open(number)
    return None


def _end(process: int | None) -> None:
    if process is not None:
        with suppress(ProcessLookupError):
            signal.pidfd_send_signal(process, signal.SIGKILL)
        os.close(process)


def _wait(connection: Connection, name: str, tell: Tell) -> None:
    """Wait until a reader is done, and pass on what it tells. Raises what it has met, as it is told."""
    began = time.monotonic()
    while True:
        need("reading_seconds", time.monotonic() - began, where=name)
        if not connection.poll(_LOOK_EVERY):
            continue
        try:
            kind, *words = json.loads(connection.recv_bytes(_MESSAGE))
        except (EOFError, OSError) as error:
            raise BadFile(
                "the process that read it has ended over it",
                where=name,
                remedy="write it anew with the program it came from; it may be damaged, or too large",
            ) from error
        if kind == "tell":
            tell(float(words[0]), str(words[1]))
        elif kind == "done":
            return
        else:
            raise _error(kind, *words)


def _error(kind: str, what: str, where: str, remedy: str, rows: list[int]) -> PlodekError:
    """Give an error as a reader has told it, of the kinds that reading raises."""
    if kind == BadFile.__name__:
        return BadFile(what, where=where, remedy=remedy, rows=rows)
    found = {one.__name__: one for one in PlodekError.__subclasses__()}.get(kind, OwnMistake)
    return found(what, where=where, remedy=remedy)


class _Parts(pickle.Unpickler):
    """Makes grids of bytes, and of nothing else."""

    def find_class(self, module: str, name: str) -> Any:
        """Give a part of a grid. Raises UnpicklingError for all else."""
        if name not in _PARTS.get(module, ()):
            raise pickle.UnpicklingError(f"{module}.{name} is no part of a grid")
        return super().find_class(module, name)

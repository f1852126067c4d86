"""Who works on a data folder: one server, or one command that changes it, at a time."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from plodek.core.errors import BadFile, NotReady

_FILE = "server"


@contextmanager
def held(data: Path, who: str) -> Iterator[None]:
    """Hold a data folder, made where missing, until the context ends or the process does.

    Raises NotReady where another has it, saying who, and BadFile where it cannot be written to.
    """
    try:
        data.mkdir(parents=True, exist_ok=True)
        file = (data / _FILE).open("a+")
    except OSError as error:
        raise BadFile(
            f"it cannot be written to ({error.strerror})", where=str(data), remedy="give another --data"
        ) from error
    with file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise NotReady(
                f"the data folder {data} is held by {holder(data)}",
                remedy="use that one, or give another --data",
            ) from error
        file.truncate(0)
        file.write(f"{who}, process {os.getpid()}")
        file.flush()
        yield
        file.truncate(0)


def holder(data: Path) -> str:
    """Say who holds a data folder, or held it last."""
    try:
        return (data / _FILE).read_text().strip() or "another process"
    except OSError:
        return ""


def is_held(data: Path) -> bool:
    """Whether someone holds a data folder."""
    try:
        with (data / _FILE).open("a") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False

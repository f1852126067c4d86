"""What goes between the server and its evaluators: a request, and what is answered to it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

#: Bytes of a body that goes along with a message; a larger one goes through a file.
SMALL = 1024**2


@dataclass(frozen=True)
class Asked:
    """A request: its number, how and what is asked, its headers, and its body, in a file if it is large.

    Path and query are as the server met them (PEP 3333): nothing is read into them on the way.
    """

    number: int
    method: str
    path: str
    query: str
    headers: tuple[tuple[str, str], ...]
    body: bytes | Path


@dataclass(frozen=True)
class Answered:
    """The answer to the request of that number; its body is in a file of the asker's if it is large."""

    number: int
    status: int
    headers: tuple[tuple[str, str], ...]
    body: bytes | Path

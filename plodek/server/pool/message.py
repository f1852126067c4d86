"""What goes between the server and its evaluators: a request, and what is answered to it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Asked:
    """A request: its number, how and what is asked, its headers, and its body, in a file if it is large."""

    number: int
    method: str
    path: str
    query: str
    headers: tuple[tuple[str, str], ...]
    body: bytes | Path


@dataclass(frozen=True)
class Answered:
    """The answer to the request of that number."""

    number: int
    status: int
    headers: tuple[tuple[str, str], ...]
    body: bytes

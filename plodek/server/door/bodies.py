"""How much of a body is taken, decided while it comes: before the application is asked, or the disk filled.

Strangers may send what logging in takes; whoever has come in as much as JSON may have, and files where a
route takes them.
"""

from __future__ import annotations

import copy
import json
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.utilities import RequestEntityTooLarge

from plodek.core.budget import most, variable

_View = TypeVar("_View", bound=Callable[..., Any])
#: Where a view says that files are sent to it.
_UPLOADS = "takes_uploads"
#: Bytes of a body that anybody may send.
ANYBODY = 64 * 1024
_MB = 1024**2
#: Bytes of a body that is refused which are let run by; of more than that the connection is closed.
MOST_IGNORED = 1024 * _MB
#: Gives how many bytes may be sent by a method to a path with headers (upper case, underscores).
LimitOf = Callable[[str, str, Mapping[str, str]], int]


def takes_uploads(view: _View) -> _View:
    """Say that files are sent to a view."""
    view.__dict__[_UPLOADS] = True
    return view


def limit_of(view: Callable[..., Any] | None, *, known: bool) -> int:
    """Give how many bytes may be sent to a view, by somebody who is ``known`` or by anybody."""
    if not known:
        return ANYBODY
    uploads = view is not None and _UPLOADS in view.__dict__
    return most("upload_mb" if uploads else "json_mb") * _MB


def channel(limit: LimitOf) -> type[HTTPChannel]:
    """Give connections that take no more of a body than a limit says."""

    class Parser(HTTPRequestParser):  # type: ignore[misc]  # it has no types
        """Reads a request, and refuses one whose body is too large, by what it says or by what comes.

        What it says that it sends runs by, kept nowhere: who sends it would not hear the answer else.
        """

        ignored = 0
        adj: Any
        error: Any
        expect_continue: bool
        completed: bool

        def parse_header(self, header_plus: bytes) -> None:
            super().parse_header(header_plus)
            if self.chunked or self.content_length > ANYBODY:
                self.adj = copy.copy(self.adj)
                self.adj.max_request_body_size = 1 + limit(self.command, self.path, self.headers)

        def received(self, data: bytes) -> int:
            if self.ignored:
                taken = min(self.ignored, len(data))
                self.ignored -= taken
                self.completed = not self.ignored
                return taken
            taken = int(super().received(data))
            if type(self.error) is RequestEntityTooLarge:
                self.error = _TooLarge(self.adj.max_request_body_size - 1)
                waits = self.expect_continue  # for a word before it sends anything
                self.expect_continue = False
                if not self.chunked and not waits and self.content_length <= MOST_IGNORED:
                    self.ignored, self.completed = self.content_length, False
            return taken

    class Channel(HTTPChannel):  # type: ignore[misc]  # it has no types
        parser_class = Parser

    return Channel


def too_large(limit: int) -> str:
    """Say that what is sent is larger than a limit in bytes."""
    if limit == most("upload_mb") * _MB:
        words = f"The upload is larger than {most('upload_mb')} MB. Send a smaller file, or raise "
        return f"{words}{variable('upload_mb')}."
    return f"What is sent here is larger than the {limit / _MB:.3g} MB that are taken."


class _TooLarge(RequestEntityTooLarge):  # type: ignore[misc]  # it has no types
    """Says in the form of all errors that a body is too large."""

    def __init__(self, limit: int) -> None:
        super().__init__("")
        self._limit = limit

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        told = {"type": "about:blank", "title": "This is too large", "status": 413}
        told["detail"] = too_large(self._limit)
        body = json.dumps(told).encode()
        return f"{self.code} {self.reason}", [("Content-Type", "application/problem+json")], body

"""Messages of advice."""

from __future__ import annotations

from typing import Any

from plodek.server.api.messages import Message, Pair


class AdviceOut(Message):
    """A suggestion with the steps that take it, before which step they belong, and where to look."""

    rule: str
    text: str
    at: int
    steps: list[dict[str, Any]]
    blocks: list[str]
    corners: list[str]
    edges: list[Pair]


class AdvicesOut(Message):
    """All advice on a layout."""

    advice: list[AdviceOut]

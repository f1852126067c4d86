"""Messages about runs over the grid."""

from __future__ import annotations

from plodek.core.smooth.outcome import Reached
from plodek.server.api.messages import Message


class RanOut(Message):
    """A build that ran: its revision, when it ended, the kinds of its runs, and what each reached."""

    revision: int
    ended: float
    kinds: list[str]
    reached: list[Reached]


class RunsOut(Message):
    """The builds of a project that ran, the last first."""

    runs: list[RanOut]

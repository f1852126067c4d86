"""Messages about who has come in."""

from __future__ import annotations

from pydantic import Field

from plodek.server.api.messages import Message


class LoginIn(Message):
    """A name and its password."""

    name: str = Field(min_length=1, max_length=64)
    password: str = Field(min_length=1, max_length=200)


class BegunOut(Message):
    """A session: when it began and was seen last, its browser, and whether it is this one."""

    created: float
    seen: float
    about: str
    own: bool


class SessionsOut(Message):
    """The sessions of whoever asks, the last seen first."""

    sessions: list[BegunOut]


class SessionOut(Message):
    """Whether one has to log in, who has ("" for nobody), and the token that changes carry."""

    needed: bool
    user: str
    token: str
    may_leave: bool

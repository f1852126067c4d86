"""Messages about who has come in."""

from __future__ import annotations

from pydantic import Field

from plodek.server.api.messages import Message


class LoginIn(Message):
    """A name and its password."""

    name: str = Field(min_length=1, max_length=64)
    password: str = Field(min_length=1, max_length=200)


class SessionOut(Message):
    """Whether one has to log in, who has ("" for nobody), and the token that changes carry."""

    needed: bool
    user: str
    token: str
    may_leave: bool

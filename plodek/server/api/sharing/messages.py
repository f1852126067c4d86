"""Messages about whom a project belongs to and who may do what with it."""

from __future__ import annotations

from pydantic import Field

from plodek.server.api.messages import Message
from plodek.server.store.sharing import MOST_SHARES, Role


class SharingIn(Message):
    """Whom a project belongs to ("" for nobody), and what others may do; the user "" is everyone."""

    owner: str = Field(max_length=64)
    roles: dict[str, Role] = Field(max_length=MOST_SHARES)


class SharingOut(SharingIn):
    """How a project is shared, and the users that it could be shared with where they are known."""

    users: list[str]

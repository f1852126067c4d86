"""What the messages of all resources share; the TypeScript types are generated from them."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict

from plodek.server.store.sharing import Role

Numbers = list[float]
Pair = list[str]


class Message(BaseModel):
    """What all messages share: unknown fields are errors."""

    model_config = ConfigDict(extra="forbid")


class ProjectOut(Message):
    """A project on the shelf, its owner ("" for nobody), and what this user may do with it.

    ``facts`` sums up its grid where it has been built.
    """

    id: int
    name: str
    changed: float
    revision: int
    steps: int
    owner: str
    role: Role
    facts: dict[str, Any] | None = None


class Problem(BaseModel):
    """An error as RFC 9457 has it: what is wrong, where, and what helps; programs know it by its ``code``."""

    type: str = "about:blank"
    code: str
    title: str
    status: int
    detail: str
    what: str = ""
    where: str = ""
    remedy: str = ""
    rows: list[int] = []
    project: ProjectOut | None = None

"""Messages about projects."""

from __future__ import annotations

from pydantic import Field

from plodek.server.api.messages import Message, ProjectOut


class ProjectsOut(Message):
    """The shelf."""

    projects: list[ProjectOut]


class ProjectIn(Message):
    """A new project: empty, or from the demo."""

    name: str = Field(min_length=1, max_length=120)
    demo: bool = False


class NameIn(Message):
    """A new name."""

    name: str = Field(min_length=1, max_length=120)

"""Messages about projects."""

from __future__ import annotations

from pydantic import Field

from plodek.server.api.messages import Message, ProjectOut


class ProjectsOut(Message):
    """Projects, the last changed first."""

    projects: list[ProjectOut]


class TakenOff(Message):
    """A project that was taken off the shelf, and until when it may be brought back."""

    id: int
    name: str
    until: float


class ShelfOut(ProjectsOut):
    """The shelf, and what was taken off it and may be brought back; how many MB files have, and may have."""

    taken_off: list[TakenOff]
    files_mb: float
    most_files_mb: int


class ProjectIn(Message):
    """A new project: empty, or from the demo."""

    name: str = Field(min_length=1, max_length=120)
    demo: bool = False


class NameIn(Message):
    """A new name."""

    name: str = Field(min_length=1, max_length=120)

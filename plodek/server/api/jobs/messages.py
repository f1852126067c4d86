"""Messages about jobs."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from plodek.core.recipe.document import MOST_STEPS
from plodek.server.api.messages import Message


class BuildIn(Message):
    """Steps to build: those of the recipe at ``base``, or with a step more to keep once it has run.

    Only the first ``upto`` of them are built, where it is given.
    """

    base: int
    steps: list[dict[str, Any]] = Field(max_length=MOST_STEPS)
    upto: int | None = Field(default=None, ge=0, le=MOST_STEPS)
    keep: bool = False


class HandoffIn(Message):
    """How to hand off: the keys of the formats, and what is chosen of their options, by both keys.

    A ``revision`` other than the present one is handed off as it was. The grid and its files are called as
    the project is where no ``name`` is given: what was handed off under another stays the same to the byte.
    """

    name: str | None = Field(default=None, max_length=120)
    formats: list[str] = Field(default=["cgns"], max_length=20)
    options: dict[str, dict[str, str]] = Field(default_factory=dict, max_length=20)
    unit: Literal["m", "cm", "mm", "in", "ft"] | None = None
    scale: float = Field(default=1.0, gt=0, allow_inf_nan=False)
    folded_too: bool = False
    poles_too: bool = False
    revision: int | None = None


class HandoffOut(Message):
    """A hand-off that was made: when, of which revision, how it was asked for, and what came of it.

    ``digest`` tells whether two are alike to the byte, ``there`` whether the files can still be fetched.
    ``changes`` are told against the hand-off ``against``, which is the one before where none was chosen.
    """

    id: str
    ended: float
    revision: int
    asked: HandoffIn
    name: str
    files: list[str]
    bytes: int
    digest: str
    cells: int
    holds: bool
    factor: float
    there: bool
    against: str | None
    changes: list[str]


class HandoffsOut(Message):
    """The hand-offs of a project, the last first."""

    handoffs: list[HandoffOut]


class AgainstQuery(Message):
    """The hand-off that others are held against."""

    against: str | None = Field(default=None, max_length=64)


class DryRunIn(Message):
    """The file of a hand-off to solve on."""

    file: str = Field(max_length=200)


class FieldQuery(Message):
    """Which field of a dry run is drawn."""

    field: Literal["speed", "potential"] = "speed"


class JobOut(Message):
    """A job: where it stands and how it ended."""

    id: str
    project: int
    kind: str
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    progress: dict[str, Any]
    result: dict[str, Any]

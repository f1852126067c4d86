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
    """How to hand off: the keys of the formats, and what is chosen of their options, by both keys."""

    formats: list[str] = Field(default=["cgns"], max_length=20)
    options: dict[str, dict[str, str]] = Field(default_factory=dict, max_length=20)
    unit: Literal["m", "cm", "mm", "in", "ft"] | None = None
    scale: float = Field(default=1.0, gt=0, allow_inf_nan=False)
    folded_too: bool = False
    poles_too: bool = False


class JobOut(Message):
    """A job: where it stands and how it ended."""

    id: str
    project: int
    kind: str
    state: Literal["waiting", "running", "done", "stopped", "failed"]
    progress: dict[str, Any]
    result: dict[str, Any]

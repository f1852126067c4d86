"""Messages about two states of grids side by side."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from plodek.core.recipe.document import MOST_STEPS
from plodek.server.api.messages import Message, Numbers


class OtherIn(Message):
    """The state that is looked at beside the present one: what differs from it.

    Another project, another revision, or other ``values`` of parameters and of ``step.field``; and whether
    it is taken smoothed, or as filled.
    """

    project: int | None = Field(default=None, ge=1, lt=2**63)
    revision: int | None = Field(default=None, ge=0, lt=2**63)
    values: dict[str, str] = Field(default={}, max_length=20)
    smoothed: bool = True


class ComparisonIn(Message):
    """What is compared: the present state with another, and which metric's histogram is wanted."""

    upto: int | None = Field(default=None, ge=0, le=MOST_STEPS)
    smoothed: bool = True
    other: OtherIn
    metric: str = "scaled_jacobian"
    log: bool | None = None


class OtherPictureIn(Message):
    """The other state to draw from outside, with a metric for the colours."""

    upto: int | None = Field(default=None, ge=0, le=MOST_STEPS)
    other: OtherIn
    metric: str | None = None


class SideOut(Message):
    """A metric over one of the grids."""

    worst: float
    mean: float
    cells: int


class PairOut(Message):
    """A metric of both grids; ``verdict`` says what the worst of the present one is against the other's."""

    key: str
    label: str
    unit: str
    ours: SideOut | None
    theirs: SideOut | None
    verdict: Literal["better", "worse", "same", "not comparable"]


class GridFacts(Message):
    """What one of the grids comes to."""

    name: str
    cells: int
    folded: int
    passed: bool
    counts: list[int]
    volumes: Numbers


class ApartOut(Message):
    """How far nodes lie apart where the counts agree, and where they do most."""

    largest: float
    mean: float
    at: Numbers


class ComparisonOut(Message):
    """Two states side by side: their metrics, one metric's values over the same bars, their nodes."""

    ours: GridFacts
    theirs: GridFacts
    pairs: list[PairOut]
    metric: str
    bounds: Numbers
    apart: ApartOut | None


class RevisionOut(Message):
    """A kept revision: when, and what it changed."""

    number: int
    created: float
    what: str


class RevisionsOut(Message):
    """Revisions of a project, the newest first."""

    revisions: list[RevisionOut]

"""Messages about sections through a grid."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from plodek.core.recipe.document import MOST_STEPS
from plodek.server.api.advice.messages import AdviceOut
from plodek.server.api.comparison.messages import OtherIn
from plodek.server.api.messages import Message, Pair

#: Sections of a project at most.
MOST_SECTIONS = 12

_Number = Annotated[float, Field(allow_inf_nan=False)]
_Place = Annotated[list[_Number], Field(min_length=3, max_length=3)]


class Section(Message):
    """A plane, a cylinder or a sphere, and how it is looked at.

    A plane is told by a point and its normal (``axis``), by three places it goes ``through``, or as square
    to a guide ``at`` a share of its length. A cylinder has a point and an axis, a sphere its centre
    (``point``). It is ``moved`` along its normal by a length. ``whole`` shows the cells that it meets, not
    what it cuts out.
    """

    kind: Literal["plane", "cylinder", "sphere"] = "plane"
    point: _Place | None = None
    axis: _Place | None = None
    through: Annotated[list[_Place], Field(min_length=3, max_length=3)] | None = None
    guide: str = Field(default="", max_length=200)
    at: float = Field(default=0.5, ge=0, le=1)
    radius: _Number = 0.0
    moved: _Number = 0.0
    whole: bool = False
    shown: bool = True


class SectionsIn(Message):
    """The sections of a project, kept with it."""

    sections: list[Section] = Field(max_length=MOST_SECTIONS)


class SectionsOut(SectionsIn):
    """The sections that are kept with a project."""


class Look(Message):
    """Which grid is looked into: smoothed or as filled, with a metric for the colours."""

    upto: int | None = Field(default=None, ge=0, le=MOST_STEPS)
    smoothed: bool = True
    metric: str | None = None
    #: Another state to look into instead.
    other: OtherIn | None = None


class LookIn(Look, SectionsIn):
    """Sections to draw."""


class RangeIn(Message):
    """Values of a metric from ``low`` to ``high``; to any where that is left out."""

    metric: str
    low: _Number | None = None
    high: _Number | None = None


class BeyondOut(Message):
    """What lies behind a side of a cell: another cell by its number, or a patch."""

    cell: int | None
    patch: str


class ProbeOut(Message):
    """A cell: where it is, its metrics by key, its edges' lengths along i, j and k, and its neighbours."""

    cell: int
    block: str
    index: list[int]
    corners: list[list[float]]
    volume: float
    edges: list[list[float]]
    values: dict[str, float]
    beyond: dict[str, BeyondOut]


class ChoiceIn(Look):
    """Cells to draw alone: whose values lie in all ranges, at a patch where one is named.

    They are ``grown`` so many times by their neighbours, and ``shrunk`` by a share of their size.
    """

    ranges: list[RangeIn] = Field(max_length=12)
    patch: str = Field(default="", max_length=200)
    grown: int = Field(default=0, ge=0, le=20)
    shrunk: float = Field(default=0.0, ge=0, lt=1)


class CauseOut(Message):
    """A part of the layout that cells stand at: its ids, what is wrong there, what helps, perhaps advice."""

    kind: Literal["corner", "edge", "side", "block"]
    cells: int
    text: str
    cure: str
    blocks: list[str]
    corners: list[str]
    edges: list[Pair]
    advice: AdviceOut | None


class CausesOut(Message):
    """What made cells as they are, and the patches and guides nearest to them, with how many are."""

    causes: list[CauseOut]
    patches: dict[str, int]
    guides: dict[str, int]

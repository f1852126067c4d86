"""Messages about grids: which part is drawn, their quality, their cells."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from plodek.core.recipe.document import MOST_STEPS
from plodek.core.smooth.outcome import Reached
from plodek.server.api.messages import Message, Numbers


class PartOf(BaseModel):
    """What of a grid in space is drawn: all, the sides around blocks, or the layer at a share of a tier."""

    blocks: str = Field(default="", max_length=100_000, description="ids, with | between them")
    tier: str = Field(default="", max_length=20)
    at: float = Field(default=0.5, ge=0, le=1)


class RowOut(Message):
    """A metric over the cells of a part; ``beyond`` is the share of them that misses the limit."""

    name: str
    cells: int
    worst: float
    mean: float
    beyond: float


class TableOut(Message):
    """A metric by block, region, patch or tier, the worst first."""

    rows: list[RowOut]


class PreviewGridIn(Message, PartOf):
    """Steps to draw the grid of without keeping them, and which part of it.

    A large part is drawn coarse and says so, unless it is asked for ``fine``.
    """

    steps: list[dict[str, Any]] = Field(max_length=MOST_STEPS)
    fine: bool = False


class MetricOut(Message):
    """A metric over the whole grid, with its limit at the gate."""

    key: str
    label: str
    unit: str
    better: Literal["high", "low"]
    worst: float
    mean: float
    best: float
    #: Cells that it says something of.
    cells: int
    #: What it looks at: cells, their sizes, walls, or joints.
    group: Literal["cell", "size", "wall", "joint"]
    #: Whether its values are spread by factors.
    log: bool
    limit: float | None
    missed: int
    sentence: str


class VerdictOut(Message):
    """What the gate says of a limit of a part of the grid, or of one that is no cell's: leaks and sag."""

    metric: str
    missed: int
    sentence: str


class CellOut(Message):
    """A cell by its number in the grid: where it is, and its corners in the order of the core's tables."""

    cell: int
    block: str
    index: list[int]
    value: float
    at: Numbers
    corners: list[Numbers]


class CreaseOut(Message):
    """A break of a surface under a side: by how much its normal turns there, in degrees, and where."""

    degrees: float
    at: Numbers


class FitOut(Message):
    """How the sides on one guide lie on it: misfit of nodes, sag of faces, the node furthest off."""

    guide: str
    sides: int
    misfit: float
    mean_misfit: float
    sag: float
    mean_sag: float
    sewn: float
    at: Numbers
    missed: bool
    crease: CreaseOut | None


class HeightsOut(Message):
    """The first heights over a wall: what its edges have, what is there, the share of nodes within 5 %."""

    wall: str
    nodes: int
    wanted: float | None
    smallest: float
    median: float
    largest: float
    held: float | None
    #: y⁺ of the median, where the flow is known.
    y_plus: float | None


class QualityOut(Message):
    """The quality of a grid: summary and gate, and the histogram and worst cells of one metric."""

    cells: int
    folded: int
    poles: int
    passed: bool
    volume: float
    metrics: list[MetricOut]
    metric: str
    bounds: Numbers
    #: Cells of each bar, and their volumes.
    counts: list[int]
    volumes: Numbers
    worst: list[CellOut]
    #: What the gate says of parts that have limits of their own.
    parts: list[VerdictOut]
    runs: list[Reached]
    fits: list[FitOut]
    heights: list[HeightsOut]


class CellsOut(Message):
    """Cells of a bar of the histogram."""

    cells: list[CellOut]
    all: int

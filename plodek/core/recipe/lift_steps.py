"""Steps of the Blocks stage that lift the plane into space: extrude, revolve, sweep."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.operations.lift import Extrusion, Lifted, Motion, Revolution, Sweep, lifted
from plodek.core.errors import BadValue
from plodek.core.model.model import Lift, Model
from plodek.core.recipe.fields import CURVE, DEGREES, DIRECTION, LENGTH, ORIGIN, PLACE, X_AXIS, Z_AXIS
from plodek.core.recipe.frame_steps import BlockStep
from plodek.core.recipe.selectors import Direction, Length, PlaceOf, place_of
from plodek.core.recipe.step import Context
from plodek.core.shape.frame import unit
from plodek.core.spacing.edge_law import EdgeLaw

_CUTS = "fractions of the way, from 0 to 1"


class _LiftStep(BlockStep):
    family: ClassVar[str] = "Lift and copy"


def lift(
    model: Model, motion: Motion, stations: list[float], cells: int, law: EdgeLaw | None = None
) -> Model:
    """Lift the plane of a model, with ``cells`` along the way and their law.

    Counts and laws of the plane go along. Raises BadValue for stations that do not rise.
    """
    if any(not low < high for low, high in pairwise(stations)):
        raise BadValue("the cuts along the way do not rise from 0 to 1", remedy="give them in order")
    done = lifted(model.layout, model.guides, motion, stations)
    counting = model.spacing.counting
    counts, laws = _along(model, done, stations, counting.times(cells), law)
    names: dict[Edge, str] = {}
    # What has been smoothed stays as it is: all its counts are fixed, the derived ones too.
    fixed = model.laid.counts if model.smoothing else model.spacing.counts
    for name, corners in {n: b.corners for n, b in done.layout.blocks.items()}.items():
        plane = model.layout.blocks[done.base[name]].corners
        for first in (0, 4):
            for a, b in ((0, 1), (2, 3), (0, 2), (1, 3)):
                old, new = edge_of(plane[a], plane[b]), edge_of(corners[a + first], corners[b + first])
                if new[0] == new[1]:
                    continue
                if old in fixed:
                    counts[new] = fixed[old]
                if old in model.spacing.names:
                    names[new] = model.spacing.names[old]
                if old in model.spacing.laws:
                    same = (plane[a] < plane[b]) == (corners[a + first] < corners[b + first])
                    laws[new] = model.spacing.laws[old] if same else model.spacing.laws[old].turned()
    pieces = dict(model.pieces) | {n: p for n, p in done.pieces.items() if p}
    if model.smoothing:
        counting = replace(counting, budget=None)
    return replace(
        model,
        layout=done.layout,
        pieces=pieces,
        smoothing=(),
        spacing=replace(model.spacing, counts=counts, laws=laws, names=names, counting=counting),
        lift=Lift(model, motion, done.foot, done.base),
    )


def _along(
    model: Model, done: Lifted, stations: list[float], cells: int, law: EdgeLaw | None
) -> tuple[dict[Edge, int], dict[Edge, EdgeLaw]]:
    """Share the cells of the way between the parts of it; the law is laid where there is one part."""
    counts: dict[Edge, int] = {}
    laws: dict[Edge, EdgeLaw] = {}
    for name in model.layout.corners:
        for low, high in pairwise(stations):
            a, b = f"{name}.{low:g}", f"{name}.{high:g}"
            b = b if b in done.layout.corners else f"{name}.0"
            edge = edge_of(a, b)
            if a == b or edge not in done.layout.edges:
                continue
            counts[edge] = max(1, round(cells * high) - round(cells * low))
            if law is not None:
                laws[edge] = law if edge[0] == a else law.turned()
    return counts, laws


def _stations(cuts: list[float]) -> list[float]:
    return [0.0, *cuts, 1.0]


class Extrude(_LiftStep):
    """Stand the plane up, smoothed as it is, with a count and spacing along the way."""

    kind: Literal["extrude"] = "extrude"
    verb: ClassVar[str] = "Extrude"
    key: ClassVar[str] = "E"
    sentence: ClassVar[str] = "Extrude by {depth} along {along} in {cells} cells, cut at {cuts}"
    depth: Length = Field(title="Depth", json_schema_extra=LENGTH)
    cells: int = Field(title="Cells", ge=1, le=10_000)
    along: Direction = Field(default=Z_AXIS, title="Direction", json_schema_extra=DIRECTION)
    cuts: list[float] = Field(
        default=[], title="Cut at", description=_CUTS, json_schema_extra={"widget": "numbers"}
    )
    law: Literal["uniform", "geometric", "tanh"] = Field(
        default="uniform", title="Law", json_schema_extra={"widget": "choice"}
    )
    first: Length | None = Field(
        default=None, title="First cell (at the plane)",
        json_schema_extra=LENGTH | {"when": {"law": ["geometric", "tanh"]}},
    )  # fmt: skip
    last: Length | None = Field(
        default=None, title="Last cell", json_schema_extra=LENGTH | {"when": {"law": ["geometric", "tanh"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("extrude")
        first, last = (
            None if v is None else self.sizes(model, v, "cell size") for v in (self.first, self.last)
        )
        depth = self.sizes(model, self.depth, "depth")
        law: EdgeLaw | None = None
        if self.law != "uniform":
            if self.cuts:
                raise BadValue("a law and cuts are given", remedy="space the pieces in the Spacing stage")
            counting = model.spacing.counting
            law = EdgeLaw(self.law, first=first, last=last).scaled(counting.finer)
            # An impossible law is refused here, not when the grid is built.
            law.nodes(counting.times(self.cells), depth)
        motion = Extrusion(depth * unit(np.array(self.along)))
        return lift(model, motion, _stations(self.cuts), self.cells, law)


class Revolve(_LiftStep):
    """Turn the plane about an axis, by a full turn or a part; corners on the axis make a pole."""

    kind: Literal["revolve"] = "revolve"
    verb: ClassVar[str] = "Revolve"
    key: ClassVar[str] = "V"
    sentence: ClassVar[str] = "Revolve by {angle} about {along} through {at}, parts {parts}, cells {cells}"
    angle: float = Field(default=360.0, title="Angle", json_schema_extra=DEGREES)
    at: PlaceOf = Field(default=ORIGIN, title="Axis through", json_schema_extra=PLACE)
    along: Direction = Field(default=X_AXIS, title="Axis", json_schema_extra=DIRECTION)
    parts: int = Field(
        default=4,
        title="Parts",
        ge=1,
        le=360,
        description="4 suit a butterfly core; a full turn takes 3 or more",
    )
    cells: int = Field(default=32, title="Cells", ge=1, le=10_000)

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("revolve")
        motion = Revolution(
            np.array(place_of(model, self.at)), np.array(self.along), math.radians(self.angle)
        )
        stations = [n / self.parts for n in range(self.parts + 1)]
        return lift(model, motion, stations, self.cells)


class SweepLayout(_LiftStep):
    """Carry the plane along a guide curve in a frame that does not twist, perhaps growing or narrowing."""

    kind: Literal["sweep"] = "sweep"
    verb: ClassVar[str] = "Sweep"
    key: ClassVar[str] = "⇧S"
    sentence: ClassVar[str] = (
        "Sweep along {guide}, {scale} as large at the end, in {cells} cells, cut at {cuts}"
    )
    guide: str = Field(title="Path", json_schema_extra=CURVE)
    scale: float = Field(default=1.0, title="Scale at the end", gt=0)
    cells: int = Field(default=40, title="Cells", ge=1, le=10_000)
    cuts: list[float] = Field(
        default=[], title="Cut at", description=_CUTS, json_schema_extra={"widget": "numbers"}
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("sweep")
        motion = Sweep(model.curve(self.guide), self.scale)
        return lift(model, motion, _stations(self.cuts), self.cells)

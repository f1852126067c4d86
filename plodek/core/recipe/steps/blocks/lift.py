"""Steps that lift the plane into space: extrude, revolve, sweep."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.motion import Extrusion, Motion, Revolution, Sweep
from plodek.core.blocks.operations.lift import Lifted, centre_of, lifted
from plodek.core.budget import need
from plodek.core.errors import BadValue
from plodek.core.model.model import Lift, Model
from plodek.core.recipe.fields import (
    ORIGIN,
    X_AXIS,
    Z_AXIS,
    CurveRef,
    Degrees,
    Direction,
    Length,
    Numbers,
    PlaceOf,
    when,
)
from plodek.core.recipe.places import place_of
from plodek.core.recipe.step import Changes, Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.shape.frame import unit
from plodek.core.spacing.edge_law import EdgeLaw

#: A path whose direction has no more than that across the plane begins along it.
_ALONG_PLANE = 1e-6
_CUTS = "fractions of the way, from 0 to 1"


def lift(
    model: Model, motion: Motion, stations: list[float], cells: int, law: EdgeLaw | None = None
) -> Model:
    """Lift the plane of a model, with ``cells`` along the way and their law.

    Counts, laws, patches, regions and twins of the plane go along. Raises BadValue for stations that do not
    rise.
    """
    if any(not low < high for low, high in pairwise(stations)):
        raise BadValue("the cuts along the way do not rise from 0 to 1", remedy="give them in order")
    need("blocks", len(model.layout.blocks) * (len(stations) - 1))
    done = lifted(model.layout, model.guides, motion, stations)
    counting = model.spacing.counting
    counts, laws = _along(done, stations, counting.times(cells), law)
    names: dict[Edge, str] = {}
    # What has been smoothed stays as it is: all its counts are fixed, the derived ones too.
    fixed = model.laid.counts if model.smoothing else model.spacing.counts
    for name, block in done.layout.blocks.items():
        plane = model.layout.blocks[done.base[name]].corners
        for first in (0, 4):
            for _, a, b in tables.edges(2):
                old = edge_of(plane[a], plane[b])
                new = edge_of(block.corners[a + first], block.corners[b + first])
                if new[0] == new[1]:
                    continue
                if old in fixed:
                    counts[new] = fixed[old]
                if old in model.spacing.names:
                    names[new] = model.spacing.names[old]
                if old in model.spacing.laws:
                    law_there = model.spacing.laws[old]
                    same = (done.foot[new[0]], done.foot[new[1]]) == old
                    laws[new] = law_there if same else law_there.turned()
    pieces = dict(model.pieces) | {n: p for n, p in done.pieces.items() if p}
    if model.smoothing:
        counting = replace(counting, budget=None)
    return replace(
        model,
        layout=done.layout,
        guides={**model.guides, **done.surfaces},
        pieces=pieces,
        spacing=replace(model.spacing, counts=counts, laws=laws, names=names, counting=counting),
        operations=(Lift(model, motion, done.foot, done.base, done.above),),
        known=None,
    )


def _along(
    done: Lifted, stations: list[float], cells: int, law: EdgeLaw | None
) -> tuple[dict[Edge, int], dict[Edge, EdgeLaw]]:
    """Share the cells of the way between the parts of it; the law is laid where there is one part."""
    counts: dict[Edge, int] = {}
    laws: dict[Edge, EdgeLaw] = {}
    for column in done.above.values():
        for (a, b), (low, high) in zip(pairwise(column), pairwise(stations), strict=True):
            edge = edge_of(a, b)
            if a == b or edge not in done.layout.edges:
                continue
            counts[edge] = max(1, round(cells * high) - round(cells * low))
            if law is not None:
                laws[edge] = law if edge[0] == a else law.turned()
    return counts, laws


def _stations(cuts: list[float]) -> list[float]:
    return [0.0, *cuts, 1.0]


class Extrude(BlockStep):
    """Stand the plane up, smoothed as it is, with a count and spacing along the way."""

    kind: Literal["extrude"] = "extrude"
    verb: ClassVar[str] = "Extrude"
    key: ClassVar[str] = "E"
    changes: ClassVar[Changes] = "lift"
    order: ClassVar[int] = 210
    family: ClassVar[str] = "Lift and copy"
    known_as: ClassVar[tuple[str, ...]] = ("3-D", "translate")
    sentence: ClassVar[str] = "Extrude by {depth} along {along} in {cells} cells, cut at {cuts}"
    depth: Length = Field(title="Depth")
    cells: int = Field(title="Cells", ge=1, le=10_000)
    along: Direction = Field(default=Z_AXIS, title="Direction")
    cuts: Numbers = Field(default=[], title="Cut at", description=_CUTS)
    law: Literal["uniform", "geometric", "tanh"] = Field(default="uniform", title="Law")
    first: Length | None = Field(
        default=None, title="First cell (at the plane)", json_schema_extra=when(law=("geometric", "tanh"))
    )
    last: Length | None = Field(
        default=None, title="Last cell", json_schema_extra=when(law=("geometric", "tanh"))
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


class Revolve(BlockStep):
    """Turn the plane about an axis, by a full turn or a part; corners on the axis make a pole."""

    kind: Literal["revolve"] = "revolve"
    verb: ClassVar[str] = "Revolve"
    key: ClassVar[str] = "V"
    changes: ClassVar[Changes] = "lift"
    order: ClassVar[int] = 220
    family: ClassVar[str] = "Lift and copy"
    known_as: ClassVar[tuple[str, ...]] = ("3-D", "rotate", "axisymmetric")
    sentence: ClassVar[str] = "Revolve by {angle} about {along} through {at}, parts {parts}, cells {cells}"
    angle: Degrees = Field(default=360.0, title="Angle")
    at: PlaceOf = Field(default=ORIGIN, title="Axis through")
    along: Direction = Field(default=X_AXIS, title="Axis")
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


class SweepLayout(BlockStep):
    """Carry the plane along a guide curve in a frame that does not twist, perhaps growing or narrowing.

    Where the curve begins along the plane, this is stood squarely on its start first.
    """

    kind: Literal["sweep"] = "sweep"
    verb: ClassVar[str] = "Sweep"
    key: ClassVar[str] = "⇧S"
    changes: ClassVar[Changes] = "lift"
    order: ClassVar[int] = 230
    family: ClassVar[str] = "Lift and copy"
    known_as: ClassVar[tuple[str, ...]] = ("3-D", "along a path")
    sentence: ClassVar[str] = (
        "Sweep along {guide}, {scale} as large at the end, in {cells} cells, cut at {cuts}"
    )
    guide: CurveRef = Field(title="Path")
    scale: float = Field(default=1.0, title="Scale at the end", gt=0)
    cells: int = Field(default=40, title="Cells", ge=1, le=10_000)
    cuts: Numbers = Field(default=[], title="Cut at", description=_CUTS)

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("sweep")
        path = model.curve(self.guide)
        first = path.at(np.zeros(1))[0]
        if abs(float(path.tangent(np.zeros(1))[0, 2])) > _ALONG_PLANE:
            return lift(model, Sweep(path, self.scale), _stations(self.cuts), self.cells)
        at = _on_path(model, first)
        found = lift(model, Sweep(path, self.scale, at), _stations(self.cuts), self.cells)
        told = f"({at[0]:.4g}, {at[1]:.4g})"
        return found.reporting(
            self.id, f"the path begins along the plane: this stands squarely on its start, with {told} there"
        )


def _on_path(model: Model, first: Floats) -> Floats:
    """Give the place (3,) of the plane that is stood on a path's start (3,).

    That is the path's start itself where it lies within the blocks' extent, else the centre of their area.
    """
    xyz = model.layout.places(model.layout.corners)
    low, high = xyz.min(axis=0), xyz.max(axis=0)
    near = 1e-6 * float(np.linalg.norm(high - low))
    if np.all((low - near <= first) & (first <= high + near)):
        return np.array([*first[:2], 0.0])
    return centre_of(model.layout, model.guides)

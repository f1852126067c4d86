"""The step that divides blocks along a tier."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import ClassVar, Literal

import numpy as np
import scipy
from pydantic import Field

from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.operations.cut import cut, fractions_along, kept_within
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.model.open import is_along_lift
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, Lengths, Numbers, PlaceOf, TierSelector, when
from plodek.core.recipe.places import place_of
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.tolerances import CUT_MARGIN
from plodek.core.units import length


class Cut(BlockStep):
    """Divide every block that a tier runs through: at coordinates, fractions, a place, nodes, or equally."""

    kind: Literal["cut"] = "cut"
    verb: ClassVar[str] = "Cut"
    key: ClassVar[str] = "C"
    order: ClassVar[int] = 40
    family: ClassVar[str] = "Divide"
    known_as: ClassVar[tuple[str, ...]] = ("split", "divide blocks", "slice")
    sentence: ClassVar[str] = "Cut {tier} at {by} {at}{fractions}{through}{pieces}{cells}, within {within}"
    by: Literal["x", "y", "z", "fraction", "place", "pieces", "cells"] = Field(default="x", title="At")
    at: Lengths = Field(
        default=[],
        title="Values",
        max_length=50,
        description="coordinates",
        json_schema_extra=when(by=("x", "y", "z")),
    )
    fractions: Numbers = Field(
        default=[],
        title="Fractions",
        max_length=50,
        description="from 0 to 1, rising, from the edge's first corner",
        json_schema_extra=when(by="fraction"),
    )
    through: PlaceOf | None = Field(default=None, title="Through", json_schema_extra=when(by="place"))
    pieces: int | None = Field(
        default=None, title="Equal pieces", ge=2, le=100, json_schema_extra=when(by="pieces")
    )
    cells: Numbers = Field(
        default=[],
        title="After cells",
        max_length=50,
        description="whole numbers, rising, from the edge's first corner: the cut goes through nodes",
        json_schema_extra=when(by="cells"),
    )
    tier: TierSelector | None = Field(
        default=None,
        title="Tier",
        description="an edge of the tier; where left out, every tier that crosses the coordinate",
    )
    within: BlockSelector | None = Field(
        default=None,
        title="Only within",
        description="the cut must end at the boundary or at hollow blocks, which are dropped",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        if self.by == "place":
            return self._through(model)
        if self.by == "pieces":
            if self.pieces is None:
                raise BadValue("no number of pieces is given", remedy="give 2 or more")
            return self._at_fractions(model, [n / self.pieces for n in range(1, self.pieces)])
        if self.by == "cells":
            return self._after_cells(model)
        if not (self.fractions if self.by == "fraction" else self.at):
            raise BadValue("no value says where to cut", remedy="give one value or more")
        if self.by == "fraction":
            return self._at_fractions(model, self.fractions)
        axis = "xyz".index(self.by)
        if axis >= model.layout.dim:
            raise BadValue(
                "the layout is plane: nothing crosses a z", remedy="cut at x or y, or lift it first"
            )
        for number, value in enumerate(self.at):
            model = self._across(model, axis, length(value, model.unit), number)
        return model

    def _across(self, model: Model, axis: int, value: float, number: int) -> Model:
        """Cut where edges cross a coordinate; the tier's other edges take the first one's fraction."""
        if self.tier is not None:
            wanted = [model.tier_by_edge[edge_of(*e)] for e in selectors.edges(model, self.tier)]
            found = [
                t for t in {t.first: t for t in wanted}.values() if crossings(model, t.edges, axis, value)
            ]
        else:
            found = [t for t in model.tiers if crossings(model, t.edges, axis, value)]
        if not found:
            low, high = (f(model.layout.places(model.layout.corners)[:, axis]) for f in (np.min, np.max))
            raise NothingFound(
                f"no {'edge of this tier' if self.tier else 'edge'} crosses {'xyz'[axis]} = {value:g}",
                remedy=f"the blocks reach from {low:g} to {high:g}, and a cut must miss their corners",
            )
        for tier in found:
            edge = next(e for e in tier.edges if e in model.layout.edges)
            now = model.tier_by_edge[edge]
            crossing = crossings(model, now.edges, axis, value)
            first = next(iter(crossing))
            spread = fractions_along(now, crossing[first], first)
            model = self._cut(model, now, spread | crossing, f"{number}")
        return model

    def _named_tier(self, model: Model) -> tuple[Tier, tuple[str, str]]:
        if self.tier is None:
            raise BadValue("no tier says what to cut", remedy="take an edge of the tier in hand")
        return selectors.tier(model, self.tier)

    def _at_fractions(self, model: Model, values: list[float]) -> Model:
        done = 0.0
        outside = next((value for value in values if not 0 < value < 1), None)
        if outside is not None:
            raise BadValue(f"the fraction is {outside:g}", remedy="give a number between 0 and 1")
        if sorted(set(values)) != values:
            raise BadValue("the fractions do not rise", remedy="give them from the smallest to the largest")
        tier, (a, b) = self._named_tier(model)
        for number, value in enumerate(values):
            tier = model.tier_by_edge[edge_of(a, b)]
            part = (value - done) / (1 - done)
            at = part if a < b else 1 - part
            edge = edge_of(a, b)
            model = self._cut(model, tier, fractions_along(tier, at, edge), f"{number}", edge)
            a, done = self._middle(model, a, b), value
        return model

    def _after_cells(self, model: Model) -> Model:
        """Cut through nodes, at the same one of every edge of the tier."""
        tier, (a, b) = self._named_tier(model)
        count, done = model.laid.counts[tier.first], 0
        wrong = [value for value in self.cells if not (value == int(value) and 0 < value < count)]
        if wrong or not self.cells or sorted(set(self.cells)) != self.cells:
            raise BadValue(
                f"there is no cut after {wrong[0]:g} cells"
                if wrong
                else "no numbers that rise say where to cut",
                remedy=f"give whole numbers from 1 to {count - 1}, from the smallest to the largest",
            )
        for number, value in enumerate(self.cells):
            tier, nodes = model.tier_by_edge[edge_of(a, b)], model.laid.nodes
            same = tier.edges[edge_of(a, b)] == (a < b)
            at = int(value) - done
            fractions = {
                e: float(nodes[e][at if way == same else len(nodes[e]) - 1 - at])
                for e, way in tier.edges.items()
                if e in nodes
            }
            model = self._cut(model, tier, fractions, f"{number}", edge_of(a, b))
            a, done = self._middle(model, a, b), int(value)
        return model

    @staticmethod
    def _middle(model: Model, a: str, b: str) -> str:
        first, second = model.pieces[edge_of(a, b)]
        (middle,) = set(first) & set(second)
        return middle

    def _through(self, model: Model) -> Model:
        if self.through is None:
            raise BadValue("no place says where to cut", remedy="give coordinates or a guide point")
        xyz = np.array(place_of(model, self.through))
        tier, named = self._named_tier(model)
        layout = model.layout
        at = {e: edge_path(layout, model.guides, e).nearest(xyz) for e in tier.edges}
        own = at[edge_of(*named)]
        spread = fractions_along(tier, own, edge_of(*named))
        inner = {e: f for e, f in at.items() if 0.02 < f < 0.98} if layout.dim == 2 else {}
        return self._cut(model, tier, spread | inner, "0", edge_of(*named))

    def _cut(
        self, model: Model, tier: Tier, fractions: dict[Edge, float], part: str, edge: Edge | None = None
    ) -> Model:
        layout = model.layout
        if self.within is not None:
            chosen = selectors.blocks(model, self.within)
            layout, tier = kept_within(layout, edge or next(iter(fractions)), chosen)
            fractions = {e: f for e, f in fractions.items() if e in tier.edges}
        return divided(model, f"{self.id}.{part}", layout, tier, fractions)


def divided(model: Model, step: str, layout: Layout, tier: Tier, fractions: Mapping[Edge, float]) -> Model:
    """Cut a tier of a model's layout, or of part of it, at fractions of its edges; see `cut`."""
    done = cut(step, layout, model.guides, tier, fractions)
    return model.changed(done, along_lift=is_along_lift(model, tier))


def crossings(model: Model, edges: Iterable[Edge], axis: int, value: float) -> dict[Edge, float]:
    """Give the edges that cross a coordinate between their corners, with the fraction where they do."""
    found = {}
    for edge in edges:
        low, high = model.layout.places(edge)
        step = high - low
        if abs(step[axis]) > 0.5 * np.linalg.norm(step):
            fraction = float((value - low[axis]) / step[axis])
            if edge in model.layout.follows or edge in model.layout.bends:
                fraction = _crossing_of_path(model, edge, axis, value, fraction)
            if CUT_MARGIN < fraction < 1 - CUT_MARGIN:
                found[edge] = fraction
    return found


def _crossing_of_path(model: Model, edge: Edge, axis: int, value: float, guess: float) -> float:
    """Find where a bent edge crosses a coordinate, between the fine samples around it."""
    path = edge_path(model.layout, model.guides, edge)
    s = np.linspace(0.0, 1.0, 65)
    gap = path.at(s)[:, axis] - value
    change = np.flatnonzero(gap[:-1] * gap[1:] <= 0)
    if not len(change):
        return guess if not 0 < guess < 1 else -1.0
    first = int(change[0])
    ends = [path.at(s[first + n : first + n + 1])[0, axis] - value for n in (0, 1)]
    if ends[0] * ends[1] >= 0:  # a sample is on the coordinate but for round-off
        return float(s[first + int(abs(ends[1]) < abs(ends[0]))])
    return float(
        scipy.optimize.brentq(
            lambda at: float(path.at(np.array([at]))[0, axis]) - value, s[first], s[first + 1], xtol=1e-16
        )
    )

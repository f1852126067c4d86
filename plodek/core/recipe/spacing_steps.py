"""Steps of the Spacing stage: counts of tiers, laws of tiers or single edges, turning round, copying."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field
from pydantic.config import JsonDict

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue, NothingFound
from plodek.core.recipe import selectors
from plodek.core.recipe.model import Model
from plodek.core.recipe.selectors import EdgeSelector, Length
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.spacing import laws
from plodek.core.spacing.edge_law import EdgeLaw, LawName
from plodek.core.spacing.spread import MOST_CELLS

_SIZED: JsonDict = {"widget": "length", "when": {"law": ["geometric", "tanh"]}}


def _need_open(model: Model) -> None:
    """Raise NotReady where the plane is smoothed; along a lift of it the spacing stays open."""
    model.need_blocks()
    if model.smoothing:
        model.need_open("spacing")


def _need_along(model: Model, tier: Tier) -> None:
    """Raise NotReady for a tier of the smoothed plane that has been lifted."""
    if model.lift and any(model.lift.foot.get(a, a) != model.lift.foot.get(b, b) for a, b in tier.edges):
        model.need_open("spacing")


class _SpacingStep(Step):
    stage: ClassVar[Stage] = "Spacing"


class Count(_SpacingStep):
    """Set the number of cells of a tier."""

    kind: Literal["count"] = "count"
    verb: ClassVar[str] = "Count"
    key: ClassVar[str] = "N"
    sentence: ClassVar[str] = "Count {cells} cells on {tier}"
    tier: EdgeSelector = Field(title="Tier", json_schema_extra={"widget": "edge"})
    cells: int = Field(title="Cells", ge=1, le=MOST_CELLS)

    def apply(self, model: Model, context: Context) -> Model:
        _need_open(model)
        tier, _ = selectors.tier(model, self.tier)
        _need_along(model, tier)
        return replace(model, spacing=model.spacing.with_count(tier, self.cells))


class Space(_SpacingStep):
    """Lay a law on a whole tier or on single edges, in physical cell sizes.

    The first cell is at the first corner of the edge named. With a first cell and a growth but no
    count, the count comes from them.
    """

    kind: Literal["space"] = "space"
    verb: ClassVar[str] = "Space"
    key: ClassVar[str] = "S"
    sentence: ClassVar[str] = (
        "Space {tier}: {cells} cells, {law}, first {first}, last {last}, growth {growth}"
    )
    tier: EdgeSelector = Field(title="Tier or edges", json_schema_extra={"widget": "edges"})
    over: Literal["tier", "edges"] = Field(default="tier", title="Lay on")
    cells: int | None = Field(default=None, title="Cells", ge=1, le=MOST_CELLS)
    law: LawName = Field(default="geometric", title="Law")
    first: Length | None = Field(default=None, title="First cell", json_schema_extra=_SIZED)
    last: Length | None = Field(default=None, title="Last cell", json_schema_extra=_SIZED)
    growth: float | None = Field(
        default=None,
        title="Growth per cell",
        gt=0,
        json_schema_extra={"when": {"law": ["geometric"]}},
    )

    def apply(self, model: Model, context: Context) -> Model:
        _need_open(model)
        tier, named = selectors.tier(model, self.tier)
        _need_along(model, tier)
        along = edge_of(*named)
        law, cells = self._law(model, along)
        spacing = model.spacing
        if cells is not None:
            spacing = spacing.with_count(tier, cells)
        chosen = list(tier.edges)
        if self.over == "edges":
            chosen = [edge_of(*e) for e in selectors.edges(model, self.tier)]
            strangers = [e for e in chosen if e not in tier.edges]
            if strangers:
                raise BadValue(
                    f"the {len(chosen)} edges belong to more than one tier",
                    remedy="space one tier after the other",
                )
        law = law if along == named else law.turned()
        return replace(model, spacing=spacing.with_law(tier, chosen, law, along))

    def _law(self, model: Model, along: Edge) -> tuple[EdgeLaw, int | None]:
        """Work out the law and the count, if the step gives one, on the edge named."""
        first, last = (
            None if v is None else self.sizes(model, v, "cell size") for v in (self.first, self.last)
        )
        if self.law == "uniform":
            return EdgeLaw(), self.cells
        if self.law == "tanh":
            return EdgeLaw("tanh", first=first, last=last), self.cells
        if first is not None and last is not None:
            raise BadValue(
                "a geometric law takes one of first cell, last cell and growth",
                remedy="leave one out, or use the tanh law for both ends",
            )
        if self.growth is not None and (first is not None or last is not None):
            if self.cells is not None:
                raise BadValue(
                    "cells, growth and an end cell together say one thing too much",
                    remedy="leave one of the three out",
                )
            if along not in model.laid.paths:
                raise NothingFound("the edge named belongs to hollow blocks only")
            size = first if first is not None else last
            assert size is not None
            ratio = self.growth if first is not None else 1 / self.growth
            cells = laws.geometric_count(size / model.laid.paths[along].length, ratio)
            return EdgeLaw("geometric", first=first, last=last), cells
        return EdgeLaw("geometric", first=first, last=last, ratio=self.growth), self.cells


class Turn(_SpacingStep):
    """Turn the spacing of a tier or of single edges round."""

    kind: Literal["turn"] = "turn"
    verb: ClassVar[str] = "Turn"
    key: ClassVar[str] = "T"
    sentence: ClassVar[str] = "Turn round {tier}"
    tier: EdgeSelector = Field(title="Tier or edges", json_schema_extra={"widget": "edges"})
    over: Literal["tier", "edges"] = Field(default="tier", title="Turn")

    def apply(self, model: Model, context: Context) -> Model:
        _need_open(model)
        if self.over == "tier":
            chosen = list(selectors.tier(model, self.tier)[0].edges)
        else:
            chosen = [edge_of(*e) for e in selectors.edges(model, self.tier)]
        if not any(e in model.spacing.laws for e in chosen):
            raise NothingFound("these edges are uniform", remedy="space them first")
        return replace(model, spacing=model.spacing.turned(chosen))


class Copy(_SpacingStep):
    """Copy the spacing of one edge to its whole tier."""

    kind: Literal["copy"] = "copy"
    verb: ClassVar[str] = "Copy"
    key: ClassVar[str] = "Y"
    sentence: ClassVar[str] = "Copy the spacing of {edge} to its tier"
    edge: EdgeSelector = Field(title="Edge", json_schema_extra={"widget": "edge"})

    def apply(self, model: Model, context: Context) -> Model:
        _need_open(model)
        tier, named = selectors.tier(model, self.edge)
        along = edge_of(*named)
        law = model.spacing.laws.get(along, EdgeLaw())
        return replace(model, spacing=model.spacing.with_law(tier, tier.edges, law, along))

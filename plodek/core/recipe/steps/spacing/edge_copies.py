"""Steps that take the spacing of edges to others: turn, copy, blend."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import CurveRef, EdgeSelector, On, TierSelector, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.spacing.spacing_step import (
    SpacingStep,
    each_way,
    with_twins,
)
from plodek.core.spacing.blend import blended
from plodek.core.spacing.edge_law import EdgeLaw


class Turn(SpacingStep):
    """Turn the spacing of a tier or of single edges round."""

    kind: Literal["turn"] = "turn"
    verb: ClassVar[str] = "Turn"
    key: ClassVar[str] = "T"
    order: ClassVar[int] = 60
    known_as: ClassVar[tuple[str, ...]] = ("reverse", "flip")
    sentence: ClassVar[str] = "Turn round {tier}"
    tier: EdgeSelector = Field(title="Tier or edges")
    over: Literal["tier", "edges"] = Field(default="tier", title="Turn")

    def apply(self, model: Model, context: Context) -> Model:
        tiers = [tier for tier, _ in selectors.tiers(model, self.tier, filled=True)]
        if self.over == "tier":
            chosen = [edge for tier in tiers for edge in tier.edges]
        else:
            chosen = [edge_of(*e) for e in selectors.edges(model, self.tier, filled=True)]
        if not any(e in model.spacing.laws for e in chosen):
            raise NothingFound("these edges are uniform", remedy="space them first")
        laws = {e: model.spacing.laws[e].turned() for e in chosen if e in model.spacing.laws}
        return model.with_spacing(model.spacing.with_laws(with_twins(model, laws)))


class Copy(SpacingStep):
    """Copy the spacing of one edge to its tier, to chosen edges, or to all that follow a guide.

    Sizes are copied as they are. Edges in other tiers keep their counts.
    """

    kind: Literal["copy"] = "copy"
    verb: ClassVar[str] = "Copy"
    key: ClassVar[str] = "Y"
    order: ClassVar[int] = 70
    known_as: ClassVar[tuple[str, ...]] = ("same distribution",)
    sentence: ClassVar[str] = "Copy the spacing of {edge} to {to}"
    edge: TierSelector = Field(title="Edge")
    to: Literal["its tier", "edges", "a guide"] = Field(default="its tier", title="Copy to")
    edges: EdgeSelector | None = Field(
        default=None,
        title="Edges",
        json_schema_extra=when(to="edges"),
        description="each begins at the corner it is named from",
    )
    guide: CurveRef | None = Field(default=None, title="Guide", json_schema_extra=when(to="a guide"))

    def apply(self, model: Model, context: Context) -> Model:
        tier, named = selectors.tier(model, self.edge, filled=True)
        along = edge_of(*named)
        law = model.spacing.laws.get(along, EdgeLaw())
        law = law if along == named else law.turned()
        laws = {}
        if self.to == "its tier":
            laws = each_way(tier, tier.edges, law, named)
        elif self.to == "edges":
            if self.edges is None:
                raise BadValue("no edges are chosen to copy to", remedy="choose them")
            for to in selectors.edges(model, self.edges, filled=True):
                laws[edge_of(*to)] = law if edge_of(*to) == to else law.turned()
        else:
            laws = self._along_guide(model, law, along == named, along)
        return model.with_spacing(model.spacing.with_laws(with_twins(model, laws)))

    def _along_guide(self, model: Model, law: EdgeLaw, plain: bool, along: Edge) -> dict[Edge, EdgeLaw]:
        """Lay the law on all edges that follow a guide, each the guide's way."""
        if self.guide is None:
            raise BadValue("no guide is chosen to copy along", remedy="choose one")
        chosen = [edge_of(*e) for e in selectors.edges(model, On(on=self.guide), filled=True)]
        own = model.paths[along].span if along in model.paths else 1.0
        ahead = plain == (own >= 0)
        return {
            e: law if (model.paths[e].span >= 0) == ahead else law.turned()
            for e in chosen
            if e in model.paths
        }


class Blend(SpacingStep):
    """Blend the spacing of a tier between edges that differ: the others go over from one to the next.

    Their sizes change with the distance across the blocks between, by equal ratios.
    """

    kind: Literal["blend"] = "blend"
    verb: ClassVar[str] = "Blend"
    key: ClassVar[str] = "E"
    order: ClassVar[int] = 80
    known_as: ClassVar[tuple[str, ...]] = ("transition", "interpolate")
    sentence: ClassVar[str] = "Blend the spacing between {edges}"
    edges: EdgeSelector = Field(title="Edges that stay", description="two or more of one tier")

    def apply(self, model: Model, context: Context) -> Model:
        tier, _ = selectors.tier(model, self.edges, filled=True)
        chosen = [edge_of(*e) for e in selectors.edges(model, self.edges, filled=True)]
        laws = blended(model.layout, tier, model.paths, model.spacing.laws, chosen)
        return model.with_spacing(model.spacing.with_laws(with_twins(model, laws)))

"""Steps for one tier: its count, the release of it, its name."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import TierSelector
from plodek.core.recipe.step import Changes, Context
from plodek.core.recipe.steps.spacing.spacing_step import SpacingStep
from plodek.core.spacing.edge_law import MOST_CELLS


class Count(SpacingStep):
    """Set the number of cells of a tier, or of several, which locks them."""

    kind: Literal["count"] = "count"
    verb: ClassVar[str] = "Count"
    key: ClassVar[str] = "N"
    order: ClassVar[int] = 10
    known_as: ClassVar[tuple[str, ...]] = ("number of cells", "nodes", "divisions")
    sentence: ClassVar[str] = "Count {cells} cells on {tier}"
    tier: TierSelector = Field(title="Tier or tiers")
    cells: int = Field(title="Cells", ge=1, le=MOST_CELLS)

    def apply(self, model: Model, context: Context) -> Model:
        spacing = model.spacing
        for tier, _ in selectors.tiers(model, self.tier, filled=True):
            spacing = spacing.with_count(tier, self.cells)
        return model.with_spacing(spacing)


class Release(SpacingStep):
    """Release tiers: their counts are derived again, from wanted sizes, the budget or their lengths."""

    kind: Literal["release"] = "release"
    verb: ClassVar[str] = "Release"
    key: ClassVar[str] = "L"
    order: ClassVar[int] = 20
    known_as: ClassVar[tuple[str, ...]] = ("free",)
    sentence: ClassVar[str] = "Release {tier}"
    tier: TierSelector = Field(title="Tier")

    def apply(self, model: Model, context: Context) -> Model:
        counts = dict(model.spacing.counts)
        for tier, _ in selectors.tiers(model, self.tier, filled=True):
            if not any(edge in counts for edge in tier.edges):
                what = f"{tier.label} has no count of its own"
                raise NothingFound(what, remedy="its count is derived already")
            counts = {e: n for e, n in counts.items() if e not in tier.edges}
        return model.with_spacing(replace(model.spacing, counts=counts))


class NameTier(SpacingStep):
    """Name a tier."""

    kind: Literal["name-tier"] = "name-tier"
    verb: ClassVar[str] = "Name a tier"
    key: ClassVar[str] = "A"
    changes: ClassVar[Changes] = "names"
    order: ClassVar[int] = 30
    sentence: ClassVar[str] = "Name {tier} “{name}”"
    tier: TierSelector = Field(title="Tier")
    name: str = Field(title="Name", min_length=1, max_length=24)

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        tier, _ = selectors.tier(model, self.tier, filled=True)
        taken = {n: e for e, n in model.spacing.names.items() if e not in tier.edges}
        if self.name in taken:
            raise BadValue(f"another tier is called “{self.name}”", remedy="choose another name")
        names = dict(model.spacing.names) | dict.fromkeys(tier.edges, self.name)
        return model.with_spacing(replace(model.spacing, names=names))

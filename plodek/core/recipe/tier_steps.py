"""Steps of the Spacing stage for one tier: its count, the release of it, its name."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.selectors import EdgeSelector
from plodek.core.recipe.spacing_step import SpacingStep, need_along, need_open
from plodek.core.recipe.step import Context
from plodek.core.spacing.edge_law import MOST_CELLS


class Count(SpacingStep):
    """Set the number of cells of a tier, which locks it."""

    kind: Literal["count"] = "count"
    verb: ClassVar[str] = "Count"
    key: ClassVar[str] = "N"
    sentence: ClassVar[str] = "Count {cells} cells on {tier}"
    tier: EdgeSelector = Field(title="Tier", json_schema_extra={"widget": "edge"})
    cells: int = Field(title="Cells", ge=1, le=MOST_CELLS)

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        tier, _ = selectors.tier(model, self.tier)
        need_along(model, tier)
        return model.with_spacing(model.spacing.with_count(tier, self.cells))


class Release(SpacingStep):
    """Release a tier: its count is derived again, from wanted sizes, the budget or its lengths."""

    kind: Literal["release"] = "release"
    verb: ClassVar[str] = "Release"
    key: ClassVar[str] = "L"
    sentence: ClassVar[str] = "Release {tier}"
    tier: EdgeSelector = Field(title="Tier", json_schema_extra={"widget": "edge"})

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        tier, _ = selectors.tier(model, self.tier)
        need_along(model, tier)
        if not any(edge in model.spacing.counts for edge in tier.edges):
            raise NothingFound(f"{tier.label} has no count of its own", remedy="its count is derived already")
        counts = {e: n for e, n in model.spacing.counts.items() if e not in tier.edges}
        return model.with_spacing(replace(model.spacing, counts=counts))


class NameTier(SpacingStep):
    """Name a tier."""

    kind: Literal["name-tier"] = "name-tier"
    verb: ClassVar[str] = "Name a tier"
    key: ClassVar[str] = "A"
    sentence: ClassVar[str] = "Name {tier} “{name}”"
    tier: EdgeSelector = Field(title="Tier", json_schema_extra={"widget": "edge"})
    name: str = Field(title="Name", min_length=1, max_length=24)

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        tier, _ = selectors.tier(model, self.tier)
        taken = {n: e for e, n in model.spacing.names.items() if e not in tier.edges}
        if self.name in taken:
            raise BadValue(f"another tier is called “{self.name}”", remedy="choose another name")
        names = dict(model.spacing.names) | dict.fromkeys(tier.edges, self.name)
        return model.with_spacing(replace(model.spacing, names=names))

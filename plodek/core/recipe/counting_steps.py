"""Steps of the Spacing stage for the whole project: wanted sizes, a budget, a factor, multiples."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import GUIDE, GUIDES, LENGTH
from plodek.core.recipe.selectors import Coordinates, Length
from plodek.core.recipe.spacing_step import SpacingStep
from plodek.core.recipe.step import Context
from plodek.core.shape.guide import Point, unknown_guide
from plodek.core.spacing.wishes import Ball, Box, Near, Region, Wish


class _CountingStep(SpacingStep):
    family: ClassVar[str] = "All counts"


def _need_all_open(model: Model) -> None:
    """Raise NotReady where a plane has been smoothed, whose counts are fixed, lifted or not."""
    model.need_blocks()
    model.need_open("spacing")


class WantedSize(_CountingStep):
    """Want cells no larger than a size: tiers without a count of their own get one; the finest wish wins."""

    kind: Literal["wanted-size"] = "wanted-size"
    verb: ClassVar[str] = "Want a size"
    key: ClassVar[str] = "Z"
    sentence: ClassVar[str] = "Want cells of {size} {where}"
    size: Length = Field(title="Largest cell", json_schema_extra=LENGTH)
    where: Literal["everywhere", "on guides", "on a patch", "in a box", "in a ball", "near a guide"] = Field(
        default="everywhere", title="Where"
    )
    guides: list[str] = Field(
        default=[], title="Guides", json_schema_extra=GUIDES | {"when": {"where": ["on guides"]}}
    )
    patch: str = Field(default="", title="Patch", json_schema_extra={"when": {"where": ["on a patch"]}})
    low: Coordinates = Field(
        default=[0.0, 0.0, 0.0], title="From corner",
        json_schema_extra={"widget": "place", "when": {"where": ["in a box"]}},
    )  # fmt: skip
    high: Coordinates = Field(
        default=[1.0, 1.0, 1.0],
        title="To corner",
        json_schema_extra={"widget": "place", "when": {"where": ["in a box"]}},
    )
    centre: Coordinates = Field(
        default=[0.0, 0.0, 0.0],
        title="Centre",
        json_schema_extra={"widget": "place", "when": {"where": ["in a ball"]}},
    )
    guide: str | None = Field(
        default=None, title="Guide", json_schema_extra=GUIDE | {"when": {"where": ["near a guide"]}}
    )
    within: Length | None = Field(
        default=None, title="Within",
        json_schema_extra=LENGTH | {"when": {"where": ["in a ball", "near a guide"]}},
        description="the ball's radius, or the distance from the guide",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        _need_all_open(model)
        size = self.sizes(model, self.size, "cell size")
        return replace(model, wishes=(*model.wishes, *self._wishes(model, size)))

    def _wishes(self, model: Model, size: float) -> list[Wish]:
        if self.where == "on guides":
            if not self.guides:
                raise BadValue("no guide is named", remedy="choose the guides whose edges shall be fine")
            return [Wish(size, guide=name) for name in selectors.guides(model, self.guides)]
        if self.where == "on a patch":
            if not self.patch:
                raise BadValue("no patch is named", remedy="name one; it may be made in a later step")
            return [Wish(size, patch=self.patch)]
        if self.where == "everywhere":
            return [Wish(size)]
        return [Wish(size, region=self._region(model))]

    def _region(self, model: Model) -> Region:
        if self.where == "in a box":
            low, high = (selectors.coordinates(v, model.unit) for v in (self.low, self.high))
            return Box(low, high)
        if self.within is None:
            raise BadValue("there is no radius or distance", remedy="give one")
        within = self.sizes(model, self.within, "distance")
        if self.where == "in a ball":
            return Ball(selectors.coordinates(self.centre, model.unit), within)
        guide = model.guides.get(self.guide or "")
        if guide is None:
            raise unknown_guide(model.guides, self.guide or "")
        return Ball(guide.xyz, within) if isinstance(guide, Point) else Near(guide, within)


class Budget(_CountingStep):
    """Let the tiers without a count of their own fill a number of cells in all."""

    kind: Literal["budget"] = "budget"
    verb: ClassVar[str] = "Budget"
    key: ClassVar[str] = "B"
    sentence: ClassVar[str] = "Budget of {cells} cells"
    cells: int = Field(title="Cells in all", ge=1, le=10**12)

    def apply(self, model: Model, context: Context) -> Model:
        _need_all_open(model)
        counting = replace(model.spacing.counting, budget=self.cells)
        return model.with_spacing(replace(model.spacing, counting=counting))


class Factor(_CountingStep):
    """Multiply all counts, keeping the cell sizes that were set or dividing them.

    A later extrusion, revolution or sweep takes its cells times the factor too.
    """

    kind: Literal["factor"] = "factor"
    verb: ClassVar[str] = "Factor"
    key: ClassVar[str] = "F"
    sentence: ClassVar[str] = "Factor {factor} on all counts, {sizes_set}"
    factor: float = Field(title="Factor", gt=0, le=100, description="2 halves the cells; 1.4142 is √2")
    sizes_set: Literal["first heights kept", "first heights divided"] = Field(
        default="first heights divided", title="Sizes that were set"
    )

    def apply(self, model: Model, context: Context) -> Model:
        _need_all_open(model)
        divide = self.sizes_set == "first heights divided"
        return model.with_spacing(model.spacing.scaled(self.factor, model.layout.dim, divide=divide))


class Multiples(_CountingStep):
    """Let derived counts be multiples: even, or powers of two that a multigrid solver can halve."""

    kind: Literal["multiples"] = "multiples"
    verb: ClassVar[str] = "Multiples"
    key: ClassVar[str] = "M"
    sentence: ClassVar[str] = "Multiples of {of} for all counts that are derived"
    of: Literal["1", "2", "4", "8", "16", "32"] = Field(default="2", title="Multiples of")

    def apply(self, model: Model, context: Context) -> Model:
        _need_all_open(model)
        counting = replace(model.spacing.counting, multiple=int(self.of))
        return model.with_spacing(replace(model.spacing, counting=counting))

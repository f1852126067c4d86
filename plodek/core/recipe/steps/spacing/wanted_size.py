"""The step that wants cells of a size."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import Coordinates, GuideRef, GuideRefs, Length, PatchRef, when
from plodek.core.recipe.places import coordinates
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.spacing.spacing_step import SpacingStep
from plodek.core.shape.guide import Point, unknown_guide
from plodek.core.spacing.wishes import Ball, Box, Near, Region, Wish


class WantedSize(SpacingStep):
    """Want cells no larger than a size: tiers without a count of their own get one; the finest wish wins."""

    kind: Literal["wanted-size"] = "wanted-size"
    verb: ClassVar[str] = "Want a size"
    key: ClassVar[str] = "Z"
    order: ClassVar[int] = 90
    family: ClassVar[str] = "All counts"
    known_as: ClassVar[tuple[str, ...]] = ("cell size", "local size", "sizing")
    sentence: ClassVar[str] = "Want cells of {size} {where}"
    size: Length = Field(title="Largest cell")
    where: Literal["everywhere", "on guides", "on a patch", "in a box", "in a ball", "near a guide"] = Field(
        default="everywhere", title="Where"
    )
    guides: GuideRefs = Field(default=[], title="Guides", json_schema_extra=when(where="on guides"))
    patch: PatchRef = Field(default="", title="Patch", json_schema_extra=when(where="on a patch"))
    low: Coordinates = Field(
        default=[0.0, 0.0, 0.0], title="From corner", json_schema_extra=when(where="in a box")
    )
    high: Coordinates = Field(
        default=[1.0, 1.0, 1.0], title="To corner", json_schema_extra=when(where="in a box")
    )
    centre: Coordinates = Field(
        default=[0.0, 0.0, 0.0], title="Centre", json_schema_extra=when(where="in a ball")
    )
    guide: GuideRef | None = Field(default=None, title="Guide", json_schema_extra=when(where="near a guide"))
    within: Length | None = Field(
        default=None,
        title="Within",
        json_schema_extra=when(where=("in a ball", "near a guide")),
        description="the ball's radius, or the distance from the guide",
    )

    def apply(self, model: Model, context: Context) -> Model:
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
            low, high = (coordinates(v, model.unit) for v in (self.low, self.high))
            return Box(low, high)
        if self.within is None:
            raise BadValue("there is no radius or distance", remedy="give one")
        within = self.sizes(model, self.within, "distance")
        if self.where == "in a ball":
            return Ball(coordinates(self.centre, model.unit), within)
        guide = model.guides.get(self.guide or "")
        if guide is None:
            raise unknown_guide(model.guides, self.guide or "")
        return Ball(guide.xyz, within) if isinstance(guide, Point) else Near(guide, within)

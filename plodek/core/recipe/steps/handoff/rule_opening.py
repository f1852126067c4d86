"""The step that names what of some sides is in a ball or on a guide, and cuts the blocks behind for that."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge
from plodek.core.errors import BadValue, NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import (
    ORIGIN,
    Coordinates,
    FaceSelector,
    GuideRef,
    Length,
    PatchName,
    SideIds,
    when,
)
from plodek.core.recipe.places import coordinates, radius_of
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.recipe.steps.handoff.parting import all_along, changes, parted
from plodek.core.recipe.steps.handoff.patch import PatchStep
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Point, unknown_guide
from plodek.core.spacing.wishes import Ball, Near
from plodek.core.tolerances import CUT_MARGIN, ON_GUIDE


class RuleOpening(Step):
    """Name what of chosen sides is in a ball or on a guide as a patch; the blocks are cut where that ends."""

    kind: Literal["rule-opening"] = "rule-opening"
    stage: ClassVar[Stage] = "Hand-off"
    changes: ClassVar[Changes] = "blocks"
    verb: ClassVar[str] = "Opening by rule"
    key: ClassVar[str] = "U"
    order: ClassVar[int] = 23
    known_as: ClassVar[tuple[str, ...]] = ("inlet", "outlet", "hole")
    sentence: ClassVar[str] = "Name what of {faces} is {where} {guide}{centre}{radius} {name}, {type}"
    name: PatchName = Field(title="Name")
    type: PatchType = Field(default="inlet", title="Type")
    faces: FaceSelector = Field(title="Sides")
    where: Literal["in a ball", "on a guide"] = Field(default="in a ball", title="What is")
    centre: Coordinates = Field(default=ORIGIN, title="Centre", json_schema_extra=when(where="in a ball"))
    radius: Length | None = Field(default=None, title="Radius", json_schema_extra=when(where="in a ball"))
    guide: GuideRef | None = Field(
        default=None,
        title="Guide",
        description="a curve or a surface that the sides follow in part",
        json_schema_extra=when(where="on a guide"),
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        near = ON_GUIDE * model.layout.size()
        region = self._ball(model) if self.where == "in a ball" else self._along(model, near)
        chosen = selectors.outer_sides(model, self.faces)
        model = parted(model, self.id, chosen, _Passing(region, near).crossings)
        wider = (
            Ball(region.centre, region.radius + near)
            if isinstance(region, Ball)
            else Near(region.guide, 2 * near)
        )
        parts = [side for named in chosen for side in model.sides_named(named)]
        inside = [side for side in parts if all_along(model, side, wider.holds)]
        if not inside:
            raise NothingFound(
                f"no part of these sides is {self.where} as far as its edges tell",
                remedy="opposite edges of a side must pass into it: choose such sides, or give a box",
            )
        faces = SideIds(sides=[list(side) for side in inside])
        model = PatchStep(id=self.id, name=self.name, type=self.type, faces=faces).apply(model, context)
        if isinstance(region, Near):
            return model
        left = set(parts).difference(inside)
        rims = [{edge for side in some for edge in model.layout.rim_of(side)} for some in (inside, left)]
        short = _short_of(region, model, rims[0] & rims[1], near)
        if short <= near:
            return model
        return model.reporting(
            self.id, f"edges between places on the ball stay within it, by up to {short:.3g} {model.unit}"
        )

    def _ball(self, model: Model) -> Ball:
        if self.radius is None:
            raise BadValue("the ball has no radius", remedy="give one")
        return Ball(coordinates(self.centre, model.unit), radius_of(self.radius, model.unit))

    def _along(self, model: Model, near: float) -> Near:
        if self.guide is None:
            raise BadValue(
                "no guide is named", remedy="name a curve or a surface that the sides follow in part"
            )
        found = model.guides.get(self.guide)
        if found is None:
            raise unknown_guide(model.guides, self.guide)
        if isinstance(found, Point):
            raise BadValue(f"“{self.guide}” is a guide point", remedy="name a curve or a surface")
        return Near(found, near)


@dataclass(frozen=True)
class _Passing:
    """Where edges pass into a region or out of it."""

    region: Ball | Near
    near: float

    def crossings(self, model: Model, edges: Iterable[Edge]) -> dict[Edge, Sequence[float]]:
        """Give those of each edge that has any between its corners, as rising fractions from the first."""
        found: dict[Edge, Sequence[float]] = {}
        for edge in edges:
            path, at = changes(model, edge, self.region.holds)
            margin = max(CUT_MARGIN, 4 * self.near / path.length)
            between = [one for one in (self._exact(path, f) for f in at) if margin < one < 1 - margin]
            if between:
                found[edge] = between
        return found

    def _exact(self, path: EdgePath, fraction: float) -> float:
        """Give the very place where the guide ends, for a fraction a little beyond it."""
        if isinstance(self.region, Ball) or not isinstance(self.region.guide, Curve):
            return fraction
        for end in (self.region.guide.start(), self.region.guide.end()):
            at = path.nearest(end)
            if abs(at - fraction) * path.length <= 4 * self.near:
                return at
        return fraction


def _short_of(ball: Ball, model: Model, edges: Iterable[Edge], near: float) -> float:
    """Give by how much edges from one place on a ball to another stay within it, at most."""
    ways = (edge_path(model.layout, model.guides, edge).at(np.linspace(0.0, 1.0, 5)) for edge in edges)
    depths = (ball.radius - np.linalg.norm(way - ball.centre, axis=1) for way in ways)
    return max((float(depth.max()) for depth in depths if depth[[0, -1]].max() <= near), default=0.0)

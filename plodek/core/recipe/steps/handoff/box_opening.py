"""The step that names what of some sides lies in a box, and cuts the blocks behind for that."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Edge, Side
from plodek.core.errors import BadValue, NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import Coordinates, EdgeIds, FaceSelector, PatchName, SideIds
from plodek.core.recipe.places import coordinates
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.recipe.steps.blocks.cut import Cut, crossings
from plodek.core.recipe.steps.handoff.patch import PatchStep
from plodek.core.tolerances import SAME_PLACE


class BoxOpening(Step):
    """Name what of chosen sides lies in a box as a patch; the blocks are cut at the faces of the box."""

    kind: Literal["box-opening"] = "box-opening"
    stage: ClassVar[Stage] = "Hand-off"
    verb: ClassVar[str] = "Opening in a box"
    key: ClassVar[str] = "B"
    order: ClassVar[int] = 22
    sentence: ClassVar[str] = "Name what of {faces} is in the box from {corner} to {opposite} {name}, {type}"
    name: PatchName = Field(title="Name")
    type: PatchType = Field(default="inlet", title="Type")
    faces: FaceSelector = Field(title="Sides")
    corner: Coordinates = Field(title="Corner of the box")
    opposite: Coordinates = Field(title="Opposite corner")

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        dim = model.layout.dim
        ends = np.array([coordinates(one, model.unit) for one in (self.corner, self.opposite)])[:, :dim]
        low, high = ends.min(axis=0), ends.max(axis=0)
        slack = SAME_PLACE * model.layout.size()
        chosen = [side for side in selectors.sides(model, self.faces) if side in model.layout.outer]
        if not chosen:
            raise NothingFound("no outer side is among them", remedy="choose outer sides")
        flat = np.ptp(np.concatenate([model.layout.places(s)[:, :dim] for s in chosen]), axis=0) <= slack
        if np.any((high - low <= slack) & ~flat):
            raise BadValue("the box is flat", remedy="give corners that differ along every axis")
        for axis in range(dim):
            for value in (float(low[axis]), float(high[axis])):
                model = self._cut(model, context, chosen, (low - slack, high + slack), axis, value)
        inside = [
            side
            for named in chosen
            for side in model.sides_named(named)
            if _is_in(model.layout.places(side)[:, :dim], low - 1e3 * slack, high + 1e3 * slack)
        ]
        if not inside:
            raise NothingFound("nothing of these sides lies in the box", remedy="look at its corners")
        faces = SideIds(sides=[list(side) for side in inside])
        return PatchStep(id=self.id, name=self.name, type=self.type, faces=faces).apply(model, context)

    def _cut(
        self,
        model: Model,
        context: Context,
        chosen: Sequence[Side],
        box: tuple[Floats, Floats],
        axis: int,
        value: float,
    ) -> Model:
        """Cut all tiers of the sides that reach into the box where they cross one of its faces."""
        done: set[Edge] = set()
        while True:
            edges = [
                edge
                for named in chosen
                for side in model.sides_named(named)
                if _reaches(model.layout.places(side)[:, : model.layout.dim], *box)
                for edge in model.layout.rim_of(side)
                if edge not in done and crossings(model, [edge], axis, value)
            ]
            if not edges:
                return model
            done.add(edges[0])
            cut = Cut(id=self.id, by="xyz"[axis], at=[value], tier=EdgeIds(edges=[edges[0]]))  # type: ignore[arg-type]
            model = cut.apply(model, context)


def _reaches(xyz: Floats, low: Floats, high: Floats) -> bool:
    """Whether the extent of corners (n, dim) and a box have anything in common."""
    return bool(np.all((xyz.max(axis=0) >= low) & (xyz.min(axis=0) <= high)))


def _is_in(xyz: Floats, low: Floats, high: Floats) -> bool:
    return bool(np.all((xyz >= low) & (xyz <= high)))

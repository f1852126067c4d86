"""The step that names what of some sides lies in a box, and cuts the blocks behind for that."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Edge, Side
from plodek.core.errors import BadValue, NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import Coordinates, FaceSelector, PatchName, SideIds
from plodek.core.recipe.places import coordinates
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.recipe.steps.blocks.cut import crossings
from plodek.core.recipe.steps.handoff.parting import parted
from plodek.core.recipe.steps.handoff.patch import PatchStep
from plodek.core.tolerances import SAME_PLACE


class BoxOpening(Step):
    """Name what of chosen sides lies in a box as a patch; the blocks are cut at the faces of the box."""

    kind: Literal["box-opening"] = "box-opening"
    stage: ClassVar[Stage] = "Hand-off"
    changes: ClassVar[Changes] = "blocks"
    verb: ClassVar[str] = "Opening in a box"
    key: ClassVar[str] = "B"
    order: ClassVar[int] = 22
    known_as: ClassVar[tuple[str, ...]] = ("inlet", "outlet", "hole")
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
        chosen = selectors.outer_sides(model, self.faces)
        flat = np.ptp(np.concatenate([model.layout.places(s)[:, :dim] for s in chosen]), axis=0) <= slack
        if np.any((high - low <= slack) & ~flat):
            raise BadValue("the box is flat", remedy="give corners that differ along every axis")
        reach = partial(_reaches, low=low - slack, high=high + slack)
        for axis in range(dim):
            for value in (float(low[axis]), float(high[axis])):
                model = parted(model, self.id, chosen, partial(_at_value, axis=axis, value=value), reach)
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


def _at_value(model: Model, edges: Iterable[Edge], axis: int, value: float) -> dict[Edge, list[float]]:
    return {edge: [at] for edge, at in crossings(model, edges, axis, value).items()}


def _reaches(model: Model, side: Side, low: Floats, high: Floats) -> bool:
    """Whether the extent of a side's corners and a box have anything in common."""
    xyz = model.layout.places(side)[:, : model.layout.dim]
    return bool(np.all((xyz.max(axis=0) >= low) & (xyz.min(axis=0) <= high)))


def _is_in(xyz: Floats, low: Floats, high: Floats) -> bool:
    return bool(np.all((xyz >= low) & (xyz <= high)))

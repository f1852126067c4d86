"""Steps of the Blocks stage that repeat blocks: move or copy them, and twins."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.operations import copies
from plodek.core.blocks.operations.twins import match, twinned
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BLOCKS, DEGREES, DIRECTION, LENGTH, ORIGIN, PLACE, SIDES, Z_AXIS
from plodek.core.recipe.frame_steps import BlockStep
from plodek.core.recipe.moving import Moving
from plodek.core.recipe.selectors import (
    BlockSelector,
    Coordinates,
    Direction,
    Length,
    PlaceOf,
    SideSelector,
    coordinates,
    place_of,
)
from plodek.core.recipe.step import Context
from plodek.core.shape import move as moves
from plodek.core.shape.move import Move
from plodek.core.units import length


class _CopyStep(BlockStep):
    family: ClassVar[str] = "Lift and copy"


class Place(Moving, _CopyStep):
    """Shift, turn, mirror or scale blocks, or copies of them; corners that meet are joined."""

    kind: Literal["place"] = "place"
    verb: ClassVar[str] = "Place"
    key: ClassVar[str] = "Y"
    sentence: ClassVar[str] = "Place {blocks} by {by} {shift}{angle}{scale}, copies: {copies}"
    blocks: BlockSelector = Field(title="Blocks", json_schema_extra=BLOCKS)
    copies: int = Field(default=1, title="Copies", ge=0, le=100, description="0 moves the blocks themselves")
    gap: Length | None = Field(
        default=None, title="Join corners within", json_schema_extra=LENGTH,
        description="only those at the same place, where left out",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        chosen = selectors.blocks(model, self.blocks)
        one = whole = self.move_of(model)
        gap = None if self.gap is None else length(self.gap, model.unit)
        for number in range(max(1, self.copies)):
            change = copies.moved(
                f"{self.id}.{number}",
                model.layout,
                model.guides,
                chosen,
                whole,
                keep=self.copies > 0,
                gap=gap,
            )
            model = model.changed(change)
            whole = whole.then(one)
        return model


class Twin(_CopyStep):
    """Match two parts of the boundary point by point: one side drives the other."""

    kind: Literal["twin"] = "twin"
    verb: ClassVar[str] = "Twin"
    key: ClassVar[str] = "⇧T"
    sentence: ClassVar[str] = "Twin {sides} with {others} by {by} {shift}{angle}{blades}"
    sides: SideSelector = Field(title="Driving sides", json_schema_extra=SIDES)
    others: SideSelector = Field(title="Driven sides", json_schema_extra=SIDES)
    by: Literal["shift", "angle", "blades"] = Field(default="shift", title="By")
    shift: Coordinates | None = Field(
        default=None, title="By x, y, z", json_schema_extra={"widget": "place", "when": {"by": ["shift"]}}
    )
    angle: float | None = Field(
        default=None, title="Angle", json_schema_extra=DEGREES | {"when": {"by": ["angle"]}}
    )
    blades: int | None = Field(
        default=None, title="Blades around", ge=2, le=1000, json_schema_extra={"when": {"by": ["blades"]}}
    )
    at: PlaceOf = Field(
        default=ORIGIN, title="Axis through", json_schema_extra=PLACE | {"when": {"by": ["angle", "blades"]}}
    )
    along: Direction = Field(
        default=Z_AXIS, title="Axis", json_schema_extra=DIRECTION | {"when": {"by": ["angle", "blades"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        sides, others = (selectors.outer_sides(model, s) for s in (self.sides, self.others))
        move = self._move(model)
        twin = match(model.layout, self.id, sides, others, move)
        after = replace(model, layout=twinned(model.layout, model.guides, twin))
        clash = self._clash(after)
        if clash:
            raise BadValue(clash, remedy="set the same count on both sides")
        return after

    @staticmethod
    def _clash(model: Model) -> str:
        """Say where locked counts of edges that have become one tier differ."""
        for tier in model.tiers:
            counts = {model.spacing.counts[e] for e in tier.edges if e in model.spacing.counts}
            if len(counts) > 1:
                few, many = min(counts), max(counts)
                return f"the sides carry {few} and {many} cells on tier {tier.label}"
        return ""

    def _move(self, model: Model) -> Move:
        if self.by == "shift":
            if self.shift is None:
                raise BadValue("no shift is given", remedy="give how far in x, y and z")
            return moves.shifted(np.array(coordinates(self.shift, model.unit)))
        if self.by == "angle":
            if self.angle is None:
                raise BadValue("no angle is given", remedy="give an angle in degrees")
            turn = np.radians(self.angle)
        else:
            if self.blades is None:
                raise BadValue("no number of blades is given", remedy="give how many there are around")
            turn = 2 * np.pi / self.blades
        return moves.turned(np.array(place_of(model, self.at)), np.array(self.along), float(turn))

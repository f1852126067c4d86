"""The step that matches two parts of the boundary."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.operations.twins import match, twinned
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import (
    ORIGIN,
    Z_AXIS,
    Coordinates,
    Degrees,
    Direction,
    PlaceOf,
    SideSelector,
    when,
)
from plodek.core.recipe.places import coordinates, place_of
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep
from plodek.core.shape import move as moves
from plodek.core.shape.move import Move


class Twin(BlockStep):
    """Match two parts of the boundary point by point: one side drives the other."""

    kind: Literal["twin"] = "twin"
    verb: ClassVar[str] = "Twin"
    key: ClassVar[str] = "⇧T"
    order: ClassVar[int] = 250
    family: ClassVar[str] = "Lift and copy"
    known_as: ClassVar[tuple[str, ...]] = ("periodic", "cyclic")
    sentence: ClassVar[str] = "Twin {sides} with {others} by {by} {shift}{angle}{blades}"
    sides: SideSelector = Field(title="Driving sides")
    others: SideSelector = Field(title="Driven sides")
    by: Literal["shift", "angle", "blades"] = Field(default="shift", title="By")
    shift: Coordinates | None = Field(default=None, title="By x, y, z", json_schema_extra=when(by="shift"))
    angle: Degrees | None = Field(default=None, title="Angle", json_schema_extra=when(by="angle"))
    blades: int | None = Field(
        default=None, title="Blades around", ge=2, le=1000, json_schema_extra=when(by="blades")
    )
    at: PlaceOf = Field(default=ORIGIN, title="Axis through", json_schema_extra=when(by=("angle", "blades")))
    along: Direction = Field(default=Z_AXIS, title="Axis", json_schema_extra=when(by=("angle", "blades")))

    def apply(self, model: Model, context: Context) -> Model:
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

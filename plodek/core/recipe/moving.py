"""The fields of steps that move something: by what, how far, and about what."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import ORIGIN, Z_AXIS, Coordinates, Degrees, Direction, PlaceOf, when
from plodek.core.recipe.places import coordinates, place_of
from plodek.core.recipe.step import Step
from plodek.core.shape import move
from plodek.core.shape.move import Move


class Moving(Step):
    """A step that shifts, turns, mirrors or scales."""

    by: Literal["shift", "turn", "mirror", "scale"] = Field(default="shift", title="By")
    shift: Coordinates | None = Field(default=None, title="By x, y, z", json_schema_extra=when(by="shift"))
    angle: Degrees | None = Field(default=None, title="Angle", json_schema_extra=when(by="turn"))
    scale: float | None = Field(default=None, title="Factor", gt=0, json_schema_extra=when(by="scale"))
    at: PlaceOf = Field(
        default=ORIGIN, title="Through, or from", json_schema_extra=when(by=("turn", "mirror", "scale"))
    )
    along: Direction = Field(
        default=Z_AXIS, title="Axis, or normal of the mirror", json_schema_extra=when(by=("turn", "mirror"))
    )

    def move_of(self, model: Model) -> Move:
        """Give the move. Raises BadValue where what it needs is left out."""
        at, along = np.array(place_of(model, self.at)), np.array(self.along)
        if self.by == "shift":
            if self.shift is None:
                raise BadValue("no shift is given", remedy="give how far in x, y and z")
            return move.shifted(np.array(coordinates(self.shift, model.unit)))
        if self.by == "turn":
            if self.angle is None:
                raise BadValue("no angle is given", remedy="give an angle in degrees")
            return move.turned(at, along, math.radians(self.angle))
        if self.by == "mirror":
            return move.mirrored(at, along)
        if self.scale is None:
            raise BadValue("no factor is given", remedy="give a factor above 0")
        return move.scaled(at, self.scale)

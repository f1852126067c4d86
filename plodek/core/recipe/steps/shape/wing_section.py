"""The step that draws a wing or vane section."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.fields import ORIGIN, Degrees, Length, PlaceOf
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import CurveStep, with_guide
from plodek.core.shape.curves.compound import MovedCurve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.curves.wing_section import measured, section
from plodek.core.shape.files import point_file
from plodek.core.shape.move import Move


class WingSectionStep(CurveStep):
    """Draw a wing or vane section of the four-digit family, its trailing edge sharp or blunt."""

    kind: Literal["wing-section"] = "wing-section"
    verb: ClassVar[str] = "Wing section"
    key: ClassVar[str] = "W"
    order: ClassVar[int] = 110
    known_as: ClassVar[tuple[str, ...]] = ("aerofoil", "airfoil", "profile")
    sentence: ClassVar[str] = "Wing section {name} {digits} with chord {chord}"
    digits: str = Field(
        title="Four digits, or a point file",
        description="camber and its place in hundredths and tenths, then thickness; or the name of a file "
        "with points once around from the trailing edge, which is brought to the chord",
    )
    chord: Length = Field(default=1.0, title="Chord")
    at: PlaceOf = Field(default=ORIGIN, title="Leading edge at")
    angle: Degrees = Field(default=0.0, title="Chord turned by", description="anticlockwise from x")
    trailing_edge: Literal["sharp", "blunt"] = Field(default="sharp", title="Trailing edge")
    count: int = Field(default=61, title="Points on each side", ge=9, le=2001)

    def files(self) -> list[str]:
        """Give the name of the point file, where the section comes from one."""
        return [self.digits] if "." in self.digits else []

    def apply(self, model: Model, context: Context) -> Model:
        sharp = self.trailing_edge == "sharp"
        if self.files():
            (first, *_) = point_file.read(context.files.read(self.digits), self.digits)
            points = measured(first.points, sharp=sharp)
        else:
            points = section(self.digits, self.count, sharp=sharp)
        curve = Spline(points, closed=True, corner_angle=35.0)
        a = math.radians(self.angle)
        turn = np.array([[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]])
        chord = self.sizes(model, self.chord, "chord")
        move = Move(turn, self.place(model, self.at), chord)
        return with_guide(model, self.name, MovedCurve(curve, move))

"""The step that sets the length unit."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep
from plodek.core.units import LengthUnit


class Unit(ShapeStep):
    """Set the project's length unit; numbers without a unit are in it."""

    kind: Literal["unit"] = "unit"
    verb: ClassVar[str] = "Unit"
    key: ClassVar[str] = "U"
    order: ClassVar[int] = 10
    family: ClassVar[str] = "Files"
    known_as: ClassVar[tuple[str, ...]] = ("length unit", "scale")
    sentence: ClassVar[str] = "Measure in {unit}"
    unit: LengthUnit = Field(default="m", title="Length unit")

    def apply(self, model: Model, context: Context) -> Model:
        if model.guides or model.layout.blocks:
            raise BadValue("lengths have already been read", remedy="put the unit before all other steps")
        return replace(model, unit=self.unit)

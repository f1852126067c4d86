"""The help with first heights at walls: from y⁺, speed, length and fluid."""

from __future__ import annotations

from apiflask import APIBlueprint
from pydantic import BaseModel, Field

from plodek.core.spacing.wall_units import FluidName, Friction, first_height, fluid_of, layers_over
from plodek.core.units import LengthUnit, factor, length
from plodek.server.api.walls.messages import HeightOut

blueprint = APIBlueprint("walls", __name__)


class HeightQuery(BaseModel):
    """What the height is asked for; lengths in the unit, or with one of their own."""

    unit: LengthUnit = "m"
    speed: float = Field(default=1.0, allow_inf_nan=False, description="m/s")
    length: str = Field(default="1 m", max_length=40)
    fluid: FluidName = "water"
    celsius: float = Field(default=20.0, allow_inf_nan=False)
    density: float | None = Field(default=None, allow_inf_nan=False, description="kg/m³")
    viscosity: float | None = Field(default=None, allow_inf_nan=False, description="Pa s")
    y_plus: float = Field(default=1.0, allow_inf_nan=False)
    growth: float = Field(default=1.2, ge=1, le=3)
    friction: Friction = "Schlichting"


@blueprint.get("/wall-height")
@blueprint.input(HeightQuery, location="query")
@blueprint.output(HeightOut)
def wall_height(query_data: HeightQuery) -> HeightOut:
    """Give the first height for a wanted y⁺, with the formula used, and the layers to cover the thickness."""
    metres = factor(query_data.unit, "m")
    along = length(query_data.length, query_data.unit) * metres
    fluid = fluid_of(query_data.fluid, query_data.celsius, query_data.density, query_data.viscosity)
    found = first_height(query_data.speed, along, fluid, query_data.y_plus, query_data.friction)
    return HeightOut(
        density=found.fluid.density,
        viscosity=found.fluid.viscosity,
        reynolds=found.reynolds,
        friction=found.friction,
        shear_speed=found.shear_speed,
        height=found.height / metres,
        thickness=found.thickness / metres,
        layers=layers_over(found.thickness, found.height, query_data.growth),
        formula=found.formula,
        range=found.range,
    )

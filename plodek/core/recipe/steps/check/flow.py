"""The step that says what flows along the walls."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.fields import Length, when
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.spacing.wall_units import Flow, FluidName, Friction, fluid_of
from plodek.core.units import factor, length


class FlowStep(Step):
    """Say what flows along walls: first heights are told as y⁺, and cells in its boundary layer counted."""

    kind: Literal["flow"] = "flow"
    stage: ClassVar[Stage] = "Check"
    changes: ClassVar[Changes] = "names"
    verb: ClassVar[str] = "Flow"
    key: ClassVar[str] = "W"
    order: ClassVar[int] = 30
    known_as: ClassVar[tuple[str, ...]] = ("y+", "Reynolds number", "velocity", "viscosity")
    sentence: ClassVar[str] = "Flow of {fluid} at {speed} m/s over {length}"
    speed: float = Field(gt=0, title="Speed", description="m/s, outside the boundary layer")
    length: Length = Field(title="Length", description="along the wall, from where the boundary layer begins")
    fluid: FluidName = Field(default="water", title="Fluid")
    celsius: float = Field(
        default=20.0, title="Temperature", description="°C", json_schema_extra=when(fluid=("water", "air"))
    )
    density: float | None = Field(
        default=None, gt=0, title="Density", description="kg/m³", json_schema_extra=when(fluid="typed")
    )
    viscosity: float | None = Field(
        default=None, gt=0, title="Viscosity", description="Pa s", json_schema_extra=when(fluid="typed")
    )
    friction: Friction = Field(default="Schlichting", title="Friction by")

    def apply(self, model: Model, context: Context) -> Model:
        metres = length(self.length, model.unit) * factor(model.unit, "m")
        fluid = fluid_of(self.fluid, self.celsius, self.density, self.viscosity)
        flow = Flow(self.speed, metres, fluid, self.friction)
        wall = flow.wall
        told = (
            f"Re {wall.reynolds:.3g}; y⁺ 1 is {_metres(wall.height)}, and the boundary layer at the end "
            f"{_metres(wall.thickness)} thick"
        )
        return replace(model, flow=flow, known=model.facts).reporting(self.id, told)


def _metres(value: float) -> str:
    return f"{1e6 * value:.3g} µm" if value < 1e-3 else f"{1e3 * value:.3g} mm"

"""The step that betters the worst cells."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.fields import SideSelector
from plodek.core.recipe.steps.smooth import run_step
from plodek.core.recipe.steps.smooth.run_step import Glide, Hold, Loose, OnlyBlocks, RunStep, Spread, Twins
from plodek.core.smooth.settings import ShapeSettings


class Polish(RunStep):
    """Better the worst cells and those around them, and nothing else; the worst never gets worse.

    Once it settles the largest and the smallest angle are no worse either. It pays at the end, after
    *Smooth*: at corners where three or five lines meet and round tails, where a smooth grid is not the
    squarest.
    """

    kind: Literal["polish"] = "polish"
    verb: ClassVar[str] = "Polish"
    key: ClassVar[str] = "O"
    order: ClassVar[int] = 30
    known_as: ClassVar[tuple[str, ...]] = ("optimise", "improve quality", "skewness")
    sentence: ClassVar[str] = "Polish cells below {below}, holding {walls}"
    below: float = Field(
        default=0.6,
        title="Cells below a scaled Jacobian of",
        gt=0,
        le=1,
        description="these are bettered, and what is within 8 cells of them may move",
    )
    jumps: float = Field(
        default=2.0,
        title="Jumps in size above",
        gt=1,
        description="where the next cell along a line is so many times longer or shorter, sizes are "
        "evened out",
    )
    walls: SideSelector | None = Field(
        default=None,
        title="Walls to hold",
        description="their first heights stay; where left out, those of outer sides on a guide whose first "
        "cells were asked for, but for twins (in space those with wall layers, if any has)",
    )
    glide: Glide = None
    spread: Spread = None
    hold: Hold = None
    twins: Twins = "hold"
    blocks: OnlyBlocks = None
    loose: Loose = None
    sweeps: int = Field(default=2000, title="Sweeps at most", ge=1, le=100_000)

    def settings(self, model: Model) -> ShapeSettings:
        parts = run_step.parts(self, model, run_step.sized_walls(model, self.walls))
        return ShapeSettings(self.sweeps, parts, polish=self.below, jumps=self.jumps)

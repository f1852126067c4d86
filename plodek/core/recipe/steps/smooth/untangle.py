"""The step that unfolds cells."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.steps.smooth import run_step
from plodek.core.recipe.steps.smooth.run_step import Glide, Hold, Loose, OnlyBlocks, RunStep, Spread, Twins
from plodek.core.smooth.settings import ShapeSettings


class Untangle(RunStep):
    """Move nodes until no cell is folded, as far as what holds allows it; all cells come out better shaped.

    It keeps no heights: *Smooth* sets these afterwards, which needs a grid without folded cells.
    """

    kind: Literal["untangle"] = "untangle"
    verb: ClassVar[str] = "Untangle"
    key: ClassVar[str] = "U"
    order: ClassVar[int] = 20
    known_as: ClassVar[tuple[str, ...]] = ("inverted cells", "negative volume", "repair")
    sentence: ClassVar[str] = "Untangle in at most {sweeps} sweeps"
    sweeps: int = Field(default=2000, title="Sweeps at most", ge=1, le=100_000)
    glide: Glide = None
    spread: Spread = None
    hold: Hold = None
    twins: Twins = "hold"
    blocks: OnlyBlocks = None
    loose: Loose = None

    def settings(self, model: Model) -> ShapeSettings:
        return ShapeSettings(self.sweeps, run_step.parts(self, model))

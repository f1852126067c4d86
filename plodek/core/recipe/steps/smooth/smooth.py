"""The step that smooths the grid."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import Length, SideSelector, when
from plodek.core.recipe.steps.smooth import run_step
from plodek.core.recipe.steps.smooth.run_step import Glide, Hold, Loose, OnlyBlocks, RunStep, Spread, Twins
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.units import length


class Smooth(RunStep):
    """Smooth the grid elliptically, in the plane or in space; steps before it give what it starts from."""

    kind: Literal["smooth"] = "smooth"
    verb: ClassVar[str] = "Smooth"
    key: ClassVar[str] = "S"
    order: ClassVar[int] = 10
    known_as: ClassVar[tuple[str, ...]] = ("elliptic", "orthogonality", "relax", "Laplace", "Poisson")
    sentence: ClassVar[str] = "Smooth {sweeps} sweeps, {control}, holding {walls}"
    sweeps: int = Field(default=600, title="Sweeps at most", ge=1, le=100_000)
    control: Literal["no control", "interior control", "wall control"] = Field(
        default="wall control",
        title="Control",
        description="interior control keeps the spacing of the lines; wall control holds first heights and "
        "right angles too",
    )
    walls: SideSelector | None = Field(
        default=None,
        title="Walls to hold",
        json_schema_extra=when(control="wall control"),
        description="outer sides whose first height and right angle are held; where left out, all but twins "
        "that lie on a guide (in space those with wall layers, if any has)",
    )
    wakes: SideSelector | None = Field(
        default=None,
        title="Wakes to hold",
        json_schema_extra=when(control="wall control"),
        description="inner sides that go on from a sharp tail: they hold, and so do heights and right angles "
        "on both sides of them",
    )
    first: Length | None = Field(
        default=None,
        title="First height",
        json_schema_extra=when(control="wall control"),
        description="of the walls that hold; where left out, as filled",
    )
    strictness: float = Field(
        default=1.0,
        title="Strictness",
        ge=0.05,
        le=2,
        json_schema_extra=when(control="wall control"),
        description="less is looser and more stable",
    )
    glide: Glide = None
    spread: Spread = None
    hold: Hold = None
    twins: Twins = "hold"
    blocks: OnlyBlocks = None
    loose: Loose = None
    start: Literal["from coarser grids", "from the grid as it is"] = Field(
        default="from coarser grids",
        title="Start",
        description="from coarser grids few sweeps go far; from the grid as it is they are a light touch",
    )
    folded: Literal["refuse", "untangle first"] = Field(
        default="refuse",
        title="Folded cells",
        description="a grid that has any is refused, or untangled before it is smoothed",
    )
    tolerance: Length | None = Field(
        default=None,
        title="Settled below a move of",
        description="the largest move of a node in a sweep; where left out 1e-4 of the node's smallest cell "
        "edge",
    )

    def settings(self, model: Model) -> SmoothSettings:
        controls = self.control == "wall control"
        first = None if self.first is None else length(self.first, model.unit)
        if first is not None and not first > 0:
            raise BadValue(f"the first height is {first:g}", remedy="give one above 0")
        return SmoothSettings(
            self.sweeps,
            run_step.parts(
                self,
                model,
                walls=run_step.need_walls(run_step.walls(model, self.walls)) if controls else (),
                wakes=run_step.sides(model, self.wakes) if controls else (),
                first=first,
            ),
            control=self.control != "no control",
            coarse_first=self.start == "from coarser grids",
            untangle=self.folded == "untangle first",
            tolerance=None if self.tolerance is None else length(self.tolerance, model.unit),
            strict=self.strictness,
        )

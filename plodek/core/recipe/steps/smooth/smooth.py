"""The step that smooths the grid."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Side, edge_of
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model import operations
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, CornersSelector, Length, SideSelector, when
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.units import length


class Smooth(Step):
    """Smooth the grid elliptically, in the plane or in space; steps before it give what it starts from."""

    kind: Literal["smooth"] = "smooth"
    stage: ClassVar[Stage] = "Smooth"
    verb: ClassVar[str] = "Smooth"
    key: ClassVar[str] = "S"
    order: ClassVar[int] = 10
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
        description="outer sides whose first height and right angle are held; where left out, all that lie "
        "on a guide (in space those with wall layers, if any has)",
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
    glide: SideSelector | None = Field(
        default=None,
        title="Sides that glide",
        description="their nodes slide along until lines leave squarely; other outer sides hold",
    )
    spread: SideSelector | None = Field(
        default=None,
        title="Sides smoothed by themselves",
        description="outer sides in space, smoothed within the surface that they lie on before the inside is",
    )
    hold: SideSelector | None = Field(
        default=None,
        title="Inner sides that hold",
        description="others are free and move as inner nodes",
    )
    twins: Literal["hold", "free"] = Field(
        default="hold", title="Twin sides", description="free ones move as inner nodes, both together"
    )
    blocks: BlockSelector | None = Field(
        default=None, title="Only these blocks", description="where left out, all"
    )
    loose: CornersSelector | None = Field(
        default=None,
        title="Pinned corners set free",
        description="inner corners that are pinned stay where they are, but for these",
    )
    start: Literal["from coarser grids", "from the grid as it is"] = Field(
        default="from coarser grids",
        title="Start",
        description="from coarser grids few sweeps go far; from the grid as it is they are a light touch",
    )
    tolerance: Length | None = Field(
        default=None,
        title="Settled below a move of",
        description="the largest move of a node in a sweep; where left out 1e-4 of the node's smallest cell "
        "edge",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        walls = self._walls(model) if self.control == "wall control" else []
        glide, spread, hold = (self._sides(model, s) for s in (self.glide, self.spread, self.hold))
        wakes = self._sides(model, self.wakes) if self.control == "wall control" else []
        if spread and model.layout.dim == 2:
            raise BadValue("edges cannot be smoothed by themselves", remedy="let them glide instead")
        for one, other, words in (
            (walls, glide, "hold as walls and glide"),
            (glide, hold, "glide and hold"),
            (spread, hold, "be smoothed and hold"),
            (spread, glide, "be smoothed by themselves and glide"),
        ):
            if both := set(one) & set(other):
                raise BadValue(
                    f"{len(both)} sides shall both {words}", remedy="take them out of one of the two"
                )
        settings = SmoothSettings(
            sweeps=self.sweeps,
            control=self.control != "no control",
            walls=tuple(walls),
            glide=tuple(glide),
            spread=tuple(spread),
            held=tuple(hold),
            wakes=tuple(wakes),
            free_twins=self.twins == "free",
            coarse_first=self.start == "from coarser grids",
            tolerance=None if self.tolerance is None else length(self.tolerance, model.unit),
            strict=self.strictness,
            first=None if self.first is None else length(self.first, model.unit),
            blocks=None if self.blocks is None else tuple(selectors.blocks(model, self.blocks)),
            loose=() if self.loose is None else tuple(selectors.corners(model, self.loose)),
        )
        if settings.first is not None and not settings.first > 0:
            raise BadValue(f"the first height is {settings.first:g}", remedy="give one above 0")
        run = operations.Smooth(settings)
        return replace(model, operations=(*model.operations, run), known=model.facts)

    @staticmethod
    def _sides(model: Model, selector: SideSelector | None) -> list[Side]:
        if selector is None:
            return []
        if model.layout.dim == 2:
            edges = (edge_of(*e) for e in selectors.edges(model, selector))
            return [e for e in edges if e in set(model.layout.filled_edges)]
        filled = set(model.layout.filled)
        uses = model.layout.sides
        return [s for s in selectors.sides(model, selector) if any(use.block in filled for use in uses[s])]

    def _walls(self, model: Model) -> list[Side]:
        if self.walls is not None:
            return self._sides(model, self.walls)
        found = model.guided if model.layout.dim == 2 else model.layered or model.guided
        if not found:
            raise NothingFound(
                "no outer side lies on a guide, so there is no wall to hold",
                remedy="choose the walls, or smooth with interior control",
            )
        return list(found)

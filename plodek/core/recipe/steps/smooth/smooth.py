"""The step that smooths the grid."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model import operations
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import EdgeSelector, Length, when
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.units import length


class Smooth(Step):
    """Smooth the plane grid elliptically; steps before it give the grid it starts from."""

    kind: Literal["smooth"] = "smooth"
    stage: ClassVar[Stage] = "Smooth"
    verb: ClassVar[str] = "Smooth"
    key: ClassVar[str] = "S"
    order: ClassVar[int] = 10
    sentence: ClassVar[str] = "Smooth {sweeps} sweeps, {control}, holding {walls}"
    sweeps: int = Field(default=600, title="Sweeps at most", ge=1, le=100_000)
    control: Literal["no control", "wall control"] = Field(default="wall control", title="Control")
    walls: EdgeSelector | None = Field(
        default=None,
        title="Walls to hold",
        json_schema_extra=when(control="wall control"),
        description="outer edges whose first height and right angle are held; "
        "where left out, all that follow a guide",
    )
    strictness: float = Field(
        default=1.0,
        title="Strictness",
        ge=0.05,
        le=2,
        json_schema_extra=when(control="wall control"),
        description="less is looser and more stable",
    )
    glide: EdgeSelector | None = Field(
        default=None, title="Sides that glide", description="their nodes slide along; other outer sides hold"
    )
    hold: EdgeSelector | None = Field(
        default=None,
        title="Inner edges that hold",
        description="other inner edges are free and move as inner nodes",
    )
    tolerance: Length | None = Field(
        default=None,
        title="Settled below a move of",
        description="the largest move of a node in a sweep; 1e-7 of the diagonal where left out",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("smoothing")
        control = self.control == "wall control"
        walls = self._walls(model) if control else []
        glide, hold = (self._edges(model, s) for s in (self.glide, self.hold))
        both = set(walls) & set(glide)
        if both:
            raise BadValue(
                f"{len(both)} edges shall both hold as walls and glide",
                remedy="take them out of one of the two",
            )
        settings = SmoothSettings(
            sweeps=self.sweeps,
            control=control,
            walls=tuple(walls),
            glide=tuple(glide),
            held=tuple(hold),
            tolerance=None if self.tolerance is None else length(self.tolerance, model.unit),
            strict=self.strictness,
        )
        run = operations.Smooth(settings)
        return replace(model, operations=(*model.operations, run), known=model.facts)

    @staticmethod
    def _edges(model: Model, selector: EdgeSelector | None) -> list[Edge]:
        found = selectors.edges(model, selector) if selector else []
        return [e for e in (edge_of(*e) for e in found) if e in set(model.layout.filled_edges)]

    def _walls(self, model: Model) -> list[Edge]:
        if self.walls is not None:
            return self._edges(model, self.walls)
        found = [edge for edge in model.layout.follows if edge in model.layout.outer]
        if not found:
            raise NothingFound(
                "no outer edge follows a guide, so there is no wall to hold",
                remedy="choose the walls, or smooth without control",
            )
        return found

"""Steps that shape without a guide: bend edges, align corners."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import edge_of
from plodek.core.blocks.operations import bend as bending
from plodek.core.errors import BadValue, Refused
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import (
    CornersSelector,
    Direction,
    EdgeSelector,
    Length,
    PlaceOf,
    Places,
    when,
)
from plodek.core.recipe.places import coordinates, place_of
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, refitted
from plodek.core.shape.frame import unit


class Bend(BlockStep):
    """Bend free edges: through points, smoothly into their neighbours, or straight again."""

    kind: Literal["bend"] = "bend"
    verb: ClassVar[str] = "Bend"
    key: ClassVar[str] = "D"
    order: ClassVar[int] = 180
    family: ClassVar[str] = "Fit"
    known_as: ClassVar[tuple[str, ...]] = ("curve an edge", "shape of an edge")
    sentence: ClassVar[str] = "Bend {edges} {how} {points}"
    edges: EdgeSelector = Field(title="Edges")
    how: Literal["smoothly", "through points", "straight"] = Field(default="smoothly", title="How")
    points: Places | None = Field(
        default=None, title="Points on the way", json_schema_extra=when(how="through points")
    )

    def apply(self, model: Model, context: Context) -> Model:
        named = selectors.edges(model, self.edges)
        layout = model.layout
        if self.how == "straight":
            return refitted(model, bending.straightened(layout, [edge_of(*e) for e in named]))
        points: Floats | None = None
        if self.how == "through points":
            if not self.points or len(named) != 1:
                what = "no point is given" if not self.points else f"{len(named)} edges are chosen"
                raise BadValue(what, remedy="give one edge, and points from its first corner on")
            points = np.array([place_of(model, p) for p in self.points])
        for a, b in named:
            edge, *_ = layout.driven_edges.get(edge_of(a, b), (edge_of(a, b),))
            way = points if points is None or edge[0] == a else points[::-1]
            layout = bending.bend(layout, model.guides, edge, way)
        return refitted(model, layout)


class Align(BlockStep):
    """Align corners: to a plane, to a line, or to the line through two other corners."""

    kind: Literal["align"] = "align"
    verb: ClassVar[str] = "Align"
    key: ClassVar[str] = "A"
    order: ClassVar[int] = 190
    family: ClassVar[str] = "Fit"
    known_as: ClassVar[tuple[str, ...]] = ("straighten",)
    sentence: ClassVar[str] = "Align {corners} to {to} {value}{through}{along}{others}"
    corners: CornersSelector = Field(title="Corners")
    to: Literal["x", "y", "z", "line", "corners"] = Field(default="x", title="To")
    value: Length | None = Field(
        default=None,
        title="At",
        json_schema_extra=when(to=("x", "y", "z")),
        description="the mean of the corners, where left out",
    )
    through: PlaceOf | None = Field(default=None, title="Through", json_schema_extra=when(to="line"))
    along: Direction | None = Field(default=None, title="Direction", json_schema_extra=when(to="line"))
    others: CornersSelector | None = Field(
        default=None, title="Two other corners", json_schema_extra=when(to="corners")
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        ids = selectors.corners(model, self.corners)
        layout = model.layout
        driven = next((c for c in ids if c in layout.driven_corners), None)
        if driven is not None:
            raise Refused(f"corner {layout.labels[driven]} is driven by its twin", remedy="align the twin")
        if self.to in ("x", "y", "z"):
            axis = "xyz".index(self.to)
            value = (
                float(layout.places(ids)[:, axis].mean())
                if self.value is None
                else coordinates([self.value, 0.0], model.unit)[0]
            )

            def put(xyz: Floats) -> Floats:
                there = xyz.copy()
                there[:, axis] = value
                return there

            return refitted(model, bending.aligned(layout, model.guides, ids, put))
        at, way = self._line(model)
        return refitted(
            model,
            bending.aligned(layout, model.guides, ids, lambda xyz: at + ((xyz - at) @ way)[:, None] * way),
        )

    def _line(self, model: Model) -> tuple[Floats, Floats]:
        if self.to == "line":
            if self.through is None or self.along is None:
                raise BadValue("the line is not given", remedy="give a place on it and a direction")
            return np.array(place_of(model, self.through)), unit(np.array(self.along))
        ids = selectors.corners(model, self.others) if self.others else []
        if len(ids) != 2:
            raise BadValue(f"{len(ids)} other corners are given", remedy="give two")
        first, second = model.layout.places(ids)
        return first, unit(second - first)

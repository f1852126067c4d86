"""The step that reads outlines from point files."""

from __future__ import annotations

import re
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.model.model import Model
from plodek.core.recipe.fields import Degrees, GuideName, PointFile, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep, numbered, with_guides
from plodek.core.shape.crossing import refuse_self_crossing
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.files import point_file
from plodek.core.units import LengthUnit, factor


class Read(ShapeStep):
    """Read outlines from a point file as guide curves; sections in it become one curve each."""

    kind: Literal["read"] = "read"
    verb: ClassVar[str] = "Read points"
    key: ClassVar[str] = "R"
    order: ClassVar[int] = 20
    family: ClassVar[str] = "Files"
    known_as: ClassVar[tuple[str, ...]] = ("import points", "table", "CSV", "coordinates")
    sentence: ClassVar[str] = "Read outline {file} as {shape} {name}"
    file: PointFile = Field(title="Point file")
    name: GuideName = Field(title="Name")
    shape: Literal["auto", "closed", "open"] = Field(
        default="auto", title="Ends", description="auto: closed where the last point repeats the first"
    )
    pieces: Literal["smooth", "straight"] = Field(default="smooth", title="Pieces")
    corner_angle: Degrees = Field(
        default=40.0,
        title="Sharp where it turns by more than",
        ge=0,
        le=180,
        json_schema_extra=when(pieces="smooth"),
    )
    file_unit: LengthUnit | None = Field(
        default=None, title="Unit of the file", description="the project's unit where left out"
    )

    def apply(self, model: Model, context: Context) -> Model:
        sections = point_file.read(context.files.read(self.file), self.file)
        scale = factor(self.file_unit, model.unit) if self.file_unit else 1.0
        curves = [self._curve(section, scale) for section in sections]
        names = [re.sub(r"[^A-Za-z0-9_-]+", "-", section.title).strip("-") for section in sections]
        named = numbered(self.name, curves)
        if len(sections) > 1 and all(names) and len(set(names)) == len(names):
            named = {f"{self.name}.{title}": curve for title, curve in zip(names, curves, strict=True)}
        for name, curve in named.items():
            assert isinstance(curve, Curve)
            refuse_self_crossing(curve, name)
        return with_guides(model, named)

    def _curve(self, section: point_file.Section, scale: float) -> Curve:
        closed = section.closed if self.shape == "auto" else self.shape == "closed"
        points = section.points * scale
        if section.closed and not closed:
            points = np.vstack([points, points[:1]])
        if self.pieces == "straight" or len(points) == 2:
            return Polyline(points, closed=closed)
        return Spline(points, closed=closed, corner_angle=self.corner_angle)

"""Steps that take curves from surfaces: their borders, where they cross, plane sections."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import ORIGIN, Z_AXIS, Direction, PlaceOf, SurfaceRef
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import CurveStep, numbered, with_guides
from plodek.core.shape.curves.compound import Joined
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surface_crossing import plane_section, surface_crossings
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.surface import SmoothSurface
from plodek.core.shape.surfaces.triangulated import Triangulated


class BorderStep(CurveStep):
    """Take the boundary of a surface as curves, or its sharp lines."""

    kind: Literal["border"] = "border"
    verb: ClassVar[str] = "Border"
    key: ClassVar[str] = "B"
    order: ClassVar[int] = 150
    known_as: ClassVar[tuple[str, ...]] = ("boundary curves", "extract edges")
    sentence: ClassVar[str] = "Border of {surface} as {name}"
    surface: SurfaceRef = Field(title="Surface")
    lines: Literal["boundary", "sharp lines"] = Field(
        default="boundary",
        title="Take",
        description="sharp lines: those that sharp corners of its sections make",
    )
    joined: Literal["pieces", "joined"] = Field(default="pieces", title="As")

    def apply(self, model: Model, context: Context) -> Model:
        surface = model.surface(self.surface)
        if self.lines == "sharp lines":
            curves: list[Curve] = list(surface.creases) if isinstance(surface, GeneratedSurface) else []
            if not curves:
                raise BadValue(
                    f"“{self.surface}” has no sharp lines of its own",
                    remedy="sharp lines between faces or triangles come with their file, as its edges",
                )
            return with_guides(model, numbered(self.name, curves))
        curves = [border.curve for border in surface.borders]
        if not curves:
            raise BadValue(f"“{self.surface}” is closed and has no border", remedy="cut it by a plane")
        if self.joined == "joined":
            curves = _loops(curves)
        return with_guides(model, numbered(self.name, curves))


def _loops(curves: list[Curve]) -> list[Curve]:
    """Join curves into chains where ends meet."""
    left, done = list(curves), []
    reach = 1e-6 * sum(curve.length for curve in curves)
    while left:
        chain = [left.pop(0)]
        end = chain[0].end()
        while not chain[0].closed:
            near = [n for n, c in enumerate(left) if not c.closed and min(
                float(np.linalg.norm(p - end)) for p in (c.start(), c.end())) <= reach]  # fmt: skip
            if not near:
                break
            after = left.pop(near[0])
            end = after.end() if np.linalg.norm(after.start() - end) <= reach else after.start()
            chain.append(after)
        done.append(Joined(chain, reach) if len(chain) > 1 else chain[0])
    return done


class CrossingStep(CurveStep):
    """Take the curves in which two surfaces cross; the longest first where there are several."""

    kind: Literal["crossing"] = "crossing"
    verb: ClassVar[str] = "Crossing"
    key: ClassVar[str] = "X"
    order: ClassVar[int] = 160
    known_as: ClassVar[tuple[str, ...]] = ("intersect",)
    sentence: ClassVar[str] = "Crossing of {surface} and {second} as {name}"
    surface: SurfaceRef = Field(title="Surface")
    second: SurfaceRef = Field(title="Second surface")

    def apply(self, model: Model, context: Context) -> Model:
        both = [smooth(model, name) for name in (self.surface, self.second)]
        return with_guides(model, numbered(self.name, surface_crossings(both[0], both[1])))


class SectionStep(CurveStep):
    """Cut a surface by a plane and take the curves."""

    kind: Literal["section"] = "section"
    verb: ClassVar[str] = "Section"
    key: ClassVar[str] = "⇧X"
    order: ClassVar[int] = 170
    known_as: ClassVar[tuple[str, ...]] = ("slice", "plane cut")
    sentence: ClassVar[str] = "Section of {surface} at {at} as {name}"
    surface: SurfaceRef = Field(title="Surface")
    at: PlaceOf = Field(default=ORIGIN, title="Plane through")
    normal: Direction = Field(default=Z_AXIS, title="Normal of the plane")

    def apply(self, model: Model, context: Context) -> Model:
        at, normal = self.place(model, self.at), np.array(self.normal)
        surface = model.surface(self.surface)
        if isinstance(surface, Triangulated):
            return with_guides(model, numbered(self.name, surface.section(at, normal)))
        curves = plane_section(smooth(model, self.surface), at, normal)
        return with_guides(model, numbered(self.name, curves))


def smooth(model: Model, name: str) -> SmoothSurface:
    """Find a surface that is no triangulated one. Raises BadValue."""
    surface = model.surface(name)
    if not isinstance(surface, SmoothSurface):
        raise BadValue(
            f"“{name}” is triangulated, and its crossing would only be as good as its triangles",
            remedy="cut it by planes (Section), or bring it in as STEP",
        )
    return surface

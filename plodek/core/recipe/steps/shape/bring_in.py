"""The step that brings in CAD files, triangles and drawings."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.model.named import Group
from plodek.core.recipe.fields import Degrees, GeometryFile, GuideName, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep, with_guides
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.files.contents import guides_of
from plodek.core.shape.files.packed import unpack
from plodek.core.shape.guide import Guide
from plodek.core.units import LengthUnit, factor


class BringIn(ShapeStep):
    """Bring in a CAD file (STEP, IGES), triangles (STL, OBJ) or a drawing (DXF) as guides."""

    kind: Literal["bring-in"] = "bring-in"
    verb: ClassVar[str] = "Bring in"
    key: ClassVar[str] = "I"
    order: ClassVar[int] = 30
    family: ClassVar[str] = "Files"
    known_as: ClassVar[tuple[str, ...]] = ("import CAD", "STEP", "IGES", "STL", "OBJ", "DXF", "geometry")
    sentence: ClassVar[str] = "Bring in {file} as {name}"
    file: GeometryFile = Field(title="Geometry file")
    name: GuideName = Field(title="Name", description="its parts are called by it and their own name")
    file_unit: LengthUnit | None = Field(
        default=None, title="Unit of the file", description="needed where the file does not say it"
    )
    edges: Literal["yes", "no"] = Field(default="yes", title="Edges as curves too")
    angle: Degrees = Field(
        default=30.0, title="Edges of triangles from", ge=1, le=180, json_schema_extra=when(edges="yes")
    )

    def apply(self, model: Model, context: Context) -> Model:
        packed = context.files.geometry(self.file)
        told = unpack(packed)["unit"]
        # The kernel has turned CAD files to millimetres: what they say of their unit holds.
        cad = bool(told) and self.file.rsplit(".", 1)[-1].lower() in ("step", "stp", "iges", "igs")
        unit = told if cad or not self.file_unit else self.file_unit
        if not unit:
            raise BadValue("the file does not say its unit", where=self.file, remedy="choose its unit")
        parts = guides_of(
            packed, factor(unit, model.unit), self.id, edges=self.edges == "yes", angle=self.angle
        )
        named: dict[str, Guide] = {}
        groups: dict[str, list[str]] = {}
        for part in parts:
            kind = "curve" if isinstance(part.guide, Curve) else "face"
            name = self._name(part.name, kind, named) if len(parts) > 1 else self.name
            named[name] = part.guide
            if part.group:
                groups.setdefault(self._clean(part.group), []).append(name)
        after = with_guides(model, named)
        found = dict(model.groups)
        if len(named) > 1:
            found[self.name] = Group(tuple(named))
        for group, members in groups.items():
            if len(groups) > 1 and group:
                found[f"{self.name}.{group}"] = Group(tuple(members))
        left_out = tuple(unpack(packed)["flat"])
        said = (f"left out, without an area or of no use: {', '.join(left_out)}",) if left_out else ()
        after = replace(after, groups=found)
        return after.reporting(self.id, *said) if said else after

    def _name(self, own: str, kind: str, taken: Mapping[str, Guide]) -> str:
        clean = self._clean(own)
        if clean and f"{self.name}.{clean}" not in taken:
            return f"{self.name}.{clean}"
        stem = f"{self.name}.{clean or kind}"
        count = 1
        while f"{stem}-{count}" in taken:
            count += 1
        return f"{stem}-{count}"

    @staticmethod
    def _clean(name: str) -> str:
        return re.sub(r"[^A-Za-z0-9_-]+", "-", name).strip("-")[:40]

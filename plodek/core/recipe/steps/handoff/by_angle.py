"""The step that names outer faces part by part, where they go on smoothly."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.build.turns import smooth_parts
from plodek.core.errors import NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model, Patch
from plodek.core.recipe.fields import Degrees, PatchName
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.recipe.steps.handoff.patch import need_name


class PatchesByAngle(Step):
    """Name all outer faces that are in no patch yet: one patch for each part that goes on smoothly."""

    kind: Literal["patches-by-angle"] = "patches-by-angle"
    stage: ClassVar[Stage] = "Hand-off"
    verb: ClassVar[str] = "Patches by angle"
    key: ClassVar[str] = "A"
    order: ClassVar[int] = 25
    sentence: ClassVar[str] = "Name what turns by no more than {angle} one patch each, {name}-1 …, {type}"
    name: PatchName = Field(default="part", title="Names begin with")
    angle: Degrees = Field(default=30.0, title="Sharp from", gt=0, lt=180)
    type: PatchType = Field(default="wall", title="Type")

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        need_name(f"{self.name}-100")
        if not model.unnamed:
            raise NothingFound("every outer face is in a patch", remedy="rename patches that are there")
        taken = {patch.name.lower() for patch in model.patches}
        found, number = [], 0
        for sides in smooth_parts(model, model.unnamed, self.angle):
            number += 1
            while f"{self.name}-{number}".lower() in taken:
                number += 1
            found.append(Patch(f"{self.name}-{number}", self.type, tuple(sides)))
        return replace(model, patches=(*model.patches, *found), known=model.facts)

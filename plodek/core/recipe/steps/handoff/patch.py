"""The step that names outer faces as a patch."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks.layout import Side
from plodek.core.blocks.sides import block_normal, inner_walls
from plodek.core.errors import BadValue, NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.model.named import Patch
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import FaceSelector, PatchName, Rest
from plodek.core.recipe.step import Changes, Context, Stage, Step

#: CGNS names hold 32 characters; receiving programs stumble over blanks and signs.
PATCH_NAME = re.compile(r"[A-Za-z][A-Za-z0-9_-]{0,31}")


def need_name(name: str) -> None:
    """Raise BadValue for what is no name of a patch."""
    if not PATCH_NAME.fullmatch(name):
        raise BadValue(
            f"“{name}” is no patch name",
            remedy="use at most 32 letters, digits, _ and -, without spaces, beginning with a letter",
        )


class PatchStep(Step):
    """Name outer faces as a patch, and give it a type; a patch of that name and type gets them too."""

    kind: Literal["patch"] = "patch"
    stage: ClassVar[Stage] = "Hand-off"
    changes: ClassVar[Changes] = "names"
    verb: ClassVar[str] = "Patch"
    key: ClassVar[str] = "P"
    order: ClassVar[int] = 10
    known_as: ClassVar[tuple[str, ...]] = (
        "boundary condition",
        "name a boundary",
        "inlet",
        "outlet",
        "wall",
        "symmetry",
    )
    sentence: ClassVar[str] = "Name {faces} {name}, {type}"
    name: PatchName = Field(
        title="Name",
        description="letters, digits, _ and -, without spaces, beginning with a letter; at most 32",
    )
    type: PatchType = Field(default="wall", title="Type")
    faces: FaceSelector = Field(title="Faces")

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        need_name(self.name)
        before = next((p for p in model.patches if p.name.lower() == self.name.lower()), None)
        if before is not None and (before.name, before.type) != (self.name, self.type):
            raise BadValue(
                f"a patch is already called “{before.name}”, {before.type}",
                remedy="write it and its type alike to add faces to it, or give this one another name",
            )
        sides = self._faces(model)
        owners = [model.patch_of[side] for side in sides if side in model.patch_of]
        if owners:
            raise BadValue(
                f"some of these faces already belong to “{owners[0].name}”",
                remedy="every outer face belongs to one patch: choose others, or change that one",
            )
        if not sides:
            raise NothingFound(
                "no outer face, and none between two regions, is among them", remedy="choose outer faces"
            )
        patch = Patch(self.name, self.type, (*(before.sides if before else ()), *sides))
        patches = [patch if p is before else p for p in model.patches] + ([] if before else [patch])
        after = replace(model, patches=tuple(patches), known=model.facts)
        return after.reporting(self.id, *_doubts(model, sides)) if isinstance(self.faces, Rest) else after

    def _faces(self, model: Model) -> list[Side]:
        found = selectors.sides(model, self.faces)
        return [side for side in found if side in model.layout.outer or side in model.layout.borders]


def _doubts(model: Model, sides: list[Side]) -> list[str]:
    """Tell what speaks against all the rest being one patch."""
    told = []
    inside = len(inner_walls(model.layout, sides))
    if inside:
        told.append(f"{inside} of these {len(sides)} sides are those of bodies or slits inside the domain")
    ways = Counter(_way(model, side) for side in sides if side in model.layout.outer)
    if len(ways) > 1:
        many = ", ".join(f"{count} along {way}" for way, count in sorted(ways.items()))
        told.append(f"these sides look along different directions: {many}; an opening may be among them")
    return told


def _way(model: Model, side: Side) -> str:
    """Give the axis that a side looks along most, out of the flow."""
    normal = block_normal(model.layout, model.layout.outer[side])
    axis = int(np.argmax(np.abs(normal)))
    return f"{'xyz'[axis]}{'+' if normal[axis] > 0 else '-'}"

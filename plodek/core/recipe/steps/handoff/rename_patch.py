"""The step that gives a patch another name or type, or makes it part of another."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import NothingFound
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.recipe.fields import PatchName, PatchRef
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.recipe.steps.handoff.patch import need_name


class RenamePatch(Step):
    """Give a patch another name, or type; with the name of another patch it becomes part of that one."""

    kind: Literal["rename-patch"] = "rename-patch"
    stage: ClassVar[Stage] = "Hand-off"
    changes: ClassVar[Changes] = "names"
    verb: ClassVar[str] = "Rename patch"
    key: ClassVar[str] = "N"
    order: ClassVar[int] = 30
    known_as: ClassVar[tuple[str, ...]] = ("boundary condition",)
    sentence: ClassVar[str] = "Rename patch {patch} {name}, {type}"
    patch: PatchRef = Field(title="Patch")
    name: PatchName = Field(title="New name")
    type: PatchType | None = Field(
        default=None,
        title="Type",
        description="as it was, or that of the patch it joins, where left out",
    )

    def apply(self, model: Model, context: Context) -> Model:
        need_name(self.name)
        old = next((p for p in model.patches if p.name == self.patch), None)
        if old is None:
            there = ", ".join(p.name for p in model.patches) or "none"
            raise NothingFound(f"there is no patch “{self.patch}”", remedy=f"patches there are: {there}")
        into = next((p for p in model.patches if p.name.lower() == self.name.lower() and p is not old), None)
        others = [p for p in model.patches if p is not old]
        if into is None:
            new = replace(old, name=self.name, type=self.type or old.type)
            patches = [new if p is old else p for p in model.patches]
        else:
            both = replace(into, type=self.type or into.type, sides=(*into.sides, *old.sides))
            patches = [both if p is into else p for p in others]
        return replace(model, patches=tuple(patches), known=model.facts)

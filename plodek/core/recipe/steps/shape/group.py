"""Steps that order guides: group, rename, leave out."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.model.named import Group
from plodek.core.recipe.fields import GuideName, GuideRef, GuideRefs
from plodek.core.recipe.selectors import guides
from plodek.core.recipe.step import Changes, Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep, need_unused

Colour = Literal["blue", "teal", "plum", "brown", "ochre", "rust", "green", "rose", "slate", "olive"]


class GroupStep(ShapeStep):
    """Put guides into a group with a name and a colour."""

    kind: Literal["group"] = "group"
    verb: ClassVar[str] = "Group"
    key: ClassVar[str] = "G"
    order: ClassVar[int] = 290
    family: ClassVar[str] = "Change"
    known_as: ClassVar[tuple[str, ...]] = ("set", "collect")
    sentence: ClassVar[str] = "Group {guides} as {name} in {colour}"
    guides: GuideRefs = Field(title="Guides", min_length=1)
    name: GuideName = Field(title="Name")
    colour: Colour = Field(default="teal", title="Colour")

    def apply(self, model: Model, context: Context) -> Model:
        if self.name in model.guides:
            raise BadValue(f"a guide is already called “{self.name}”", remedy="give the group another name")
        group = Group(tuple(guides(model, self.guides)), self.colour)
        return replace(model, groups=dict(model.groups) | {self.name: group})


class RenameStep(ShapeStep):
    """Give a guide or group another name."""

    kind: Literal["rename"] = "rename"
    verb: ClassVar[str] = "Rename"
    key: ClassVar[str] = "N"
    changes: ClassVar[Changes] = "guides"
    order: ClassVar[int] = 300
    family: ClassVar[str] = "Change"
    sentence: ClassVar[str] = "Rename {guide} to {to}"
    guide: GuideRef = Field(title="Guide or group")
    to: GuideName = Field(title="New name")

    def apply(self, model: Model, context: Context) -> Model:
        if self.to in model.guides or self.to in model.groups:
            raise BadValue(f"“{self.to}” is already there", remedy="give another name")
        if self.guide in model.groups:
            groups = {self.to if n == self.guide else n: g for n, g in model.groups.items()}
            return replace(model, groups=groups)
        guides(model, [self.guide])
        need_unused(model, [self.guide], "renames")
        found = {self.to if n == self.guide else n: g for n, g in model.guides.items()}
        groups = {
            n: replace(g, members=tuple(self.to if m == self.guide else m for m in g.members))
            for n, g in model.groups.items()
        }
        return replace(model, guides=found, groups=groups)


class LeaveOutStep(ShapeStep):
    """Leave guides out of the model, such as doubled surfaces."""

    kind: Literal["leave-out"] = "leave-out"
    verb: ClassVar[str] = "Leave out"
    key: ClassVar[str] = "Q"
    changes: ClassVar[Changes] = "guides"
    order: ClassVar[int] = 310
    family: ClassVar[str] = "Change"
    known_as: ClassVar[tuple[str, ...]] = ("delete", "remove geometry")
    sentence: ClassVar[str] = "Leave out {guides}"
    guides: GuideRefs = Field(title="Guides", min_length=1)

    def apply(self, model: Model, context: Context) -> Model:
        gone = set(guides(model, self.guides))
        need_unused(model, list(gone), "leaves out")
        return replace(model, guides={n: g for n, g in model.guides.items() if n not in gone})

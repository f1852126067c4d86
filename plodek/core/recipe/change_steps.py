"""Steps of the Shape stage that change guides: move, group, rename, leave out, sew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import place
from plodek.core.errors import BadValue, Refused
from plodek.core.model.model import Group, Model
from plodek.core.recipe.fields import GUIDE, GUIDES, LENGTH
from plodek.core.recipe.moving import Moving
from plodek.core.recipe.selectors import Length, guides
from plodek.core.recipe.shape_steps import ShapeStep, with_guides
from plodek.core.recipe.step import Context, GuideName
from plodek.core.shape import mend
from plodek.core.shape.curves.compound import MovedCurve
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.measure import places_of
from plodek.core.shape.move import Move
from plodek.core.shape.surfaces.moved_surface import moved_surface
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.tolerances import LARGEST, SMALLEST

Colour = Literal["blue", "teal", "plum", "brown", "ochre", "rust", "green", "rose", "slate", "olive"]


class _ChangeStep(ShapeStep):
    family: ClassVar[str] = "Change"


def _need_unused(model: Model, names: Sequence[str], verb: str) -> None:
    """Raise Refused where blocks already follow one of the guides."""
    followed = {follow.guide for follow in model.layout.follows.values()}
    followed |= set(model.layout.lies.values())
    followed |= {corner.guide for corner in model.layout.corners.values() if corner.guide}
    used = next((name for name in names if name in followed), None)
    if used is not None:
        raise Refused(
            f"blocks already follow “{used}”", remedy=f"put the step that {verb} it before the blocks"
        )


class MoveStep(Moving, _ChangeStep):
    """Shift, turn, mirror or scale guides: themselves, or copies of them."""

    kind: Literal["move"] = "move"
    verb: ClassVar[str] = "Move"
    key: ClassVar[str] = "M"
    sentence: ClassVar[str] = "Move {guides} by {by} {shift}{angle}{scale}, copies: {copies}"
    guides: list[str] = Field(title="Guides", min_length=1, json_schema_extra=GUIDES)
    copies: int = Field(default=0, title="Copies", ge=0, le=500, description="0 moves the guides themselves")

    def apply(self, model: Model, context: Context) -> Model:
        names = guides(model, self.guides)
        one = self.move_of(model)
        if self.copies == 0:
            _need_unused(model, names, "moves")
            for name in names:
                _need_usable(model.guides[name], one, name)
            moved = {name: moved_guide(model.guides[name], one, self.id) for name in names}
            return replace(model, guides=dict(model.guides) | moved)
        found: dict[str, Guide] = {}
        whole = one
        for number in range(1, self.copies + 1):
            for name in names:
                _need_usable(model.guides[name], whole, name)
                copy = moved_guide(model.guides[name], whole, f"{self.id}.{number}")
                found[f"{name}-{self._fresh(model, name, number)}"] = copy
            whole = whole.then(one)
        return with_guides(model, found)

    def _fresh(self, model: Model, name: str, number: int) -> int:
        """Give the first number that no copy has, and count on from there."""
        count = 1
        while f"{name}-{count}" in model.guides:
            count += 1
        return count + number - 1


def _need_usable(guide: Guide, how: Move, name: str) -> None:
    """Raise BadValue where a move makes a guide so large or so small that nothing can be done with it."""
    places = places_of(guide)
    size = how.scale * float(np.max(np.abs(places))) + float(np.max(np.abs(how.shift)))
    if size > LARGEST or (len(places) > 1 and how.scale * float(np.max(np.ptp(places, axis=0))) < SMALLEST):
        word = "large" if size > LARGEST else "small"
        raise BadValue(f"“{name}” would become too {word} to be used", remedy="give another factor or shift")


def moved_guide(guide: Guide, how: Move, key: str) -> Guide:
    """Move a guide; ``key`` tells the edges of a moved surface from those of the one before."""
    if isinstance(guide, Point):
        return Point(place(how.places(np.array([guide.xyz]))[0]))
    if isinstance(guide, Curve):
        return MovedCurve(guide, how)
    return moved_surface(guide, how, key)


class GroupStep(_ChangeStep):
    """Put guides into a group with a name and a colour."""

    kind: Literal["group"] = "group"
    verb: ClassVar[str] = "Group"
    key: ClassVar[str] = "G"
    sentence: ClassVar[str] = "Group {guides} as {name} in {colour}"
    guides: list[str] = Field(title="Guides", min_length=1, json_schema_extra=GUIDES)
    name: GuideName = Field(title="Name")
    colour: Colour = Field(default="teal", title="Colour")

    def apply(self, model: Model, context: Context) -> Model:
        if self.name in model.guides:
            raise BadValue(f"a guide is already called “{self.name}”", remedy="give the group another name")
        group = Group(tuple(guides(model, self.guides)), self.colour)
        return replace(model, groups=dict(model.groups) | {self.name: group})


class RenameStep(_ChangeStep):
    """Give a guide or group another name."""

    kind: Literal["rename"] = "rename"
    verb: ClassVar[str] = "Rename"
    key: ClassVar[str] = "N"
    sentence: ClassVar[str] = "Rename {guide} to {to}"
    guide: str = Field(title="Guide or group", json_schema_extra=GUIDE)
    to: GuideName = Field(title="New name")

    def apply(self, model: Model, context: Context) -> Model:
        if self.to in model.guides or self.to in model.groups:
            raise BadValue(f"“{self.to}” is already there", remedy="give another name")
        if self.guide in model.groups:
            groups = {self.to if n == self.guide else n: g for n, g in model.groups.items()}
            return replace(model, groups=groups)
        guides(model, [self.guide])
        _need_unused(model, [self.guide], "renames")
        found = {self.to if n == self.guide else n: g for n, g in model.guides.items()}
        groups = {
            n: replace(g, members=tuple(self.to if m == self.guide else m for m in g.members))
            for n, g in model.groups.items()
        }
        return replace(model, guides=found, groups=groups)


class LeaveOutStep(_ChangeStep):
    """Leave guides out of the model, such as doubled surfaces."""

    kind: Literal["leave-out"] = "leave-out"
    verb: ClassVar[str] = "Leave out"
    key: ClassVar[str] = "Q"
    sentence: ClassVar[str] = "Leave out {guides}"
    guides: list[str] = Field(title="Guides", min_length=1, json_schema_extra=GUIDES)

    def apply(self, model: Model, context: Context) -> Model:
        gone = set(guides(model, self.guides))
        _need_unused(model, list(gone), "leaves out")
        return replace(model, guides={n: g for n, g in model.guides.items() if n not in gone})


class SewStep(_ChangeStep):
    """Sew surfaces together where their free edges are within a tolerance."""

    kind: Literal["sew"] = "sew"
    verb: ClassVar[str] = "Sew"
    key: ClassVar[str] = "Z"
    sentence: ClassVar[str] = "Sew {guides} within {tolerance}"
    guides: list[str] | None = Field(
        default=None, title="Surfaces", json_schema_extra={"widget": "guides", "of": "surface"},
        description="all surfaces where left out",
    )  # fmt: skip
    tolerance: Length = Field(title="Tolerance", json_schema_extra=LENGTH)

    def apply(self, model: Model, context: Context) -> Model:
        names = guides(model, self.guides) if self.guides else list(model.guides)
        surfaces = {n: g for n in names if isinstance(g := model.guides[n], Surface)}
        if not surfaces:
            raise BadValue("there is no surface to sew", remedy="bring in surfaces first")
        sewn = mend.sew(surfaces, self.sizes(model, self.tolerance, "tolerance"))
        return replace(
            model,
            guides=dict(model.guides) | sewn.surfaces,
            reports=dict(model.reports) | {self.id: tuple(_said(sewn, model.unit))},
        )


def _said(sewn: mend.Sewn, unit: str) -> list[str]:
    """Tell in words what sewing has changed."""
    said = []
    if sewn.welded:
        said.append(f"{sewn.welded} places of triangulated surfaces made one with others")
    if sewn.divided:
        said.append(f"{sewn.divided} edges divided where others end")
    if sewn.pairs:
        pairs = "pair of edges" if sewn.pairs == 1 else "pairs of edges"
        said.append(f"{sewn.pairs} {pairs} made one, up to {sewn.widest:.3g} {unit} apart")
    said.append(f"{sewn.left} free edges are left" if sewn.left else "no free edge is left")
    return said

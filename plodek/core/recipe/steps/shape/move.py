"""The step that moves guides, or copies of them."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import place
from plodek.core.budget import need
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe.fields import GuideRefs
from plodek.core.recipe.moving import Moving
from plodek.core.recipe.selectors import guides
from plodek.core.recipe.step import Changes, Context
from plodek.core.recipe.steps.shape.shape_step import ShapeStep, need_unused, with_guides
from plodek.core.shape.curves.compound import MovedCurve
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.measure import places_of
from plodek.core.shape.move import Move
from plodek.core.shape.surfaces.moved_surface import moved_surface
from plodek.core.tolerances import LARGEST, SMALLEST


class MoveStep(Moving, ShapeStep):
    """Shift, turn, mirror or scale guides: themselves, or copies of them."""

    kind: Literal["move"] = "move"
    verb: ClassVar[str] = "Move"
    key: ClassVar[str] = "M"
    changes: ClassVar[Changes] = "guides"
    order: ClassVar[int] = 280
    family: ClassVar[str] = "Change"
    known_as: ClassVar[tuple[str, ...]] = ("translate", "rotate", "mirror", "scale", "transform")
    sentence: ClassVar[str] = "Move {guides} by {by} {shift}{angle}{scale}, copies: {copies}"
    guides: GuideRefs = Field(title="Guides", min_length=1)
    copies: int = Field(default=0, title="Copies", ge=0, le=500, description="0 moves the guides themselves")

    def apply(self, model: Model, context: Context) -> Model:
        names = guides(model, self.guides)
        one = self.move_of(model)
        if self.copies == 0:
            need_unused(model, names, "moves")
            for name in names:
                _need_usable(model.guides[name], one, name)
            moved = {name: moved_guide(model.guides[name], one, self.id) for name in names}
            return replace(model, guides=dict(model.guides) | moved)
        need("guides", len(model.guides) + self.copies * len(names))
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

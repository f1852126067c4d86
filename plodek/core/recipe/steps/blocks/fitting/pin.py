"""Steps that put corners where they belong: pin, slide."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import place
from plodek.core.blocks.operations import fit
from plodek.core.errors import BadValue, Refused
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import CornerSelector, Fraction, GuideRef, PlaceOf
from plodek.core.recipe.places import place_of
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep, refitted
from plodek.core.shape.surfaces.surface import Surface


class Pin(BlockStep):
    """Put a corner at a place, where it stays."""

    kind: Literal["pin"] = "pin"
    verb: ClassVar[str] = "Pin"
    key: ClassVar[str] = "P"
    order: ClassVar[int] = 150
    family: ClassVar[str] = "Fit"
    known_as: ClassVar[tuple[str, ...]] = ("snap", "associate", "fix", "move a corner")
    sentence: ClassVar[str] = "Pin {corner} to {to}"
    corner: CornerSelector = Field(title="Corner")
    to: PlaceOf = Field(title="To")

    def apply(self, model: Model, context: Context) -> Model:
        found = selectors.corner(model, self.corner)
        xyz = place_of(model, self.to)
        if found in model.layout.driven_corners:  # a twin's corner moves with the one that drives it
            found, move = model.layout.driven_corners[found]
            xyz = place(move.back(np.array([xyz]))[0])
        return refitted(model, fit.pin(model.layout, model.guides, found, xyz))


class Slide(BlockStep):
    """Slide a corner along a guide curve, to a fraction of its length, or on a surface towards a place."""

    kind: Literal["slide"] = "slide"
    verb: ClassVar[str] = "Slide"
    key: ClassVar[str] = "S"
    order: ClassVar[int] = 160
    family: ClassVar[str] = "Fit"
    known_as: ClassVar[tuple[str, ...]] = ("associate", "snap", "move a corner")
    sentence: ClassVar[str] = "Slide {corner} along {guide} to {fraction}{near}"
    corner: CornerSelector = Field(title="Corner")
    fraction: Fraction | None = Field(default=None, title="Fraction of the guide")
    near: PlaceOf | None = Field(
        default=None,
        title="Or near to",
        description="to the place of the guide nearest to this one; the way to slide on a surface",
    )
    guide: GuideRef | None = Field(
        default=None, title="Guide", description="the guide the corner sits on, where left out"
    )

    def apply(self, model: Model, context: Context) -> Model:
        found = selectors.corner(model, self.corner)
        if found in model.layout.driven_corners:
            raise Refused(
                f"corner {model.layout.labels[found]} is driven by its twin", remedy="slide the twin instead"
            )
        name = self.guide or model.layout.corners[found].guide
        if name is None:
            raise BadValue(
                f"corner {model.layout.labels[found]} sits on no guide",
                remedy="name the guide, or let an edge there follow one first",
            )
        guide = model.guides.get(name)
        if isinstance(guide, Surface):
            if self.near is None:
                raise BadValue(f"“{name}” is a surface", remedy="give a place to slide towards")
            return refitted(
                model, fit.lay(model.layout, model.guides, found, name, place_of(model, self.near))
            )
        fraction = self.fraction
        if fraction is None:
            if self.near is None:
                raise BadValue("nothing says how far to slide", remedy="give a fraction, or a place")
            fraction = float(model.curve(name).nearest(np.array([place_of(model, self.near)]))[0])
        return refitted(model, fit.slide(model.layout, model.guides, found, name, fraction))

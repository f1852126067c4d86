"""What the steps of the Shape stage share: places, and guides added under their names."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import ClassVar

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.budget import need
from plodek.core.errors import BadValue, Refused
from plodek.core.model.model import Model
from plodek.core.model.named import Group
from plodek.core.recipe.fields import GuideName, PlaceOf
from plodek.core.recipe.places import place_of
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.shape.guide import Guide
from plodek.core.shape.joined import names_in
from plodek.core.shape.surfaces.surface import Surface


class ShapeStep(Step):
    """What all steps of the Shape stage share."""

    stage: ClassVar[Stage] = "Shape"
    changes: ClassVar[Changes] = "nothing"

    def place(self, model: Model, where: PlaceOf) -> Floats:
        """Give the place (3,) that coordinates or a guide name."""
        return np.array(place_of(model, where))


class CurveStep(ShapeStep):
    """A step of the Shape stage that makes curves."""

    family: ClassVar[str] = "Points and curves"
    name: GuideName = Field(title="Name")

    def places(self, model: Model, given: Sequence[PlaceOf]) -> Floats:
        """Give the places (n, 3) of coordinates and guide points."""
        return np.array([self.place(model, one) for one in given])


class SurfaceStep(ShapeStep):
    """A step that makes a surface: what `surface` gives, under its name."""

    family: ClassVar[str] = "Surfaces"
    name: GuideName = Field(title="Name")

    def surface(self, model: Model) -> Surface:
        """Make the surface. Raises BadValue."""
        raise NotImplementedError

    def apply(self, model: Model, context: Context) -> Model:
        surface = self.surface(model)
        size = float(np.linalg.norm(np.ptp(surface.facets.xyz, axis=0)))
        if not surface.area > 1e-12 * size**2:
            raise BadValue("the surface has no area", remedy="choose curves and ways that span one")
        return with_guide(model, self.name, surface)


def with_guide(model: Model, name: str, guide: Guide) -> Model:
    """Add a guide. Raises BadValue where the name is taken."""
    return with_guides(model, {name: guide})


def with_guides(model: Model, guides: Mapping[str, Guide]) -> Model:
    """Add guides. Raises BadValue where a name is taken, by a guide or a group, and OverBudget."""
    need("guides", len(model.guides) + len(guides))
    for name in guides:
        need_free(model, name)
    return replace(model, guides=dict(model.guides) | dict(guides))


def need_free(model: Model, name: str) -> None:
    """Raise BadValue where a guide or a group has a name."""
    if name in model.guides or name in model.groups:
        what = "guide" if name in model.guides else "group"
        raise BadValue(f"a {what} is already called “{name}”", remedy="give this one another name")


def numbered(name: str, guides: Sequence[Guide]) -> dict[str, Guide]:
    """Name guides: one by the name itself, several by it and a number."""
    if len(guides) == 1:
        return {name: guides[0]}
    return {f"{name}.{n}": guide for n, guide in enumerate(guides, 1)}


def with_group(model: Model, name: str, guides: Sequence[Guide]) -> Model:
    """Add guides as one of a name, or as a group of it. Raises BadValue where it is taken, OverBudget."""
    named = numbered(name, guides)
    after = with_guides(model, named)
    if len(named) == 1:
        return after
    need_free(model, name)
    return replace(after, groups=dict(model.groups) | {name: Group(tuple(named))})


def need_unused(model: Model, names: Sequence[str], verb: str) -> None:
    """Raise Refused where blocks already follow one of the guides."""
    followed = {follow.guide for follow in model.layout.follows.values()}
    followed |= set(model.layout.lies.values())
    followed |= {corner.guide for corner in model.layout.corners.values() if corner.guide}
    followed |= {part for name in followed for part in names_in(model.guides.get(name))}
    used = next((name for name in names if name in followed), None)
    if used is not None:
        raise Refused(
            f"blocks already follow “{used}”", remedy=f"put the step that {verb} it before the blocks"
        )

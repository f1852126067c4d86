"""Steps of the Blocks stage that wrap and grow: ring, butterfly, refine, grow."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Layout, Side, edge_of
from plodek.core.blocks.operations.butterfly import butterfly, walls_of
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.operations.grow import by_normals, grow, onto
from plodek.core.blocks.operations.ring.ring import Ring as RingDone
from plodek.core.blocks.operations.ring.ring import ring
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BLOCKS, DIRECTION, GUIDE, LENGTH, SIDES
from plodek.core.recipe.frame_steps import BlockStep
from plodek.core.recipe.selectors import BlockSelector, Direction, Length, SideSelector
from plodek.core.recipe.step import Context
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import unit
from plodek.core.shape.guide import unknown_guide
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.units import length

_MOST_LAYERS = 20


class _WrapStep(BlockStep):
    family: ClassVar[str] = "Wrap"


def in_layers(model: Model, done: RingDone, step: str, layers: int) -> Model:
    """Divide a ring that has just been made into layers of equal thickness."""
    first = next(iter(done.copies.items()))
    a, b = first
    for number in range(layers - 1):
        edge = edge_of(a, b)
        tier = model.tier_by_edge[edge]
        part = 1 / (layers - number)
        change = cut(
            f"{step}.layer{number}",
            model.layout,
            model.guides,
            tier,
            fractions_along(tier, part if edge[0] == a else 1 - part, edge),
        )
        model = model.changed(change)
        a = change.middle[edge]
    return model


class Ring(_WrapStep):
    """Wrap a ring of blocks (O, C or part of one) inside or around chosen blocks."""

    kind: Literal["ring"] = "ring"
    verb: ClassVar[str] = "Ring"
    key: ClassVar[str] = "R"
    sentence: ClassVar[str] = (
        "Ring {where} {blocks}, {thickness}{share} thick, layers {layers}, open at {open}"
    )
    blocks: BlockSelector = Field(title="Blocks", json_schema_extra=BLOCKS)
    where: Literal["around", "inside"] = Field(default="around", title="Where")
    measure: Literal["length", "share"] = Field(default="length", title="Thickness by")
    thickness: Length | None = Field(
        default=None, title="Thickness", json_schema_extra=LENGTH | {"when": {"measure": ["length"]}}
    )
    share: float | None = Field(
        default=None, title="Share", gt=0, lt=1, json_schema_extra={"when": {"measure": ["share"]}},
        description="inside: of the way to the middle; around: of the neighbouring block",
    )  # fmt: skip
    layers: int = Field(default=1, title="Layers", ge=1, le=_MOST_LAYERS)
    bow: float = Field(
        default=0.0, title="Shape taken over", ge=0, le=1,
        description="how much of the shape of the edges beside it the ring's new edges take over",
    )  # fmt: skip
    open: SideSelector | None = Field(
        default=None, title="Sides left open", json_schema_extra=SIDES,
        description="outer sides where the ring does not close; around, outer sides are open by themselves",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        chosen = selectors.blocks(model, self.blocks)
        by_share = self.measure == "share"
        given = self.share if by_share else self.thickness
        if given is None:
            what = "share" if by_share else "thickness"
            raise BadValue(f"no {what} is given", remedy=f"give a {what} above 0")
        done = ring(
            self.id,
            model.layout,
            model.guides,
            chosen,
            where=self.where,
            thickness=None if by_share else self.sizes(model, given, "thickness"),
            share=self.share if by_share else None,
            open_sides=selectors.sides(model, self.open) if self.open else [],
            bow=self.bow,
        )
        return in_layers(model.changed(done), done, self.id, self.layers)


class Butterfly(_WrapStep):
    """Put a butterfly core into a round section, a box end or a sphere, or in place of a pole."""

    kind: Literal["butterfly"] = "butterfly"
    verb: ClassVar[str] = "Butterfly"
    key: ClassVar[str] = "U"
    sentence: ClassVar[str] = "Butterfly in {blocks}, its core {core} as large, away from {walls}"
    blocks: BlockSelector = Field(title="Blocks", json_schema_extra=BLOCKS)
    core: float = Field(
        default=0.5, title="Core", gt=0, lt=1, description="its size, as a share of the way to the walls"
    )
    bow: float = Field(
        default=0.35, title="Bow of the core's sides", ge=0, le=1,
        description="0 straight; 1 as round as the wall",
    )  # fmt: skip
    walls: SideSelector | None = Field(
        default=None, title="Walls", json_schema_extra=SIDES,
        description="the sides the core keeps away from; the curved ones where left out, all if none is",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        layout = model.layout
        chosen = selectors.blocks(model, self.blocks)
        walls = set(selectors.sides(model, self.walls) if self.walls else walls_of(layout, chosen))
        own = {side for name in chosen for side in layout.sides_of(name)}
        outer = [side for side in own if len(layout.sides[side]) == 1 and side not in walls]
        return model.changed(
            butterfly(self.id, layout, model.guides, chosen, self.core, open_sides=outer, bow=self.bow)
        )


class Refine(_WrapStep):
    """Refine locally: half rings on a stretch of wall that begin and end on it, one inside the other."""

    kind: Literal["refine"] = "refine"
    verb: ClassVar[str] = "Refine"
    key: ClassVar[str] = "L"
    sentence: ClassVar[str] = "Refine at {walls} in {levels} levels, {thickness} each"
    walls: SideSelector = Field(
        title="Stretch of wall",
        json_schema_extra=SIDES,
        description="outer sides; cut there first to bound it",
    )
    levels: int = Field(default=1, title="Levels", ge=1, le=6)
    thickness: Length = Field(title="Thickness of a level", json_schema_extra=LENGTH)

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        layout = model.layout
        walls = selectors.outer_sides(model, self.walls)
        chosen = [layout.outer[side].block for side in walls]
        # Where hollow blocks lie behind the wall, the ring runs on inside them, hollow too.
        behind = {use.block for side in walls for use in layout.sides[side]} - set(chosen)
        # Outer sides beside the stretch (the ends of an extrusion) stay open too, those opposite do not.
        rims = {rim for side in walls for rim in _rims(layout, side)}
        own = [side for name in chosen for side in layout.sides_of(name) if len(layout.sides[side]) == 1]
        beside = [side for side in own if rims & set(_rims(layout, side))]
        done = ring(
            self.id,
            layout,
            model.guides,
            [*chosen, *behind],
            where="inside",
            thickness=self.levels * self.sizes(model, self.thickness, "thickness"),
            open_sides=dict.fromkeys(s for s in [*walls, *beside] if len(layout.sides[s]) == 1),
        )
        return in_layers(model.changed(done), done, self.id, self.levels)


def _rims(layout: Layout, side: Side) -> list[tuple[str, ...]]:
    """Give the edges around a side, or in the plane its corners."""
    return [*layout.rim_of(side)] if layout.dim == 3 else [(c,) for c in side]


class Grow(_WrapStep):
    """Add a layer of blocks on outer sides."""

    kind: Literal["grow"] = "grow"
    verb: ClassVar[str] = "Grow"
    key: ClassVar[str] = "G"
    sentence: ClassVar[str] = "Grow {sides} {by} {distance}{direction}{guide}{plane}{value}"
    sides: SideSelector = Field(title="Outer sides", json_schema_extra=SIDES)
    by: Literal["along normals", "along a direction", "up to a plane", "onto a guide"] = Field(
        default="along normals", title="Grow"
    )
    distance: Length | None = Field(
        default=None, title="Distance",
        json_schema_extra=LENGTH | {"when": {"by": ["along normals", "along a direction"]}},
    )  # fmt: skip
    direction: Direction | None = Field(
        default=None, title="Direction", json_schema_extra=DIRECTION | {"when": {"by": ["along a direction"]}}
    )
    plane: Literal["x", "y", "z"] = Field(
        default="x", title="Plane of constant", json_schema_extra={"when": {"by": ["up to a plane"]}}
    )
    value: Length | None = Field(
        default=None, title="At", json_schema_extra=LENGTH | {"when": {"by": ["up to a plane"]}}
    )
    guide: str | None = Field(
        default=None, title="Guide", json_schema_extra=GUIDE | {"when": {"by": ["onto a guide"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        sides = selectors.outer_sides(model, self.sides)
        layout = model.layout
        guide: str | None = None
        if self.by == "along normals":
            ends = by_normals(layout, sides, self._distance(model))
        elif self.by == "along a direction":
            if self.direction is None:
                raise BadValue("no direction is given", remedy="give a direction, such as 1, 0, 0")
            step = self._distance(model) * unit(np.array(self.direction))
            ends = onto(layout, sides, lambda xyz: xyz + step)
        elif self.by == "up to a plane":
            ends = self._up_to(model, sides)
        else:
            guide = self.guide or ""
            on = model.guides.get(guide)
            if not isinstance(on, Curve | Surface):
                raise unknown_guide(model.guides, guide)
            ends = onto(layout, sides, lambda xyz: on.at(on.nearest(xyz)))
        return model.changed(grow(self.id, layout, model.guides, sides, ends, guide))

    def _distance(self, model: Model) -> float:
        if self.distance is None:
            raise BadValue("no distance is given", remedy="give a distance above 0")
        return self.sizes(model, self.distance, "distance")

    def _up_to(self, model: Model, sides: list[Side]) -> dict[str, Floats]:
        if self.value is None:
            raise BadValue("no coordinate is given", remedy=f"give the {self.plane} of the plane")
        axis, value = "xyz".index(self.plane), length(self.value, model.unit)

        def put(xyz: Floats) -> Floats:
            there = xyz.copy()
            there[:, axis] = value
            return there

        return onto(model.layout, sides, put)

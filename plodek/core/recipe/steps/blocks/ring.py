"""Steps that wrap layers of blocks: ring, and refine at a stretch of wall."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Layout, Side, edge_of
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.operations.ring.ring import Ring as RingDone
from plodek.core.blocks.operations.ring.ring import ring
from plodek.core.errors import BadValue
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import BlockSelector, Length, SideSelector, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.blocks.block_step import BlockStep

_MOST_LAYERS = 20


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


class Ring(BlockStep):
    """Wrap a ring of blocks (O, C or part of one) inside or around chosen blocks."""

    kind: Literal["ring"] = "ring"
    verb: ClassVar[str] = "Ring"
    key: ClassVar[str] = "R"
    order: ClassVar[int] = 110
    family: ClassVar[str] = "Wrap"
    known_as: ClassVar[tuple[str, ...]] = ("O-grid", "C-grid", "boundary layer", "wrap")
    sentence: ClassVar[str] = (
        "Ring {where} {blocks}, {thickness}{share} thick, layers {layers}, open at {open}"
    )
    blocks: BlockSelector = Field(title="Blocks")
    where: Literal["around", "inside"] = Field(default="around", title="Where")
    measure: Literal["length", "share"] = Field(default="length", title="Thickness by")
    thickness: Length | None = Field(
        default=None, title="Thickness", json_schema_extra=when(measure="length")
    )
    share: float | None = Field(
        default=None,
        title="Share",
        gt=0,
        lt=1,
        json_schema_extra=when(measure="share"),
        description="inside: of the way to the middle; around: of the neighbouring block",
    )
    layers: int = Field(default=1, title="Layers", ge=1, le=_MOST_LAYERS)
    bow: float | None = Field(
        default=None, title="Shape taken over", ge=0, le=1,
        description="how much of the shape of the edges beside it the ring's new edges take over; where left "
        "out, new edges are straight inside, and around as far off the walls all along as at corners",
    )  # fmt: skip
    measured: Literal["from walls as they run", "from straight sides"] = Field(
        default="from walls as they run",
        title="Thickness measured",
        description="straight sides run from corner to corner",
    )
    open: SideSelector | None = Field(
        default=None,
        title="Sides left open",
        description="outer sides where the ring does not close; around, outer sides are open by themselves",
    )

    def apply(self, model: Model, context: Context) -> Model:
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
            bow=0.0 if self.bow is None and self.where == "inside" else self.bow,
            straight=self.measured == "from straight sides",
        )
        return in_layers(model.changed(done), done, self.id, self.layers)


class Refine(BlockStep):
    """Refine locally: half rings on a stretch of wall that begin and end on it, one inside the other."""

    kind: Literal["refine"] = "refine"
    verb: ClassVar[str] = "Refine"
    key: ClassVar[str] = "L"
    order: ClassVar[int] = 130
    family: ClassVar[str] = "Wrap"
    known_as: ClassVar[tuple[str, ...]] = ("local refinement",)
    sentence: ClassVar[str] = "Refine at {walls} in {levels} levels, {thickness} each"
    walls: SideSelector = Field(
        title="Stretch of wall", description="outer sides; cut there first to bound it"
    )
    levels: int = Field(default=1, title="Levels", ge=1, le=6)
    thickness: Length = Field(title="Thickness of a level")

    def apply(self, model: Model, context: Context) -> Model:
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
            straight=True,
        )
        return in_layers(model.changed(done), done, self.id, self.levels)


def _rims(layout: Layout, side: Side) -> list[tuple[str, ...]]:
    """Give the edges around a side, or in the plane its corners."""
    return [*layout.rim_of(side)] if layout.dim == 3 else [(c,) for c in side]

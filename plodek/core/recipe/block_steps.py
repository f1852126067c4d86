"""Steps of the Blocks stage: frame, cut, hollow, ring, pin, slide, follow, and the extrusion."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.blocks import fit
from plodek.core.blocks.cut import cut, fractions_along
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.frame import rectangle
from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.ring import ring
from plodek.core.blocks.tiers import Tier, tier_of
from plodek.core.errors import BadValue, NothingFound, Refused
from plodek.core.recipe import selectors
from plodek.core.recipe.model import Lift, Model
from plodek.core.recipe.selectors import (
    BlockSelector,
    Coordinates,
    CornerSelector,
    EdgeSelector,
    Length,
    PlaceOf,
    coordinates,
    place_of,
)
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.spacing.edge_law import EdgeLaw, LawName
from plodek.core.tolerances import CUT_MARGIN
from plodek.core.units import length


class _BlockStep(Step):
    stage: ClassVar[Stage] = "Blocks"


class Frame(_BlockStep):
    """Lay the first block around the domain: a rectangle."""

    kind: Literal["frame"] = "frame"
    verb: ClassVar[str] = "Frame"
    key: ClassVar[str] = "F"
    sentence: ClassVar[str] = "Frame a rectangle {width} by {height} from {corner}"
    corner: Coordinates = Field(default=[0.0, 0.0], title="Low corner", json_schema_extra={"widget": "place"})
    width: Length = Field(title="Width (x)", json_schema_extra={"widget": "length"})
    height: Length = Field(title="Height (y)", json_schema_extra={"widget": "length"})

    def apply(self, model: Model, context: Context) -> Model:
        if model.layout.blocks:
            raise Refused("the domain is already framed", remedy="change or take out the first frame")
        width = self.sizes(model, self.width, "width")
        height = self.sizes(model, self.height, "height")
        layout = rectangle(self.id, coordinates(self.corner, model.unit), width, height)
        return replace(model, layout=layout)


class Cut(_BlockStep):
    """Divide every block that a tier runs through: at coordinates, at fractions, or through a place."""

    kind: Literal["cut"] = "cut"
    verb: ClassVar[str] = "Cut"
    key: ClassVar[str] = "C"
    sentence: ClassVar[str] = "Cut {tier} at {by} {at}{through}"
    by: Literal["x", "y", "fraction", "place"] = Field(default="x", title="At")
    at: list[Length] = Field(
        default=[], title="Values", max_length=50, description="coordinates, or fractions from 0 to 1",
        json_schema_extra={"widget": "lengths", "when": {"by": ["x", "y", "fraction"]}},
    )  # fmt: skip
    through: PlaceOf | None = Field(
        default=None, title="Through",
        json_schema_extra={"widget": "place-or-guide", "when": {"by": ["place"]}},
    )  # fmt: skip
    tier: EdgeSelector | None = Field(
        default=None, title="Tier", json_schema_extra={"widget": "edge"},
        description="an edge of the tier; where left out, every tier that crosses the coordinate",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        model.need_blocks()
        if self.by == "place":
            return self._through(model)
        if not self.at:
            raise BadValue("no value says where to cut", remedy="give one value or more")
        if self.by == "fraction":
            return self._at_fractions(model)
        for number, value in enumerate(self.at):
            model = self._across(model, "xy".index(self.by), length(value, model.unit), number)
        return model

    def _across(self, model: Model, axis: int, value: float, number: int) -> Model:
        """Cut where edges cross a coordinate; the tier's other edges take the first one's fraction."""
        if self.tier is not None:
            wanted = [tier_of(model.tiers, edge_of(*e)) for e in selectors.edges(model, self.tier)]
            found = [t for t in dict.fromkeys(wanted) if self._crossings(model, t, axis, value)]
        else:
            found = [t for t in model.tiers if self._crossings(model, t, axis, value)]
        if not found:
            low, high = (f(model.layout.places(model.layout.corners)[:, axis]) for f in (np.min, np.max))
            raise NothingFound(
                f"no {'edge of this tier' if self.tier else 'edge'} crosses {'xy'[axis]} = {value:g}",
                remedy=f"the blocks reach from {low:g} to {high:g}, and a cut must miss their corners",
            )
        for tier in found:
            edges = [e for e in tier.edges if e in model.layout.edges]
            now = tier_of(model.tiers, edges[0])
            crossing = self._crossings(model, now, axis, value)
            first = next(iter(crossing))
            spread = fractions_along(now, crossing[first], first)
            model = self._cut(model, now, spread | crossing, f"{number}")
        return model

    @staticmethod
    def _crossings(model: Model, tier: Tier, axis: int, value: float) -> dict[Edge, float]:
        found = {}
        for edge in tier.edges:
            low, high = model.layout.places(edge)
            step = high - low
            if abs(step[axis]) > 0.5 * np.linalg.norm(step):
                fraction = float((value - low[axis]) / step[axis])
                if edge in model.layout.follows:
                    fraction = _crossing_of_path(model, edge, axis, value, fraction)
                if CUT_MARGIN < fraction < 1 - CUT_MARGIN:
                    found[edge] = fraction
        return found

    def _named_tier(self, model: Model) -> tuple[Tier, tuple[str, str]]:
        if self.tier is None:
            raise BadValue("no tier says what to cut", remedy="take an edge of the tier in hand")
        return selectors.tier(model, self.tier)

    def _at_fractions(self, model: Model) -> Model:
        done = 0.0
        values = [_fraction(v) for v in self.at]
        if sorted(set(values)) != values:
            raise BadValue("the fractions do not rise", remedy="give them from the smallest to the largest")
        tier, (a, b) = self._named_tier(model)
        for number, value in enumerate(values):
            tier = tier_of(model.tiers, edge_of(a, b))
            part = (value - done) / (1 - done)
            at = part if a < b else 1 - part
            model = self._cut(model, tier, fractions_along(tier, at, edge_of(a, b)), f"{number}")
            a, done = str(self._middle(model, a, b)), value
        return model

    @staticmethod
    def _middle(model: Model, a: str, b: str) -> str:
        pieces = model.pieces[edge_of(a, b)]
        (middle,) = set(pieces[0]) & set(pieces[1])
        return middle

    def _through(self, model: Model) -> Model:
        if self.through is None:
            raise BadValue("no place says where to cut", remedy="give coordinates or a guide point")
        xyz = np.array(place_of(model, self.through))
        tier, named = self._named_tier(model)
        layout = model.layout
        at = {e: edge_path(layout, model.guides, e).nearest(xyz) for e in tier.edges}
        own = at[edge_of(*named)]
        spread = fractions_along(tier, own, edge_of(*named))
        inner = {e: f for e, f in at.items() if 0.02 < f < 0.98}
        return self._cut(model, tier, spread | inner, "0")

    def _cut(self, model: Model, tier: Tier, fractions: dict[Edge, float], part: str) -> Model:
        done = cut(f"{self.id}.{part}", model.layout, model.guides, tier, fractions)
        pieces = dict(model.pieces)
        for (a, b), middle in done.middle.items():
            pieces[a, b] = (edge_of(a, middle), edge_of(middle, b))
        pieces.update(done.pieces)
        spacing = model.spacing.after_cut(done, fractions)
        return replace(model, layout=done.layout, spacing=spacing, pieces=pieces)


def _fraction(value: float | str) -> float:
    try:
        number = float(value)
    except ValueError as error:
        raise BadValue(f"“{value}” is not a fraction", remedy="give a number from 0 to 1") from error
    if not 0 < number < 1:
        raise BadValue(f"the fraction is {number:g}", remedy="give a number between 0 and 1")
    return number


def _crossing_of_path(model: Model, edge: Edge, axis: int, value: float, guess: float) -> float:
    """Find where an edge on a guide crosses a coordinate, by halving around the fine samples."""
    path = edge_path(model.layout, model.guides, edge)
    s = np.linspace(0.0, 1.0, 65)
    gap = path.at(s)[:, axis] - value
    change = np.flatnonzero(gap[:-1] * gap[1:] <= 0)
    if not len(change):
        return guess if not 0 < guess < 1 else -1.0
    low, high = s[change[0]], s[change[0] + 1]
    sign = float(gap[change[0]])
    for _ in range(60):
        middle = 0.5 * (low + high)
        at = float(path.at(np.array([middle]))[0, axis] - value)
        low, high = (middle, high) if at * sign > 0 else (low, middle)
    return float(0.5 * (low + high))


class Hollow(_BlockStep):
    """Take blocks out of the flow domain."""

    kind: Literal["hollow"] = "hollow"
    verb: ClassVar[str] = "Hollow"
    key: ClassVar[str] = "H"
    sentence: ClassVar[str] = "Hollow {blocks}"
    blocks: BlockSelector = Field(title="Blocks", json_schema_extra={"widget": "blocks"})

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        chosen = selectors.blocks(model, self.blocks)
        return replace(model, layout=model.layout.with_hollow(chosen, True))


class BringBack(_BlockStep):
    """Bring hollow blocks back into the flow domain."""

    kind: Literal["bring-back"] = "bring-back"
    verb: ClassVar[str] = "Bring back"
    key: ClassVar[str] = "B"
    sentence: ClassVar[str] = "Bring back {blocks}"
    blocks: BlockSelector = Field(title="Blocks", json_schema_extra={"widget": "blocks"})

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        chosen = selectors.blocks(model, self.blocks)
        filled = [b for b in chosen if not model.layout.blocks[b].hollow]
        if len(filled) == len(chosen):
            raise NothingFound("none of these blocks is hollow", remedy="choose a hollow block")
        return replace(model, layout=model.layout.with_hollow(chosen, False))


class Ring(_BlockStep):
    """Wrap a ring of blocks (O, C or part of one) inside or around chosen blocks."""

    kind: Literal["ring"] = "ring"
    verb: ClassVar[str] = "Ring"
    key: ClassVar[str] = "R"
    sentence: ClassVar[str] = "Ring {where} {blocks}, {thickness} thick"
    blocks: BlockSelector = Field(title="Blocks", json_schema_extra={"widget": "blocks"})
    where: Literal["around", "inside"] = Field(default="around", title="Where")
    thickness: Length = Field(title="Thickness", json_schema_extra={"widget": "length"})
    open: EdgeSelector | None = Field(
        default=None, title="Sides left open", json_schema_extra={"widget": "edges"},
        description="outer sides where the ring does not close; around, outer sides are open by themselves",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        sides = [edge_of(*e) for e in selectors.edges(model, self.open)] if self.open else []
        done = ring(
            self.id,
            model.layout,
            model.guides,
            selectors.blocks(model, self.blocks),
            where=self.where,
            thickness=self.sizes(model, self.thickness, "thickness"),
            open_sides=sides,
        )
        # An outer edge that the ring stays open at is divided: its name goes to both parts.
        pieces = dict(model.pieces)
        for before, after in done.edges.items():
            doubled = [c for c in before if c in done.copies]
            if len(doubled) == 1:
                part = edge_of(doubled[0], done.copies[doubled[0]])
                if part in done.layout.edges and before not in done.layout.edges:
                    pieces[before] = (after, part)
        spacing = model.spacing.after_ring(done)
        return replace(model, layout=done.layout, spacing=spacing, pieces=pieces)


class Pin(_BlockStep):
    """Put a corner at a place, where it stays."""

    kind: Literal["pin"] = "pin"
    verb: ClassVar[str] = "Pin"
    key: ClassVar[str] = "P"
    sentence: ClassVar[str] = "Pin {corner} to {to}"
    corner: CornerSelector = Field(title="Corner", json_schema_extra={"widget": "corner"})
    to: PlaceOf = Field(title="To", json_schema_extra={"widget": "place-or-guide"})

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        found = selectors.corner(model, self.corner)
        xyz = place_of(model, self.to)
        return replace(model, layout=fit.pin(model.layout, model.guides, found, xyz))


class Slide(_BlockStep):
    """Slide a corner along its guide, to a fraction of the guide's length."""

    kind: Literal["slide"] = "slide"
    verb: ClassVar[str] = "Slide"
    key: ClassVar[str] = "S"
    sentence: ClassVar[str] = "Slide {corner} along {guide} to {fraction}"
    corner: CornerSelector = Field(title="Corner", json_schema_extra={"widget": "corner"})
    fraction: float = Field(
        title="Fraction of the guide", ge=0, le=1, json_schema_extra={"widget": "fraction"}
    )
    guide: str | None = Field(
        default=None, title="Guide", json_schema_extra={"widget": "guide"},
        description="the guide the corner sits on, where left out",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        found = selectors.corner(model, self.corner)
        name = self.guide or model.layout.corners[found].guide
        if name is None:
            raise BadValue(
                f"corner {model.layout.labels[found]} sits on no guide",
                remedy="name the guide, or let an edge there follow one first",
            )
        layout = fit.slide(model.layout, model.guides, found, name, self.fraction)
        return replace(model, layout=layout)


class Follow(_BlockStep):
    """Let edges run along a guide; their corners go to the nearest places on it."""

    kind: Literal["follow"] = "follow"
    verb: ClassVar[str] = "Follow"
    key: ClassVar[str] = "W"
    sentence: ClassVar[str] = "Follow {guide} with {edges}"
    guide: str = Field(title="Guide", json_schema_extra={"widget": "guide"})
    edges: EdgeSelector = Field(title="Edges", json_schema_extra={"widget": "edges"})

    def apply(self, model: Model, context: Context) -> Model:
        model.need_plane("blocks")
        chain = [edge_of(*e) for e in selectors.edges(model, self.edges)]
        return replace(model, layout=fit.follow(model.layout, model.guides, chain, self.guide))


class Extrude(_BlockStep):
    """Stand the plane up along z, smoothed as it is, with a count and spacing in depth."""

    kind: Literal["extrude"] = "extrude"
    verb: ClassVar[str] = "Extrude"
    key: ClassVar[str] = "E"
    sentence: ClassVar[str] = "Extrude by {depth} in {cells} cells"
    depth: Length = Field(title="Depth (z)", json_schema_extra={"widget": "length"})
    cells: int = Field(title="Cells", ge=1, le=10_000)
    law: LawName = Field(default="uniform", title="Law")
    first: Length | None = Field(
        default=None, title="First cell (at the plane)",
        json_schema_extra={"widget": "length", "when": {"law": ["geometric", "tanh"]}},
    )  # fmt: skip
    last: Length | None = Field(
        default=None, title="Last cell",
        json_schema_extra={"widget": "length", "when": {"law": ["geometric", "tanh"]}},
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        if model.lift:
            raise Refused("the plane is already extruded", remedy="change that step")
        first, last = (
            None if v is None else self.sizes(model, v, "cell size") for v in (self.first, self.last)
        )
        depth = self.sizes(model, self.depth, "depth")
        law = EdgeLaw(self.law, first=first, last=last)
        law.nodes(self.cells, depth)  # an impossible law is refused here, not when the grid is built
        return replace(model, lift=Lift(depth, self.cells, law))

"""Steps of the Blocks stage that fit blocks to guides: pin, slide, follow, bend, align, fit what is near."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Layout, edge_of
from plodek.core.blocks.operations import bend as bending
from plodek.core.blocks.operations import fit
from plodek.core.blocks.operations.near import fit_near
from plodek.core.blocks.operations.twins import driver, driving_edge
from plodek.core.errors import BadValue, NothingFound, Refused
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import CORNER, CORNERS, DIRECTION, EDGES, GUIDE, GUIDES, LENGTH, PLACE
from plodek.core.recipe.frame_steps import BlockStep
from plodek.core.recipe.selectors import (
    Coordinates,
    CornerSelector,
    CornersSelector,
    Direction,
    EdgeSelector,
    Length,
    OnGuide,
    PlaceOf,
    SideSelector,
    coordinates,
    place_of,
)
from plodek.core.recipe.step import Context
from plodek.core.shape.curves.compound import Joined
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import unit
from plodek.core.shape.guide import Guide, unknown_guide
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.together import Together

#: Ends of curves this close to each other, in shares of their length, can be followed as one.
_MEETING = 1e-4


class _FitStep(BlockStep):
    family: ClassVar[str] = "Fit"


def _refitted(model: Model, layout: Layout) -> Model:
    """Give the model with a layout whose corners moved; twins follow."""
    return model.changed(Change(layout))


class Pin(_FitStep):
    """Put a corner at a place, where it stays."""

    kind: Literal["pin"] = "pin"
    verb: ClassVar[str] = "Pin"
    key: ClassVar[str] = "P"
    sentence: ClassVar[str] = "Pin {corner} to {to}"
    corner: CornerSelector = Field(title="Corner", json_schema_extra=CORNER)
    to: PlaceOf = Field(title="To", json_schema_extra=PLACE)

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        found = selectors.corner(model, self.corner)
        xyz = place_of(model, self.to)
        driving = driver(model.layout, found)
        if driving is not None:  # a twin's corner moves with the one that drives it
            found, move = driving
            xyz = place(move.back(np.array([xyz]))[0])
        return _refitted(model, fit.pin(model.layout, model.guides, found, xyz))


class Slide(_FitStep):
    """Slide a corner along a guide curve, to a fraction of its length, or on a surface towards a place."""

    kind: Literal["slide"] = "slide"
    verb: ClassVar[str] = "Slide"
    key: ClassVar[str] = "S"
    sentence: ClassVar[str] = "Slide {corner} along {guide} to {fraction}{near}"
    corner: CornerSelector = Field(title="Corner", json_schema_extra=CORNER)
    fraction: float | None = Field(
        default=None, title="Fraction of the guide", ge=0, le=1, json_schema_extra={"widget": "fraction"}
    )
    near: PlaceOf | None = Field(
        default=None, title="Or near to", json_schema_extra=PLACE,
        description="to the place of the guide nearest to this one; the way to slide on a surface",
    )  # fmt: skip
    guide: str | None = Field(
        default=None, title="Guide", json_schema_extra=GUIDE,
        description="the guide the corner sits on, where left out",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        found = selectors.corner(model, self.corner)
        if driver(model.layout, found) is not None:
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
            return _refitted(
                model, fit.lay(model.layout, model.guides, found, name, place_of(model, self.near))
            )
        fraction = self.fraction
        if fraction is None:
            if self.near is None:
                raise BadValue("nothing says how far to slide", remedy="give a fraction, or a place")
            fraction = float(model.curve(name).nearest(np.array([place_of(model, self.near)]))[0])
        return _refitted(model, fit.slide(model.layout, model.guides, found, name, fraction))


class Follow(_FitStep):
    """Let edges run along a guide curve, or sides lie on a surface; corners go to the nearest places."""

    kind: Literal["follow"] = "follow"
    verb: ClassVar[str] = "Follow"
    key: ClassVar[str] = "W"
    sentence: ClassVar[str] = "Follow {guide} and {also} with {edges}"
    guide: str = Field(title="Guide", json_schema_extra=GUIDE)
    also: list[str] = Field(
        default=[], title="And on along", json_schema_extra=GUIDES,
        description="curves that go on from it and are followed as one, or surfaces to lie on with it",
    )  # fmt: skip
    edges: SideSelector = Field(
        title="Edges, or sides", json_schema_extra={"widget": "edges-or-sides"},
        description="edges for a curve; sides of blocks for a surface",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        model, name = joined_guide(model, [self.guide, *selectors.guides(model, self.also)])
        guide = model.guides[name]
        if isinstance(guide, Surface):
            if model.layout.dim == 2:
                raise BadValue(f"“{name}” is a surface", remedy="lift the plane first, or follow a curve")
            sides = selectors.sides(model, self.edges)
            return _refitted(model, fit.lie(model.layout, model.guides, sides, name))
        found = [driving_edge(model.layout, edge_of(*e)) for e in selectors.edges(model, self.edges)]
        chain = list(dict.fromkeys(found))
        return _refitted(model, fit.follow(model.layout, model.guides, chain, name))


def joined_guide(model: Model, names: list[str]) -> tuple[Model, str]:
    """Give the name of several guides taken as one, and the model that knows it."""
    for name in names:
        if not isinstance(model.guides.get(name), Curve | Surface):
            raise unknown_guide(model.guides, name)
    whole = "+".join(dict.fromkeys(names))
    if whole in model.guides:
        return model, whole
    parts = [model.guides[name] for name in dict.fromkeys(names)]
    curves = [p for p in parts if isinstance(p, Curve)]
    surfaces = [p for p in parts if isinstance(p, Surface)]
    if curves and surfaces:
        raise BadValue(
            "some of these guides are curves and some surfaces", remedy="follow one kind at a time"
        )
    guide: Guide = Joined(curves, _MEETING * sum(c.length for c in curves)) if curves else Together(surfaces)
    return replace(model, guides=dict(model.guides) | {whole: guide}), whole


class Bend(_FitStep):
    """Bend free edges: through points, smoothly into their neighbours, or straight again."""

    kind: Literal["bend"] = "bend"
    verb: ClassVar[str] = "Bend"
    key: ClassVar[str] = "D"
    sentence: ClassVar[str] = "Bend {edges} {how} {points}"
    edges: EdgeSelector = Field(title="Edges", json_schema_extra=EDGES)
    how: Literal["smoothly", "through points", "straight"] = Field(default="smoothly", title="How")
    points: list[Coordinates | OnGuide] | None = Field(
        default=None, title="Points on the way",
        json_schema_extra={"widget": "places", "when": {"how": ["through points"]}},
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        named = selectors.edges(model, self.edges)
        layout = model.layout
        if self.how == "straight":
            return _refitted(model, bending.straightened(layout, [edge_of(*e) for e in named]))
        points: Floats | None = None
        if self.how == "through points":
            if not self.points or len(named) != 1:
                what = "no point is given" if not self.points else f"{len(named)} edges are chosen"
                raise BadValue(what, remedy="give one edge, and points from its first corner on")
            points = np.array([place_of(model, p) for p in self.points])
        for a, b in named:
            edge = driving_edge(layout, edge_of(a, b))
            way = points if points is None or edge[0] == a else points[::-1]
            layout = bending.bend(layout, model.guides, edge, way)
        return _refitted(model, layout)


class Align(_FitStep):
    """Align corners: to a plane, to a line, or to the line through two other corners."""

    kind: Literal["align"] = "align"
    verb: ClassVar[str] = "Align"
    key: ClassVar[str] = "A"
    sentence: ClassVar[str] = "Align {corners} to {to} {value}{through}{along}{others}"
    corners: CornersSelector = Field(title="Corners", json_schema_extra=CORNERS)
    to: Literal["x", "y", "z", "line", "corners"] = Field(default="x", title="To")
    value: Length | None = Field(
        default=None, title="At", json_schema_extra=LENGTH | {"when": {"to": ["x", "y", "z"]}},
        description="the mean of the corners, where left out",
    )  # fmt: skip
    through: PlaceOf | None = Field(
        default=None, title="Through", json_schema_extra=PLACE | {"when": {"to": ["line"]}}
    )
    along: Direction | None = Field(
        default=None, title="Direction", json_schema_extra=DIRECTION | {"when": {"to": ["line"]}}
    )
    others: CornersSelector | None = Field(
        default=None, title="Two other corners", json_schema_extra=CORNERS | {"when": {"to": ["corners"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        model.need_blocks()
        ids = selectors.corners(model, self.corners)
        layout = model.layout
        driven = next((c for c in ids if driver(layout, c)), None)
        if driven is not None:
            raise Refused(f"corner {layout.labels[driven]} is driven by its twin", remedy="align the twin")
        if self.to in ("x", "y", "z"):
            axis = "xyz".index(self.to)
            value = (
                float(layout.places(ids)[:, axis].mean())
                if self.value is None
                else coordinates([self.value, 0.0], model.unit)[0]
            )

            def put(xyz: Floats) -> Floats:
                there = xyz.copy()
                there[:, axis] = value
                return there

            return _refitted(model, bending.aligned(layout, model.guides, ids, put))
        at, way = self._line(model)
        return _refitted(
            model,
            bending.aligned(layout, model.guides, ids, lambda xyz: at + ((xyz - at) @ way)[:, None] * way),
        )

    def _line(self, model: Model) -> tuple[Floats, Floats]:
        if self.to == "line":
            if self.through is None or self.along is None:
                raise BadValue("the line is not given", remedy="give a place on it and a direction")
            return np.array(place_of(model, self.through)), unit(np.array(self.along))
        ids = selectors.corners(model, self.others) if self.others else []
        if len(ids) != 2:
            raise BadValue(f"{len(ids)} other corners are given", remedy="give two")
        first, second = model.layout.places(ids)
        return first, unit(second - first)


class FitNear(_FitStep):
    """Fit what is near: pin corners, let edges and sides follow, where a guide is within a distance."""

    kind: Literal["fit-near"] = "fit-near"
    verb: ClassVar[str] = "Fit near"
    key: ClassVar[str] = "N"
    sentence: ClassVar[str] = "Fit what is within {within} of {guides}"
    within: Length = Field(title="Within", json_schema_extra=LENGTH)
    guides: list[str] | None = Field(
        default=None, title="Guides", json_schema_extra=GUIDES, description="all where left out"
    )
    leave: list[str] = Field(
        default=[], title="Leave out", json_schema_extra={"widget": "proposals"},
        description="proposals not to take, by what they do and the ids of their corners",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        model.need_open("blocks")
        model.need_blocks()
        names = selectors.guides(model, self.guides) if self.guides else list(model.guides)
        chosen = {n: model.guides[n] for n in names if "+" not in n}
        within = self.sizes(model, self.within, "distance")
        found = fit_near(model.layout, chosen, within, self.leave)
        if not found.proposals:
            raise NothingFound(
                f"no corner, edge or side is within {self.within} of a guide",
                remedy="give a larger distance, or lay the blocks nearer to the guides",
            )
        labels = model.layout.labels
        why = dict.fromkeys(self.leave, "left out") | dict(found.refused)
        told = [f"{p.key}\t{p.guide}\t{p.far:.6g}\t{why.get(p.key, '')}" for p in found.proposals]
        told += [f"unmatched\t{'–'.join(labels.get(c, c) for c in s)}" for s in found.unmatched]
        reports = dict(model.reports) | {self.id: tuple(told)}
        return replace(_refitted(model, found.layout), reports=reports)

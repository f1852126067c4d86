"""Steps of the Spacing stage for tiers and edges: counts, laws, wall layers, turning, copying, blending."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import ClassVar, Literal, TypeAlias

from pydantic import Field
from pydantic.config import JsonDict

from plodek.core.blocks.continuing import leaving
from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue, NothingFound, PlodekError
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import CURVE, LENGTH, SIDES
from plodek.core.recipe.model import Model
from plodek.core.recipe.selectors import EdgeSelector, Length, SideSelector
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.spacing.blend import blended
from plodek.core.spacing.edge_law import (
    MOST_CELLS,
    EdgeLaw,
    End,
    contradiction,
    fewest_cells,
    geometric_count,
    most_growth,
)
from plodek.core.spacing.jumps import GROWTH_LIMIT
from plodek.core.spacing.size_law import by_curvature, cells_of, check_table

StepLaw: TypeAlias = Literal[
    "uniform", "geometric", "two-sided", "tanh", "wall layers", "table", "by curvature"
]


def _when(*laws: str) -> JsonDict:
    return {"when": {"law": list(laws)}}


#: Round-off and the tanh law may add so much to a growth.
_NEARLY = 1.001

_ENDS: dict[str, frozenset[End]] = {
    "none": frozenset(),
    "first": frozenset({"first"}),
    "last": frozenset({"last"}),
    "both": frozenset({"first", "last"}),
}


def need_open(model: Model) -> None:
    """Raise NotReady where the plane is smoothed; along a lift of it the spacing stays open."""
    model.need_blocks()
    if model.smoothing:
        model.need_open("spacing")


def need_along(model: Model, tier: Tier) -> None:
    """Raise NotReady for a tier of the smoothed plane that has been lifted."""
    if model.lift and any(model.lift.foot.get(a, a) != model.lift.foot.get(b, b) for a, b in tier.edges):
        model.need_open("spacing")


class SpacingStep(Step):
    """A step of the Spacing stage."""

    stage: ClassVar[Stage] = "Spacing"
    family: ClassVar[str] = "Edges and tiers"


def with_twins(model: Model, laws: dict[Edge, EdgeLaw]) -> dict[Edge, EdgeLaw]:
    """Add the twins of edges, driving or driven: they stay equal."""
    found = dict(laws)
    for twin in model.layout.twins:
        for names in (twin.corners, {b: a for a, b in twin.corners.items()}):
            for (a, b), law in laws.items():
                if a in names and b in names:
                    other = edge_of(names[a], names[b])
                    same = (a < b) == (names[a] < names[b])
                    if other in model.layout.edges and other != (a, b):
                        found.setdefault(other, law if same else law.turned())
    return found


class Count(SpacingStep):
    """Set the number of cells of a tier, which locks it."""

    kind: Literal["count"] = "count"
    verb: ClassVar[str] = "Count"
    key: ClassVar[str] = "N"
    sentence: ClassVar[str] = "Count {cells} cells on {tier}"
    tier: EdgeSelector = Field(title="Tier", json_schema_extra={"widget": "edge"})
    cells: int = Field(title="Cells", ge=1, le=MOST_CELLS)

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        tier, _ = selectors.tier(model, self.tier)
        need_along(model, tier)
        return model.with_spacing(model.spacing.with_count(tier, self.cells))


class Space(SpacingStep):
    """Lay a law on a whole tier or on single edges, in physical cell sizes.

    The first cell is at the first corner of the edge named. Where no count is given, it comes from two
    of first cell, last cell, growth and expansion; or from the growth, as the most that is allowed.
    """

    kind: Literal["space"] = "space"
    verb: ClassVar[str] = "Space"
    key: ClassVar[str] = "S"
    sentence: ClassVar[str] = (
        "Space {tier}: {cells} cells, {law}, first {first}, last {last}, growth {growth}"
    )
    tier: EdgeSelector = Field(title="Tier or edges", json_schema_extra={"widget": "edges"})
    over: Literal["tier", "edges"] = Field(default="tier", title="Lay on")
    cells: int | None = Field(default=None, title="Cells", ge=1, le=MOST_CELLS)
    law: StepLaw = Field(default="geometric", title="Law")
    first: Length | None = Field(
        default=None, title="First cell",
        json_schema_extra={**LENGTH, **_when("geometric", "two-sided", "tanh", "wall layers")},
    )  # fmt: skip
    last: Length | None = Field(
        default=None, title="Last cell",
        json_schema_extra={**LENGTH, **_when("geometric", "two-sided", "tanh", "wall layers")},
    )  # fmt: skip
    growth: float | None = Field(
        default=None, title="Growth per cell", gt=0,
        json_schema_extra=_when("geometric", "two-sided", "tanh", "wall layers", "by curvature"),
    )  # fmt: skip
    expansion: float | None = Field(
        default=None, title="Expansion, last over first", gt=0, json_schema_extra=_when("geometric")
    )
    layers: int = Field(default=10, title="Layers", ge=1, le=1000, json_schema_extra=_when("wall layers"))
    far: Length | None = Field(
        default=None, title="Far cell", json_schema_extra={**LENGTH, **_when("wall layers")},
        description="the cell at the end without layers; smooth where left out",
    )  # fmt: skip
    match: Literal["none", "first", "last", "both"] = Field(
        default="none", title="As the neighbour at",
        json_schema_extra=_when("geometric", "two-sided", "tanh", "wall layers"),
        description="ends that take the size of the cell beyond them, and keep it when that changes",
    )  # fmt: skip
    table: list[list[float]] = Field(
        default=[], title="Sizes along the edge", max_length=500,
        json_schema_extra={"widget": "table", **_when("table")},
        description="lines of place (0 to 1) and relative cell size",
    )  # fmt: skip
    turn: float = Field(
        default=10.0, title="Turn per cell at most", gt=0, le=90,
        json_schema_extra={"unit": "°", **_when("by curvature")},
    )  # fmt: skip
    largest: Length | None = Field(
        default=None, title="Largest cell", json_schema_extra={**LENGTH, **_when("by curvature")},
        description="a tenth of the edge where left out",
    )  # fmt: skip

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        tier, named = selectors.tier(model, self.tier)
        need_along(model, tier)
        along = edge_of(*named)
        if along not in model.paths:
            raise NothingFound("the edge named belongs to hollow blocks only")
        length = model.paths[along].length
        law, cells = self._law(model, along, length)
        if along != named and law.law == "table" and self.law == "by curvature":
            law = law.turned()  # a curve's own table runs from the edge's first corner
        spacing = model.spacing
        if cells is not None:
            spacing = spacing.with_count(tier, cells)
        chosen = list(tier.edges)
        if self.over == "edges":
            chosen = [edge_of(*e) for e in selectors.edges(model, self.tier)]
            if any(e not in tier.edges for e in chosen):
                raise BadValue(
                    f"the {len(chosen)} edges belong to more than one tier",
                    remedy="space one tier after the other",
                )
        law = law if along == named else law.turned()
        way = tier.edges[along]
        laws = {e: law if tier.edges[e] == way else law.turned() for e in chosen}
        if self.match != "none" and not any((e, c) in model.continuing for e in laws for c in e):
            raise NothingFound("no neighbour goes on beyond these edges", remedy="give a size instead")
        return model.with_spacing(spacing.with_laws(with_twins(model, laws)))

    def _law(self, model: Model, along: Edge, length: float) -> tuple[EdgeLaw, int | None]:
        """Work out the law and the count, if there is one, on the edge named."""
        if self.law == "uniform":
            return EdgeLaw(), self.cells
        if self.law == "table":
            return EdgeLaw("table", table=check_table(self.table)), self.cells
        if self.law == "by curvature":
            largest = length / 10 if self.largest is None else self.sizes(model, self.largest, "largest cell")
            curve = model.paths[along].as_curve()
            table = by_curvature(curve, length, self.turn, largest, max(self.growth or GROWTH_LIMIT, 1.01))
            return EdgeLaw("table", table=table), self.cells or model.spacing.counting.up(cells_of(table))
        first, last, far = (
            None if v is None else self.sizes(model, v, "cell size")
            for v in (self.first, self.last, self.far)
        )
        matched = _ENDS[self.match]
        if self.law == "geometric":
            return self._geometric(model, length, first, last)
        layers = self.layers if self.law == "wall layers" else 0
        law = EdgeLaw(self.law, first, last, layers=layers, far=far, matched=matched)
        if self.law == "wall layers":
            if first is None and last is None:
                raise BadValue("wall layers need a first height", remedy="give it at one end or at both")
            law = replace(law, ratio=self.growth or GROWTH_LIMIT)
        elif first is None and last is None and not matched:
            raise BadValue(f"the {self.law} law needs a cell size", remedy="give the first or the last cell")
        cells = self.cells
        if cells is None and self.growth is not None:
            cells = model.spacing.counting.up(needed(law, length, self.growth))
        return law, cells

    def _geometric(
        self, model: Model, length: float, first: float | None, last: float | None
    ) -> tuple[EdgeLaw, int | None]:
        """Work out a geometric law: with a count one more value says it all, without one two do."""
        matched = _ENDS[self.match]
        if self.match == "both":
            raise BadValue("a geometric law matches one end", remedy="use the two-sided or tanh law for both")
        names = ("first", "last", "growth", "expansion")
        values = (first, last, self.growth, self.expansion)
        given = [n for n, v in zip(names, values, strict=True) if v is not None]
        if len(given) + len(matched) <= 1:
            return EdgeLaw("geometric", first, last, self.growth, self.expansion, matched=matched), self.cells
        if len(given) > 2 or matched:
            raise BadValue(
                f"{', '.join([*given, *(['match'] if matched else [])])} say too much",
                remedy="two of them are enough",
            )
        ratio = self.growth if self.growth is not None else math.nan
        if first is not None and self.expansion is not None:
            last = first * self.expansion
        elif last is not None and self.expansion is not None:
            first = last / self.expansion
        if self.cells is not None:
            if given == ["first", "growth"]:
                assert first is not None
                raise contradiction(self.cells, first, ratio, length, model.unit)
            raise BadValue(
                f"cells, {' and '.join(given)} together say one thing too much",
                remedy="leave one of the three out, or use the tanh or two-sided law for both ends",
            )
        if first is None and last is None:
            assert self.expansion is not None
            if ratio == 1 or (ratio > 1) != (self.expansion > 1):
                raise BadValue("growth and expansion contradict each other", remedy="leave one out")
            return EdgeLaw("geometric", ratio=ratio), 1 + max(
                1, round(math.log(self.expansion) / math.log(ratio))
            )
        count = geometric_count(
            length, math.nan if first is None else first, math.nan if last is None else last, ratio
        )
        count = model.spacing.counting.rounded(count)
        return EdgeLaw("geometric", first=first) if first is not None else EdgeLaw(
            "geometric", last=last
        ), count


def needed(law: EdgeLaw, length: float, growth: float) -> int:
    """Give the fewest cells of a law whose growth stays within a limit; matched ends count as free."""
    return fewest_cells(replace(law, matched=frozenset()), length, growth)


class WallLayer(SpacingStep):
    """Lay layers on all edges that leave walls: first height, growth, number, and a smooth rest.

    Where an edge runs from wall to wall it gets them at both ends. The far end takes the size of the
    cell beyond it, a size of its own, or is left smooth.
    """

    kind: Literal["wall-layer"] = "wall-layer"
    verb: ClassVar[str] = "Wall layer"
    key: ClassVar[str] = "W"
    sentence: ClassVar[str] = "Wall layer on {walls}: {layers} layers from {first} at growth {growth}"
    walls: SideSelector = Field(title="Walls", json_schema_extra=SIDES)
    first: Length = Field(title="First height", json_schema_extra=LENGTH)
    growth: float = Field(default=1.2, title="Growth per layer", gt=1, le=3)
    layers: int = Field(default=10, title="Layers", ge=1, le=1000)
    cells: int | None = Field(
        default=None, title="Cells across", ge=3, le=MOST_CELLS,
        description="as many as the growth asks for where left out",
    )  # fmt: skip
    far: Literal["match", "smooth", "size"] = Field(
        default="match", title="Far end", description="the next block's cell, a smooth end, or a size"
    )
    far_size: Length | None = Field(
        default=None, title="Far cell", json_schema_extra=LENGTH | {"when": {"far": ["size"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        height = self.sizes(model, self.first, "first height")
        far = None
        if self.far == "size":
            if self.far_size is None:
                raise BadValue("the far cell has no size", remedy="give one, or match the next block")
            far = self.sizes(model, self.far_size, "far cell")
        sides = selectors.outer_sides(model, self.walls)
        ends = {e: at for e, at in leaving(model.layout, sides).items() if e in model.paths}
        if not ends:
            raise NothingFound("no edge leaves these walls", remedy="choose sides of filled blocks")
        spacing, laws = model.spacing, dict[Edge, EdgeLaw]()
        tiers = {model.tier_by_edge[e].label: model.tier_by_edge[e] for e in ends}
        for tier in tiers.values():
            need_along(model, tier)
            mine = self._laws(model, tier, ends, height, far)
            spacing = spacing.with_count(tier, self.cells or self._count(model, tier, mine, ends))
            laws |= mine
        return model.with_spacing(spacing.with_laws(with_twins(model, laws)))

    def _laws(
        self, model: Model, tier: Tier, ends: dict[Edge, set[str]], height: float, far: float | None
    ) -> dict[Edge, EdgeLaw]:
        """Give the laws of a tier: of the edges at the wall, and like theirs where they all agree."""
        found = {}
        base = EdgeLaw("wall layers", ratio=self.growth, layers=self.layers, far=far)
        for edge in tier.edges:
            at = ends.get(edge)
            if at is None:
                continue
            first, last = (height if corner in at else None for corner in edge)
            matched: frozenset[End] = frozenset()
            if self.far == "match" and (first is None) != (last is None):
                matched = frozenset({"first" if first is None else "last"})
            found[edge] = replace(base, first=first, last=last, matched=matched)
        along_tier = {law if tier.edges[e] else law.turned() for e, law in found.items()}
        if len(along_tier) == 1:
            (law,) = along_tier
            found |= {e: law if way else law.turned() for e, way in tier.edges.items() if e not in found}
        return found

    def _count(self, model: Model, tier: Tier, laws: dict[Edge, EdgeLaw], ends: dict[Edge, set[str]]) -> int:
        """Give the cells across: the fewest with which no edge at the wall grows by more than wished.

        Where edges ask for different counts, the one with the smallest growth on the worst of them.
        """
        asked: dict[tuple[EdgeLaw, float], int] = {}
        for edge in (e for e in tier.edges if e in ends):
            law, length = laws[edge], float(f"{model.paths[edge].length:.9g}")
            for end, corner in (("first", edge[0]), ("last", edge[1])):
                beyond = model.continuing.get((edge, corner), ())
                if end in law.matched and beyond:
                    size = min(model.laid.size_at(b, corner) for b in beyond)
                    law = replace(law, far=float(f"{size:.9g}"))
            law = replace(law, matched=frozenset())
            law = law if law.first is not None else law.turned()
            if (law, length) not in asked:
                asked[law, length] = self._fewest(law, length)
        growth = {
            n: max(
                most_growth(law.nodes(n, length)) if law.fits(n, length) else math.inf
                for law, length in asked
            )
            for n in range(min(asked.values()), max(asked.values()) + 1)
        }
        return model.spacing.counting.up(
            min(growth, key=lambda n: (max(growth[n], self.growth * _NEARLY), n))
        )

    def _fewest(self, law: EdgeLaw, length: float) -> int:
        """Give the fewest cells of one edge; its end smooth where the growth does not reach the far size."""
        try:
            return fewest_cells(law, length, self.growth * _NEARLY)
        except PlodekError:
            return fewest_cells(replace(law, far=None), length, self.growth * _NEARLY)


def _growth_of(law: EdgeLaw, n: int, length: float) -> float:
    """Give the worst growth on an edge, infinite where its law cannot be laid."""
    return most_growth(law.nodes(n, length)) if law.fits(n, length) else math.inf


class Turn(SpacingStep):
    """Turn the spacing of a tier or of single edges round."""

    kind: Literal["turn"] = "turn"
    verb: ClassVar[str] = "Turn"
    key: ClassVar[str] = "T"
    sentence: ClassVar[str] = "Turn round {tier}"
    tier: EdgeSelector = Field(title="Tier or edges", json_schema_extra={"widget": "edges"})
    over: Literal["tier", "edges"] = Field(default="tier", title="Turn")

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        if self.over == "tier":
            chosen = list(selectors.tier(model, self.tier)[0].edges)
        else:
            chosen = [edge_of(*e) for e in selectors.edges(model, self.tier)]
        if not any(e in model.spacing.laws for e in chosen):
            raise NothingFound("these edges are uniform", remedy="space them first")
        laws = {e: model.spacing.laws[e].turned() for e in chosen if e in model.spacing.laws}
        return model.with_spacing(model.spacing.with_laws(with_twins(model, laws)))


class Copy(SpacingStep):
    """Copy the spacing of one edge to its tier, to chosen edges, or to all that follow a guide.

    Sizes are copied as they are. Edges in other tiers keep their counts.
    """

    kind: Literal["copy"] = "copy"
    verb: ClassVar[str] = "Copy"
    key: ClassVar[str] = "Y"
    sentence: ClassVar[str] = "Copy the spacing of {edge} to {to}"
    edge: EdgeSelector = Field(title="Edge", json_schema_extra={"widget": "edge"})
    to: Literal["its tier", "edges", "a guide"] = Field(default="its tier", title="Copy to")
    edges: EdgeSelector | None = Field(
        default=None, title="Edges", json_schema_extra={"widget": "edges", "when": {"to": ["edges"]}},
        description="each begins at the corner it is named from",
    )  # fmt: skip
    guide: str | None = Field(
        default=None, title="Guide", json_schema_extra=CURVE | {"when": {"to": ["a guide"]}}
    )

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        tier, named = selectors.tier(model, self.edge)
        along = edge_of(*named)
        law = model.spacing.laws.get(along, EdgeLaw())
        law = law if along == named else law.turned()
        laws = {}
        if self.to == "its tier":
            way = tier.edges[along] == (along == named)
            laws = {e: law if runs == way else law.turned() for e, runs in tier.edges.items()}
        elif self.to == "edges":
            if self.edges is None:
                raise BadValue("no edges are chosen to copy to", remedy="choose them")
            for to in selectors.edges(model, self.edges):
                laws[edge_of(*to)] = law if edge_of(*to) == to else law.turned()
        else:
            laws = self._along_guide(model, law, along == named, along)
        for edge in laws:
            need_along(model, model.tier_by_edge[edge])
        return model.with_spacing(model.spacing.with_laws(with_twins(model, laws)))

    def _along_guide(self, model: Model, law: EdgeLaw, plain: bool, along: Edge) -> dict[Edge, EdgeLaw]:
        """Lay the law on all edges that follow a guide, each the guide's way."""
        if self.guide is None:
            raise BadValue("no guide is chosen to copy along", remedy="choose one")
        chosen = [edge_of(*e) for e in selectors.edges(model, selectors.On(on=self.guide))]
        own = model.paths[along].span if along in model.paths else 1.0
        ahead = plain == (own >= 0)
        return {
            e: law if (model.paths[e].span >= 0) == ahead else law.turned()
            for e in chosen
            if e in model.paths
        }


class Blend(SpacingStep):
    """Blend the spacing of a tier between edges that differ: the others go over from one to the next.

    Their sizes change with the distance across the blocks between, by equal ratios.
    """

    kind: Literal["blend"] = "blend"
    verb: ClassVar[str] = "Blend"
    key: ClassVar[str] = "E"
    sentence: ClassVar[str] = "Blend the spacing between {edges}"
    edges: EdgeSelector = Field(
        title="Edges that stay", json_schema_extra={"widget": "edges"}, description="two or more of one tier"
    )

    def apply(self, model: Model, context: Context) -> Model:
        need_open(model)
        tier, _ = selectors.tier(model, self.edges)
        need_along(model, tier)
        chosen = [edge_of(*e) for e in selectors.edges(model, self.edges)]
        laws = blended(model.layout, tier, model.paths, model.spacing.laws, chosen)
        return model.with_spacing(model.spacing.with_laws(with_twins(model, laws)))

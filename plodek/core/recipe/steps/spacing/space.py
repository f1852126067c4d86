"""The step that lays a law on a tier or on single edges."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import ClassVar, Literal, TypeAlias

from pydantic import Field
from pydantic.config import JsonDict

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.errors import BadValue, ImpossibleSpacing, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import Degrees, EdgeSelector, Length, Table, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.spacing.spacing_step import (
    SpacingStep,
    each_way,
    with_twins,
)
from plodek.core.spacing.edge_law import (
    MOST_CELLS,
    EdgeLaw,
    End,
    contradiction,
    fewest_cells,
    geometric_count,
)
from plodek.core.spacing.jumps import GROWTH_LIMIT
from plodek.core.spacing.size_law import by_curvature, cells_of, check_table

StepLaw: TypeAlias = Literal[
    "uniform", "geometric", "two-sided", "tanh", "wall layers", "table", "by curvature"
]


def _when(*laws: str) -> JsonDict:
    return {"when": {"law": list(laws)}}


#: Laws whose count may come from the most growth that is allowed.
_LIMITED = ("two-sided", "tanh", "wall layers")
_ENDS: dict[str, frozenset[End]] = {
    "none": frozenset(),
    "first": frozenset({"first"}),
    "last": frozenset({"last"}),
    "both": frozenset({"first", "last"}),
}


class Space(SpacingStep):
    """Lay a law on a whole tier or on single edges, in physical cell sizes.

    The first cell is at the first corner of the edge named. Where no count is given, it comes from two
    of first cell, last cell, growth and expansion; or from the growth, as the most that any edge may have.
    With an end as the neighbour it comes from the cell beyond it and the growth.
    """

    kind: Literal["space"] = "space"
    verb: ClassVar[str] = "Space"
    key: ClassVar[str] = "S"
    order: ClassVar[int] = 40
    known_as: ClassVar[tuple[str, ...]] = (
        "bias",
        "grading",
        "distribution",
        "cluster",
        "stretching",
        "first cell",
    )
    sentence: ClassVar[str] = (
        "Space {tier}: {law}, cells {cells}, first {first}, last {last}, growth {growth}"
    )
    tier: EdgeSelector = Field(title="Tier or edges")
    over: Literal["tier", "edges"] = Field(default="tier", title="Lay on")
    cells: int | None = Field(default=None, title="Cells", ge=1, le=MOST_CELLS)
    law: StepLaw = Field(default="geometric", title="Law")
    first: Length | None = Field(
        default=None,
        title="First cell",
        json_schema_extra=when(law=("geometric", "two-sided", "tanh", "wall layers")),
    )
    last: Length | None = Field(
        default=None,
        title="Last cell",
        json_schema_extra=when(law=("geometric", "two-sided", "tanh", "wall layers")),
    )
    growth: float | None = Field(
        default=None,
        title="Growth per cell",
        gt=0,
        json_schema_extra=when(law=("geometric", "two-sided", "tanh", "wall layers", "by curvature")),
    )
    expansion: float | None = Field(
        default=None, title="Expansion, last over first", gt=0, json_schema_extra=when(law="geometric")
    )
    layers: int = Field(default=10, title="Layers", ge=1, le=1000, json_schema_extra=when(law="wall layers"))
    far: Length | None = Field(
        default=None,
        title="Far cell",
        json_schema_extra=when(law="wall layers"),
        description="the cell at the end without layers; smooth where left out",
    )
    match: Literal["none", "first", "last", "both"] = Field(
        default="none",
        title="As the neighbour at",
        json_schema_extra=when(law=("geometric", "two-sided", "tanh", "wall layers")),
        description="ends that take the size of the cell beyond them, and keep it when that changes",
    )
    table: Table = Field(
        default=[],
        title="Sizes along the edge",
        max_length=500,
        json_schema_extra=when(law="table"),
        description="lines of place (0 to 1) and cell size: relative, or a length such as “6 mm”",
    )
    turn: Degrees = Field(
        default=10.0, title="Turn per cell at most", gt=0, le=90, json_schema_extra=when(law="by curvature")
    )
    largest: Length | None = Field(
        default=None,
        title="Largest cell",
        json_schema_extra=when(law="by curvature"),
        description="a tenth of the edge where left out",
    )

    def apply(self, model: Model, context: Context) -> Model:
        spacing, laws = model.spacing, dict[Edge, EdgeLaw]()
        named_edges = [edge_of(*e) for e in selectors.edges(model, self.tier, filled=True)]
        for tier, named in selectors.tiers(model, self.tier, filled=True):
            law, cells = self._law_on(model, named)
            whole = self.over == "tier"
            chosen = list(tier.edges) if whole else [e for e in named_edges if e in tier.edges]
            mine = each_way(tier, chosen, law, named)
            if cells is None and self.growth is not None and law.law in _LIMITED:
                cells = model.spacing.counting.up(max(self._fewest(model, *one) for one in mine.items()))
            if cells is not None:
                spacing = spacing.with_count(tier, cells)
            laws |= mine
        if self.match != "none" and not any((e, c) in model.continuing for e in laws for c in e):
            raise NothingFound("no neighbour goes on beyond these edges", remedy="give a size instead")
        return model.with_spacing(spacing.with_laws(with_twins(model, laws)))

    def _law_on(self, model: Model, named: tuple[str, str]) -> tuple[EdgeLaw, int | None]:
        """Work out the law and the count, if there is one, as they run along the edge named."""
        along = edge_of(*named)
        if along not in model.paths:
            raise NothingFound(
                f"the edge {model.layout.label(named)} belongs to hollow blocks only",
                remedy="name an edge of a filled block, or bring the block back",
            )
        try:
            length = model.paths[along].length
            law, cells = self._row_from(model, named, length) or self._law(model, along, length)
        except ImpossibleSpacing as error:
            raise _at(model, named, error) from error
        if along != named and law.law == "table" and self.law == "by curvature":
            law = law.turned()  # a curve's own table runs from the edge's first corner
        return law, cells

    def _beyond(self, model: Model, way: tuple[str, str], ends: Iterable[End]) -> dict[End, float]:
        """Give the sizes of the cells beyond the matched ends of an edge, the smallest of several."""
        found: dict[End, float] = {}
        for end in ends:
            others = model.continuing.get((edge_of(*way), way[0] if end == "first" else way[1]), ())
            if others:
                found[end] = min(model.laid.size_at(*other) for other in others)
        return found

    def _fewest(self, model: Model, edge: Edge, law: EdgeLaw) -> int:
        """Give the fewest cells with which an edge grows by no more than wished; hollow ones need none."""
        if edge not in model.paths:
            return 1
        for end, size in self._beyond(model, edge, law.matched).items():
            law = law.with_end(end, float(f"{size:.9g}"))
        length = float(f"{model.paths[edge].length:.9g}")  # so that edges that are alike are solved once
        try:
            return fewest_cells(replace(law, matched=frozenset()), length, self.growth or math.inf)
        except ImpossibleSpacing as error:
            raise _at(model, edge, error) from error

    def _row_from(self, model: Model, named: tuple[str, str], length: float) -> tuple[EdgeLaw, int] | None:
        """Work out a geometric law from the cell beyond an end and the growth; None where not asked for."""
        free = self.cells is None and self.first is None and self.last is None and self.expansion is None
        if self.law != "geometric" or self.growth is None or not free:
            return None
        beyond = self._beyond(model, named, _ENDS[self.match])
        if len(beyond) != 1:
            return None
        count = geometric_count(
            length, beyond.get("first", math.nan), beyond.get("last", math.nan), self.growth
        )
        return EdgeLaw("geometric", matched=_ENDS[self.match]), model.spacing.counting.rounded(count)

    def _law(self, model: Model, along: Edge, length: float) -> tuple[EdgeLaw, int | None]:
        """Work out the law and the count, if one edge gives it, on the edge named."""
        if self.law == "uniform":
            return EdgeLaw(), self.cells
        if self.law == "table":
            return self._table(model, length)
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
        elif self.cells is not None and self.growth is not None:
            raise BadValue(
                f"the {self.law} law takes its growth from the count and the cell sizes",
                remedy="leave the growth out, or the count: then it follows from the most growth",
            )
        elif first is None and last is None and not matched:
            raise BadValue(f"the {self.law} law needs a cell size", remedy="give the first or the last cell")
        return law, self.cells

    def _table(self, model: Model, length: float) -> tuple[EdgeLaw, int | None]:
        """Take the table; where its sizes are lengths they give the count too."""
        lengths = [isinstance(size, str) for _, size in self.table]
        if any(lengths) and not all(lengths):
            raise BadValue(
                "some sizes of the table are lengths and some are relative", remedy="give all a unit, or none"
            )
        if not any(lengths):
            table = check_table([(_number(place), _number(size)) for place, size in self.table])
            return EdgeLaw("table", table=table), self.cells
        sizes = [self.sizes(model, size, "cell size") / length for _, size in self.table]
        table = check_table([(_number(line[0]), size) for line, size in zip(self.table, sizes, strict=True)])
        cells = self.cells or model.spacing.counting.rounded(cells_of(table))
        return EdgeLaw("table", table=table), cells

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


def _number(value: float | str) -> float:
    if isinstance(value, str):
        raise BadValue(f"“{value}” is not a place from 0 to 1", remedy="give a number from 0 to 1")
    return value


def _at(model: Model, way: tuple[str, str], error: ImpossibleSpacing) -> ImpossibleSpacing:
    """Give an error with the edge where it is."""
    long = f"{model.paths[edge_of(*way)].length:.4g} {model.unit}"
    where = error.where or f"edge {model.layout.label(way)}, {long} long"
    return ImpossibleSpacing(error.what, where=where, remedy=error.remedy)

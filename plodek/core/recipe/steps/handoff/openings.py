"""The step that divides a side into openings and names them, in one go."""

from __future__ import annotations

from bisect import bisect
from itertools import combinations, pairwise
from typing import ClassVar, Literal, get_args

import numpy as np
from pydantic import Field

from plodek.core.blocks.layout import Edge, Side, edge_of
from plodek.core.errors import BadValue
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import EdgeIds, FaceSelector, Numbers, SideIds, TierSelector
from plodek.core.recipe.step import Changes, Context, Stage, Step
from plodek.core.recipe.steps.blocks.cut import Cut
from plodek.core.recipe.steps.handoff.patch import PatchStep

#: Parts that meet so near to a corner, as a share of its edge, meet in it.
_THERE = 1e-6


class Openings(Step):
    """Divide sides along an edge and those in line with it, at percentages of the length; name each part."""

    kind: Literal["openings"] = "openings"
    stage: ClassVar[Stage] = "Hand-off"
    changes: ClassVar[Changes] = "blocks"
    verb: ClassVar[str] = "Openings"
    key: ClassVar[str] = "O"
    order: ClassVar[int] = 20
    known_as: ClassVar[tuple[str, ...]] = ("inlet", "outlet", "hole")
    sentence: ClassVar[str] = "Divide {faces} along {edge} at {percent} per cent into {parts}"
    faces: FaceSelector = Field(title="Sides")
    edge: TierSelector = Field(
        title="Along the edge", description="one of the sides' edges, which gives the way"
    )
    percent: Numbers = Field(
        title="Per cent",
        min_length=1,
        max_length=50,
        description="where parts meet, rising, from the first corner in line; 0 and 100 may be left out",
    )
    parts: str = Field(
        title="Parts",
        max_length=3000,
        description="a name for each, by commas, with its type unless it is a wall: bank, slot inlet, bed",
    )

    def apply(self, model: Model, context: Context) -> Model:
        model.need_blocks()
        beyond = next((value for value in self.percent if not 0 <= value <= 100), None)
        if beyond is not None:
            raise BadValue(f"{beyond:g} per cent lies beyond the edge", remedy="give values from 0 to 100")
        if 0 < max(self.percent) <= 1:
            raise BadValue(
                f"{max(self.percent):g} per cent is hardly meant: of the whole edge there are 100",
                remedy="a quarter is 25; give 100 as the last value where so little is meant",
            )
        meet = [value for value in self.percent if value not in (0, 100)]
        parts = [_read(part) for part in self.parts.split(",")]
        if len(parts) != len(meet) + 1:
            raise BadValue(
                f"{len(parts)} parts are named, and {len(meet)} places part {len(meet) + 1}",
                remedy="name each part once, by commas",
            )
        sides = selectors.sides(model, self.faces)
        _, named = selectors.tier(model, self.edge)
        line = _line(model, named, sides)
        meeting = [value / 100 for value in meet]
        ends = np.cumsum([0.0, *(model.paths[edge_of(*way)].length for way in line)])
        for way, low, high in zip(line, ends[:-1] / ends[-1], ends[1:] / ends[-1], strict=True):
            within = [(at - low) / (high - low) for at in meeting]
            fractions = [at for at in within if _THERE < at < 1 - _THERE]
            if fractions:
                model = Cut(id=self.id, by="fraction", fractions=fractions, tier=EdgeIds(edges=[way])).apply(
                    model, context
                )
        sides = selectors.sides(model, self.faces)
        own: list[list[Side]] = [[] for _ in parts]
        gone = 0.0
        for way in [piece for edge in line for piece in pairwise(_chain(model, *edge))]:
            length = model.paths[edge_of(*way)].length
            part = bisect(meeting, (gone + 0.5 * length) / ends[-1])
            own[part] += [side for side in sides if _runs_along(model, side, way)]
            gone += length
        if any(not found for found in own) or sum(map(len, own)) != len(sides):
            raise BadValue(
                "the edge and those in line with it are not along all of these sides",
                remedy="choose an edge of one of them, and sides that lie side by side along it",
            )
        for (name, kind), found in zip(parts, own, strict=True):
            faces = SideIds(sides=[list(side) for side in found])
            model = PatchStep(id=self.id, name=name, type=kind, faces=faces).apply(model, context)
        return model


def _read(part: str) -> tuple[str, PatchType]:
    """Read the name of a part, and its type, a wall where none is said."""
    name, _, said = part.strip().partition(" ")
    kind = next((kind for kind in get_args(PatchType) if kind == (said.strip() or "wall")), None)
    if kind is None:
        kinds = ", ".join(get_args(PatchType))
        raise BadValue(f"“{said.strip()}” is no type of a patch", remedy=f"use {kinds}")
    return name, kind


def _line(model: Model, named: tuple[str, str], sides: list[Side]) -> list[tuple[str, str]]:
    """Give the edges of some sides that are in line with the named one, which gives the way, in their order.

    In the plane those are the sides that are strung together; in space the edges that go on across the sides
    between blocks. Raises BadValue for an edge of none of the sides.
    """
    rims = {edge for side in sides for edge in model.layout.rim_of(side)}
    if edge_of(*named) not in rims:
        raise BadValue("the edge is none of these sides'", remedy="choose an edge of one of them")
    line = [named]
    for forth in (True, False):
        while True:
            here = line[-1 if forth else 0]
            end = here[1] if forth else here[0]
            beyond = [
                (edge, corner)
                for edge, corner in _next(model, edge_of(*here), end, rims)
                if edge not in {edge_of(*way) for way in line}
            ]
            if len(beyond) != 1:
                break
            (edge, corner), *_ = beyond
            far = edge[0] if edge[1] == corner else edge[1]
            line = [*line, (corner, far)] if forth else [(far, corner), *line]
    return line


def _next(model: Model, edge: Edge, end: str, rims: set[Edge]) -> list[tuple[Edge, str]]:
    """Give the edges of rims that go on beyond the end of one, each with its corner there."""
    if model.layout.dim == 2:
        return [(one, end) for one in rims if end in one and one != edge]
    return [
        (one, corner)
        for one, corner in model.continuing.get((edge, end), ())
        if one in rims and corner == end
    ]


def _chain(model: Model, a: str, b: str) -> list[str]:
    """Give the corners from a to b along the pieces of an edge."""
    left, found = list(model.parts(edge_of(a, b))), [a]
    while left:
        piece = next(edge for edge in left if found[-1] in edge)
        left.remove(piece)
        found.append(next(corner for corner in piece if corner != found[-1]))
    return found


def _runs_along(model: Model, side: Side, way: tuple[str, str]) -> bool:
    """Whether a side has an edge of the tier of another edge."""
    tier = model.tier_by_edge[edge_of(*way)]
    return any(edge_of(*pair) in tier.edges for pair in combinations(side, 2))

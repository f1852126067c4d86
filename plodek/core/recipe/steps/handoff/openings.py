"""The step that divides a side into openings and names them, in one go."""

from __future__ import annotations

from itertools import combinations, pairwise
from typing import ClassVar, Literal, get_args

from pydantic import Field

from plodek.core.blocks.layout import Side, edge_of
from plodek.core.errors import BadValue
from plodek.core.grid.window import PatchType
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import FaceSelector, Numbers, SideIds, TierSelector
from plodek.core.recipe.step import Context, Stage, Step
from plodek.core.recipe.steps.blocks.cut import Cut
from plodek.core.recipe.steps.handoff.patch import PatchStep


class Openings(Step):
    """Divide sides along an edge at percentages of its length, and name each part as a patch."""

    kind: Literal["openings"] = "openings"
    stage: ClassVar[Stage] = "Hand-off"
    verb: ClassVar[str] = "Openings"
    key: ClassVar[str] = "O"
    order: ClassVar[int] = 20
    sentence: ClassVar[str] = "Divide {faces} along {edge} at {percent} per cent into {parts}"
    faces: FaceSelector = Field(title="Sides")
    edge: TierSelector = Field(title="Along the edge", description="one of the sides' edges")
    percent: Numbers = Field(
        title="Per cent",
        min_length=1,
        max_length=50,
        description="where parts meet, rising, from the edge's first corner; 0 and 100 may be left out",
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
        _, (a, b) = selectors.tier(model, self.edge)
        fractions = [value / 100 for value in meet]
        if fractions:
            cut = Cut(id=self.id, by="fraction", fractions=fractions, tier=self.edge)
            model = cut.apply(model, context)
        sides = selectors.sides(model, self.faces)
        ways = list(pairwise(_chain(model, a, b)))
        own = [[side for side in sides if _runs_along(model, side, way)] for way in ways]
        if any(not found for found in own) or sum(map(len, own)) != len(sides):
            raise BadValue(
                "the edge is none of these sides'", remedy="choose an edge that all of these sides run along"
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

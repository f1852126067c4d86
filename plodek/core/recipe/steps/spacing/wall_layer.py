"""The step that lays layers on all edges that leave walls."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from plodek.core.blocks.layout import Edge
from plodek.core.blocks.normals import slants
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue, ImpossibleSpacing, NothingFound, PlodekError
from plodek.core.model.model import Model
from plodek.core.recipe import selectors
from plodek.core.recipe.fields import Length, SideSelector, when
from plodek.core.recipe.step import Context
from plodek.core.recipe.steps.spacing.spacing_step import SpacingStep, with_twins
from plodek.core.spacing.edge_law import MOST_CELLS, EdgeLaw, End, fewest_cells, most_growth

#: Round-off and the tanh law may add so much to a growth.
_NEARLY = 1.001
#: Edges that leave a wall more flatly than this, as the sine of the angle, carry no layers.
_FLAT = 0.05


class WallLayer(SpacingStep):
    """Lay layers on all edges that leave walls: first height, growth, number, and a smooth rest.

    The first height is the distance from the wall: where an edge leaves it aslant its first cell is as much
    longer. Where an edge runs from wall to wall it gets them at both ends. The far end takes the size of the
    cell beyond it, a size of its own, or is left smooth.
    """

    kind: Literal["wall-layer"] = "wall-layer"
    verb: ClassVar[str] = "Wall layer"
    key: ClassVar[str] = "W"
    order: ClassVar[int] = 50
    known_as: ClassVar[tuple[str, ...]] = ("boundary layer", "layers at a wall", "y+", "first cell", "growth")
    sentence: ClassVar[str] = "Wall layer on {walls}: {layers} layers from {first} at growth {growth}"
    walls: SideSelector = Field(title="Walls")
    first: Length = Field(title="First height")
    growth: float = Field(default=1.2, title="Growth per layer", gt=1, le=3)
    layers: int = Field(default=10, title="Layers", ge=1, le=1000)
    cells: int | None = Field(
        default=None, title="Cells across", ge=3, le=MOST_CELLS,
        description="as many as the growth asks for where left out",
    )  # fmt: skip
    far: Literal["match", "smooth", "size"] = Field(
        default="match", title="Far end", description="the next block's cell, a smooth end, or a size"
    )
    far_size: Length | None = Field(default=None, title="Far cell", json_schema_extra=when(far="size"))

    def apply(self, model: Model, context: Context) -> Model:
        height = self.sizes(model, self.first, "first height")
        far = None
        if self.far == "size":
            if self.far_size is None:
                raise BadValue("the far cell has no size", remedy="give one, or match the next block")
            far = self.sizes(model, self.far_size, "far cell")
        sides = selectors.outer_sides(model, self.walls, filled=True)
        ends = slants(model.layout, model.guides, model.paths, sides)
        if not ends:
            raise NothingFound("no edge leaves these walls", remedy="choose sides of filled blocks")
        for edge, at in ends.items():
            if min(at.values()) < _FLAT:
                angle = math.degrees(math.asin(min(at.values())))
                raise BadValue(
                    f"the edge {model.layout.label(edge)} leaves the wall at {angle:.1f}° only",
                    remedy="move one of its corners, or choose fewer walls",
                )
        spacing, laws = model.spacing, dict[Edge, EdgeLaw]()
        tiers = {model.tier_by_edge[e].label: model.tier_by_edge[e] for e in ends}
        for tier in tiers.values():
            mine = self._laws(model, tier, ends, height, far)
            spacing = spacing.with_count(tier, self.cells or self._count(model, tier, mine, ends))
            laws |= mine
        return model.with_spacing(spacing.with_laws(with_twins(model, laws)))

    def _laws(
        self, model: Model, tier: Tier, ends: dict[Edge, dict[str, float]], height: float, far: float | None
    ) -> dict[Edge, EdgeLaw]:
        """Give the laws of a tier: of the edges at the wall, and like theirs where they all agree."""
        found = {}
        base = EdgeLaw("wall layers", ratio=self.growth, layers=self.layers, far=far)
        for edge in tier.edges:
            at = ends.get(edge)
            if at is None:
                continue
            # Rounded, so that edges that leave alike have one law.
            first, last = (float(f"{height / at[c]:.9g}") if c in at else None for c in edge)
            matched: frozenset[End] = frozenset()
            if self.far == "match" and (first is None) != (last is None):
                matched = frozenset({"first" if first is None else "last"})
            found[edge] = replace(base, first=first, last=last, matched=matched)
        along_tier = {law if tier.edges[e] else law.turned() for e, law in found.items()}
        if len(along_tier) == 1:
            (law,) = along_tier
            found |= {e: law if way else law.turned() for e, way in tier.edges.items() if e not in found}
        return found

    def _count(
        self, model: Model, tier: Tier, laws: dict[Edge, EdgeLaw], ends: dict[Edge, dict[str, float]]
    ) -> int:
        """Give the cells across: the fewest with which no edge at the wall grows by more than wished.

        Where edges ask for different counts, the one with the smallest growth on the worst of them.
        """
        asked: dict[tuple[EdgeLaw, float], int] = {}
        for edge in (e for e in tier.edges if e in ends):
            law, length = laws[edge], float(f"{model.paths[edge].length:.9g}")
            for end, corner in (("first", edge[0]), ("last", edge[1])):
                beyond = model.continuing.get((edge, corner), ())
                if end in law.matched and beyond:
                    size = min(model.laid.size_at(*other) for other in beyond)
                    law = replace(law, far=float(f"{size:.9g}"))
            law = replace(law, matched=frozenset())
            law = law if law.first is not None else law.turned()
            if (law, length) not in asked:
                try:
                    asked[law, length] = self._fewest(law, length)
                except ImpossibleSpacing as error:
                    raise ImpossibleSpacing(
                        error.what, where=_where(model, edge, ends[edge]), remedy=error.remedy
                    ) from error
        growth = {
            n: max(_growth_of(law, n, length) for law, length in asked)
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


def _where(model: Model, edge: Edge, at: dict[str, float]) -> str:
    """Name an edge at a wall, with its angle where it leaves the wall aslant."""
    angle = math.degrees(math.asin(min(*at.values(), 1.0)))
    aslant = f", which leaves the wall at {angle:.0f}°" if angle < 80 else ""
    length = f"{model.paths[edge].length:.4g} {model.unit}".rstrip()
    return f"edge {model.layout.label(edge)}, {length} long{aslant}"


def _growth_of(law: EdgeLaw, n: int, length: float) -> float:
    """Give the worst growth on an edge, infinite where its law cannot be laid."""
    return most_growth(law.nodes(n, length)) if law.fits(n, length) else math.inf

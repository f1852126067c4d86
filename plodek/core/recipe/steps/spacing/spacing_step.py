"""What the steps of the Spacing stage share: when the spacing is open, and twins that stay equal."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.blocks.tiers import Tier
from plodek.core.model.model import Model
from plodek.core.recipe.step import Changes, Stage, Step
from plodek.core.spacing.edge_law import EdgeLaw


class SpacingStep(Step):
    """A step of the Spacing stage."""

    stage: ClassVar[Stage] = "Spacing"
    changes: ClassVar[Changes] = "spacing"
    family: ClassVar[str] = "Edges and tiers"
    filled: ClassVar[bool] = True


def each_way(tier: Tier, edges: Iterable[Edge], law: EdgeLaw, named: tuple[str, str]) -> dict[Edge, EdgeLaw]:
    """Give a law, as it runs along the edge ``named``, to edges of its tier, each its own way."""
    along = edge_of(*named)
    way = tier.edges[along] == (along == named)
    return {e: law if tier.edges[e] == way else law.turned() for e in edges}


def with_twins(model: Model, laws: dict[Edge, EdgeLaw]) -> dict[Edge, EdgeLaw]:
    """Add the twins of edges, driving or driven: they stay equal."""
    beside: dict[Edge, list[tuple[Edge, bool]]] = {}
    for twin, edge, other in model.layout.twin_edges:
        same = twin.corners[edge[0]] == other[0]
        beside.setdefault(edge, []).append((other, same))
        beside.setdefault(other, []).append((edge, same))
    found, ahead = dict(laws), list(laws)
    for edge in ahead:
        for other, same in beside.get(edge, ()):
            if other not in found:
                found[other] = found[edge] if same else found[edge].turned()
                ahead.append(other)
    return found

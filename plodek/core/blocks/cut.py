"""Cut: divide every block that a tier runs through, at a corner put on every edge of the tier."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from plodek.core.arrays import Place, place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Block, Corner, Edge, Follow, Layout, edge_of, stable_id
from plodek.core.blocks.soundness import check
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue, Refused
from plodek.core.shape.guide import Guide
from plodek.core.tolerances import CUT_MARGIN


@dataclass(frozen=True)
class Cut:
    """The result: the new ``layout``, the corner put on each divided edge, and the pieces of each block."""

    layout: Layout
    middle: Mapping[Edge, str]
    pieces: Mapping[str, tuple[str, ...]]


def cut(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    tier: Tier,
    fractions: Mapping[Edge, float],
) -> Cut:
    """Divide the tier; ``fractions`` gives for each of its edges where, from the edge's first corner.

    Raises Refused for a twisted tier, BadValue for a fraction at an edge's end.
    """
    if tier.twisted:
        raise Refused(
            f"tier {tier.label} comes back to itself the other way round",
            remedy="cut another tier that crosses it first",
        )
    for edge, fraction in fractions.items():
        if not CUT_MARGIN < fraction < 1 - CUT_MARGIN:
            names = " to ".join(layout.labels[c] for c in edge)
            raise BadValue(
                f"the cut meets the edge {names} at {fraction:.3g} of its length",
                remedy="cut between the corners, not on them",
            )
    return _Cutter(step, layout, guides, tier, fractions).result()


def fractions_along(tier: Tier, fraction: float, edge: Edge) -> dict[Edge, float]:
    """Spread one fraction, given on ``edge`` from its first corner, over the tier's edges."""
    same = tier.edges[edge]
    return {e: fraction if way == same else 1.0 - fraction for e, way in tier.edges.items()}


class _Cutter:
    def __init__(
        self,
        step: str,
        layout: Layout,
        guides: Mapping[str, Guide],
        tier: Tier,
        fractions: Mapping[Edge, float],
    ) -> None:
        self.step, self.layout, self.guides, self.tier = step, layout, guides, tier
        self.corners: dict[str, Corner] = dict(layout.corners)
        self.follows: dict[Edge, Follow] = dict(layout.follows)
        self.middle: dict[Edge, str] = {}
        for edge, fraction in fractions.items():
            self._divide(edge, fraction)

    def result(self) -> Cut:
        blocks: dict[str, Block] = {}
        pieces: dict[str, tuple[str, ...]] = {}
        for name, block in self.layout.blocks.items():
            parts = {name: block}
            for axis in range(self.layout.dim):
                if edge_of(block.corners[0], block.corners[1 << axis]) in self.tier.edges:
                    parts = {k: v for n, b in parts.items() for k, v in self._halves(n, b, axis)}
            blocks |= parts
            if len(parts) > 1:
                pieces[name] = tuple(parts)
        layout = replace(self.layout, corners=self.corners, blocks=blocks, follows=self.follows)
        return Cut(check(layout.tidied()), self.middle, pieces)

    def _divide(self, edge: Edge, fraction: float) -> None:
        path = edge_path(self.layout, self.guides, edge)
        xyz: Place = place(path.at(np.array([fraction]))[0])
        follow = self.layout.follows.get(edge)
        middle = stable_id(self.step, *edge)
        if follow is None or path.curve is None:
            self.corners[middle] = Corner(xyz)
        else:
            at = path.from_fraction + fraction * path.span
            at = at % 1.0 if path.curve.closed else at
            self.corners[middle] = Corner(xyz, "guide", follow.guide, at)
            del self.follows[edge]
            for corner, forward in ((edge[0], follow.forward), (edge[1], not follow.forward)):
                piece = edge_of(corner, middle)
                self.follows[piece] = Follow(follow.guide, forward == (piece[0] == corner))
        self.middle[edge] = middle

    def _halves(self, name: str, block: Block, axis: int) -> list[tuple[str, Block]]:
        bit = 1 << axis
        between = {
            n & ~bit: self._middle(block.corners[n & ~bit], block.corners[n | bit])
            for n in range(len(block.corners))
        }
        low = tuple(between[n & ~bit] if n & bit else c for n, c in enumerate(block.corners))
        high = tuple(c if n & bit else between[n] for n, c in enumerate(block.corners))
        return [
            (stable_id(self.step, name, str(axis), end), replace(block, corners=corners))
            for end, corners in (("0", low), ("1", high))
        ]

    def _middle(self, a: str, b: str) -> str:
        """Give the corner between two; a cross edge that a first division made gets a new one."""
        edge = edge_of(a, b)
        if edge not in self.middle:
            self.middle[edge] = stable_id(self.step, *edge)
            mean = np.mean([self.corners[a].xyz, self.corners[b].xyz], axis=0)
            self.corners[self.middle[edge]] = Corner(place(mean))
        return self.middle[edge]

"""Cut: divide every block that a tier runs through, at a corner put on every edge of the tier."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import Change, Share
from plodek.core.blocks.edge_path import EdgePath, corner_at, edge_path
from plodek.core.blocks.layout import (
    Block,
    Corner,
    Edge,
    Follow,
    Layout,
    Name,
    Side,
    edge_of,
    stable_id,
)
from plodek.core.blocks.soundness import check
from plodek.core.blocks.tiers import Tier, tier_of, tiers
from plodek.core.errors import BadValue, NothingFound, Refused
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide
from plodek.core.tolerances import CUT_MARGIN

#: Places of an edge between two bent ones, from which its own curve is made.
_ALONG = np.linspace(0.0, 1.0, 17)


@dataclass(frozen=True)
class Cut(Change):
    """What the cut did, with the corner that it put on each divided edge."""

    middle: Mapping[Edge, str] = field(default_factory=dict)


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


def kept_within(layout: Layout, edge: Edge, chosen: Iterable[str]) -> tuple[Layout, Tier]:
    """Keep a cut within chosen blocks: give the layout it can be made in, and the tier there.

    A cut can end only at the boundary or at hollow blocks; those it ends at are dropped for good.
    Raises Refused, naming the blocks it would run on into, where it cannot end.
    """
    wished = set(chosen)
    kept = {n: b for n, b in layout.blocks.items() if n in wished or not b.hollow}
    inner = replace(layout, blocks=kept)
    if edge not in inner.edges:
        raise NothingFound("the edge belongs to none of these blocks", remedy="choose the blocks along it")
    tier = tier_of(tiers(inner), edge)
    on = {block for e in tier.edges for block, _ in inner.edges[e]}
    beyond = [name for name in on if name not in wished]
    if beyond:
        names = ", ".join(sorted(layout.labels[b] for b in beyond)[:8])
        raise Refused(
            f"the cut would run on into {names}",
            remedy="take them into the chosen blocks, or wrap a ring, which keeps its cells to itself",
        )
    ended_at = {block for e in tier.edges for block, _ in layout.edges[e]} - on
    left = {n: b for n, b in layout.blocks.items() if n not in ended_at}
    return replace(layout, blocks=left).tidied(), tier


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
        self.bends: dict[Edge, Curve] = dict(layout.bends)
        self.lies: dict[Side, str] = {}
        self.middle: dict[Edge, str] = {}
        self.paths: dict[Edge, EdgePath] = {}
        self.fractions = dict(fractions)
        self.shares: dict[Edge, Share] = {}
        for edge, fraction in fractions.items():
            self._divide(edge, fraction)

    def result(self) -> Cut:
        blocks: dict[str, Block] = {}
        pieces: dict[Name, tuple[Name, ...]] = {
            edge: (edge_of(edge[0], middle), edge_of(middle, edge[1])) for edge, middle in self.middle.items()
        }
        if self.layout.dim == 3:
            self._divide_sides(pieces)
        for name, block in self.layout.blocks.items():
            parts = {name: block}
            for axis in range(self.layout.dim):
                if self._runs_along(block.corners, axis):
                    if self.layout.dim == 2:
                        self._share_across(block.corners, axis, self._ends(block.corners, axis))
                    parts = {
                        stable_id(self.step, n, str(axis), str(end)): replace(b, corners=half)
                        for n, b in parts.items()
                        for end, half in enumerate(self._halves(b.corners, axis))
                    }
            blocks |= parts
            if len(parts) > 1:
                pieces[name] = tuple(parts)
        layout = replace(
            self.layout,
            corners=self.corners,
            blocks=blocks,
            follows=self.follows,
            bends=self.bends,
            lies=self.lies if self.layout.dim == 3 else self.layout.lies,
        )
        origins: dict[str, Name] = {corner: edge for edge, corner in self.middle.items()}
        return Cut(check(layout.tidied()), pieces, self.shares, origins=origins, middle=self.middle)

    def _divide(self, edge: Edge, fraction: float) -> None:
        path = edge_path(self.layout, self.guides, edge)
        follow = self.layout.follows.get(edge)
        middle = stable_id(self.step, *edge)
        self.corners[middle] = corner_at(self.layout, self.guides, edge, fraction)
        if edge in self.bends:
            bend = self.bends.pop(edge)
            for piece, low, high in self._halves_of(edge, middle, fraction):
                self.bends[piece] = Part(bend, low, high)
        if follow is not None:
            del self.follows[edge]
            for corner, forward in ((edge[0], follow.forward), (edge[1], not follow.forward)):
                piece = edge_of(corner, middle)
                self.follows[piece] = Follow(follow.guide, forward == (piece[0] == corner))
        self.middle[edge] = middle
        self.paths[edge] = path
        first, second = edge_of(edge[0], middle), edge_of(middle, edge[1])
        self.shares[first] = Share(edge, 0.0, fraction, first[0] == edge[0])
        self.shares[second] = Share(edge, fraction, 1.0, second[1] == edge[1])

    @staticmethod
    def _halves_of(edge: Edge, middle: str, fraction: float) -> list[tuple[Edge, float, float]]:
        """Give both pieces of an edge, each with the fractions of its first and its second corner."""
        first, second = edge_of(edge[0], middle), edge_of(middle, edge[1])
        return [
            (first, 0.0, fraction) if first[0] == edge[0] else (first, fraction, 0.0),
            (second, fraction, 1.0) if second[0] == middle else (second, 1.0, fraction),
        ]

    def _divide_sides(self, pieces: dict[Name, tuple[Name, ...]]) -> None:
        """Divide the sides, with what they lie on; the new edge across one takes its sides' shape."""
        for side in self.layout.sides:
            parts = [self.layout.ordered(side)]
            guide = self.layout.lies.get(side)
            for axis in (0, 1):
                if not self._runs_along(parts[0], axis):
                    continue
                across = [self._ends(part, axis) for part in parts]
                halves = [half for part in parts for half in self._halves(part, axis)]
                for part, ends in zip(parts, across, strict=True):
                    self._cross(part, axis, ends, guide)
                parts = halves
            if len(parts) > 1:
                pieces[side] = tuple(tuple(sorted(part)) for part in parts)
            if guide is not None:
                self.lies |= {tuple(sorted(part)): guide for part in parts}

    def _cross(self, side: tuple[str, ...], axis: int, ends: tuple[str, str], guide: str | None) -> None:
        """Shape the new edge across a side between the shapes of the edges beside it, and on its surface."""
        edge = edge_of(*ends)
        if edge[0] == edge[1]:
            return
        self._share_across(side, axis, ends)
        if guide is not None:
            self.follows[edge] = Follow(guide, True)
        bit = 1 << axis
        low, high = ((side[0], side[3 ^ bit]), (side[bit], side[3]))
        shapes: list[Floats | None] = []
        for a, b in (low, high):
            if a == b or (edge_of(a, b) not in self.bends and edge_of(a, b) not in self.follows):
                shapes.append(None)
                continue
            now = replace(self.layout, corners=self.corners, follows=self.follows, bends=self.bends)
            xyz = edge_path(now, self.guides, edge_of(a, b)).at(_ALONG)
            shapes.append(_from_chord(xyz if a < b else xyz[::-1]))
        if shapes[0] is None and shapes[1] is None:
            return
        along = edge_of(side[0], side[bit])
        part = self.fractions.get(along, 0.5)
        part = part if along[0] == side[0] else 1.0 - part
        start, end = (np.array(self.corners[c].xyz) for c in ends)
        xyz = start + _ALONG[:, None] * (end - start)
        for shape, weight in zip(shapes, (1.0 - part, part), strict=True):
            xyz = xyz if shape is None else xyz + weight * shape
        if np.abs(_from_chord(xyz)).max() > 1e-9 * np.linalg.norm(end - start):
            self.bends[edge] = Spline(xyz if ends[0] < ends[1] else xyz[::-1], closed=False, corner_angle=180)

    def _share_across(self, side: tuple[str, ...], axis: int, ends: tuple[str, str]) -> None:
        """Let the new edge across a side carry on the spacing of the nearer of the edges beside it."""
        bit = 1 << axis
        along = edge_of(side[0], side[bit])
        part = self.fractions.get(along, 0.5)
        near = [(side[0], side[3 ^ bit]), (side[bit], side[3])]
        if (part > 0.5) == (along[0] == side[0]):
            near.reverse()
        for a, b in near:
            if ends[0] != ends[1] and edge_of(a, b) in self.layout.edges and edge_of(a, b) not in self.middle:
                share = Share(edge_of(a, b), same=(a < b) == (ends[0] < ends[1]), beside=True)
                self.shares.setdefault(edge_of(*ends), share)

    def _ends(self, corners: tuple[str, ...], axis: int) -> tuple[str, str]:
        """Give the corners that a cut along ``axis`` puts on a side's two edges there."""
        bit = 1 << axis
        return (
            self._middle(corners[0], corners[bit]),
            self._middle(corners[3 ^ bit], corners[3]),
        )

    def _runs_along(self, corners: tuple[str, ...], axis: int) -> bool:
        """Whether the tier runs along an axis of a block or side."""
        bit = 1 << axis
        return any(
            edge_of(c, corners[n | bit]) in self.tier.edges for n, c in enumerate(corners) if not n & bit
        )

    def _halves(self, corners: tuple[str, ...], axis: int) -> tuple[tuple[str, ...], tuple[str, ...]]:
        bit = 1 << axis
        between = {n: self._middle(corners[n], corners[n | bit]) for n in range(len(corners)) if not n & bit}
        low = tuple(between[n & ~bit] if n & bit else c for n, c in enumerate(corners))
        high = tuple(c if n & bit else between[n] for n, c in enumerate(corners))
        return low, high

    def _middle(self, a: str, b: str) -> str:
        """Give the corner between two; a cross edge that a first division made gets a new one."""
        if a == b:
            return a
        edge = edge_of(a, b)
        if edge not in self.middle:
            self.middle[edge] = stable_id(self.step, *edge)
            now = replace(self.layout, corners=self.corners, follows=self.follows, bends=self.bends)
            path = edge_path(now, self.guides, edge)
            self.corners[self.middle[edge]] = Corner(place(path.at(np.array([0.5]))[0]))
            follow = self.follows.pop(edge, None)
            if follow is not None:
                for piece in (edge_of(a, self.middle[edge]), edge_of(self.middle[edge], b)):
                    self.follows[piece] = follow
            bend = self.bends.pop(edge, None)
            if bend is not None:
                for piece, low, high in self._halves_of(edge, self.middle[edge], 0.5):
                    self.bends[piece] = Part(bend, low, high)
        return self.middle[edge]


def _from_chord(xyz: Floats) -> Floats:
    """Give how far places (n, 3), at even fractions, lie off the straight line between their ends."""
    return np.asarray(xyz - xyz[0] - np.linspace(0.0, 1.0, len(xyz))[:, None] * (xyz[-1] - xyz[0]))

"""A layer on outer sides: where it ends, and how it goes round convex corners with blocks of its own."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Edge, Layout, Side, edge_of, side_of, stable_id
from plodek.core.blocks.normals import corner_normal
from plodek.core.blocks.operations.offsets import beside_flat, corner_off, edge_off
from plodek.core.errors import Refused
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide

#: What two sides have in common: a corner in the plane, an edge in space.
Hinge: TypeAlias = tuple[str, ...]
#: The sides at a corner that have one end of the layer there: no convex corner is between them.
Fan: TypeAlias = tuple[Side, ...]

#: The cosine of the turn from which a layer goes round a corner with a block of its own: by 60° that block
#: and mitred ones are equally far from square, 60° and 120°. Beyond the other one both are too sharp.
_TURN, _BACK = 0.5 + 1e-9, np.cos(np.radians(150.0))
#: A block that goes round a corner is at least so wide there, in shares of the distance: by 60° it is 0.58.
_WIDE = 0.25


@dataclass(frozen=True)
class Layer:
    """Where a layer on outer sides ends."""

    #: The new corner beyond each corner of a side, by the side; and where each is (3,).
    tops: Mapping[Side, Mapping[str, str]]
    places: Mapping[str, Floats]
    #: The new edges beside old ones, each with the old one and whether it runs the same way.
    rims: Mapping[Edge, tuple[Edge, bool]]
    #: The ways of new edges, where they have been found.
    paths: Mapping[Edge, Curve] = field(default_factory=dict)
    #: The blocks that go round corners: their corners, and the side that they take after.
    around: Mapping[str, tuple[tuple[str, ...], Side]] = field(default_factory=dict)
    #: The new outer sides of the blocks that go round, by the old sides that they go on.
    beyond: Mapping[Side, Sequence[Side]] = field(default_factory=dict)

    def outward(self, side: Side) -> tuple[Side, ...]:
        """Give the new outer sides that stand for a side that has grown, its own first."""
        own = side_of(*(self.tops[side][corner] for corner in side))
        return (own, *self.beyond.get(side, ()))


def shifted(step: str, layout: Layout, sides: Sequence[Side], put: Callable[[Floats], Floats]) -> Layer:
    """Give the layer that ends where ``put`` brings the places (n, 3) of the sides' corners."""
    corners = list(dict.fromkeys(c for side in sides for c in side))
    tops = {corner: stable_id(step, corner) for corner in corners}
    rims = dict(_beside(edge, tops) for side in sides for edge in layout.rim_of(side))
    places = dict(zip(tops.values(), put(layout.places(corners)), strict=True))
    return Layer({side: {c: tops[c] for c in side} for side in sides}, places, rims)


class Offset:
    """Makes the layer that ends ``distance`` off its sides, all along; round convex corners if wished.

    Where sides turn by 60° to 150° at such a corner a block goes round it, whose far corner is as far off
    both. Raises Refused, with where, where a side is bent to a radius below the distance.
    """

    def __init__(
        self,
        step: str,
        layout: Layout,
        guides: Mapping[str, Guide],
        sides: Sequence[Side],
        distance: float,
        *,
        round_corners: bool,
    ) -> None:
        self.step, self.layout, self.guides, self.distance = step, layout, guides, distance
        self.sides = sides
        self.beside = beside_flat(layout, guides, sides)
        #: The unit normals of the sides at their corners, and the places of these (3,).
        self.normals = {
            (side, corner): corner_normal(layout, guides, layout.outer[side], corner)
            for side in sides
            for corner in dict.fromkeys(side)
        }
        corners = list(dict.fromkeys(corner for _, corner in self.normals))
        self.at = dict(zip(corners, layout.places(corners), strict=True))
        self.hinges: dict[Hinge, list[Side]] = {}
        for side in sides:
            for hinge in self._hinges_of(side):
                self.hinges.setdefault(hinge, []).append(side)
        sharp = {h for h, two in self.hinges.items() if round_corners and self._is_sharp(h, two)}
        self.fans, self.sharp = self._sound(sharp)
        self.tops: dict[Side, dict[str, str]] = {side: {} for side in sides}
        self.places: dict[str, Floats] = {}
        self.rims: dict[Edge, tuple[Edge, bool]] = {}
        self.paths: dict[Edge, Curve] = {}
        self.around: dict[str, tuple[tuple[str, ...], Side]] = {}
        self.beyond: dict[Side, list[Side]] = {}

    def layer(self) -> Layer:
        """Lay it down."""
        for corner, fans in self.fans.items():
            for fan in fans:
                name = self._top(corner, *([fan] if len(fans) > 1 else []))
                self.places[name] = self._off(corner, fan)
                for side in fan:
                    self.tops[side][corner] = name
        for side in self.sides:
            for edge in self.layout.rim_of(side):
                alone = self.layout.dim == 2 or edge in self.sharp
                own = [side] if alone else self.hinges[edge]
                self._edge(edge, self.tops[side], own)
        for hinge in sorted(self.sharp):
            self._round_hinge(hinge)
        for corner, fans in self.fans.items():
            if len(fans) == 3 and self._is_all_round(corner):
                self._round_corner(corner, fans)
        return Layer(self.tops, self.places, self.rims, self.paths, self.around, self.beyond)

    def _hinges_of(self, side: Side) -> list[Hinge]:
        return list(self.layout.rim_of(side)) if self.layout.dim == 3 else [(c,) for c in side]

    def _is_sharp(self, hinge: Hinge, two: Sequence[Side]) -> bool:
        """Say whether two sides turn away from each other so far that a block goes round where they meet."""
        if len(two) != 2:
            return False
        middle = np.mean([self.at[corner] for corner in two[0]], axis=0)
        for corner in hinge:
            first, second = (self.normals[side, corner] for side in two)
            away = middle - self.at[corner]
            if not (_BACK < float(first @ second) < _TURN and float(away @ second) < 0):
                return False
        return True

    def _sound(self, sharp: set[Hinge]) -> tuple[dict[str, list[Fan]], set[Hinge]]:
        """Give the fans of each corner, and the sharp hinges that blocks can go round without a gap.

        That is where they part the sides at a corner in a row, or all round it in two or three.
        """
        members: dict[str, list[Side]] = {}
        at: dict[str, list[Hinge]] = {}
        for side in self.sides:
            for corner in dict.fromkeys(side):
                members.setdefault(corner, []).append(side)
        for hinge in self.hinges:
            for corner in hinge:
                at.setdefault(corner, []).append(hinge)
        fans: dict[str, list[Fan]] = {}
        ahead = list(members)
        while ahead:
            corner = ahead.pop()
            parted = [hinge for hinge in at[corner] if hinge in sharp]
            if not parted:
                fans[corner] = [tuple(members[corner])]
                continue
            own = _fans(members[corner], [self.hinges[h] for h in at[corner] if h not in sharp])
            pairs = [[_fan_of(own, side) for side in self.hinges[hinge]] for hinge in parted]
            if self._leaves_no_gap(own, pairs) and self._is_open(corner, own, pairs):
                fans[corner] = own
                continue
            sharp.difference_update(parted)
            ahead += dict.fromkeys(c for hinge in parted for c in hinge)
        return {corner: fans[corner] for corner in members}, sharp

    @staticmethod
    def _leaves_no_gap(fans: Sequence[Fan], pairs: Sequence[Sequence[Fan]]) -> bool:
        """Say whether fans lie in a row at a corner, or two or three of them all round it."""
        if any(first == second for first, second in pairs):
            return False
        different = len({frozenset(pair) for pair in pairs})
        return len(pairs) == len(fans) - 1 or (
            len(pairs) == len(fans) and (len(fans), different) in ((2, 1), (3, 3))
        )

    def _is_open(self, corner: str, fans: Sequence[Fan], pairs: Sequence[Sequence[Fan]]) -> bool:
        """Say whether blocks that go round a corner have a width there: none where it is a saddle."""
        gaps = []
        try:
            ends = [self._off(corner, [side for fan in pair for side in fan]) for pair in pairs]
            for far, pair in zip(ends, pairs, strict=True):
                gaps += [far - self._off(corner, fan) for fan in pair]
            if len(fans) == len(pairs) == 3:
                whole = self._off(corner, [side for fan in fans for side in fan])
                gaps += [whole - far for far in ends]
        except Refused:
            return False
        return min(float(np.linalg.norm(gap)) for gap in gaps) > _WIDE * self.distance

    def _is_all_round(self, corner: str) -> bool:
        """Say whether three fans at a corner each meet both others."""
        sides = (side for fan in self.fans[corner] for side in fan)
        hinges = {hinge for side in sides for hinge in self._hinges_of(side)} & self.sharp
        return self.layout.dim == 3 and sum(corner in hinge for hinge in hinges) == 3

    def _top(self, corner: str, *fans: Fan) -> str:
        return stable_id(self.step, corner, *(c for side in sorted(min(fan) for fan in fans) for c in side))

    def _off(self, corner: str, sides: Sequence[Side]) -> Floats:
        """Give the place (3,) that is the distance off sides at a corner."""
        normals = np.array([self.normals[side, corner] for side in sides])
        return corner_off(self.at[corner], normals, self.distance, self.beside.get(corner, ()))

    def _edge(self, edge: Edge, tops: Mapping[str, str], sides: Sequence[Side]) -> None:
        """Lay down the new edge beside an old one, off some of the sides at it."""
        new, (_, same) = _beside(edge, tops)
        if new in self.rims:
            return
        self.rims[new] = edge, same
        uses = [self.layout.outer[side] for side in sides]
        ends = self.places[tops[edge[0]]], self.places[tops[edge[1]]]
        path = edge_off(self.layout, self.guides, edge, uses, [self.distance] * len(uses), ends)
        if path is not None:
            self.paths[new] = path if same else Part(path, 1.0, 0.0)

    def _between(self, corner: str, *fans: Fan) -> str:
        """Give the new corner that is off several fans of a corner; made where it is not there yet."""
        name = self._top(corner, *fans)
        if name not in self.places:
            self.places[name] = self._off(corner, [side for fan in fans for side in fan])
        return name

    def _round_hinge(self, hinge: Hinge) -> None:
        """Lay down the block that goes round where two sides meet."""
        one, other = self.hinges[hinge]
        far = {c: self._between(c, *(_fan_of(self.fans[c], s) for s in (one, other))) for c in hinge}
        if not self._is_right_handed(hinge, one, other):
            one, other = other, one
        tops = self.tops
        own = tuple(c for at in hinge for c in (at, tops[one][at], tops[other][at], far[at]))
        self.around[stable_id(self.step, *hinge, "round")] = own, one
        for side in (one, other):
            new = side_of(*(c for at in hinge for c in (tops[side][at], far[at])))
            self.beyond.setdefault(side, []).append(new)
        if len(hinge) == 2:
            self._edge(edge_of(*hinge), far, [one, other])

    def _is_right_handed(self, hinge: Hinge, one: Side, other: Side) -> bool:
        at = [self.at[corner] for corner in hinge]
        first, second = (self.places[self.tops[side][hinge[0]]] - at[0] for side in (one, other))
        along = at[1] - at[0] if len(hinge) == 2 else np.array([0.0, 0.0, 1.0])
        return bool(np.cross(first, second) @ along > 0)

    def _round_corner(self, corner: str, fans: Sequence[Fan]) -> None:
        """Lay down the block that goes round a corner that three fans meet in."""
        at = self.at[corner]
        tops = [self.tops[fan[0]][corner] for fan in fans]
        if np.linalg.det([self.places[top] - at for top in tops]) < 0:
            fans, tops = fans[::-1], tops[::-1]
        far = stable_id(self.step, corner)
        self.places[far] = self._off(corner, [side for fan in fans for side in fan])
        two = {pair: self._between(corner, *(fans[n] for n in pair)) for pair in combinations(range(3), 2)}
        own = (corner, tops[0], tops[1], two[0, 1], tops[2], two[0, 2], two[1, 2], far)
        self.around[stable_id(self.step, corner, "round")] = own, fans[0][0]
        for n, (fan, top) in enumerate(zip(fans, tops, strict=True)):
            new = side_of(top, *(name for pair, name in two.items() if n in pair), far)
            self.beyond.setdefault(fan[0], []).append(new)


def _beside(edge: Edge, tops: Mapping[str, str]) -> tuple[Edge, tuple[Edge, bool]]:
    """Give the new edge beside an old one, with that and whether it runs the same way."""
    new = edge_of(tops[edge[0]], tops[edge[1]])
    return new, (edge, new[0] == tops[edge[0]])


def _fans(sides: Sequence[Side], joined: Sequence[Sequence[Side]]) -> list[Fan]:
    """Part sides into those that are joined, directly or by others."""
    fan_of = {side: {side} for side in sides}
    for together in joined:
        for side in together[1:]:
            first, second = fan_of[together[0]], fan_of[side]
            if first is not second:
                first |= second
                fan_of.update(dict.fromkeys(second, first))
    return list(dict.fromkeys(tuple(side for side in sides if side in fan_of[one]) for one in sides))


def _fan_of(fans: Sequence[Fan], side: Side) -> Fan:
    return next(fan for fan in fans if side in fan)

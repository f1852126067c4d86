"""Ring: wrap a layer of blocks inside or around chosen blocks, open where wished.

Every corner on a closed side gets a copy; the blocks on the ring's far side take the copies; each
closed side becomes one ring block between old corners and copies. ``inside``: the chosen blocks
take the copies. ``around``: their neighbours do, and the chosen blocks stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import combinations, pairwise
from typing import Literal, TypeVar

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import Change, Share
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import (
    Block,
    Corner,
    Edge,
    Follow,
    Layout,
    Name,
    Side,
    Use,
    edge_of,
    side_of,
    stable_id,
)
from plodek.core.blocks.sides import block_normal, opposite
from plodek.core.blocks.soundness import check, inverted
from plodek.core.errors import BadValue, Refused
from plodek.core.shape.compound import Part
from plodek.core.shape.curve import Curve
from plodek.core.shape.guide import Guide
from plodek.core.shape.spline import Spline
from plodek.core.shape.surface import Surface

T = TypeVar("T")
#: Sides at a corner whose normals differ by less than about 17° count as one when a corner is offset.
_ONE_PLANE = 0.15
_BOWED = np.linspace(0.0, 1.0, 17)


@dataclass(frozen=True)
class Ring(Change):
    """What the ring did, with the ``copies`` of corners and its new ``blocks``."""

    copies: Mapping[str, str] = field(default_factory=dict)
    blocks: tuple[str, ...] = ()


def ring(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    chosen: Iterable[str],
    *,
    where: Literal["inside", "around"],
    thickness: float | None = None,
    share: float | None = None,
    open_sides: Iterable[Side] = (),
    bow: float = 0.0,
) -> Ring:
    """Wrap the ring of one layer, ``thickness`` thick in the project's unit or by ``share``.

    A share inside is that of the way to the middle between two closed sides, or to the open side
    opposite; around, that of the neighbouring block. With ``bow`` the new edges take over so much of
    the old edges' shape. Raises BadValue for a thickness that is not positive or leaves no room,
    Refused where the ring would break the layout.
    """
    if thickness is not None and not thickness > 0:
        raise BadValue(f"the thickness is {thickness:g}", remedy="give a thickness above 0")
    if share is not None and not 0 < share < 1:
        raise BadValue(f"the share is {share:g}", remedy="give a share between 0 and 1")
    inner = set(chosen)
    takers = inner if where == "inside" else set(layout.blocks) - inner
    if not _hang_together(layout, inner, lambda _: True):
        raise Refused(
            "the chosen blocks do not hang together through their sides",
            remedy="ring each group of neighbours by itself",
        )
    closed = _closed_sides(layout, takers, where, _with_twins(layout, set(open_sides)))
    copies = _copies(step, layout, takers, closed)
    moved = {
        name: replace(block, corners=tuple(copies.get(c, c) for c in block.corners))
        if name in takers
        else block
        for name, block in layout.blocks.items()
    }
    solid = where == "inside" and any(not layout.blocks[name].hollow for name in inner)
    rings = {stable_id(step, *side): _ring_block(layout, use, copies, solid) for side, use in closed.items()}
    corners = dict(layout.corners)
    wanted = _wanted(layout, takers, closed, where, thickness, share)
    placing = _Placing(layout, guides, takers, closed, wanted, where)
    for corner, copy in copies.items():
        corners[copy] = placing.copied(corner)
    carried = _carried(layout, guides, corners, takers, closed, copies, bow)
    lies, side_pieces = _open_sides(layout, takers, closed, copies)
    twins = []
    for twin in layout.twins:
        pairs = {copies[a]: copies[b] for a, b in twin.corners.items() if a in copies and b in copies}
        stay = {
            copies.get(a, a): copies.get(b, b)
            for a, b in twin.corners.items()
            if not ({a, b} <= copies.keys())
        }
        twins.append(replace(twin, corners=dict(twin.corners) | stay | pairs))
    after = replace(
        layout,
        corners=corners,
        blocks=moved | rings,
        follows=carried.follows,
        bends=carried.bends,
        lies=dict(layout.lies) | lies,
        twins=tuple(twins),
    ).tidied()
    check(after)
    if inverted(after) - inverted(layout):
        size = f"{share:.0%}" if thickness is None else f"{thickness:g}"
        raise BadValue(
            f"a ring of thickness {size} leaves no room for the blocks beside it",
            remedy="make it thinner",
        )
    pieces: dict[Name, tuple[Name, ...]] = {**side_pieces, **carried.pieces}
    kept = {n: p for n, p in pieces.items() if n not in after.edges and n not in after.sides}
    return Ring(after, kept, carried.shares, copies, tuple(rings))


def _with_twins(layout: Layout, sides: set[Side]) -> set[Side]:
    """Add the twins of sides: a ring that opens on one opens on both."""
    found = set(sides)
    for twin in layout.twins:
        back = {b: a for a, b in twin.corners.items()}
        for names in (twin.corners, back):
            found |= {side_of(*(names[c] for c in side)) for side in sides if set(side) <= names.keys()}
    return sides | (found & layout.sides.keys())


def _closed_sides(layout: Layout, takers: set[str], where: str, open_sides: set[Side]) -> dict[Side, Use]:
    """Find the sides the ring closes, each with the taker behind it."""
    closed: dict[Side, Use] = {}
    for side, uses in layout.sides.items():
        behind = [use for use in uses if use.block in takers]
        if len(behind) != 1 or (where == "around" and len(uses) == 1):
            continue
        if side in open_sides:
            if len(uses) > 1:
                raise Refused(
                    f"the side {_named(layout, side)} lies inside the layout and cannot stay open",
                    remedy="take the block behind it into the chosen ones",
                )
            continue
        closed[side] = behind[0]
    unknown = open_sides - set(layout.sides)
    if unknown:
        raise Refused(f"{len(unknown)} of the open sides are no sides of the layout")
    if not closed:
        raise Refused("the ring would close on no side", remedy="leave fewer sides open")
    return closed


def _copies(step: str, layout: Layout, takers: set[str], closed: dict[Side, Use]) -> dict[str, str]:
    """Copy the corners of the closed sides; refuse where the ring would not be one fan around a corner."""
    at: dict[str, list[Side]] = {}
    for side in closed:
        for corner in dict.fromkeys(side):
            at.setdefault(corner, []).append(side)
    for corner, sides in at.items():
        around = set(layout.at_corner[corner])
        if not (
            _one_fan(sides, corner, layout.dim)
            and _meet_at(layout, around & takers, corner)
            and _meet_at(layout, around - takers, corner)
        ):
            raise Refused(
                f"the ring would meet itself in corner {layout.labels[corner]}",
                remedy="choose blocks that meet there through whole sides",
            )
    return {corner: stable_id(step, "copy", corner) for corner in at}


def _named(layout: Layout, side: Side) -> str:
    return " to ".join(layout.labels[c] for c in side)


def _hang_together(layout: Layout, names: set[str], through: Callable[[Side], bool]) -> bool:
    """Whether blocks are connected through the sides that ``through`` accepts."""
    if len(names) < 2:
        return True
    links = [
        (uses[0].block, uses[1].block)
        for side, uses in layout.sides.items()
        if len(uses) == 2 and {uses[0].block, uses[1].block} <= names and through(side)
    ]
    return _connected(names, links)


def _meet_at(layout: Layout, names: set[str], corner: str) -> bool:
    """Whether the blocks around a corner are connected through sides there."""
    if len(names) < 2:
        return True
    sides: dict[Side, list[str]] = {}
    for name in names:
        for side in layout.sides_of(name):
            if corner in side:
                sides.setdefault(side, []).append(name)
    return _connected(names, [(b[0], b[1]) for b in sides.values() if len(b) == 2])


def _one_fan(at: list[Side], corner: str, dim: int) -> bool:
    """Whether the closed sides at a corner are connected through edges (in the plane: are at most two)."""
    if dim == 2:
        return len(at) <= 2
    return _connected(set(at), [(s, t) for s, t in combinations(at, 2) if set(s) & set(t) - {corner}])


def _connected(names: set[T], links: list[tuple[T, T]]) -> bool:
    near: dict[T, list[T]] = {name: [] for name in names}
    for a, b in links:
        near[a].append(b)
        near[b].append(a)
    ahead = [next(iter(names))]
    reached = set(ahead)
    while ahead:
        for other in near[ahead.pop()]:
            if other not in reached:
                reached.add(other)
                ahead.append(other)
    return len(reached) == len(names)


def _ring_block(layout: Layout, use: Use, copies: dict[str, str], solid: bool) -> Block:
    """Build the block between a closed side and its copy, with the axes of the taker behind it.

    Where the ring goes ``solid`` with hollow, it is hollow inside hollow takers.
    """
    taker = layout.blocks[use.block]
    corners = taker.corners
    bit = 1 << use.axis
    border = [corners[(n | bit) if use.end else (n & ~bit)] for n in range(len(corners))]
    own = tuple(c if (n >> use.axis & 1) == use.end else copies[c] for n, c in enumerate(border))
    return Block(own, solid and taker.hollow)


def _wanted(
    layout: Layout,
    takers: set[str],
    closed: dict[Side, Use],
    where: str,
    thickness: float | None,
    share: float | None,
) -> dict[Side, float]:
    """Give the thickness of the ring at each closed side."""
    if thickness is not None or share is None:
        return dict.fromkeys(closed, thickness or 0.0)
    found: dict[Side, float] = {}
    between: set[Side] = set()
    for side, use in closed.items():
        first = layout.places(side).mean(axis=0)
        far, _ = opposite(layout, use)
        seen = {use.block}
        while where == "inside" and far not in closed:
            ahead = [u for u in layout.sides.get(far, []) if u.block in takers and u.block not in seen]
            if not ahead:
                break
            seen.add(ahead[0].block)
            far, _ = opposite(layout, ahead[0])
        depth = float(np.linalg.norm(layout.places(far).mean(axis=0) - first))
        found[side] = share * depth * (0.5 if far in closed else 1.0)
        between |= {side} if far in closed else set()
    # Where the ring closes over an end, it is no thicker there than at the walls beside it.
    most = max((found[side] for side in between), default=np.inf)
    return {side: t if side in between else min(t, float(most)) for side, t in found.items()}


class _Placing:
    """Places the copies: the wanted thickness off every closed side at the corner, along the open ones.

    The offset o solves n·o = thickness for the closed sides' normals and n·o = 0 for the open ones',
    with the smallest length; inside, the sides between the chosen blocks count as open ones.
    """

    def __init__(
        self,
        layout: Layout,
        guides: Mapping[str, Guide],
        takers: set[str],
        closed: dict[Side, Use],
        wanted: dict[Side, float],
        where: str,
    ) -> None:
        self.layout, self.guides, self.takers, self.closed = layout, guides, takers, closed
        self.wanted, self.where = wanted, where
        self.normals: dict[Side, Floats] = {}

    def copied(self, corner: str) -> Corner:
        layout = self.layout
        sides = sorted({s for b in layout.at_corner[corner] for s in layout.sides_of(b) if corner in s})
        normals, wanted, surfaces = self._wishes(sides)
        offset = np.linalg.pinv(np.array(normals), rcond=_ONE_PLANE) @ np.array(wanted)
        xyz = np.array(layout.corners[corner].xyz) + offset
        curve = self._curve_at(corner)
        if curve is not None:
            guide = self.guides[curve]
            if isinstance(guide, Curve):
                fraction = guide.nearest(xyz[None, :])
                return Corner(place(guide.at(fraction)[0]), "guide", curve, float(fraction[0]))
        for name in surfaces:
            surface = self.guides[name]
            if isinstance(surface, Surface):
                return Corner(place(surface.onto(xyz[None, :])[0]), "guide", name)
        return Corner(place(xyz))

    def _wishes(self, sides: list[Side]) -> tuple[list[Floats], list[float], list[str]]:
        """Collect the normals at a corner with the offset wanted along each, and the surfaces of open sides.

        Where the ring runs on inside hollow blocks, what is filled decides.
        """
        layout = self.layout
        closed = [s for s in sides if s in self.closed]
        filled = [s for s in closed if not layout.blocks[self.closed[s].block].hollow]
        normals = [-self._outward(s, self.closed[s]) for s in filled or closed]
        wanted = [self.wanted[s] for s in filled or closed]
        surfaces: list[str] = []
        between: list[Floats] = []
        for side in sides:
            uses = layout.sides[side]
            if side in self.closed or not all(use.block in self.takers for use in uses):
                continue
            if len(uses) == 1:
                normals.append(self._outward(side, uses[0]))
                wanted.append(0.0)
                surfaces += [layout.lies[side]] if side in layout.lies else []
            elif self.where == "inside":
                between.append(self._outward(side, uses[0]))
        for normal in between:
            if all(abs(float(normal @ n)) < 0.5 for n in normals):
                normals.append(normal)
                wanted.append(0.0)
        return normals, wanted, surfaces

    def _curve_at(self, corner: str) -> str | None:
        """Find the guide of an edge that leaves the closed sides at a corner along the boundary."""
        layout = self.layout
        closed = [s for s in self.closed if corner in s]
        for name in layout.at_corner[corner]:
            if name not in self.takers:
                continue
            for edge in layout.edges_of(name):
                if corner in edge and edge in layout.follows and not any(set(edge) <= set(s) for s in closed):
                    outer = any(s in layout.outer for s in layout.sides_of(name) if set(edge) <= set(s))
                    if outer:
                        return layout.follows[edge].guide
        return None

    def _outward(self, side: Side, use: Use) -> Floats:
        """Give the unit normal (3,) of a side, away from the block behind it."""
        if side not in self.normals:
            self.normals[side] = block_normal(self.layout, use)
        return self.normals[side]


@dataclass
class _Carried:
    follows: dict[Edge, Follow]
    bends: dict[Edge, Curve]
    shares: dict[Edge, Share]
    pieces: dict[Name, tuple[Name, ...]]


def _carried(
    layout: Layout,
    guides: Mapping[str, Guide],
    corners: Mapping[str, Corner],
    takers: set[str],
    closed: dict[Side, Use],
    copies: dict[str, str],
    bow: float,
) -> _Carried:
    """Find which new edge carries on each edge of the takers, and what the edges follow afterwards.

    An edge of a closed side stays, and its copy may be bowed; any other is divided at its copies.
    """
    found = _Carried(dict(layout.follows), dict(layout.bends), {}, {})
    stays = {edge for side in closed for edge in layout.rim_of(side)}
    for edge, uses in layout.edges.items():
        if not any(block in takers for block, _ in uses):
            continue
        a, b = (copies.get(c, c) for c in edge)
        after = edge_of(a, b)
        if after == edge:
            continue
        found.shares[after] = Share(edge, same=after == (a, b))
        if edge in stays:
            shape = bowed(layout, guides, edge, corners, (a, b), bow)
            if shape is not None:
                found.bends[after] = shape
            continue
        _divided(found, layout, guides, corners, edge, list(dict.fromkeys((edge[0], a, b, edge[1]))))
    return found


def _divided(
    found: _Carried,
    layout: Layout,
    guides: Mapping[str, Guide],
    corners: Mapping[str, Corner],
    edge: Edge,
    chain: list[str],
) -> None:
    """Divide an edge at the corners of a chain from its first to its second, with what it follows."""
    parts = list(pairwise(chain))
    found.pieces[edge] = tuple(edge_of(*part) for part in parts)
    follow, bend = layout.follows.get(edge), layout.bends.get(edge)
    if follow is not None and all(
        corners[c].guide == follow.guide or isinstance(guides[follow.guide], Surface) for c in chain[1:-1]
    ):
        for part in parts:
            same = part[0] < part[1]
            found.follows[edge_of(*part)] = Follow(follow.guide, follow.forward == same)
    if bend is not None:
        inner = bend.nearest(np.array([corners[c].xyz for c in chain[1:-1]]))
        at = [0.0, *(float(s) for s in inner), 1.0]
        for part, (low, high) in zip(parts, pairwise(at), strict=True):
            if abs(high - low) > 1e-9:
                ends = (low, high) if part[0] < part[1] else (high, low)
                found.bends[edge_of(*part)] = Part(bend, *ends)


def bowed(
    layout: Layout,
    guides: Mapping[str, Guide],
    edge: Edge,
    corners: Mapping[str, Corner],
    copy: tuple[str, str],
    bow: float,
) -> Curve | None:
    """Give the curve of an edge's ``copy`` that takes over a share of its shape, scaled to its length.

    It runs from the first corner of the copy in sorted order; None where it is straight.
    """
    path = edge_path(layout, guides, edge)
    if bow == 0.0 or path.curve is None:
        return None
    start, end = (np.array(corners[c].xyz) for c in copy)
    scale = float(np.linalg.norm(end - start) / np.linalg.norm(path.end - path.start))
    chord = path.start + _BOWED[:, None] * (path.end - path.start)
    xyz = start + _BOWED[:, None] * (end - start) + bow * scale * (path.at(_BOWED) - chord)
    return Spline(xyz[::-1] if copy[0] > copy[1] else xyz, closed=False, corner_angle=60)


def _open_sides(
    layout: Layout, takers: set[str], closed: dict[Side, Use], copies: dict[str, str]
) -> tuple[dict[Side, str], dict[Name, tuple[Name, ...]]]:
    """Find the pieces of the sides the ring stays open at, and what they lie on."""
    lies: dict[Side, str] = {}
    pieces: dict[Name, tuple[Name, ...]] = {}
    rims = {
        frozenset(rim)
        for side in closed
        for rim in ((edge for edge in layout.rim_of(side)) if layout.dim == 3 else ((c,) for c in side))
    }
    for side, uses in layout.sides.items():
        if side in closed or len(uses) != 1 or uses[0].block not in takers or not set(side) & copies.keys():
            continue
        parts = [side_of(*(copies.get(c, c) for c in side))]
        own = layout.rim_of(side) if layout.dim == 3 else [(c,) for c in side]
        parts += [side_of(*rim, *(copies[c] for c in rim)) for rim in own if frozenset(rim) in rims]
        pieces[side] = tuple(parts)
        if side in layout.lies:
            lies |= dict.fromkeys(parts, layout.lies[side])
    return lies, pieces

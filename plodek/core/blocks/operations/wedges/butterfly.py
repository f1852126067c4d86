"""Butterfly: an H core inside ring blocks, in round sections, box ends, spheres, and in place of a pole."""

from __future__ import annotations

from collections.abc import Generator, Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from plodek.core.blocks.change import Change, Share
from plodek.core.blocks.edge_path import corner_at, edge_path
from plodek.core.blocks.layout import Block, Corner, Edge, Layout, Name, Side, edge_of, side_of, stable_id
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.operations.ring.ring import ring
from plodek.core.blocks.operations.ring.shapes import Carried, bowed, divided
from plodek.core.blocks.operations.wedges.tips import tips_joined
from plodek.core.blocks.soundness import check, check_shape
from plodek.core.blocks.tiers import tier_of, tiers
from plodek.core.errors import BadValue, NothingFound, Refused
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide

_ALONG = np.array([0.25, 0.5, 0.75])
#: Places of an edge along a pole from which the core's is made.
_ON_EDGE = np.linspace(0.0, 1.0, 33)


def butterfly(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    chosen: Iterable[str],
    core: float,
    *,
    open_sides: Iterable[Side] = (),
    bow: float = 0.3,
) -> Generator[Change, Layout, None]:
    """Put a butterfly core into blocks: a ring inside all of their walls, or in place of their pole.

    ``core`` is its size as a share of the way from the middle to the wall, 0 to 1. Each change is sent
    back as the layout that it came to. Raises BadValue for a core outside that, Refused where the layout
    would break.
    """
    if not 0 < core < 1:
        raise BadValue(f"the core's share is {core:g}", remedy="give a share between 0 and 1, such as 0.5")
    names = list(chosen)
    if not any(_has_pole(layout, name) for name in names):
        yield ring(
            step,
            layout,
            guides,
            names,
            where="inside",
            share=1 - core,
            open_sides=open_sides,
            bow=bow,
            straight=True,
        )
        return
    inside, alone = _sorted_out(layout, names)
    if alone:
        layout = yield _without_pole(step, layout, guides, alone, core, bow)
    if inside:
        yield from _inside(step, layout, guides, inside, core, bow)


def _sorted_out(layout: Layout, names: list[str]) -> tuple[list[str], list[str]]:
    """Tell wedges with neighbours beside their pole, into which a cut must run on, from those alone there.

    Raises Refused where a pole goes on in a block that is not chosen.
    """
    chosen = set(names)
    inside, lined = set[str](), dict[str, list[str]]()
    for name in names:
        wedge = _wedge(layout, name)
        for pole in wedge.levels:
            lined.setdefault(pole, []).append(name)
        for side in layout.sides_of(name):
            others = [use.block for use in layout.sides[side] if use.block not in chosen]
            poles = len({c for c in side if c in wedge.levels})
            if others and poles == len(wedge.levels):
                inside.add(name)
            elif others and poles:
                raise Refused(
                    f"the pole goes on in block {layout.labels[others[0]]}, which is not chosen",
                    remedy="choose all blocks along the pole",
                )
    ahead = list(inside)
    while ahead:  # what hangs together along or around a pole is cut together
        beside = {n for pole in _wedge(layout, ahead.pop()).levels for n in lined[pole]} - inside
        inside |= beside
        ahead += beside
    return [n for n in names if n in inside], [n for n in names if n not in inside]


def walls_of(layout: Layout, chosen: Iterable[str]) -> list[Side]:
    """Find the sides of blocks that a core keeps away from: the curved ones of those that bound them.

    A side is curved where one of its edges is, and in space an edge other than those of the ends of a
    tube. Where none is curved all of them are walls.
    """
    names = set(chosen)
    bound = [s for s in layout.sides if sum(use.block in names for use in layout.sides[s]) == 1]

    def bent(edge: Edge) -> bool:
        return edge in layout.follows or edge in layout.bends

    if layout.dim == 2:
        curved = [s for s in bound if bent(edge_of(*s))]
        return curved or bound
    curved = [
        s
        for s in bound
        if s in layout.lies or (any(bent(e) for e in layout.rim_of(s)) and not _is_end(layout, s))
    ]
    return curved or bound


def _is_end(layout: Layout, side: Side) -> bool:
    """Whether a side is plane, its edges too: the end of a tube."""
    xyz = layout.places(layout.ordered(side))
    normal = np.cross(xyz[3] - xyz[0], xyz[2] - xyz[1])
    normal = normal / max(float(np.linalg.norm(normal)), 1e-300)
    rim = [layout.bends[e].at(_ALONG) for e in layout.rim_of(side) if e in layout.bends]
    places = np.concatenate([xyz, *rim])
    return bool(np.abs((places - xyz[0]) @ normal).max() <= 1e-6 * layout.size())


@dataclass(frozen=True)
class _Wedge:
    """A block with a pole: ``inward`` is the axis to it, ``around`` the one that has shrunk there.

    ``levels`` gives for each corner of the pole (one in the plane, two in space) that corner and the two
    off the axis beside it.
    """

    name: str
    inward: int
    around: int
    levels: Mapping[str, tuple[str, str]]


def _has_pole(layout: Layout, name: str) -> bool:
    corners = layout.blocks[name].corners
    return len(set(corners)) < len(corners)


def _wedge(layout: Layout, name: str) -> _Wedge:
    corners = layout.blocks[name].corners
    twice = {c for c in corners if corners.count(c) > 1}
    for inward in range(layout.dim):
        for end in (0, 1):
            side = [n for n in range(len(corners)) if (n >> inward & 1) == end]
            if {corners[n] for n in side} != twice or len(twice) != layout.dim - 1:
                continue
            around = next(
                a
                for a in range(layout.dim)
                if a != inward and corners[side[0]] == corners[side[0] ^ (1 << a)]
            )
            first = [n for n in side if not n >> around & 1]
            levels = {
                corners[n]: (corners[n ^ 1 << inward], corners[n ^ 1 << inward ^ 1 << around]) for n in first
            }
            return _Wedge(name, inward, around, levels)
    raise NothingFound(
        f"block {layout.labels[name]} has no pole on one axis", remedy="choose the blocks along the axis only"
    )


def _without_pole(
    step: str, layout: Layout, guides: Mapping[str, Guide], names: list[str], core: float, bow: float
) -> Change:
    """Replace the pole of wedges alone there: their outer parts stay, a core of blocks takes the middle.

    Two neighbouring wedges make room for one core block with a corner on the axis; four around a full
    turn for one block without it.
    """
    groups: dict[tuple[str, ...], list[_Wedge]] = {}
    for name in names:
        wedge = _wedge(layout, name)
        groups.setdefault(tuple(sorted(wedge.levels)), []).append(wedge)
    made = _Core(step, layout, guides, core)
    for poles, group in groups.items():
        made.add(poles, _around(group))
    carried = Carried(dict(layout.follows), dict(layout.bends), {}, {})
    for edge in layout.edges:
        if edge[0] in made.copies and edge[1] in made.copies:
            copy = made.copies[edge[0]], made.copies[edge[1]]
            pole = made.poles[edge[0]], made.poles[edge[1]]
            if pole[0] == pole[1]:
                shape = bowed(layout, guides, edge, made.corners, copy, bow)
            else:
                shape = _beside(layout, guides, edge, pole, made.corners, copy, core)
            if shape is not None:
                carried.bends[edge_of(*copy)] = shape
    for edge, copy_there in made.divided.items():
        divided(carried, layout, guides, made.corners, edge, [edge[0], copy_there, edge[1]])
    after = replace(
        layout,
        corners=made.corners,
        blocks=made.blocks,
        follows=carried.follows,
        bends=carried.bends,
        lies=made.lies,
    ).tidied()
    check_shape(layout, check(after), "make the core smaller, or turn the plane in more parts")
    return Change(after, made.pieces, made.shares)


def _beside(
    layout: Layout,
    guides: Mapping[str, Guide],
    edge: Edge,
    pole: Edge,
    corners: Mapping[str, Corner],
    copy: Edge,
    core: float,
) -> Curve | None:
    """Give the curve of the core's edge along a pole: between that and the edge along the wall.

    It runs from the first corner of the copy in sorted order; None where it is straight.
    """
    wall, middle = (edge_path(layout, guides, edge_of(*ends)) for ends in (edge, pole))
    if wall.curve is None and middle.curve is None:
        return None
    inner = middle.at(_ON_EDGE if pole[0] < pole[1] else _ON_EDGE[::-1])
    xyz = (1.0 - core) * inner + core * wall.at(_ON_EDGE)
    start, end = (np.array(corners[c].xyz) for c in copy)
    xyz += (1.0 - _ON_EDGE[:, None]) * (start - xyz[0]) + _ON_EDGE[:, None] * (end - xyz[-1])
    return Spline(xyz[::-1] if copy[0] > copy[1] else xyz, closed=False, corner_angle=60)


def _inside(
    step: str, layout: Layout, guides: Mapping[str, Guide], names: list[str], core: float, bow: float
) -> Generator[Change, Layout, None]:
    """Replace the pole of wedges amid other blocks: cut around it, on through these, and join the tips."""
    tips = list(names)
    copies: dict[str, str] = {}
    walls: list[tuple[Edge, Curve | None]] = []
    while left := [n for n in tips if n in names]:
        wedge = _wedge(layout, left[0])
        pole, (corner, _) = next(iter(wedge.levels.items()))
        edge = edge_of(pole, corner)
        tier = tier_of(tiers(layout), edge)
        at = core if edge[0] == pole else 1.0 - core
        done = cut(f"{step}.{len(copies)}", layout, guides, tier, fractions_along(tier, at, edge))
        poles = {p for n in left for p in _wedge(layout, n).levels}
        level = {c: p for n in left for p, pair in _wedge(layout, n).levels.items() for c in pair}
        for (a, b), middle in done.middle.items():
            if a in poles or b in poles:
                copies[b if a in poles else a] = middle
        for a, b in layout.edges:
            if level.get(a, "a") != level.get(b, "b"):
                continue  # along the pole, where the cut has shaped it
            if a in copies and b in copies and edge_of(copies[a], copies[b]) in done.layout.edges:
                copy = copies[a], copies[b]
                shape = bowed(layout, guides, (a, b), done.layout.corners, copy, bow)
                walls.append((edge_of(*copy), shape))
        tips = [
            str(piece)
            for n in tips
            for piece in done.pieces.get(n, (n,))
            if poles & set(done.layout.blocks[str(piece)].corners) or piece == n
        ]
        layout = yield done
    yield _tips_closed(step, layout, tips, dict(walls))


def _tips_closed(step: str, layout: Layout, tips: list[str], shapes: Mapping[Edge, Curve | None]) -> Change:
    """Make core blocks of the tips of wedges, two by two around their poles; ``shapes`` are of their rims."""
    groups: dict[tuple[str, ...], list[_Wedge]] = {}
    for name in tips:
        wedge = _wedge(layout, name)
        groups.setdefault(tuple(sorted(wedge.levels)), []).append(wedge)
    pieces: dict[Name, tuple[Name, ...]] = {}
    bends = {edge: bend for edge, bend in layout.bends.items() if edge not in shapes}
    bends |= {edge: shape for edge, shape in shapes.items() if shape is not None}
    after = replace(layout, bends=bends)
    for poles, group in groups.items():
        order = _around(group)
        rows = {pole: _Core.row(pole, order) for pole in poles}
        for n in range(0, len(order), 2):
            rings = [(pole, row[n], row[n + 2], row[n + 1]) for pole, row in rows.items()]
            pair = [order[n].name, order[n + 1].name]
            done = tips_joined(after, stable_id(step, "core", str(n), *poles), pair, rings)
            after = done.layout
            pieces |= done.pieces
    after = after.tidied()
    check_shape(layout, check(after), "make the core smaller, or turn the plane in more parts")
    return Change(after, pieces)


def _around(group: list[_Wedge]) -> list[_Wedge]:
    """Order wedges around their axis, from an open end where there is one."""
    pole = next(iter(group[0].levels))
    at: dict[str, list[_Wedge]] = {}
    for wedge in group:
        for corner in wedge.levels[pole]:
            at.setdefault(corner, []).append(wedge)
    start = next((w for w in group if any(len(at[c]) == 1 for c in w.levels[pole])), group[0])
    order = [start]
    while len(order) < len(group):
        ahead = [w for c in order[-1].levels[pole] for w in at[c] if w not in order]
        if not ahead:
            raise Refused("the blocks around the pole do not hang together", remedy="choose all of them")
        order.append(ahead[0])
    full = all(len(wedges) == 2 for wedges in at.values())
    if len(order) % 2 or (full and len(order) < 4) or len(order) < 2:
        raise Refused(
            f"{len(order)} block{'s meet' if len(order) > 1 else ' is'} at the pole",
            remedy="choose all of them, and turn the plane in an even number of parts, 4 for a full turn; "
            "Three divides a single one",
        )
    return order


class _Core:
    def __init__(self, step: str, layout: Layout, guides: Mapping[str, Guide], share: float) -> None:
        self.step, self.layout, self.guides, self.share = step, layout, guides, share
        self.corners: dict[str, Corner] = dict(layout.corners)
        self.blocks: dict[str, Block] = dict(layout.blocks)
        self.pieces: dict[Name, tuple[Name, ...]] = {}
        self.lies: dict[Side, str] = dict(layout.lies)
        self.copies: dict[str, str] = {}
        #: The pole's corner beside each of those that were copied.
        self.poles: dict[str, str] = {}
        #: The edges from the pole to the wall, each with the corner of the core on it.
        self.divided: dict[Edge, str] = {}
        #: What is left of the edges from the pole to the wall keeps their cells there.
        self.shares: dict[Edge, Share] = {}

    def add(self, poles: tuple[str, ...], wedges: list[_Wedge]) -> None:
        """Put the core between wedges in order around their axis."""
        for wedge in wedges:
            for pole, pair in wedge.levels.items():
                for corner in pair:
                    self._copy(corner, pole)
        rows = {pole: self.row(pole, wedges) for pole in poles}
        full = all(row[0] == row[-1] for row in rows.values())
        if full and len(wedges) == 4:
            cores = [{pole: (row[0], row[1], row[3], row[2]) for pole, row in rows.items()}]
            ends = [{pole: tuple(self.copies[c] for c in four) for pole, four in cores[0].items()}]
        else:
            ends = [
                {
                    pole: (pole, *(self.copies[row[m]] for m in (n, n + 2, n + 1)))
                    for pole, row in rows.items()
                }
                for n in range(0, len(wedges), 2)
            ]
        names = [self._core_block(number, end, wedges) for number, end in enumerate(ends)]
        for n, wedge in enumerate(wedges):
            mine = min(n // 2, len(ends) - 1)
            self._outer(wedge, ends[mine], names[mine], axis_stays=len(ends) > 1 or not full)

    def _copy(self, corner: str, pole: str) -> None:
        if corner not in self.copies:
            copy = self.copies[corner] = stable_id(self.step, corner)
            self.poles[corner] = pole
            whole, left = edge_of(pole, corner), edge_of(copy, corner)
            from_pole = whole[0] == pole
            at = self.share if from_pole else 1.0 - self.share
            self.corners[copy] = corner_at(self.layout, self.guides, whole, at)
            self.divided[whole] = copy
            low, high = (self.share, 1.0) if from_pole else (0.0, 1.0 - self.share)
            self.shares[left] = Share(whole, low, high, from_pole == (left[1] == corner))

    @staticmethod
    def row(pole: str, wedges: list[_Wedge]) -> list[str]:
        """Give the corners off the axis around it; after a full turn the first again."""
        pairs = [wedge.levels[pole] for wedge in wedges]
        first = next(c for c in pairs[0] if c not in pairs[1])
        row = [first]
        for pair in pairs:
            row.append(next(c for c in pair if c != row[-1]))
        return row

    def _core_block(self, number: int, ends: Mapping[str, tuple[str, ...]], wedges: list[_Wedge]) -> str:
        corners = tuple(c for end in ends.values() for c in end)
        xyz = np.array([self.corners[c].xyz for c in corners])
        across = np.cross(xyz[1] - xyz[0], xyz[2] - xyz[0])
        size = across[2] if self.layout.dim == 2 else across @ (xyz[4] - xyz[0])
        if size < 0:  # left-handed: the first two axes change places
            corners = tuple(corners[(n & ~3) | (n & 1) << 1 | (n & 2) >> 1] for n in range(len(corners)))
        name = stable_id(self.step, "core", str(number), *ends)
        first = self.layout.blocks[wedges[0].name]
        hollow = all(self.layout.blocks[w.name].hollow for w in wedges)
        self.blocks[name] = replace(first, corners=corners, hollow=hollow)
        return name

    def _outer(
        self, wedge: _Wedge, ends: Mapping[str, tuple[str, ...]], core: str, *, axis_stays: bool
    ) -> None:
        """Cut the tip off a wedge; its sides' names go to their pieces, the core's among them."""
        old = self.blocks.pop(wedge.name)
        corners = tuple(
            self.copies[old.corners[n ^ 1 << wedge.inward]] if c in wedge.levels else c
            for n, c in enumerate(old.corners)
        )
        name = stable_id(self.step, wedge.name)
        self.blocks[name] = replace(old, corners=corners)
        self.pieces[wedge.name] = (name, core)
        for side in self.layout.sides_of(wedge.name):
            off = [c for c in dict.fromkeys(side) if c not in wedge.levels]
            poles = [c for c in dict.fromkeys(side) if c in wedge.levels]
            if not poles:
                continue
            parts = [side_of(*off, *(self.copies[c] for c in off))]
            if len(poles) == 1 and self.layout.dim == 3:  # an end of the tube
                parts.append(side_of(*ends[poles[0]]))
            elif axis_stays:  # a radial side: what is left of it at the axis
                parts.append(side_of(*poles, *(self.copies[c] for c in off)))
            self.pieces[side] = tuple(dict.fromkeys((*self.pieces.get(side, ()), *parts)))
            if side in self.layout.lies:
                self.lies |= dict.fromkeys(parts, self.layout.lies[side])

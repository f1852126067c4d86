"""Ring: wrap a layer of blocks inside or around chosen blocks, open where wished.

Every corner on a closed side gets a copy; the blocks on the ring's far side take the copies; each
closed side becomes one ring block between old corners and copies. ``inside``: the chosen blocks
take the copies. ``around``: their neighbours do, and the chosen blocks stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import combinations
from typing import Literal, TypeVar

import numpy as np

from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import (
    Block,
    Edge,
    Layout,
    Name,
    Side,
    Use,
    stable_id,
)
from plodek.core.blocks.operations.offsets import edges_off
from plodek.core.blocks.operations.ring.places import Placing, thicknesses
from plodek.core.blocks.operations.ring.shapes import carried_on, opened
from plodek.core.blocks.soundness import check, inverted, worst_corner
from plodek.core.errors import BadValue, PlodekError, Refused
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide

T = TypeVar("T")
#: Where a ring has no room, one of this share of its thickness shows whether that is why; and how often the
#: thickness that has room is halved for.
_THIN, _HALVINGS = 1e-3, 7


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
    bow: float | None = 0.0,
    straight: bool = False,
) -> Ring:
    """Wrap the ring of one layer, ``thickness`` thick in the project's unit or by ``share``.

    A share inside is that of the way to the middle between two closed sides, or to the open side
    opposite; around, that of the neighbouring block. With ``bow`` the new edges take over so much of
    the old edges' shape; without any they are as far off the sides as their ends all along. Thickness is
    the distance from the sides as their edges run at each corner, or ``straight`` from corner to corner.
    Raises BadValue for a thickness that is not positive or leaves no room, Refused where the ring would
    break the layout.
    """
    if thickness is not None and not thickness > 0:
        raise BadValue(f"the thickness is {thickness:g}", remedy="give a thickness above 0")
    if share is not None and not 0 < share < 1:
        raise BadValue(f"the share is {share:g}", remedy="give a share between 0 and 1")
    inner, size = set(chosen), thickness if thickness is not None else share
    opens = tuple(open_sides)

    def laid(size: float) -> Ring:
        thick, part = (size, None) if thickness is not None else (None, size)
        return _laid(step, layout, guides, inner, where, thick, part, opens, bow, straight=straight)

    found = laid(size or 0.0)
    if not _has_room(layout, found.layout):
        kind = "share" if thickness is None else "thickness"
        raise _no_room(layout, inner, size or 0.0, kind, lambda size: laid(size).layout)
    return found


def _laid(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    inner: set[str],
    where: Literal["inside", "around"],
    thickness: float | None,
    share: float | None,
    open_sides: tuple[Side, ...],
    bow: float | None,
    *,
    straight: bool,
) -> Ring:
    """Lay the ring, whatever room there is for it."""
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
    wanted = thicknesses(layout, takers, closed, where, thickness, share)
    placing = Placing(layout, guides, takers, closed, wanted, where, straight=straight)
    for corner, copy in copies.items():
        corners[copy] = placing.copied(corner)
    off: dict[Edge, Curve] = {}
    if bow is None:
        ends = {corner: np.array(corners[copy].xyz) for corner, copy in copies.items()}
        inwards = {side: -far for side, far in wanted.items()}
        off = edges_off(layout, guides, closed, ends, inwards, leave_out=True)
    carried = carried_on(layout, guides, corners, takers, closed, copies, 1.0 if bow is None else bow, off)
    lies, side_pieces = opened(layout, takers, closed, copies)
    after = replace(
        layout,
        corners=corners,
        blocks=moved | rings,
        follows=carried.follows,
        bends=carried.bends,
        lies=dict(layout.lies) | lies,
    ).tidied()
    check(after)
    pieces: dict[Name, tuple[Name, ...]] = {**side_pieces, **carried.pieces}
    kept = {n: p for n, p in pieces.items() if n not in after.edges and n not in after.sides}
    origins: dict[str, Name] = {copy: corner for corner, copy in copies.items()}
    return Ring(after, kept, carried.shares, origins=origins, copies=copies, blocks=tuple(rings))


def _has_room(layout: Layout, after: Layout) -> bool:
    return not inverted(after) - inverted(layout)


def _no_room(
    layout: Layout, inner: set[str], size: float, kind: str, laid: Callable[[float], Layout]
) -> PlodekError:
    """Say why a ring of some thickness or share cannot be ``laid``: by its size, or whatever that is."""
    before = inverted(layout) & {name for side in layout.sides for name in _beside(layout, side, inner)}
    if before:
        names = ", ".join(sorted(layout.labels[name] for name in before)[:4])
        return Refused(
            f"blocks beside the ring are turned inside out already ({names})",
            remedy="move their corners apart first; the Blocks stage shows where",
        )
    thin = laid(_THIN * size)
    if not _has_room(layout, thin):
        name = min(inverted(thin) - inverted(layout))
        at, near = thin.corners[worst_corner(thin, name)].xyz, 1e-9 * layout.size()
        where = ", ".join(f"{v if abs(v) > near else 0.0:.4g}" for v in at)
        return Refused(
            f"a ring of any thickness turns a block inside out at ({where}), between straight edges",
            remedy="move a corner there, leave a block out, or make the ring before what made it so",
        )
    low, high = _THIN, 1.0
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if _has_room(layout, laid(middle * size)) else (low, middle)
    most = f"{low * size:.0%}" if kind == "share" else f"{low * size:.2g}"
    told = f"{size:.0%}" if kind == "share" else f"{size:g}"
    return BadValue(
        f"a ring of thickness {told} leaves no room for the blocks beside it",
        remedy=f"make it thinner: up to {most} there is room",
    )


def _beside(layout: Layout, side: Side, inner: set[str]) -> set[str]:
    """Give the blocks at a side between chosen blocks and others."""
    names = {use.block for use in layout.sides[side]}
    return names if names & inner else set()


def _with_twins(layout: Layout, sides: set[Side]) -> set[Side]:
    """Add the twins of sides: a ring that opens on one opens on both."""
    twins = [both for _, *both in layout.twin_sides]
    return sides | {side for both in twins if sides & set(both) for side in both}


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
    return replace(taker, corners=own, hollow=solid and taker.hollow)

"""Ring: wrap a layer of blocks inside or around chosen blocks, open where wished.

Every corner on a closed side gets a copy; the blocks on the ring's far side take the copies; each
closed side becomes one ring block between old corners and copies. ``inside``: the chosen blocks
take the copies. ``around``: their neighbours do, and the chosen blocks stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Literal, TypeVar

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks import tables
from plodek.core.blocks.layout import (
    Block,
    Corner,
    Edge,
    Follow,
    Layout,
    Side,
    Use,
    edge_of,
    stable_id,
)
from plodek.core.blocks.soundness import check, inverted
from plodek.core.errors import BadValue, Refused
from plodek.core.shape.guide import Guide, curve_named

T = TypeVar("T")


@dataclass(frozen=True)
class Ring:
    """The result of a ring.

    The new ``layout``, the ``copies`` of corners, the new ``blocks``, and for each old edge that moved
    or was doubled the ``edges`` that carry on its spacing.
    """

    layout: Layout
    copies: Mapping[str, str]
    blocks: tuple[str, ...]
    edges: Mapping[Edge, Edge]


def ring(
    step: str,
    layout: Layout,
    guides: Mapping[str, Guide],
    chosen: Iterable[str],
    *,
    where: Literal["inside", "around"],
    thickness: float,
    open_sides: Iterable[Side] = (),
) -> Ring:
    """Wrap the ring of one layer at ``thickness``, in the project's unit.

    Raises BadValue for a thickness that is not positive or leaves no room, Refused where the ring
    would break the layout.
    """
    if not thickness > 0:
        raise BadValue(f"the thickness is {thickness:g}", remedy="give a thickness above 0")
    inner = set(chosen)
    takers = inner if where == "inside" else set(layout.blocks) - inner
    if not _hang_together(layout, inner, lambda _: True):
        raise Refused(
            "the chosen blocks do not hang together through their sides",
            remedy="ring each group of neighbours by itself",
        )
    closed = _closed_sides(layout, takers, where, set(open_sides))
    copies = _copies(step, layout, takers, closed)
    moved = {
        name: replace(block, corners=tuple(copies.get(c, c) for c in block.corners))
        if name in takers
        else block
        for name, block in layout.blocks.items()
    }
    rings = {stable_id(step, *side): _ring_block(layout, use, copies) for side, use in closed.items()}
    corners = dict(layout.corners)
    for corner, copy in copies.items():
        corners[copy] = _copied(layout, guides, corner, takers, closed, thickness)
    edges, follows = _carried(layout, corners, takers, copies)
    after = replace(layout, corners=corners, blocks=moved | rings, follows=follows).tidied()
    check(after)
    if inverted(after) - inverted(layout):
        raise BadValue(
            f"a ring of thickness {thickness:g} leaves no room for the blocks beside it",
            remedy="make it thinner",
        )
    return Ring(after, copies, tuple(rings), edges)


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
    corners = dict.fromkeys(c for side in closed for c in side)
    for corner in corners:
        at = [s for s in closed if corner in s]
        around = {b for b, block in layout.blocks.items() if corner in block.corners}

        def here(side: Side, corner: str = corner) -> bool:
            return corner in side

        if not (
            _one_fan(at, corner, layout.dim)
            and _hang_together(layout, around & takers, here)
            and _hang_together(layout, around - takers, here)
        ):
            raise Refused(
                f"the ring would meet itself in corner {layout.labels[corner]}",
                remedy="choose blocks that meet there through whole sides",
            )
    return {corner: stable_id(step, "copy", corner) for corner in corners}


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


def _one_fan(at: list[Side], corner: str, dim: int) -> bool:
    """Whether the closed sides at a corner are connected through edges (in the plane: are at most two)."""
    if dim == 2:
        return len(at) <= 2
    links = [(s, t) for s in at for t in at if len(set(s) & set(t) - {corner}) >= 1]
    return _connected(set(at), links)


def _connected(names: set[T], links: list[tuple[T, T]]) -> bool:
    reached = {next(iter(names))}
    while True:
        grown = reached | {b for a, b in links if a in reached} | {a for a, b in links if b in reached}
        if grown == reached:
            return reached == names
        reached = grown


def _ring_block(layout: Layout, use: Use, copies: dict[str, str]) -> Block:
    """Build the block between a closed side and its copy, with the axes of the taker behind it."""
    corners = layout.blocks[use.block].corners
    bit = 1 << use.axis
    border = [corners[(n | bit) if use.end else (n & ~bit)] for n in range(len(corners))]
    return Block(tuple(c if (n >> use.axis & 1) == use.end else copies[c] for n, c in enumerate(border)))


def _copied(
    layout: Layout,
    guides: Mapping[str, Guide],
    corner: str,
    takers: set[str],
    closed: dict[Side, Use],
    thickness: float,
) -> Corner:
    """Place a copy: ``thickness`` off every closed side at the corner, and along the open ones.

    The offset o solves n·o = thickness for the closed sides' normals and n·o = 0 for the open ones',
    with the smallest length.
    """
    normals, wanted = [], []
    guide: str | None = None
    for side, uses in layout.sides.items():
        if corner not in side:
            continue
        if side in closed:
            normals.append(-_outward(layout, side, closed[side]))
            wanted.append(thickness)
        elif len(uses) == 1 and uses[0].block in takers:
            normals.append(_outward(layout, side, uses[0]))
            wanted.append(0.0)
            follow = layout.follows.get(edge_of(*side)) if layout.dim == 2 else None
            guide = follow.guide if follow else guide
    offset = np.linalg.pinv(np.array(normals), rcond=1e-6) @ np.array(wanted)
    xyz = np.array(layout.corners[corner].xyz) + offset
    if guide is None:
        return Corner(place(xyz))
    curve = curve_named(guides, guide)
    fraction = curve.nearest(xyz[None, :])
    return Corner(place(curve.at(fraction)[0]), "guide", guide, float(fraction[0]))


def _outward(layout: Layout, side: Side, use: Use) -> Floats:
    """Give the unit normal (3,) of a side, away from the block behind it."""
    block = layout.blocks[use.block].corners
    ids = next(c for a, e, c in tables.sides(layout.dim) if (a, e) == (use.axis, use.end))
    xyz = layout.places(block[n] for n in ids)
    if layout.dim == 2:
        along = xyz[1] - xyz[0]
        normal = np.array([along[1], -along[0], 0.0])
    else:
        normal = np.cross(xyz[3] - xyz[0], xyz[2] - xyz[1])
    normal = normal / np.linalg.norm(normal)
    away = xyz.mean(axis=0) - layout.centre(use.block)
    normal = np.asarray(normal)
    return normal if float(np.dot(normal, away)) >= 0 else -normal


def _carried(
    layout: Layout, corners: Mapping[str, Corner], takers: set[str], copies: dict[str, str]
) -> tuple[dict[Edge, Edge], dict[Edge, Follow]]:
    """Find which new edge carries on each edge of the takers, and what the edges follow afterwards."""
    edges: dict[Edge, Edge] = {}
    follows = dict(layout.follows)
    for edge, uses in layout.edges.items():
        if not any(block in takers for block, _ in uses):
            continue
        after = edge_of(*(copies.get(c, c) for c in edge))
        if after == edge:
            continue
        edges[edge] = after
        follow = layout.follows.get(edge)
        doubled = [c for c in edge if c in copies]
        if follow is None or len(doubled) != 1:
            continue
        corner = doubled[0]
        if corners[copies[corner]].guide == follow.guide:  # an open side: both parts stay on its guide
            far = edge[1] if edge[0] == corner else edge[0]
            outward = follow.forward == (edge[0] == corner)  # fractions rise from the corner on
            for a, b in ((corner, copies[corner]), (copies[corner], far)):
                piece = edge_of(a, b)
                follows[piece] = Follow(follow.guide, outward == (piece[0] == a))
    return edges, follows

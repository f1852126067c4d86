"""A block from its corners, given in any order that makes sense."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from itertools import permutations

import numpy as np

from plodek.core.arrays import Floats, Ints, place
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Block, Corner, Layout, stable_id
from plodek.core.blocks.soundness import check
from plodek.core.errors import BadValue, Refused
from plodek.core.tolerances import SAME_PLACE


def block_from(step: str, layout: Layout, places: Sequence[Floats | str]) -> Change:
    """Add a block from 4 or 8 corners: ids of existing ones, or places (3,), which are pinned.

    A place where a corner is already becomes that corner. The order is found: the one that makes the
    block least skewed, with its axes nearest to x, y and z. Raises BadValue for corners that no order
    makes a block of, Refused where the block would break the layout.
    """
    dim = {4: 2, 8: 3}.get(len(places))
    if dim is None:
        raise BadValue(
            f"{len(places)} corners make no block", remedy="give 4 corners in the plane, or 8 in space"
        )
    if layout.blocks and layout.dim != dim:
        have = "plane" if layout.dim == 2 else "in space"
        raise BadValue(f"the layout is {have}", remedy=f"give {4 if layout.dim == 2 else 8} corners")
    given = [layout.places([p])[0] if isinstance(p, str) else p for p in places]
    scale = max(layout.size(), float(np.linalg.norm(np.ptp(given, axis=0))))
    ids: list[str] = []
    corners = dict(layout.corners)
    for number, (what, xyz) in enumerate(zip(places, given, strict=True)):
        if isinstance(what, str):
            ids.append(what)
            continue
        found = _there(layout, xyz, scale)
        if found is None:
            found = stable_id(step, str(number))
            corners[found] = Corner(place(xyz), "pinned")
        ids.append(found)
    if len(set(ids)) < len(ids):
        raise BadValue("two of the corners are the same place", remedy="give places apart from each other")
    order = _ordered(np.array(given))
    block = Block(tuple(ids[n] for n in order))
    blocks = dict(layout.blocks) | {stable_id(step, "block"): block}
    if any(set(b.corners) == set(block.corners) for b in layout.blocks.values()):
        raise Refused("there is already a block between these corners", remedy="choose others")
    return Change(check(replace(layout, dim=dim, corners=corners, blocks=blocks)))


def _there(layout: Layout, xyz: Floats, scale: float) -> str | None:
    if not layout.corners:
        return None
    gaps = np.linalg.norm(layout.places(layout.corners) - xyz, axis=1)
    nearest = int(np.argmin(gaps))
    return list(layout.corners)[nearest] if gaps[nearest] <= SAME_PLACE * scale else None


@cache
def _orders(count: int) -> Ints:
    """List all orders of corners (m, count) that begin with the first: turning the block gives the others."""
    return np.array([(0, *rest) for rest in permutations(range(1, count))])


@cache
def _turns(dim: int) -> Ints:
    """List the orders that turn a block (4 or 24, corners): exchange axes and flip them, right-handed."""
    found = []
    for axes in permutations(range(dim)):
        odd = np.linalg.det(np.eye(dim)[list(axes)]) < 0
        for flips in range(1 << dim):
            if (flips.bit_count() % 2 == 1) == odd:
                found.append(
                    [
                        sum(((n >> axis & 1) ^ (flips >> axis & 1)) << axes[axis] for axis in range(dim))
                        for n in range(1 << dim)
                    ]
                )
    return np.array(found)


def _ordered(xyz: Floats) -> Ints:
    """Find the best order of corners (4 or 8, 3): right-handed, the smallest corner as large as can be."""
    dim = 2 if len(xyz) == 4 else 3
    if dim == 2 and np.ptp(xyz[:, 2]) > SAME_PLACE * np.linalg.norm(np.ptp(xyz, axis=0)):
        raise BadValue("the four corners do not lie in one plane of constant z", remedy="give the same z")
    orders = _orders(len(xyz))
    worst = _worst_corner(xyz[orders], dim)
    if worst.max() <= 1e-6:
        if worst.max() >= -1e-6:
            raise BadValue(
                "three of these corners lie on one line, so that the block opens to 180° there",
                remedy="give the middle one a place off that line; a side that bends is made straight first, "
                "and then follows its guide or is bent",
            )
        raise BadValue(
            "in no order do these corners make a block that is not twisted",
            remedy="check the coordinates: a corner may lie inside the others, or two be exchanged",
        )
    best = orders[int(np.argmax(worst))]
    turned = best[_turns(dim)]
    ways = np.stack([xyz[turned[:, 1 << axis]] - xyz[turned[:, 0]] for axis in range(dim)], axis=1)
    ways /= np.linalg.norm(ways, axis=2)[:, :, None]
    along = sum(ways[:, axis, axis] for axis in range(dim))
    return np.asarray(turned[int(np.argmax(along))])


def _worst_corner(xyz: Floats, dim: int) -> Floats:
    """Give the smallest determinant of unit edges (m,) over the corners of blocks (m, corners, 3)."""
    worst = np.full(len(xyz), np.inf)
    for n in range(1 << dim):
        edges = []
        for axis in range(dim):
            way = xyz[:, n ^ (1 << axis)] - xyz[:, n]
            way = -way if n >> axis & 1 else way
            edges.append(way / np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None])
        if dim == 2:
            size = edges[0][:, 0] * edges[1][:, 1] - edges[0][:, 1] * edges[1][:, 0]
        else:
            size = np.einsum("nk,nk->n", np.cross(edges[0], edges[1]), edges[2])
        worst = np.minimum(worst, size)
    return worst

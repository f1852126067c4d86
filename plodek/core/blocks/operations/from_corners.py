"""A block from its corners, given in any order that makes sense."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import cache
from itertools import permutations

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints, place
from plodek.core.blocks import tables
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Block, Corner, Layout, stable_id
from plodek.core.blocks.soundness import check
from plodek.core.errors import BadValue, Refused
from plodek.core.tolerances import SAME_PLACE

#: In the plane a corner may be straight, or open so little beyond that the sine is above this: at a nose it
#: does so until its edges follow the guide. It is told as a finding meanwhile.
_NEARLY_STRAIGHT = -0.35


def block_from(step: str, layout: Layout, places: Sequence[Floats | str]) -> Change:
    """Add a block from 4 or 8 corners: ids of existing ones, or places (3,), which are pinned.

    A place where a corner is already becomes that corner. Two equal corners make a pinched edge, four a
    side shrunk to a point: wedges, pyramids, tetrahedra. The order is found: the one that makes the block
    least skewed, with its axes nearest to x, y and z. Raises BadValue for corners that no order makes a
    block of, Refused where the block would break the layout.
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
        found = _there(corners, xyz, scale)
        if found is None:
            found = stable_id(step, str(number))
            corners[found] = Corner(place(xyz), "pinned")
        ids.append(found)
    order = _ordered(np.array(given), ids)
    block = Block(tuple(ids[n] for n in order))
    blocks = dict(layout.blocks) | {stable_id(step, "block"): block}
    if any(set(b.corners) == set(block.corners) for b in layout.blocks.values()):
        raise Refused("there is already a block between these corners", remedy="choose others")
    return Change(check(replace(layout, dim=dim, corners=corners, blocks=blocks)))


def _there(corners: Mapping[str, Corner], xyz: Floats, scale: float) -> str | None:
    if not corners:
        return None
    gaps = np.linalg.norm(np.array([corner.xyz for corner in corners.values()]) - xyz, axis=1)
    nearest = int(np.argmin(gaps))
    return list(corners)[nearest] if gaps[nearest] <= SAME_PLACE * scale else None


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


def _ordered(xyz: Floats, ids: Sequence[str]) -> Ints:
    """Find the best order of corners (4 or 8, 3): right-handed, the smallest corner as large as can be."""
    dim = 2 if len(xyz) == 4 else 3
    if dim == 2 and np.ptp(xyz[:, 2]) > SAME_PLACE * np.linalg.norm(np.ptp(xyz, axis=0)):
        raise BadValue("the four corners do not lie in one plane of constant z", remedy="give the same z")
    orders = _orders(len(xyz))
    same = np.array([ids.index(name) for name in ids])
    orders = orders[_shrinks(orders, same)]
    if not len(orders):
        raise BadValue(
            "equal corners do not lie beside each other in any block",
            remedy="give two equal ones for an edge that shrinks to a point, four for a side",
        )
    worst = _determinants(xyz[orders], same[orders], dim).min(axis=1)
    if np.isinf(worst).all():
        raise BadValue("these corners make a flat block", remedy="give more of them places of their own")
    best = orders[int(np.argmax(worst))]
    if worst.max() <= (_NEARLY_STRAIGHT if dim == 2 else 1e-6):
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
    turned = best[_turns(dim)]
    ways = np.stack([_way(xyz[turned], dim, axis) for axis in range(dim)], axis=1)
    ways /= np.maximum(np.linalg.norm(ways, axis=2), 1e-300)[:, :, None]
    along = sum(ways[:, axis, axis] for axis in range(dim))
    return np.asarray(turned[int(np.argmax(along))])


def _way(xyz: Floats, dim: int, axis: int) -> Floats:
    """Give the direction (m, 3) of an axis of blocks (m, corners, 3): of the first edge, or of all."""
    first = xyz[:, 1 << axis] - xyz[:, 0]
    if np.linalg.norm(first, axis=1).min() > 0:
        return np.asarray(first)
    every = [xyz[:, high] - xyz[:, low] for low, high in tables.parallel(dim, axis)]
    return np.asarray(np.mean(every, axis=0))


def _shrinks(orders: Ints, same: Ints) -> Bools:
    """Tell the orders (m, corners) in which equal corners are the ends of an edge, or the corners of a side.

    ``same`` gives for each corner the first that it is equal to.
    """
    at = np.argsort(orders, axis=1)
    fits = np.ones(len(orders), dtype=bool)
    for first in np.unique(same):
        places = at[:, np.flatnonzero(same == first)]
        axes = np.bitwise_or.reduce(places ^ places[:, :1], axis=1)
        fits &= (1 << np.bitwise_count(axes)) == places.shape[1]
    return np.asarray(fits)


def _determinants(xyz: Floats, same: Ints, dim: int) -> Floats:
    """Give the determinant of unit edges at the corners of blocks (m, corners, 3), in the same shape.

    Corners at an edge that has shrunk have none, told as infinite.
    """
    found = np.full(same.shape, np.inf)
    for n in range(1 << dim):
        edges, whole = [], np.ones(len(xyz), dtype=bool)
        for axis in range(dim):
            other = n ^ (1 << axis)
            whole &= same[:, n] != same[:, other]
            way = xyz[:, other] - xyz[:, n]
            way = -way if n >> axis & 1 else way
            edges.append(way / np.maximum(np.linalg.norm(way, axis=1), 1e-300)[:, None])
        if dim == 2:
            size = edges[0][:, 0] * edges[1][:, 1] - edges[0][:, 1] * edges[1][:, 0]
        else:
            size = np.einsum("nk,nk->n", np.cross(edges[0], edges[1]), edges[2])
        found[whole, n] = size[whole]
    return found

"""What leaks in a layout: sides and corners that nearly meet, blocks that overlap, sides that meet in part.

All is looked at with straight edges, which is enough to tell what meets what.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import permutations

import numpy as np
import scipy

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.blocks.finding import Finding
from plodek.core.blocks.layout import Layout, Side, edge_of
from plodek.core.tolerances import SAME_PLACE

#: Corners this near to each other, in shares of the shortest edge at them, were most likely meant to be one.
_NEARLY = 0.01
#: Where a block is looked at for others in it, inside and on its rim; what is on the rim counts that far
#: inside the other block, in barycentric coordinates.
_INSIDE, _RIM = np.array([0.15, 0.5, 0.85]), np.array([0.0, 0.5, 1.0])
_DEEP = 0.02
#: A corner off a side by less than this share of its size lies on it; by the second, off its rim.
_ON_SIDE, _OFF_RIM = 1e-3, 0.02
#: Findings of a kind at most; more say nothing more.
_MOST = 20


def leaks(layout: Layout, broken: frozenset[str]) -> list[Finding]:
    """Find what leaks; ``broken`` blocks are turned inside out, and told already."""
    if len(layout.filled) < 2:
        return []
    near = _near_corners(layout)
    slits, joined = _slits(layout, near)
    return [*slits, *_close(layout, near, joined), *_partly(layout, near), *_overlaps(layout, broken)]


def _near_corners(layout: Layout) -> dict[tuple[str, str], float]:
    """Find pairs of corners that are nearly one place, and no edge between them, with their distances."""
    names = list(dict.fromkeys(c for block in layout.filled for c in layout.blocks[block].corners))
    number = {name: n for n, name in enumerate(names)}
    xyz = layout.places(names)
    ends = np.array([[number[a], number[b]] for a, b in layout.edges if a in number and b in number])
    lengths = np.linalg.norm(xyz[ends[:, 0]] - xyz[ends[:, 1]], axis=1)
    shortest = np.full(len(names), np.inf)
    for end in (0, 1):
        np.minimum.at(shortest, ends[:, end], lengths)
    pairs = scipy.spatial.cKDTree(xyz).query_pairs(_NEARLY * float(shortest.max()), output_type="ndarray")
    if not len(pairs):
        return {}
    away = np.linalg.norm(xyz[pairs[:, 0]] - xyz[pairs[:, 1]], axis=1)
    close = away <= _NEARLY * np.min(shortest[pairs], axis=1)
    found = {}
    for (a, b), distance in zip(pairs[close].tolist(), away[close].tolist(), strict=True):
        if edge_of(names[a], names[b]) not in layout.edges:
            found[names[a], names[b]] = distance
    return found


def _slits(
    layout: Layout, near: Mapping[tuple[str, str], float]
) -> tuple[list[Finding], set[tuple[str, str]]]:
    """Find outer sides all of whose corners nearly meet, and the pairs of corners that this tells."""
    if not near:
        return [], set()
    beside: dict[str, list[str]] = {}
    for a, b in near:
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    spot = {corner: min(corner, *others) for corner, others in beside.items()}
    by_spot: dict[Side, list[Side]] = {}
    for side in layout.outer:
        if all(corner in spot for corner in side):
            by_spot.setdefault(tuple(sorted(spot[c] for c in side)), []).append(side)
    found, told = [], set()
    for sides in by_spot.values():
        if len(sides) < 2:
            continue
        first, second = sides[:2]
        pairs = [(a, b) for a, b in near if {a, b} & set(first) and {a, b} & set(second)]
        far = max(near[pair] for pair in pairs)
        told |= set(pairs)
        if far <= SAME_PLACE * layout.size():
            continue  # their edges are told as lying on each other
        found.append(
            Finding(
                f"the sides {layout.label(first)} and {layout.label(second)} lie on each other but are not "
                f"joined, they are up to {far:.3g} apart: place one of the blocks where it is, joining "
                "corners within a little more",
                tuple(layout.outer[side].block for side in (first, second)),
                tuple(dict.fromkeys((*first, *second))),
                gap=far,
            )
        )
    return found[:_MOST], told


def _close(
    layout: Layout, near: Mapping[tuple[str, str], float], told: set[tuple[str, str]]
) -> list[Finding]:
    """Tell corners that are nearly one place, but for those of sides that lie on each other."""
    least = SAME_PLACE * layout.size()
    return [
        Finding(
            f"the corners {layout.labels[a]} and {layout.labels[b]} are only {distance:.3g} apart: "
            "join them, or move one away",
            corners=(a, b),
        )
        for (a, b), distance in near.items()
        if (a, b) not in told and distance > least
    ][:_MOST]


def _partly(layout: Layout, near: Mapping[tuple[str, str], float]) -> list[Finding]:
    """Find corners in the middle of an outer side: blocks that meet it only in part."""
    sides = list(layout.outer)
    outer = list(dict.fromkeys(c for side in sides for c in side))
    xyz = layout.places(outer)
    tree = scipy.spatial.cKDTree(xyz)
    beside: dict[str, set[str]] = {}
    for a, b in near:
        beside.setdefault(a, set()).add(b)
        beside.setdefault(b, set()).add(a)
    places = layout.places(c for side in sides for c in layout.ordered(side)).reshape(len(sides), -1, 3)
    middles = places.mean(axis=1)
    reach = np.linalg.norm(places - middles[:, None], axis=2).max(axis=1)
    found = []
    around = tree.query_ball_point(middles, reach * (1 - _OFF_RIM))
    for side, place, hits in zip(sides, places, around, strict=True):
        own = set(side).union(*(beside.get(c, ()) for c in side))
        others = [n for n in hits if outer[n] not in own]
        if not others:
            continue
        for n in np.array(others)[_lies_in(place, xyz[others])].tolist():
            block = layout.outer[side].block
            found.append(
                Finding(
                    f"corner {layout.labels[outer[n]]} lies in the middle of a side of block "
                    f"{layout.labels[block]}, so that blocks meet there only in part: cut that block there",
                    (block,),
                    (outer[n],),
                )
            )
    return found[:_MOST]


def _lies_in(side: Floats, xyz: Floats) -> Bools:
    """Say which places (n, 3) lie on a side, of corners (2, 3) or (4, 3), and off its rim."""
    if len(side) == 2:
        way = side[1] - side[0]
        share = (xyz - side[0]) @ way / (way @ way)
        off = np.linalg.norm(xyz - side[0] - share[:, None] * way, axis=1)
        on = off <= _ON_SIDE * np.linalg.norm(way)
        return np.asarray(on & (share > _OFF_RIM) & (share < 1 - _OFF_RIM))
    first, second = side[1] - side[0], side[2] - side[0]
    normal = np.cross(side[3] - side[0], side[2] - side[1])
    area = float(np.linalg.norm(normal))
    if not area > 0:
        return np.zeros(len(xyz), dtype=bool)
    near = np.abs((xyz - side.mean(axis=0)) @ normal) / area <= _ON_SIDE * np.sqrt(area)
    # Bilinear coordinates, by Newton steps from the middle; the side is nearly plane where it matters.
    u = np.full((len(xyz), 2), 0.5)
    bend = side[3] - side[1] - side[2] + side[0]
    for _ in range(8):
        at = side[0] + u[:, :1] * first + u[:, 1:] * second + u[:, :1] * u[:, 1:] * bend
        du, dv = first + u[:, 1:] * bend, second + u[:, :1] * bend
        miss = xyz - at
        aa, bb, ab = (np.einsum("nk,nk->n", p, q) for p, q in ((du, du), (dv, dv), (du, dv)))
        ra, rb = (np.einsum("nk,nk->n", miss, p) for p in (du, dv))
        det = np.where(np.abs(aa * bb - ab * ab) > 0, aa * bb - ab * ab, np.inf)
        u = np.clip(u + np.stack([bb * ra - ab * rb, aa * rb - ab * ra], axis=1) / det[:, None], -1.0, 2.0)
    # On the rim in one direction it may still be in the middle of an edge, which is told by another side.
    return np.asarray(near & np.all((u > _OFF_RIM) & (u < 1 - _OFF_RIM), axis=1))


def _overlaps(layout: Layout, broken: frozenset[str]) -> list[Finding]:
    """Find blocks that lie in each other, by places inside them."""
    names = [name for name in layout.filled if name not in broken]
    if len(names) < 2:
        return []
    count = 1 << layout.dim
    corners = layout.places(c for name in names for c in layout.blocks[name].corners).reshape(-1, count, 3)
    pairs = _boxes_that_meet(corners)
    number = {name: n for n, name in enumerate(names)}
    joined = [[number.get(use.block, -1) for use in uses] for uses in layout.sides.values() if len(uses) == 2]
    pairs = pairs[~_among(pairs, np.array(joined).reshape(-1, 2), len(names))]
    hit = np.zeros(len(pairs), dtype=bool)
    if len(pairs):
        for shares, deep in ((_INSIDE, 0.0), (_RIM, _DEEP)):
            places = _places_in(corners, layout.dim, shares)
            for one, other in ((0, 1), (1, 0)):
                hit |= _any_in(places[pairs[:, one]], corners, pairs[:, other], layout.dim, deep)
    return [
        Finding(
            f"the blocks {layout.labels[names[a]]} and {layout.labels[names[b]]} overlap: move their corners "
            "apart, or take one of them out",
            (names[a], names[b]),
        )
        for a, b in pairs[hit].tolist()
    ][:_MOST]


def _places_in(corners: Floats, dim: int, along: Floats) -> Floats:
    """Give places in blocks (n, places, 3), at shares along each axis."""
    shares = np.stack(np.meshgrid(*[along] * dim, indexing="ij"), -1).reshape(-1, dim)
    weights = np.ones((len(shares), corners.shape[1]))
    for n in range(corners.shape[1]):
        for axis in range(dim):
            weights[:, n] *= shares[:, axis] if n >> axis & 1 else 1.0 - shares[:, axis]
    return np.asarray(np.einsum("pc,nck->npk", weights, corners))


def _boxes_that_meet(places: Floats) -> Ints:
    """Give the pairs (m, 2) of groups of places whose boxes overlap, swept along the axis that parts them."""
    low, high = places.min(axis=1), places.max(axis=1)
    flat = high == low  # the plane has no depth
    slack = 1e-9 * np.ptp(places.reshape(-1, 3), axis=0)
    spread = np.ptp(low, axis=0) / np.maximum(np.mean(high - low, axis=0), 1e-300)
    axis = int(np.argmax(spread))
    order = np.argsort(low[:, axis], kind="stable")
    ends = np.searchsorted(low[order, axis], high[order, axis] - slack[axis], side="left")
    counts = np.maximum(ends - np.arange(len(order)) - 1, 0)
    first = np.repeat(np.arange(len(order)), counts)
    second = first + 1 + np.arange(len(first)) - np.repeat(np.cumsum(counts) - counts, counts)
    a, b = order[first], order[second]
    meet = (low[a] < high[b] - slack) & (low[b] < high[a] - slack) | flat[a] & flat[b]
    return np.stack([a, b], axis=1)[np.all(meet, axis=1)]


def _among(pairs: Ints, others: Ints, count: int) -> Bools:
    """Say which pairs (m, 2) of numbers below ``count`` are among others (k, 2), either way round."""
    keys = [np.min(part, axis=1) * count + np.max(part, axis=1) for part in (pairs, others)]
    return np.isin(keys[0], keys[1])


def _any_in(places: Floats, corners: Floats, blocks: Ints, dim: int, deep: float) -> Bools:
    """Say for each of ``blocks`` (m,) whether one of its places (m, p, 3) is in one of the block's simplices.

    ``corners`` (n, corners, 3) are those of all blocks; ``deep`` is how far inside, barycentric.
    """
    found = np.zeros(len(blocks), dtype=bool)
    for simplex in _simplices(dim):
        base = corners[:, simplex[0]]
        ways = np.stack([corners[:, n] - base for n in simplex[1:]], axis=-1)[:, :dim]
        sound = np.abs(np.linalg.det(ways)) > 0
        back = np.zeros(ways.shape)
        back[sound] = np.linalg.inv(ways[sound])
        away = (places - base[blocks][:, None])[..., :dim]
        shares = np.einsum("mij,mpj->mpi", back[blocks], away)
        least = np.minimum(shares.min(axis=-1), 1.0 - shares.sum(axis=-1))
        found |= sound[blocks] & np.any(least > deep, axis=1)
    return found


def _simplices(dim: int) -> Sequence[tuple[int, ...]]:
    """Give the simplices of a block along its main diagonal (Kuhn), by the numbers of corners."""
    found = []
    for order in permutations(range(dim)):
        corner, path = 0, [0]
        for axis in order:
            corner |= 1 << axis
            path.append(corner)
        found.append(tuple(path))
    return found

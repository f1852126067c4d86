"""Blocks that lie in each other: first with straight edges, then as their edges run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import permutations

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of

#: Where a block is looked at for others in it, inside and on its rim; what is on the rim counts that far
#: inside the other block, in barycentric coordinates.
_INSIDE, _RIM = np.array([0.15, 0.5, 0.85]), np.array([0.0, 0.5, 1.0])
_DEEP = 0.02
#: Blocks with curved edges are looked at again in that many pieces along each axis.
_PIECES = 5


def overlaps(layout: Layout, names: Sequence[str], paths: Mapping[Edge, EdgePath]) -> list[tuple[str, str]]:
    """Give the pairs of the blocks ``names`` that lie in each other, by places inside them.

    Neighbours, which share a side, are not looked at. Edges run along ``paths``.
    """
    if len(names) < 2:
        return []
    count = 1 << layout.dim
    corners = layout.places(c for name in names for c in layout.blocks[name].corners).reshape(-1, count, 3)
    pairs = boxes_that_meet(corners)
    number = {name: n for n, name in enumerate(names)}
    joined = [[number.get(use.block, -1) for use in uses] for uses in layout.sides.values() if len(uses) == 2]
    pairs = pairs[~_among(pairs, np.array(joined).reshape(-1, 2), len(names))]
    hit = np.zeros(len(pairs), dtype=bool)
    if len(pairs):
        for shares, deep in ((_INSIDE, 0.0), (_RIM, _DEEP)):
            places = _places_in(corners, layout.dim, shares)
            for one, other in ((0, 1), (1, 0)):
                hit |= _any_in(places[pairs[:, one]], corners, pairs[:, other], layout.dim, deep)
    found = [(names[a], names[b]) for a, b in pairs[hit].tolist()]
    return [pair for pair in found if _as_they_run(layout, pair, paths)]


def _as_they_run(layout: Layout, pair: tuple[str, str], paths: Mapping[Edge, EdgePath]) -> bool:
    """Whether two blocks still overlap with their edges as these run."""
    edges = {edge for name in pair for edge in layout.edges_of(name)}
    if all(edge not in paths or paths[edge].curve is None for edge in edges):
        return True
    pieces = [_pieces(layout, name, paths) for name in pair]
    every = np.arange(len(pieces[0]))
    for one, other in (pieces, pieces[::-1]):
        middles = np.broadcast_to(one.mean(axis=1), (len(every), len(every), 3))
        if np.any(_any_in(middles, other, every, layout.dim, _DEEP)):
            return True
    return False


def _pieces(layout: Layout, name: str, paths: Mapping[Edge, EdgePath]) -> Floats:
    """Divide a block between its edges as these run; gives the corners (n, 4 or 8, 3) of all pieces."""
    dim, corners = layout.dim, layout.blocks[name].corners
    along = np.linspace(0.0, 1.0, _PIECES + 1)
    shares = np.stack(np.meshgrid(*[along] * dim, indexing="ij"), -1)
    nodes = _places_in(layout.places(corners)[None], dim, along)[0].reshape(*shares.shape[:-1], 3)
    for axis, low, high in tables.edges(dim):
        a, b = corners[low], corners[high]
        path = paths.get(edge_of(a, b)) if a != b else None
        if path is None or path.curve is None:
            continue
        bow = path.at(along) - (path.start + along[:, None] * (path.end - path.start))
        bow = bow if a < b else bow[::-1]
        weight = np.ones(shares.shape[:-1])
        for other in range(dim):
            if other != axis:
                weight *= shares[..., other] if low >> other & 1 else 1.0 - shares[..., other]
        nodes = nodes + weight[..., None] * bow.reshape([-1 if k == axis else 1 for k in range(dim)] + [3])
    found = []
    for n in range(1 << dim):
        part = tuple(slice(1, None) if n >> axis & 1 else slice(None, -1) for axis in range(dim))
        found.append(nodes[part].reshape(-1, 3))
    return np.stack(found, axis=1)


def _places_in(corners: Floats, dim: int, along: Floats) -> Floats:
    """Give places in blocks (n, places, 3), at shares along each axis."""
    shares = np.stack(np.meshgrid(*[along] * dim, indexing="ij"), -1).reshape(-1, dim)
    weights = np.ones((len(shares), corners.shape[1]))
    for n in range(corners.shape[1]):
        for axis in range(dim):
            weights[:, n] *= shares[:, axis] if n >> axis & 1 else 1.0 - shares[:, axis]
    return np.asarray(np.einsum("pc,nck->npk", weights, corners))


def boxes_that_meet(places: Floats) -> Ints:
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

"""A plan of the topology: a sheet of blocks laid out flat, so that rings read as rings.

The corners of the boundary stand around a square, every inner one at the mean of its neighbours
(Tutte 1963, Proc. London Math. Soc. 13, 743): no two edges of a plane layout cross.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.tiers import Tier


@dataclass(frozen=True)
class Plan:
    """Blocks of a sheet with the corners (4, in order around) of each, and where these stand, 0 to 1.

    In the plane a corner is one of the layout; in space an edge that the sheet's tier runs along.
    """

    blocks: tuple[tuple[str, tuple[int, int, int, int]], ...]
    xy: Floats
    names: tuple[tuple[str, ...], ...]


def plan(layout: Layout, tier: Tier | None = None) -> Plan:
    """Lay a plane layout out flat, or in space the sheet of blocks that a tier runs through."""
    quads: list[tuple[str, list[tuple[str, ...]]]] = []
    for name, block in layout.blocks.items():
        c = block.corners
        if layout.dim == 2:
            quads.append((name, [(c[n],) for n in (0, 1, 3, 2)]))
            continue
        for axis in range(3):
            ways = [(c[a], c[b]) for a, b in tables.parallel(3, axis)]
            edges = [edge_of(a, b) for a, b in ways if a != b]
            if tier is not None and edges and edges[0] in tier.edges:
                quads.append((name, [edge_of(*ways[n]) for n in (0, 1, 3, 2)]))
    names = list(dict.fromkeys(c for _, quad in quads for c in quad))
    index = {name: n for n, name in enumerate(names)}
    cells = np.array([[index[c] for c in quad] for _, quad in quads], dtype=int).reshape(-1, 4)
    xy = _flat(cells, len(names), _start(layout, names))
    blocks = tuple((name, tuple(int(n) for n in cell)) for (name, _), cell in zip(quads, cells, strict=True))
    return Plan(blocks, xy, tuple(names))  # type: ignore[arg-type]


def clearest(layout: Layout, tiers: Sequence[Tier]) -> list[str]:
    """Order the tiers of a layout in space, that whose sheet shows most first: its rings, then its blocks."""
    shown = {}
    for tier in tiers:
        blocks: dict[Edge, set[str]] = {}
        for edge in tier.edges:
            for block, _ in layout.edges[edge]:
                blocks.setdefault(edge, set()).add(block)
        rim = {edge for side in layout.outer for edge in layout.rim_of(side) if edge in tier.edges}
        rings = sum(len(around) != 4 for edge, around in blocks.items() if edge not in rim)
        shown[tier.label] = rings, len(set().union(*blocks.values()))
    return sorted(shown, key=lambda label: shown[label], reverse=True)


def _start(layout: Layout, names: list[tuple[str, ...]]) -> Floats:
    """Give the places (n, 2) that say where around the square the boundary begins and which way it runs."""
    places = np.array([layout.places(name).mean(axis=0) for name in names]).reshape(-1, 3)
    centred = places - places.mean(axis=0) if len(places) else places
    if layout.dim == 2 or not len(places):
        return centred[:, :2]
    _, _, axes = np.linalg.svd(centred, full_matrices=False)
    return np.asarray(centred @ axes[:2].T)


def _flat(cells: np.ndarray[tuple[int, int], np.dtype[np.int64]], count: int, start: Floats) -> Floats:
    """Place the corners (count, 2) of quadrilaterals (m, 4)."""
    edges = np.sort(np.concatenate([cells[:, [k, (k + 1) % 4]] for k in range(4)]), axis=1)
    edges = edges[edges[:, 0] != edges[:, 1]]
    pairs, uses = np.unique(edges, axis=0, return_counts=True)
    loop = _longest_loop([(int(a), int(b)) for a, b in pairs[uses == 1]], start)
    if not loop:
        loop = [int(n) for n in dict.fromkeys(cells[0])] if len(cells) else []
    xy = np.full((count, 2), 0.5)
    if len(loop) < 3:
        return xy
    xy[loop] = _around_square(loop, start)
    inner = np.setdiff1d(np.arange(count), loop)
    if len(inner):
        weights = scipy.sparse.csr_matrix(
            (np.ones(2 * len(pairs)), (np.r_[pairs[:, 0], pairs[:, 1]], np.r_[pairs[:, 1], pairs[:, 0]])),
            shape=(count, count),
        )
        degree = np.maximum(np.asarray(weights.sum(axis=1)).ravel(), 1.0)
        laplace = (
            scipy.sparse.csr_matrix((degree, (np.arange(count), np.arange(count))), shape=(count, count))
            - weights
        )
        free = laplace[inner][:, inner].tocsc()
        known = laplace[inner][:, loop] @ xy[loop]
        xy[inner] = -scipy.sparse.linalg.splu(free).solve(np.asarray(known))
    return xy


def _longest_loop(edges: list[tuple[int, int]], start: Floats) -> list[int]:
    """Walk the loops of boundary edges, and give the one that encloses most, anticlockwise."""
    near: dict[int, list[int]] = {}
    for a, b in edges:
        near.setdefault(a, []).append(b)
        near.setdefault(b, []).append(a)
    best: tuple[float, list[int]] = (0.0, [])
    left = set(near)
    while left:
        loop = [min(left)]
        left.discard(loop[0])
        while True:
            ahead = [n for n in near[loop[-1]] if n in left]
            if not ahead:
                break
            loop.append(ahead[0])
            left.discard(ahead[0])
        x, y = start[loop].T
        area = 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
        if abs(area) > best[0] or not best[1]:
            best = abs(area), loop if area >= 0 else loop[::-1]
    return best[1]


def _around_square(loop: list[int], start: Floats) -> Floats:
    """Give places (n, 2) around the unit square: corners in its corners, evenly between."""
    xy = start[loop]
    size = np.maximum(np.ptp(xy, axis=0), 1e-300)
    unit = (xy - xy.min(axis=0)) / size
    wanted = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    n = len(loop)
    first = int(np.argmin(np.linalg.norm(unit - wanted[0], axis=1)))
    at = [first]
    for k in range(1, 4):
        after = [(first + m) % n for m in range(max(1, (at[-1] - first) % n + 1), n - (3 - k))]
        at.append(min(after, key=lambda m: float(np.linalg.norm(unit[m] - wanted[k]))) if after else -1)
    if n < 4 or -1 in at:
        angle = 2 * np.pi * np.arange(n) / n
        return 0.5 + 0.5 * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    found = np.empty((n, 2))
    for k in range(4):
        a, b = at[k], at[(k + 1) % 4]
        span = (b - a) % n or n
        for m in range(span):
            found[(a + m) % n] = wanted[k] + m / span * (wanted[(k + 1) % 4] - wanted[k])
    return found

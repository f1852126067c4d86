"""What makes a layout sound, checked after every operation, and what is wrong with its shape, in words."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.angles import leaving_ways
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.leaks import leaks
from plodek.core.blocks.reports import Finding
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import Refused
from plodek.core.tolerances import SAME_PLACE

_HALF = np.array([0.5])


def check(layout: Layout) -> Layout:
    """Return the layout, or raise Refused where it is broken.

    That is: a side with three blocks, a block that meets itself other than in an edge shrunk to a
    point, or two different edges between the same two corners.
    """
    for name, block in layout.blocks.items():
        if len(set(block.corners)) == len(block.corners):
            continue
        _check_shrunk(layout, name)
    for side, uses in layout.sides.items():
        if len(uses) > 2:
            blocks = ", ".join(layout.labels[use.block] for use in uses)
            raise Refused(f"one side would belong to {len(uses)} blocks ({blocks})", where=f"{side}")
        if len(uses) == 2 and uses[0].block == uses[1].block:
            raise Refused(
                f"block {layout.labels[uses[0].block]} would be its own neighbour", remedy="cut it first"
            )
    return layout


def _check_shrunk(layout: Layout, name: str) -> None:
    """Refuse a block that meets itself, except in edges shrunk to a point."""
    corners, label = layout.blocks[name].corners, layout.labels[name]
    shrunk = [(a, b) for _, a, b in tables.edges(layout.dim) if corners[a] == corners[b]]
    for corner in set(corners):
        at = [n for n, c in enumerate(corners) if c == corner]
        reached = {at[0]}
        for _ in at:
            reached |= {b for a, b in shrunk if a in reached} | {a for a, b in shrunk if b in reached}
        if reached != set(at):
            raise Refused(f"block {label} would meet itself in a corner", remedy="cut it first")
    # Sides with two corners left are edges: two edges of the block may only be one where such a side is.
    flat = [
        set(ns)
        for _, _, ns in tables.sides(layout.dim)
        if layout.dim == 3 and len({corners[n] for n in ns}) <= 2
    ]
    seen: dict[Edge, tuple[int, int]] = {}
    for _, a, b in tables.edges(layout.dim):
        if corners[a] == corners[b]:
            continue
        edge = edge_of(corners[a], corners[b])
        if edge in seen and not any({a, b, *seen[edge]} <= side for side in flat):
            raise Refused(
                f"block {label} would have two edges between the same corners", remedy="cut it first"
            )
        seen[edge] = (a, b)


def _corner_volumes(layout: Layout, names: list[str], paths: Mapping[Edge, EdgePath] | None = None) -> Floats:
    """Give the determinant of the three unit edges at every corner of blocks (n, 4 or 8).

    Straight edges, or of all filled blocks as their ``paths`` leave the corners; where one has shrunk to a
    point there is none, and 1 stands for it.
    """
    dim = layout.dim
    xyz = layout.places(c for name in names for c in layout.blocks[name].corners)
    xyz = xyz.reshape(len(names), 1 << dim, 3)
    found = np.empty((len(names), 1 << dim))
    number = {corner: k for k, corner in enumerate(layout.corners)}
    ids = np.array([[number[c] for c in layout.blocks[name].corners] for name in names])
    directions = None if paths is None else leaving_ways(layout, paths, ids)
    for n in range(1 << dim):
        ways = []
        for axis in range(dim):
            other = n ^ (1 << axis)
            way = xyz[:, other] - xyz[:, n] if directions is None else directions[axis, :, n]
            way = np.where((ids[:, n] == ids[:, other])[:, None], 0.0, way)
            ways.append(-way if n >> axis & 1 else way)
        sizes = np.stack([np.linalg.norm(way, axis=1) for way in ways])
        if dim == 2:
            volume = ways[0][:, 0] * ways[1][:, 1] - ways[0][:, 1] * ways[1][:, 0]
        else:
            volume = np.einsum("nk,nk->n", np.cross(ways[0], ways[1]), ways[2])
        whole = np.prod(sizes, axis=0)
        found[:, n] = np.where(whole > 0, volume / np.where(whole > 0, whole, 1.0), 1.0)
    return found


def inverted(layout: Layout) -> set[str]:
    """Find the filled blocks that are turned inside out at a corner, taken with straight edges."""
    if not layout.filled:
        return set()
    bad = np.any(_corner_volumes(layout, layout.filled) <= 1e-9, axis=1)
    return {name for name, is_bad in zip(layout.filled, bad, strict=True) if is_bad}


def worst_corner(layout: Layout, name: str) -> str:
    """Name the corner at which a block is nearest to being turned inside out, or is so most."""
    return layout.blocks[name].corners[int(np.argmin(_corner_volumes(layout, [name])[0]))]


def check_shape(before: Layout, after: Layout, remedy: str) -> Layout:
    """Return ``after``; raise Refused where it turns blocks inside out that were not so before."""
    new = [b for b in inverted(after) if b not in inverted(before)]
    if new:
        names = ", ".join(after.labels[b] for b in new[:4]) + (" …" if len(new) > 4 else "")
        raise Refused(f"blocks would be turned inside out ({names})", remedy=remedy)
    return after


def findings(layout: Layout, tiers: tuple[Tier, ...], paths: Mapping[Edge, EdgePath]) -> list[Finding]:
    """Tell what is wrong with a layout that is sound as such; ``paths`` are those of its edges."""
    labels = layout.labels
    found = []
    broken: set[str] = set()
    if layout.filled:
        # Bent edges may open a corner that is folded between straight ones, as at a nose.
        straight, bent = (_corner_volumes(layout, layout.filled, own) for own in (None, paths))
        volumes = np.maximum(straight, bent)
        for name, row in zip(layout.filled, volumes, strict=True):
            bad = [layout.blocks[name].corners[n] for n in np.flatnonzero(row <= 1e-9)]
            if bad:
                broken.add(name)
                where = ", ".join(labels[c] for c in dict.fromkeys(bad))
                text = f"block {labels[name]} is turned inside out at {where}: move its corners apart"
                found.append(Finding(text, (name,), tuple(dict.fromkeys(bad))))
    found += [
        Finding(
            f"tier {tier.label} comes back to itself the other way round: cut a tier that crosses it",
            edges=tuple(tier.edges),
        )
        for tier in tiers
        if tier.twisted
    ]
    for edges in _on_each_other(layout, paths):
        found.append(
            Finding(
                f"the edges {' and '.join(map(layout.label, edges))} lie on each other but are not one: "
                "join their corners, or bring back what lies between",
                edges=tuple(edges),
            )
        )
    return found + leaks(layout, frozenset(broken), paths)


def _on_each_other(layout: Layout, paths: Mapping[Edge, EdgePath]) -> list[list[Edge]]:
    """Find edges whose ends and middles are the same places, within a tolerance; each group once."""
    corners = list(layout.corners)
    if not paths or len(corners) < 2:
        return []
    near = SAME_PLACE * layout.size()
    pairs = scipy.spatial.cKDTree(layout.places(corners)).query_pairs(near, output_type="ndarray")
    if not len(pairs):
        return []  # no two corners at one place: no two edges on each other
    links = scipy.sparse.coo_array(
        (np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(corners), len(corners))
    )
    _, spots = scipy.sparse.csgraph.connected_components(links, directed=False)
    spot = dict(zip(corners, spots.tolist(), strict=True))
    by_place: dict[tuple[int, int], list[Edge]] = {}
    for edge in paths:
        low, high = sorted((spot[edge[0]], spot[edge[1]]))
        by_place.setdefault((low, high), []).append(edge)
    found = []
    for edges in by_place.values():
        if len(edges) < 2:
            continue
        middles = np.concatenate([paths[edge].at(_HALF) for edge in edges])
        alike = np.linalg.norm(middles - middles[0], axis=1) <= near
        if alike.sum() > 1:
            found.append([edge for edge, is_alike in zip(edges, alike, strict=True) if is_alike])
    return found

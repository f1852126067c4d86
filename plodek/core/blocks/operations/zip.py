"""Zip: close a block by laying one of its sides onto the opposite one. Pinch: shrink an edge to a point."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Literal

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks.change import Change, Share, renamed_pieces
from plodek.core.blocks.layout import Corner, Edge, Layout, Use, edge_of
from plodek.core.blocks.sides import opposite, side_corners
from plodek.core.blocks.soundness import check
from plodek.core.errors import Refused


def zip_blocks(
    layout: Layout, chosen: Iterable[tuple[str, Use]], keep: Literal["this", "other", "middle"] = "this"
) -> Change:
    """Close blocks; each is given with the side that is laid onto the opposite one.

    ``keep`` says whose places stay: those of the sides given, of the others, or the middle of both.
    Raises Refused where an edge of a filled neighbour would shrink (a pinch has to be asked for), or
    where the layout would break.
    """
    names: dict[str, str] = {}
    gone = set()
    places: dict[str, Corner] = {}
    for name, use in chosen:
        gone.add(name)
        near = side_corners(layout, use)
        far = side_corners(layout, opposite(layout, use)[1])
        for a, b in zip(near, far, strict=True):
            stay, go = (a, b) if keep != "other" else (b, a)
            names[go] = stay
            if keep == "middle":
                xyz = np.mean(layout.places([a, b]), axis=0)
                places[stay] = Corner(place(xyz))
    if any(stay in names for stay in names.values()):
        raise Refused(
            "the blocks would be closed onto each other",
            remedy="zip one after the other, or merge them first",
        )
    for edge, uses in layout.edges.items():
        a, b = (names.get(c, c) for c in edge)
        if a == b and any(block not in gone and not layout.blocks[block].hollow for block, _ in uses):
            labels = " and ".join(layout.labels[c] for c in edge)
            raise Refused(
                f"the edge between {labels} would shrink to a point in a neighbour",
                remedy="zip the neighbours in its row along with it, or pinch the edge if that is meant",
            )
    left = {n: b for n, b in layout.blocks.items() if n not in gone}
    if not any(not b.hollow for b in left.values()):
        raise Refused("no block would be left", remedy="leave at least one block filled")
    corners = dict(layout.corners) | places
    return replace(_joined(replace(layout, blocks=left, corners=corners), layout, names), moved=tuple(places))


def pinch(layout: Layout, edges: Iterable[Edge], keep: Literal["this", "other", "middle"] = "this") -> Change:
    """Shrink edges to a point: their first corners, their second, or the middle of both.

    Raises Refused where a block would meet itself other than in a pole or wedge.
    """
    names: dict[str, str] = {}
    corners, moved = dict(layout.corners), []
    for edge in edges:
        stay, go = edge if keep != "other" else (edge[1], edge[0])
        stay, go = names.get(stay, stay), names.get(go, go)
        if stay == go:
            continue
        names = {a: stay if b == go else b for a, b in names.items()} | {go: stay}
        if keep == "middle":
            corners[stay] = Corner(place(np.mean(layout.places(edge), axis=0)))
            moved.append(stay)
    return replace(_joined(replace(layout, corners=corners), layout, names), moved=moved)


def _joined(after: Layout, before: Layout, names: Mapping[str, str]) -> Change:
    """Let corners become one, and carry names and spacing over."""
    renamed = after.renamed(names)
    flat = [n for n, b in renamed.blocks.items() if _is_flat(renamed, n)]
    filled = [renamed.labels[n] for n in flat if not renamed.blocks[n].hollow]
    if filled:
        raise Refused(f"block {filled[0]} would be flat", remedy="zip it instead")
    left = {n: b for n, b in renamed.blocks.items() if n not in flat}
    layout = check(replace(renamed, blocks=left).tidied())
    pieces = {n: p for n, p in renamed_pieces(before, names).items() if n not in layout.edges}
    shares: dict[Edge, Share] = {}
    for edge in before.edges:
        a, b = (names.get(c, c) for c in edge)
        if a != b and edge_of(a, b) != edge:
            shares.setdefault(edge_of(a, b), Share(edge, same=a < b))
    return Change(layout, pieces, shares)


def _is_flat(layout: Layout, name: str) -> bool:
    """Whether all edges along one axis of a block have shrunk."""
    corners = layout.blocks[name].corners
    return any(
        all(corners[n] == corners[n ^ (1 << axis)] for n in range(len(corners))) for axis in range(layout.dim)
    )

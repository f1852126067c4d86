"""What edges and sides follow or lie on once a ring has moved or divided them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from plodek.core.blocks.change import Share
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Corner, Edge, Follow, Layout, Name, Side, Use, edge_of, side_of
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface

_BOWED = np.linspace(0.0, 1.0, 17)


@dataclass
class Carried:
    """What edges follow and how they are bent after a ring, whose shares they are, and what was divided."""

    follows: dict[Edge, Follow]
    bends: dict[Edge, Curve]
    shares: dict[Edge, Share]
    pieces: dict[Name, tuple[Name, ...]]


def carried_on(
    layout: Layout,
    guides: Mapping[str, Guide],
    corners: Mapping[str, Corner],
    takers: set[str],
    closed: dict[Side, Use],
    copies: dict[str, str],
    bow: float,
    off: Mapping[Edge, Curve],
) -> Carried:
    """Find which new edge carries on each edge of the takers, and what the edges follow afterwards.

    An edge of a closed side stays, and its copy runs ``off`` it or may be bowed; any other is divided at its
    copies.
    """
    found = Carried(dict(layout.follows), dict(layout.bends), {}, {})
    stays = {edge for side in closed for edge in layout.rim_of(side)}
    for edge, uses in layout.edges.items():
        if not any(block in takers for block, _ in uses):
            continue
        a, b = (copies.get(c, c) for c in edge)
        after = edge_of(a, b)
        if after == edge:
            continue
        found.shares[after] = Share(edge, same=after == (a, b))
        if edge in stays:
            shape = off.get(edge)
            if shape is None:
                shape = bowed(layout, guides, edge, corners, (a, b), bow)
            elif after != (a, b):
                shape = Part(shape, 1.0, 0.0)
            if shape is not None:
                found.bends[after] = shape
            continue
        divided(found, layout, guides, corners, edge, list(dict.fromkeys((edge[0], a, b, edge[1]))))
    return found


def divided(
    found: Carried,
    layout: Layout,
    guides: Mapping[str, Guide],
    corners: Mapping[str, Corner],
    edge: Edge,
    chain: list[str],
) -> None:
    """Divide an edge at the corners of a chain from its first to its second, with what it follows."""
    parts = list(pairwise(chain))
    found.pieces[edge] = tuple(edge_of(*part) for part in parts)
    follow, bend = layout.follows.get(edge), layout.bends.get(edge)
    if follow is not None and all(
        corners[c].guide == follow.guide or isinstance(guides[follow.guide], Surface) for c in chain[1:-1]
    ):
        for part in parts:
            same = part[0] < part[1]
            found.follows[edge_of(*part)] = Follow(follow.guide, follow.forward == same)
    if bend is not None:
        inner = bend.nearest(np.array([corners[c].xyz for c in chain[1:-1]]))
        at = [0.0, *(float(s) for s in inner), 1.0]
        for part, (low, high) in zip(parts, pairwise(at), strict=True):
            if abs(high - low) > 1e-9:
                ends = (low, high) if part[0] < part[1] else (high, low)
                found.bends[edge_of(*part)] = Part(bend, *ends)


def bowed(
    layout: Layout,
    guides: Mapping[str, Guide],
    edge: Edge,
    corners: Mapping[str, Corner],
    copy: tuple[str, str],
    bow: float,
) -> Curve | None:
    """Give the curve of an edge's ``copy`` that takes over a share of its shape, scaled to its length.

    It runs from the first corner of the copy in sorted order; None where it is straight.
    """
    path = edge_path(layout, guides, edge)
    if bow == 0.0 or path.curve is None:
        return None
    start, end = (np.array(corners[c].xyz) for c in copy)
    scale = float(np.linalg.norm(end - start) / np.linalg.norm(path.end - path.start))
    chord = path.start + _BOWED[:, None] * (path.end - path.start)
    xyz = start + _BOWED[:, None] * (end - start) + bow * scale * (path.at(_BOWED) - chord)
    return Spline(xyz[::-1] if copy[0] > copy[1] else xyz, closed=False, corner_angle=60)


def opened(
    layout: Layout, takers: set[str], closed: dict[Side, Use], copies: dict[str, str]
) -> tuple[dict[Side, str], dict[Name, tuple[Name, ...]]]:
    """Find the pieces of the sides the ring stays open at, and what they lie on."""
    lies: dict[Side, str] = {}
    pieces: dict[Name, tuple[Name, ...]] = {}
    rims = {
        frozenset(rim)
        for side in closed
        for rim in ((edge for edge in layout.rim_of(side)) if layout.dim == 3 else ((c,) for c in side))
    }
    for side, uses in layout.sides.items():
        if side in closed or len(uses) != 1 or uses[0].block not in takers or not set(side) & copies.keys():
            continue
        parts = [side_of(*(copies.get(c, c) for c in side))]
        own = layout.rim_of(side) if layout.dim == 3 else [(c,) for c in side]
        parts += [side_of(*rim, *(copies[c] for c in rim)) for rim in own if frozenset(rim) in rims]
        pieces[side] = tuple(parts)
        if side in layout.lies:
            lies |= dict.fromkeys(parts, layout.lies[side])
    return lies, pieces

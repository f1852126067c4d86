"""Bending free edges, making them straight again, and aligning corners."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, Layout
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface


def bend(layout: Layout, guides: Mapping[str, Guide], edge: Edge, points: Floats | None) -> Layout:
    """Bend a free edge through points (n, 3) from its first corner on, or smoothly into its neighbours.

    A smooth one leaves each end as the edge beyond arrives there. Raises BadValue for an edge that
    follows a guide, or a smooth one that no single edge goes on from.
    """
    if edge in layout.follows:
        raise BadValue(
            f"the edge {'–'.join(layout.labels[c] for c in edge)} follows “{layout.follows[edge].guide}”",
            remedy="choose an edge that is free",
        )
    start, end = layout.places(edge)
    if points is not None:
        curve: Curve = Spline(np.vstack([start, points, end]), closed=False, corner_angle=180)
    else:
        first, last = (_arriving(layout, guides, edge, n) for n in (0, 1))
        if first is None and last is None:
            raise BadValue("no single edge goes on from either of its ends", remedy="give points on the way")
        curve = _smooth(start, end, first, last)
    return replace(layout, bends=dict(layout.bends) | {edge: curve})


def straightened(layout: Layout, edges: Sequence[Edge]) -> Layout:
    """Make edges straight again: they follow nothing."""
    chosen = set(edges)
    return replace(
        layout,
        follows={e: f for e, f in layout.follows.items() if e not in chosen},
        bends={e: b for e, b in layout.bends.items() if e not in chosen},
    )


def _arriving(layout: Layout, guides: Mapping[str, Guide], edge: Edge, end: int) -> Floats | None:
    """Give the direction (3,) in which the layout's lines go on through one end of an edge.

    That is where one edge alone leaves the corner that shares no block with this one.
    """
    corner = edge[end]
    mine = {block for block, _ in layout.edges[edge]}
    ways = []
    near = {e for block in layout.at_corner[corner] for e in layout.edges_of(block) if corner in e}
    for other in near - {edge}:
        if mine & {block for block, _ in layout.edges[other]}:
            continue
        first, second = edge_path(layout, guides, other).directions()
        ways.append(-(first if other[0] == corner else second))
    return ways[0] if len(ways) == 1 else None


def _smooth(start: Floats, end: Floats, first: Floats | None, last: Floats | None) -> Curve:
    """Make the cubic (Hermite's form) that leaves in one direction, and arrives against the other."""
    t = np.linspace(0.0, 1.0, 17)[:, None]
    reach = float(np.linalg.norm(end - start))
    leaving = end - start if first is None else reach * first
    arriving = end - start if last is None else -reach * last
    xyz = (
        (2 * t**3 - 3 * t**2 + 1) * start
        + (t**3 - 2 * t**2 + t) * leaving
        + (3 * t**2 - 2 * t**3) * end
        + (t**3 - t**2) * arriving
    )
    return Spline(xyz, closed=False, corner_angle=180)


def aligned(
    layout: Layout, guides: Mapping[str, Guide], corners: Sequence[str], put: Callable[[Floats], Floats]
) -> Layout:
    """Put corners where ``put`` brings their places (n, 3); those on guides to the nearest place there.

    Raises BadValue where a corner is pinned.
    """
    pinned = [c for c in corners if layout.corners[c].sign == "pinned"]
    if pinned:
        raise BadValue(
            f"corner {layout.labels[pinned[0]]} is pinned", remedy="pin it elsewhere, or leave it out"
        )
    found = dict(layout.corners)
    for corner, xyz in zip(corners, put(layout.places(corners)), strict=True):
        before = found[corner]
        guide = guides.get(before.guide) if before.guide else None
        if isinstance(guide, Curve):
            fraction = guide.nearest(xyz[None, :])
            there = place(guide.at(fraction)[0])
            found[corner] = replace(before, xyz=there, fraction=float(fraction[0]))
        elif isinstance(guide, Surface):
            found[corner] = replace(before, xyz=place(guide.onto(xyz[None, :])[0]))
        else:
            found[corner] = replace(before, xyz=place(xyz))
    return replace(layout, corners=found)

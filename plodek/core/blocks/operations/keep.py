"""Keeping the shape: what an operation makes on a side that lies on a surface is put onto that surface."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Corner, Follow, Layout, Side
from plodek.core.shape.guide import Guide, surface_named
from plodek.core.shape.joined import is_own
from plodek.core.shape.surfaces.meeting import onto_all
from plodek.core.tolerances import ON_GUIDE

#: Where an edge is looked at, to see whether it lies on a surface as it is.
_ON_WAY = np.array([0.2, 0.5, 0.8])


def kept_on(
    before: Layout, layout: Layout, guides: Mapping[str, Guide], moved: Collection[str] = ()
) -> Layout:
    """Put the new corners and edges of sides that lie on surfaces onto these; ``before`` has what is old.

    Old corners in ``moved`` are put there too. Pinned corners stay, and edges and corners along a curve.
    What is on its surface already is left as it is.
    """
    new = {c for c in layout.corners if c not in before.corners or c in moved}
    layout = _corners_kept(new, layout, guides)
    sides: dict[str, list[Side]] = {}
    for side, name in layout.lies.items():
        sides.setdefault(name, []).append(side)
    for name, own in sides.items():
        layout = _edges_kept(before, layout, guides, name, own)
    return layout


def _corners_kept(new: Collection[str], layout: Layout, guides: Mapping[str, Guide]) -> Layout:
    """Put new corners that nothing else holds onto the surfaces of their sides, onto all of these at once."""
    near = ON_GUIDE * layout.size()
    on: dict[tuple[str, ...], list[str]] = {}
    for part, names in layout.surfaces_of.items():
        if isinstance(part, str) and part in new and _is_loose(layout.corners[part]):
            on.setdefault(names, []).append(part)
    corners = dict(layout.corners)
    for names, free in on.items():
        surfaces = [surface_named(guides, name) for name in names]
        own = next((n for n, surface in zip(names, surfaces, strict=True) if is_own(surface)), None)
        places = layout.places(free)
        onto = onto_all(surfaces, places)
        far = np.linalg.norm(onto - places, axis=1) > near
        for corner, xyz, is_far in zip(free, onto, far, strict=True):
            if is_far:
                corners[corner] = replace(corners[corner], xyz=place(xyz))
            if own is not None:
                corners[corner] = replace(corners[corner], sign="guide", guide=own)
    return replace(layout, corners=corners) if on else layout


def _is_loose(corner: Corner) -> bool:
    """Whether a corner is neither pinned nor on a curve."""
    return corner.sign != "pinned" and corner.fraction is None


def _edges_kept(
    before: Layout, layout: Layout, guides: Mapping[str, Guide], name: str, sides: list[Side]
) -> Layout:
    """Let new edges of sides on a surface, that are off it as they are, follow it."""
    surface = surface_named(guides, name)
    near = ON_GUIDE * layout.size()
    edges = [
        edge
        for edge in dict.fromkeys(edge for side in sides for edge in layout.rim_of(side))
        if edge not in before.edges and edge not in layout.follows
    ]
    if not edges:
        return layout
    on_way = np.concatenate([edge_path(layout, guides, edge).at(_ON_WAY) for edge in edges])
    off = np.linalg.norm(surface.onto(on_way) - on_way, axis=1).reshape(len(edges), -1).max(axis=1) > near
    follows = {edge: Follow(name, True) for edge, is_off in zip(edges, off, strict=True) if is_off}
    return replace(layout, follows=dict(layout.follows) | follows) if follows else layout

"""Four: a block with the shape of a tetrahedron becomes four that meet in its middle, one at each corner."""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from plodek.core.arrays import place
from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Corner, Edge, Layout, edge_of, side_of, stable_id
from plodek.core.blocks.operations.cut import cut, fractions_along
from plodek.core.blocks.operations.wedges.tips import Ring, blocks_joined, faces_joined, tips_joined
from plodek.core.blocks.soundness import check
from plodek.core.blocks.tiers import tier_of, tiers
from plodek.core.errors import Refused
from plodek.core.shape.guide import Guide, surface_named
from plodek.core.shape.surfaces.meeting import onto_all


def is_tetrahedron(layout: Layout, name: str) -> bool:
    """Whether a block of space has four corners: one that a side has shrunk to, one that an edge has."""
    corners = layout.blocks[name].corners
    return sorted(corners.count(c) for c in set(corners)) == [1, 1, 2, 4]


def quarters(
    step: str, layout: Layout, guides: Mapping[str, Guide], name: str
) -> Generator[Change, Layout, None]:
    """Cut the three tiers of a tetrahedron in the middle, and join what meets at its shrunk corners.

    The cuts run on through the neighbours. Each change is sent back as the layout that it came to. Raises
    Refused where a triangle at the apex has a neighbour, whose own triangles the new faces would not meet.
    """
    corners = layout.blocks[name].corners
    apex, tip = (next(c for c in corners if corners.count(c) == count) for count in (4, 2))
    first, second = (c for c in dict.fromkeys(corners) if corners.count(c) == 1)
    for low, high in ((tip, first), (tip, second), (first, second)):
        for use in layout.sides.get(side_of(apex, apex, low, high), ()):
            if use.block != name:
                raise Refused(
                    f"block {layout.labels[use.block]} meets the tetrahedron in a triangle",
                    remedy="take that block out, divide this one, and lay it again on the new sides",
                )
    parts, middle = [name], dict[Edge, str]()
    for number, ends in enumerate(((first, apex), (tip, first), (first, second))):
        edge = edge_of(*ends)
        tier = tier_of(tiers(layout), edge)
        done = cut(f"{step}.{number}", layout, guides, tier, fractions_along(tier, 0.5, edge))
        layout = yield done
        middle |= done.middle
        parts = [str(piece) for n in parts for piece in done.pieces.get(n, (n,))]

    def between(one: str, other: str) -> str:
        return middle[edge_of(one, other)]

    base = [tip, first, second]
    half = [between(corner, apex) for corner in base]  # the section halfway up
    rings: list[Ring] = []
    for t, f, s in (base, half):
        one, other = between(t, f), between(t, s)
        rings.append((t, one, other, between(one, other)))
    up: list[Ring] = [
        (apex, half[a], half[b], between(half[a], half[b])) for a, b in ((0, 1), (0, 2), (1, 2))
    ]
    # The middles of faces lie in the mean of the middles of their edges, which run on curved walls too.
    rim = [between(base[a], base[b]) for a, b in ((0, 1), (0, 2), (1, 2))]
    moved = {rings[0][3]: rim, rings[1][3]: [*rim, *half]}
    moved |= {ring[3]: [side, *ring[1:3]] for ring, side in zip(up, rim, strict=True)}
    # Edges to them are straight, or run on their surfaces: the shapes that the cuts gave them lead elsewhere.
    bends = {edge: bend for edge, bend in layout.bends.items() if not moved.keys() & set(edge)}
    corners_there = dict(layout.corners) | _centred(layout, guides, moved)
    layout = replace(layout, corners=corners_there, bends=bends)
    tips = [n for n in parts if layout.blocks[n].corners.count(tip) == 2]
    tops = [n for n in parts if apex in layout.blocks[n].corners]
    lower = tips_joined(layout, stable_id(step, "tip"), tips, rings)
    order = [apex, half[0], half[1], up[0][3], half[2], up[1][3], up[2][3], rings[1][3]]
    ways = layout.places([order[1], order[2], order[4]]) - layout.places([apex])
    if np.linalg.det(ways) < 0:
        order = [order[n] for n in (0, 2, 1, 3, 4, 6, 5, 7)]
    upper = blocks_joined(lower.layout, stable_id(step, "apex"), tops, order, faces_joined(up))
    yield Change(check(upper.layout.tidied()), {**lower.pieces, **upper.pieces})


def _centred(
    layout: Layout, guides: Mapping[str, Guide], moved: Mapping[str, Sequence[str]]
) -> dict[str, Corner]:
    """Put corners into the middle of others, on the surfaces that they lie on."""
    found = {}
    for corner, others in moved.items():
        mean = layout.places(others).mean(axis=0)[None]
        on = layout.surfaces_of.get(corner, ())
        xyz = onto_all([surface_named(guides, name) for name in on], mean) if on else mean
        found[corner] = Corner(place(xyz[0]))
    return found

"""Tips: two three-sided blocks that share a tip and a side between them become one with four sides."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import TypeAlias

import numpy as np

from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Layout, Name, Side, side_of

#: The corners of what becomes one face: the tip, the outer ones of two triangles there, and the one of both.
Ring: TypeAlias = tuple[str, str, str, str]


def tips_joined(layout: Layout, joined: str, pair: Sequence[str], rings: Sequence[Ring]) -> Change:
    """Make the block ``joined`` of a pair; ``rings`` has one face in the plane, in space one for each end.

    What the triangles at the ends lie on, their face lies on. The layout is not checked yet.
    """
    faces = faces_joined(rings) if layout.dim == 3 else {}
    first = layout.places(rings[0])
    ways = first[1:3] - first[0]
    up = np.array([0.0, 0.0, 1.0]) if len(rings) == 1 else layout.places([rings[1][0]])[0] - first[0]
    if np.cross(*ways) @ up < 0:
        rings = [(tip, other, one, middle) for tip, one, other, middle in rings]
    return blocks_joined(layout, joined, pair, [c for ring in rings for c in ring], faces)


def faces_joined(rings: Iterable[Ring]) -> dict[Side, Side]:
    """Give the face that each of two triangles at a tip becomes a part of."""
    return {
        side_of(tip, tip, outer, middle): side_of(tip, one, other, middle)
        for tip, one, other, middle in rings
        for outer in (one, other)
    }


def blocks_joined(
    layout: Layout, joined: str, parts: Sequence[str], corners: Sequence[str], faces: dict[Side, Side]
) -> Change:
    """Make one block of several, between corners in logical order; ``faces`` are what their sides become."""
    lies = dict(layout.lies) | {face: layout.lies[old] for old, face in faces.items() if old in layout.lies}
    block = replace(layout.blocks[parts[0]], corners=tuple(corners))
    blocks = {n: b for n, b in layout.blocks.items() if n not in parts} | {joined: block}
    pieces: dict[Name, tuple[Name, ...]] = {old: (face,) for old, face in faces.items()}
    pieces |= dict.fromkeys(parts, (joined,))
    return Change(replace(layout, blocks=blocks, lies=lies), pieces)

"""The frame: the first block, a rectangle by exact coordinates."""

from __future__ import annotations

from plodek.core.arrays import Place
from plodek.core.blocks.layout import Block, Corner, Layout, stable_id
from plodek.core.errors import BadValue


def rectangle(step: str, corner: Place, width: float, height: float) -> Layout:
    """Make the layout of one rectangular block, its four corners pinned. Raises BadValue for no size."""
    for name, value in (("width", width), ("height", height)):
        if not value > 0:
            raise BadValue(f"the {name} is {value:g}", remedy=f"give a {name} above 0")
    x, y, z = corner
    corners = {
        stable_id(step, str(n)): Corner((x + (n & 1) * width, y + (n >> 1) * height, z), "pinned")
        for n in range(4)
    }
    return Layout(2, corners, {stable_id(step, "block"): Block(tuple(corners))})

"""What makes a layout sound, checked after every operation."""

from __future__ import annotations

import numpy as np

from plodek.core.blocks import tables
from plodek.core.blocks.layout import Layout, edge_of
from plodek.core.errors import Refused


def check(layout: Layout) -> Layout:
    """Return the layout, or raise Refused where it is broken.

    That is: a side with three blocks, a block with two equal corners, or two different edges between
    the same two corners.
    """
    for name, block in layout.blocks.items():
        if len(set(block.corners)) < len(block.corners):
            raise Refused(f"block {layout.labels[name]} would meet itself in a corner", remedy="cut it first")
        found = {edge_of(block.corners[a], block.corners[b]) for _, a, b in tables.edges(layout.dim)}
        if len(found) < len(tables.edges(layout.dim)):
            raise Refused(
                f"block {layout.labels[name]} would have two edges between the same corners",
                remedy="cut it first",
            )
    for side, uses in layout.sides.items():
        if len(uses) > 2:
            blocks = ", ".join(layout.labels[use.block] for use in uses)
            raise Refused(f"one side would belong to {len(uses)} blocks ({blocks})", where=f"{side}")
    return layout


def inverted(layout: Layout) -> set[str]:
    """Find the filled plane blocks that are turned inside out at a corner, taken with straight edges."""
    if layout.dim != 2 or not layout.filled:
        return set()
    xyz = np.array([layout.places(layout.blocks[b].corners) for b in layout.filled])[:, :, :2]
    u_low, u_high = xyz[:, 1] - xyz[:, 0], xyz[:, 3] - xyz[:, 2]
    v_low, v_high = xyz[:, 2] - xyz[:, 0], xyz[:, 3] - xyz[:, 1]
    areas = np.stack(
        [u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0] for u in (u_low, u_high) for v in (v_low, v_high)],
        axis=1,
    )
    bad = np.any(areas <= 0, axis=1)
    return {name for name, is_bad in zip(layout.filled, bad, strict=True) if is_bad}

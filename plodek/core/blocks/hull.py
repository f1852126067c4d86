"""Which outer sides of a layout lie inside the hull of the domain: bodies in it, its hollows, slits."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy

from plodek.core.blocks.layout import Layout, Side

#: A side whose middle is farther inside than this share of the layout's size is none of the hull.
_INSIDE = 1e-3
#: So many sides are held against all planes of the hull at once.
_AT_ONCE = 1000


def inside_hull(layout: Layout, sides: Sequence[Side]) -> list[Side]:
    """Give those of ``sides`` whose middles lie inside the convex hull of all corners.

    The hull by Quickhull (Barber, Dobkin & Huhdanpaa 1996, ACM Trans. Math. Softw. 22, 469), of scipy.
    """
    if not sides:
        return []
    dim = layout.dim
    corners = layout.places(c for block in layout.filled for c in layout.blocks[block].corners)[:, :dim]
    planes = scipy.spatial.ConvexHull(np.unique(corners, axis=0)).equations
    middles = np.array([layout.places(side).mean(axis=0)[:dim] for side in sides])
    deep = -_INSIDE * layout.size()
    found: list[Side] = []
    for start in range(0, len(sides), _AT_ONCE):
        off = np.max(middles[start : start + _AT_ONCE] @ planes[:, :dim].T + planes[:, dim], axis=1)
        found += [sides[start + n] for n in np.flatnonzero(off < deep).tolist()]
    return found

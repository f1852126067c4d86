"""The path of a block edge: straight between its corners, or along the guide it follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Corner, Edge, Layout
from plodek.core.errors import BadValue
from plodek.core.shape.curve import Curve
from plodek.core.shape.guide import Guide, curve_named


def fraction_of(corner: Corner, name: str, curve: Curve) -> float:
    """Give the fraction at which a corner sits on a guide; a pinned one by its nearest place."""
    if corner.guide == name and corner.fraction is not None:
        return corner.fraction
    return float(curve.nearest(np.array([corner.xyz]))[0])


@dataclass(frozen=True)
class EdgePath:
    """An edge from its first corner (sorted order) to its second: ``start`` and ``end`` are (3,)."""

    start: Floats
    end: Floats
    curve: Curve | None = None
    from_fraction: float = 0.0
    span: float = 0.0

    @property
    def length(self) -> float:
        """Arc length, in the project's unit."""
        if self.curve is None:
            return float(np.linalg.norm(self.end - self.start))
        return abs(self.span) * self.curve.length

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,); 0 and 1 are the corners' places exactly."""
        if self.curve is None:
            xyz = self.start + s[:, None] * (self.end - self.start)
        else:
            xyz = self.curve.at(self.from_fraction + s * self.span)
        xyz[s == 0.0] = self.start
        xyz[s == 1.0] = self.end
        return xyz

    def nearest(self, xyz: Floats) -> float:
        """Give the fraction of the edge, 0 to 1, nearest to one place (3,)."""
        if self.curve is None:
            step = self.end - self.start
            return float(np.clip(np.dot(xyz - self.start, step) / np.dot(step, step), 0.0, 1.0))
        away = float(self.curve.nearest(xyz[None, :])[0]) - self.from_fraction
        if self.curve.closed:
            away = away % 1.0 if self.span > 0 else -(-away % 1.0)
        return min(max(away / self.span, 0.0), 1.0)


def edge_path(layout: Layout, guides: Mapping[str, Guide], edge: Edge) -> EdgePath:
    """Make the path of an edge. Raises BadValue where its ends sit at one place of the guide."""
    first, second = (layout.corners[c] for c in edge)
    start, end = np.array(first.xyz), np.array(second.xyz)
    follow = layout.follows.get(edge)
    if follow is None:
        return EdgePath(start, end)
    curve = curve_named(guides, follow.guide)
    f0, f1 = (fraction_of(c, follow.guide, curve) for c in (first, second))
    span = f1 - f0
    if curve.closed:
        span = span % 1.0 if follow.forward else -(-span % 1.0)
    if span == 0.0:
        names = " and ".join(layout.labels[c] for c in edge)
        raise BadValue(
            f"the corners {names} sit at the same place of “{follow.guide}”",
            remedy="slide one of them",
        )
    return EdgePath(start, end, curve, f0, span)

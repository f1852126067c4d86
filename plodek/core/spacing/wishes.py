"""Wanted cell sizes: everywhere, on guides or patches, or in a region. The finest wish wins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from plodek.core.arrays import Bools, Floats, Place
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface

#: Places along an edge at which it is asked whether it is in a region.
_LOOKS = np.linspace(0.0, 1.0, 17)


class Region(Protocol):
    """A part of space."""

    def holds(self, xyz: Floats) -> Bools:
        """Whether places (n, 3) are in it (n,)."""
        ...


@dataclass(frozen=True)
class Box:
    """All between two opposite corners."""

    low: Place
    high: Place

    def holds(self, xyz: Floats) -> Bools:
        """Whether places (n, 3) are in it (n,)."""
        low, high = np.minimum(self.low, self.high), np.maximum(self.low, self.high)
        return np.asarray(np.all((xyz >= low) & (xyz <= high), axis=1))


@dataclass(frozen=True)
class Ball:
    """All within a radius of a centre."""

    centre: Place
    radius: float

    def holds(self, xyz: Floats) -> Bools:
        """Whether places (n, 3) are in it (n,)."""
        return np.asarray(np.linalg.norm(xyz - self.centre, axis=1) <= self.radius)


@dataclass(frozen=True)
class Near:
    """All within a distance of a guide."""

    guide: Curve | Surface
    distance: float

    def holds(self, xyz: Floats) -> Bools:
        """Whether places (n, 3) are in it (n,)."""
        guide = self.guide
        on = guide.at(guide.nearest(xyz)) if isinstance(guide, Curve) else guide.onto(xyz)
        return np.asarray(np.linalg.norm(xyz - on, axis=1) <= self.distance)


@dataclass(frozen=True)
class Wish:
    """A wanted cell size: everywhere, or on what lies on a guide or patch, or in a region."""

    size: float
    guide: str | None = None
    patch: str | None = None
    region: Region | None = None


def wanted_sizes(
    paths: Mapping[Edge, EdgePath],
    wishes: Sequence[Wish],
    on_guide: Mapping[str, set[Edge]],
    on_patch: Mapping[str, set[Edge]],
) -> dict[Edge, float]:
    """Give the finest size wished on each edge that a wish reaches."""
    found: dict[Edge, float] = {}
    for wish in wishes:
        if wish.region is not None:
            reached = _reached(paths, wish.region)
        elif wish.guide is not None:
            reached = on_guide.get(wish.guide, set())
        elif wish.patch is not None:
            reached = on_patch.get(wish.patch, set())
        else:
            reached = set(paths)
        for edge in paths:
            if edge in reached:
                found[edge] = min(wish.size, found.get(edge, wish.size))
    return found


def _reached(paths: Mapping[Edge, EdgePath], region: Region) -> set[Edge]:
    if not paths:
        return set()
    xyz = np.concatenate([path.at(_LOOKS) for path in paths.values()])
    # What a region has of an edge is more than its end, which it may only touch.
    inside = np.any(region.holds(xyz).reshape(len(paths), len(_LOOKS))[:, 1:-1], axis=1)
    return {edge for edge, within in zip(paths, inside.tolist(), strict=True) if within}

"""What every guide curve offers to the later stages, and named guide points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol, TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Place


class Curve(Protocol):
    """A curve in space, addressed by the fraction ``s`` of its arc length.

    On a closed curve fractions wrap: ``s`` and ``s + 1`` are the same place. On an open one they
    must lie within 0 to 1.
    """

    @property
    def length(self) -> float:
        """Arc length, in the project's unit."""

    @property
    def closed(self) -> bool:
        """Whether the end meets the start."""

    @property
    def corners(self) -> Floats:
        """Fractions of the sharp corners and, on an open curve, of both ends; (n,), rising."""

    @property
    def points(self) -> Floats:
        """The places the curve was made from, (n, 3)."""

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""

    def tangent(self, s: Floats) -> Floats:
        """Give the unit tangents (n, 3) at the fractions ``s`` (n,); after the turn at a corner."""

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the places on the curve nearest to ``xyz`` (n, 3)."""


@dataclass(frozen=True)
class Point:
    """A guide point."""

    xyz: Place


Guide: TypeAlias = Curve | Point


def wrapped(s: Floats, closed: bool) -> Floats:
    """Bring fractions into 0 to 1: by whole turns on a closed curve, and by round-off only on an open one."""
    if closed:
        return s - np.floor(s)
    return np.clip(s, 0.0, 1.0)


def drawn(curve: Curve, most: int = 400) -> Floats:
    """Give places (n, 3) that draw the curve: even steps plus its sharp corners."""
    even = np.linspace(0.0, 1.0, most + 1)
    inner = curve.corners[(curve.corners > 0) & (curve.corners < 1)]
    return curve.at(np.union1d(even, inner))

"""What every guide curve offers to the later stages."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats

#: A place on a curve and its first and second derivative, each (n, 3).
Jet: TypeAlias = tuple[Floats, Floats, Floats]


class Curve(ABC):
    """A curve in space, addressed by the fraction ``s`` of its arc length.

    On a closed curve fractions wrap: ``s`` and ``s + 1`` are the same place. On an open one they
    must lie within 0 to 1.
    """

    #: Arc length, in the project's unit.
    length: float
    #: Whether the end meets the start.
    closed: bool
    #: The places the curve was made from, (n, 3).
    points: Floats

    @property
    @abstractmethod
    def corners(self) -> Floats:
        """Fractions of the sharp corners and, on an open curve, of both ends; (n,), rising."""

    @abstractmethod
    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""

    @abstractmethod
    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction ``s``; after the turn at a corner."""

    @abstractmethod
    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the places on the curve nearest to ``xyz`` (n, 3)."""

    def tangent(self, s: Floats) -> Floats:
        """Give the unit tangents (n, 3) at the fractions ``s`` (n,); after the turn at a corner."""
        first = self.derivatives(s)[1]
        return np.asarray(first / np.linalg.norm(first, axis=1)[:, None])

    def curvature(self, s: Floats) -> Floats:
        """Give one over the radius of curvature (n,), 0 where straight, at the fractions ``s`` (n,)."""
        return np.asarray(np.linalg.norm(self.derivatives(s)[2], axis=1) / self.length**2)

    def start(self) -> Floats:
        """Give the place (3,) where the curve begins."""
        return np.asarray(self.at(np.zeros(1))[0])

    def end(self) -> Floats:
        """Give the place (3,) where the curve ends; its start, where closed."""
        return np.asarray(self.at(np.ones(1))[0])


def wrapped(s: Floats, closed: bool) -> Floats:
    """Bring fractions into 0 to 1: by whole turns on a closed curve, and by round-off only on an open one."""
    if closed:
        return s - np.floor(s)
    return np.clip(s, 0.0, 1.0)


def drawn(curve: Curve, most: int = 400) -> Floats:
    """Give places (n, 3) that draw the curve: even steps plus its sharp corners."""
    straight = float(np.max(curve.curvature(np.linspace(0.01, 0.99, 25)))) == 0.0
    even = np.array([0.0, 1.0]) if straight else np.linspace(0.0, 1.0, most + 1)
    inner = curve.corners[(curve.corners > 0) & (curve.corners < 1)]
    return curve.at(np.union1d(even, inner))

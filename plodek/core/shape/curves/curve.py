"""What every guide curve offers to the later stages."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TypeAlias

import numpy as np
from propcache.api import cached_property

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

    @property
    def joints(self) -> Floats:
        """Rising fractions, both ends included, between which the curve is given by one smooth formula."""
        return np.union1d(self.corners, [0.0, 1.0])

    def steps(self, s: Floats) -> Floats | None:
        """Give how many steps (n,) of the nodes that the curve was received with lie before ``s`` (n,).

        None where it was made otherwise.
        """
        return None

    def tangent(self, s: Floats) -> Floats:
        """Give the unit tangents (n, 3) at the fractions ``s`` (n,); after the turn at a corner."""
        first = self.derivatives(s)[1]
        return np.asarray(first / np.linalg.norm(first, axis=1)[:, None])

    def curvature(self, s: Floats) -> Floats:
        """Give one over the radius of curvature (n,), 0 where straight, at the fractions ``s`` (n,)."""
        return np.asarray(np.linalg.norm(self.derivatives(s)[2], axis=1) / self.length**2)

    @cached_property
    def drawing(self) -> Floats:
        """Places (n, 3) that draw the curve."""
        return drawn(self)

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


def drawn(curve: Curve, turn: float = 4.0) -> Floats:
    """Give places (n, 3) that draw the curve, with at most about ``turn`` degrees from piece to piece."""
    s = np.linspace(0.0, 1.0, 129)
    bend = curve.curvature(np.clip(s, 1e-9, 1 - 1e-9)) * curve.length
    weight = np.concatenate([[0.0], np.cumsum(0.5 * (bend[1:] + bend[:-1]) * np.diff(s))])
    count = int(np.clip(np.ceil(np.degrees(weight[-1]) / turn), 1, 2000))
    # Steps as even as the turning allows, and never longer than a 32nd of a bent curve.
    even = np.interp(np.linspace(0.0, weight[-1], count + 1), weight, s) if weight[-1] > 1e-9 else s[[0, -1]]
    bent = np.linspace(0.0, 1.0, 33) if weight[-1] > 1e-9 else s[[0, -1]]
    inner = curve.corners[(curve.corners > 0) & (curve.corners < 1)]
    return curve.at(np.unique(np.concatenate([even, bent, inner])))

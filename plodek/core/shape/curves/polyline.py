"""Straight pieces: a polyline, and with two points a line."""

from __future__ import annotations

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Curve, Jet, wrapped

#: Places are compared with all pieces in portions of about this many pairs, to bound memory.
_PAIRS = 4_000_000


class Polyline(Curve):
    """Straight pieces between ``points`` (n, 3); ``closed`` adds the piece back to the start."""

    def __init__(self, points: Floats, *, closed: bool = False) -> None:
        ring = np.vstack([points, points[:1]]) if closed else points
        steps = np.diff(ring, axis=0)
        lengths = np.linalg.norm(steps, axis=1)
        if len(lengths) == 0 or not np.all(lengths > 0):
            raise BadValue(
                "two neighbouring points of the line are the same place",
                remedy="take out one of them",
            )
        self.points = np.array(points)
        self.closed = closed
        self._ring = ring
        self._steps = steps
        self._ends = np.concatenate([[0.0], np.cumsum(lengths)])
        self.length = float(self._ends[-1])

    @cached_property
    def corners(self) -> Floats:
        """Fractions of all points."""
        fractions = self._ends / self.length
        return fractions[:-1] if self.closed else fractions

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        piece, part = self._located(s)
        return np.asarray(self._ring[piece] + part[:, None] * self._steps[piece])

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction ``s``; the second is 0."""
        piece, part = self._located(s)
        steps = self._steps[piece]
        place = self._ring[piece] + part[:, None] * steps
        first = self.length * steps / np.linalg.norm(steps, axis=1)[:, None]
        return place, first, np.zeros_like(place)

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places, by projection on every piece."""
        portion = max(1, _PAIRS // len(self._steps))
        parts = [self._nearest(xyz[i : i + portion]) for i in range(0, len(xyz), portion)]
        return np.concatenate(parts) if parts else np.empty(0)

    def _nearest(self, xyz: Floats) -> Floats:
        offset = xyz[:, None, :] - self._ring[None, :-1, :]
        squares = np.einsum("pk,pk->p", self._steps, self._steps)
        part = np.clip(np.einsum("npk,pk->np", offset, self._steps) / squares, 0.0, 1.0)
        gap = offset - part[:, :, None] * self._steps
        best: Ints = np.argmin(np.einsum("npk,npk->np", gap, gap), axis=1)
        along = part[np.arange(len(xyz)), best] * np.sqrt(squares[best])
        return np.asarray((self._ends[best] + along) / self.length)

    def _located(self, s: Floats) -> tuple[Ints, Floats]:
        along = wrapped(s, self.closed) * self.length
        piece = np.clip(np.searchsorted(self._ends, along, side="right") - 1, 0, len(self._steps) - 1)
        part = (along - self._ends[piece]) / (self._ends[piece + 1] - self._ends[piece])
        return piece, part


def line(start: Floats, end: Floats) -> Polyline:
    """Make the straight line from ``start`` to ``end``, each (3,)."""
    return Polyline(np.vstack([start, end]))


def turns(points: Floats, *, closed: bool) -> tuple[Floats, Bools]:
    """Give the turning angle in degrees (n,) at each point of a chain, and which points have one."""
    before = points - np.roll(points, 1, axis=0)
    after = np.roll(points, -1, axis=0) - points
    norms = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    has = np.ones(len(points), dtype=bool)
    if not closed:
        has[[0, -1]] = False
    cosine = np.einsum("nk,nk->n", before, after) / np.where(norms > 0, norms, 1.0)
    return np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))), has

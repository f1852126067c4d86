"""Curves made of others: several joined into one, a part of one, and one moved."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, Ints
from plodek.core.errors import BadValue
from plodek.core.shape.closest import CurveSearch
from plodek.core.shape.curves.curve import Curve, Jet, wrapped
from plodek.core.shape.move import Move
from plodek.core.tolerances import SHARP

#: A fraction that is as good as none, to stay on one side of a corner.
_BEFORE = 1e-12


class Joined(Curve):
    """Open curves end to end, each turned round where that lets it meet the one before.

    ``gap`` is the largest distance between ends that counts as meeting, in the project's unit. Raises
    BadValue where they do not meet, naming the pieces by their number, or where one is closed.
    """

    def __init__(self, pieces: Sequence[Curve], gap: float) -> None:
        if any(piece.closed for piece in pieces):
            number = next(n for n, piece in enumerate(pieces) if piece.closed)
            raise BadValue(f"curve {number + 1} is closed", remedy="divide it first, or leave it out")
        chain = _in_line(pieces, gap)
        self._pieces = chain
        lengths = np.array([piece.length for piece in chain])
        self._ends = np.concatenate([[0.0], np.cumsum(lengths)])
        self.length = float(self._ends[-1])
        self.closed = bool(len(chain) > 1 and np.linalg.norm(chain[-1].end() - chain[0].start()) <= gap)
        self.points = np.concatenate([piece.points for piece in chain])

    @cached_property
    def corners(self) -> Floats:
        """Fractions of the sharp corners of the pieces and between them, and of the ends."""
        found = [
            (self._ends[n] + c * piece.length) / self.length
            for n, piece in enumerate(self._pieces)
            for c in piece.corners
            if 0 < c < 1
        ]
        count = len(self._pieces)
        for n in range(count):
            if n == 0 and not self.closed:
                continue
            before, after = self._pieces[n - 1], self._pieces[n]
            cosine = before.tangent(np.array([1.0]))[0] @ after.tangent(np.array([0.0]))[0]
            if cosine < SHARP:
                found.append(self._ends[n] / self.length)
        return np.union1d(found, [] if self.closed else [0.0, 1.0])

    @property
    def joints(self) -> Floats:
        """Those of the pieces."""
        parts = [
            (self._ends[n] + piece.joints * piece.length) / self.length
            for n, piece in enumerate(self._pieces)
        ]
        return np.union1d(np.clip(np.concatenate(parts), 0.0, 1.0), [0.0, 1.0])

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return self._gathered(s, lambda curve, part: (curve.at(part),))[0]

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction ``s``."""
        place, first, second = self._gathered(s, lambda curve, part: curve.derivatives(part))
        piece = self._piece(wrapped(np.asarray(s, dtype=float), self.closed))
        scale = (self.length / np.diff(self._ends)[piece])[:, None]
        return place, first * scale, second * scale**2

    def steps(self, s: Floats) -> Floats | None:
        """Give those of the pieces, one after the other."""
        before, found = 0.0, np.zeros(len(s))
        for piece, start, end in zip(self._pieces, self._ends[:-1], self._ends[1:], strict=True):
            own = piece.steps(np.append(np.clip((s * self.length - start) / (end - start), 0.0, 1.0), 1.0))
            if own is None:
                return None
            found = np.where(s * self.length >= start, before + own[:-1], found)
            before += float(own[-1])
        return found

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places, over all pieces."""
        found = np.stack([piece.nearest(xyz) for piece in self._pieces])
        gaps = np.stack(
            [np.linalg.norm(p.at(s) - xyz, axis=1) for p, s in zip(self._pieces, found, strict=True)]
        )
        best = np.argmin(gaps, axis=0)
        part = found[best, np.arange(len(xyz))]
        return np.asarray((self._ends[best] + part * np.diff(self._ends)[best]) / self.length)

    def _piece(self, s: Floats) -> Ints:
        found = np.searchsorted(self._ends, s * self.length, side="right") - 1
        return np.clip(found, 0, len(self._pieces) - 1)

    def _gathered(self, s: Floats, give: Callable[[Curve, Floats], Sequence[Floats]]) -> list[Floats]:
        fraction = wrapped(np.asarray(s, dtype=float), self.closed)
        piece = self._piece(fraction)
        part = (fraction * self.length - self._ends[piece]) / np.diff(self._ends)[piece]
        part = np.clip(part, 0.0, 1.0)
        found: list[Floats] = []
        for n, curve in enumerate(self._pieces):
            here = piece == n
            if not np.any(here):
                continue
            values = give(curve, part[here])
            if not found:
                found = [np.empty((len(fraction), 3)) for _ in values]
            for whole, value in zip(found, values, strict=True):
                whole[here] = value
        return found or [np.empty((0, 3))] * 3


def _in_line(pieces: Sequence[Curve], gap: float) -> list[Curve]:
    """Turn curves round so that each begins where the one before ends."""
    if len(pieces) > 1:
        second = pieces[1].start(), pieces[1].end()
        away = [min(np.linalg.norm(end - s) for s in second) for end in (pieces[0].start(), pieces[0].end())]
        chain = [Part(pieces[0], 1.0, 0.0) if away[0] < away[1] else pieces[0]]
    else:
        chain = list(pieces[:1])
    for number, piece in enumerate(pieces[1:], 2):
        end = chain[-1].end()
        ahead, back = (float(np.linalg.norm(p - end)) for p in (piece.start(), piece.end()))
        if min(ahead, back) > gap:
            raise BadValue(
                f"curves {number - 1} and {number} are {min(ahead, back):.4g} apart",
                remedy="give them in the order in which they meet, or allow a larger gap",
            )
        chain.append(piece if ahead <= back else Part(piece, 1.0, 0.0))
    return chain


class Part(Curve):
    """The part of a curve from one fraction to another; backwards where ``end`` is the smaller.

    On a closed curve ``end`` may pass 1: the part runs on through the start. Raises BadValue for no length.
    """

    def __init__(self, whole: Curve, start: float, end: float) -> None:
        if not abs(end - start) > 1e-12:
            raise BadValue("the part has no length", remedy="give fractions that differ")
        self._whole, self._start, self._span = whole, start, end - start
        self.closed = False
        self.length = whole.length * abs(end - start)
        low, high = min(start, end), max(start, end)
        turns = [0.0, 1.0] if whole.closed else [0.0]
        inner = [c + t for t in turns for c in whole.corners if low < c + t < high]
        self._corners = np.union1d([(c - start) / self._span for c in inner], [0.0, 1.0])
        self.points = self.at(np.union1d(self._corners, [0.5]))

    @property
    def corners(self) -> Floats:
        """Fractions of the sharp corners, and both ends."""
        return self._corners

    @property
    def joints(self) -> Floats:
        """Those of the whole within the part."""
        turns = np.arange(-2.0, 3.0) if self._whole.closed else np.zeros(1)
        found = (np.add.outer(turns, self._whole.joints).ravel() - self._start) / self._span
        return np.union1d(found[(found > 0) & (found < 1)], [0.0, 1.0])

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return self._whole.at(self._start + np.clip(s, 0.0, 1.0) * self._span)

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction ``s``."""
        # At a corner of the whole its derivatives are those beyond: the part's own are just before.
        inside = np.clip(s, 0.0 if self._span > 0 else _BEFORE, 1.0 - _BEFORE if self._span > 0 else 1.0)
        place, first, second = self._whole.derivatives(self._start + inside * self._span)
        moved = inside != s
        place[moved] = self.at(s[moved])
        return place, first * self._span, second * self._span**2

    def steps(self, s: Floats) -> Floats | None:
        """Give those of the whole, from the start of the part on."""
        found = self._whole.steps(self._start + np.append(np.clip(s, 0.0, 1.0), 0.0) * self._span)
        return None if found is None else np.abs(found[:-1] - found[-1])

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places: those of the whole where they lie in the part."""
        s = (self._whole.nearest(xyz) - self._start) / self._span
        if self._whole.closed:
            turn = 1.0 / abs(self._span)
            s = np.where(s < 0, s + turn, np.where(s > 1, s - turn, s))
        beyond = (s < 0) | (s > 1)
        if np.any(beyond):
            s[beyond] = self._search.nearest(xyz[beyond])
        return s

    @cached_property
    def _search(self) -> CurveSearch:
        knots = np.union1d(self._corners, np.linspace(0.0, 1.0, 9))
        return CurveSearch(self.derivatives, knots, closed=False)


class MovedCurve(Curve):
    """A curve after a move that keeps its shape."""

    def __init__(self, before: Curve, move: Move) -> None:
        self._before, self._move = before, move
        self.closed = before.closed
        self.length = before.length * move.scale
        self.points = move.places(before.points)

    @property
    def corners(self) -> Floats:
        """Fractions of the sharp corners and, on an open curve, of both ends."""
        return self._before.corners

    @property
    def joints(self) -> Floats:
        """Those of the curve before the move."""
        return self._before.joints

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return self._move.places(self._before.at(s))

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction ``s``."""
        place, first, second = self._before.derivatives(s)
        return self._move.places(place), self._move.vectors(first), self._move.vectors(second)

    def steps(self, s: Floats) -> Floats | None:
        """Give those of the curve before the move."""
        return self._before.steps(s)

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places."""
        return self._before.nearest(self._move.back(xyz))

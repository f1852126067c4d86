"""Surfaces spanned between curves: ruled, lofted through sections, and from two to four boundary curves."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy

from plodek.core.arrays import Floats, Place
from plodek.core.arrays import place as place_of
from plodek.core.errors import BadValue
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.generated import TabledSurface
from plodek.core.shape.surfaces.swept import breaks_of

_SHARES = np.linspace(0.0, 1.0, 33)
#: A fold is looked for at so many places along each smooth stretch of the sections, and between two of these.
_ALONG, _BETWEEN = 16, 13
#: So many places along the sections at most.
_MOST = 1000


class Lofted(TabledSurface):
    """The surface through two or more sections: u along each, v from the first to the last.

    Between sections a cubic spline through places at equal fractions of their lengths, straight between
    two (then it is a ruled surface). Where all sections have as many sharp corners, the stretches between
    these face each other, so that corners make sharp lines. Sections run the same way round: those that do
    not are turned, and closed ones are begun where they face the one before, unless ``as_drawn``. Raises
    BadValue for fewer than two sections, or open ones among closed ones.
    """

    def __init__(self, sections: Sequence[Curve], *, as_drawn: bool = False) -> None:
        if len(sections) < 2:
            raise BadValue("a loft needs two sections or more", remedy="add a section")
        if len({section.closed for section in sections}) > 1:
            raise BadValue("some sections are closed and some are open", remedy="divide the closed ones")
        lined = list(sections[:1])
        for section in sections[1:]:
            lined.append(section if as_drawn else _facing(lined[-1], section))
        self.kind = "ruled" if len(lined) == 2 else "lofted"
        self._sections = lined
        places = np.array([s.at(_SHARES).mean(axis=0) for s in lined])
        apart = np.linalg.norm(np.diff(places, axis=0), axis=1)
        if not np.all(apart >= 0) or not np.sum(apart) > 0:
            apart = np.ones(len(lined) - 1)
        knots = np.concatenate([[0.0], np.cumsum(np.maximum(apart, 1e-6 * np.sum(apart)))])
        knots /= knots[-1]
        eye = np.eye(len(lined))
        straight, few = len(lined) == 2, len(lined) == 3
        self._weights = (
            None
            if straight
            else scipy.interpolate.CubicSpline(knots, eye, bc_type="natural" if few else "not-a-knot")
        )
        corners = [breaks_of(section) for section in lined]
        matched = len({len(own) for own in corners}) == 1
        along = np.mean(corners, axis=0) if matched else np.unique(np.concatenate(corners))
        self._corners = corners if matched else [along for _ in lined]
        self.breaks = (along, np.array([0.0, 1.0]))
        self.wraps = (sections[0].closed, False)
        self.samples = (80, 24)
        self._knots = knots

    @property
    def joints(self) -> tuple[Floats, Floats]:
        """Those of the sections, and the sections themselves."""
        along = self.breaks[0]
        own = [
            np.interp(s.joints, corners, along)
            for s, corners in zip(self._sections, self._corners, strict=True)
        ]
        return np.unique(np.concatenate([along, *own])), self._knots

    def fold(self) -> Place | None:
        """Give a place where the surface turns back on itself between sections; None where it nowhere does.

        Along a line of constant u its normal would turn by more than a right angle from one look to the next.
        """
        share = (np.arange(_ALONG) + 0.5) / _ALONG
        breaks = self.breaks[0]
        u = (breaks[:-1, None] + np.diff(breaks)[:, None] * share).ravel()
        u = u[:: -(-len(u) // _MOST)]
        v = np.interp(
            np.arange((len(self._knots) - 1) * _BETWEEN + 1) / _BETWEEN,
            np.arange(len(self._knots)),
            self._knots,
        )
        uv = np.stack(np.meshgrid(u, v, indexing="ij"), axis=-1)
        place, du, dv, *_ = self._by_formula(uv.reshape(-1, 2))
        normal = np.cross(du, dv).reshape(*uv.shape[:2], 3)
        turned = np.einsum("uvk,uvk->uv", normal[:, 1:], normal[:, :-1]) < 0
        if not np.any(turned):
            return None
        at = np.unravel_index(int(np.argmax(turned)), turned.shape)
        return place_of(place.reshape(*uv.shape[:2], 3)[at])

    def _by_formula(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        v = uv[:, 1]
        if self._weights is None:
            one = np.ones_like(v)
            w = [np.stack([1 - v, v], 1), np.stack([-one, one], 1), np.zeros((len(v), 2))]
        else:
            w = [np.asarray(self._weights(v, order)) for order in range(3)]
        found = [np.zeros((len(v), 3)) for _ in range(6)]
        breaks = self.breaks[0]
        panel = np.clip(np.searchsorted(breaks, uv[:, 0], side="right") - 1, 0, len(breaks) - 2)
        for k, (section, own) in enumerate(zip(self._sections, self._corners, strict=True)):
            rate = (np.diff(own) / np.diff(breaks))[panel]
            place, first, second = section.derivatives(own[panel] + rate * (uv[:, 0] - breaks[panel]))
            first, second = rate[:, None] * first, rate[:, None] ** 2 * second
            for target, part, order in zip(
                found, (place, first, place, second, first, place), (0, 0, 1, 0, 1, 2), strict=True
            ):
                target += w[order][:, k : k + 1] * part
        return tuple(found)  # type: ignore[return-value]


def _facing(before: Curve, section: Curve) -> Curve:
    """Turn a section round, and begin a closed one, so that its places face those of the one before."""
    shares = _SHARES[:-1] if section.closed else _SHARES
    target = before.at(shares)
    middle = target.mean(axis=0)
    target = target - middle

    def away(curve: Curve) -> float:
        places = curve.at(shares)
        return float(np.sum((places - places.mean(axis=0) - target) ** 2))

    if not section.closed:
        turned = Part(section, 1.0, 0.0)
        return turned if away(turned) < away(section) else section
    places = before.start() - middle + section.at(shares).mean(axis=0)
    nearest = float(section.nearest(places[None, :])[0])
    starts = np.concatenate([section.corners, [nearest, 0.0]])
    ways = [Round(section, float(s), sense) for s in starts for sense in (1, -1)]
    return min([section, *ways], key=lambda curve: round(away(curve) / (1e-9 + float(np.sum(target**2))), 9))


class Round(Part):
    """A closed curve begun at another place, or run the other way."""

    def __init__(self, whole: Curve, start: float, sense: int) -> None:
        super().__init__(whole, start, start + sense)
        self.closed = True
        corners = np.mod(self._corners, 1.0)
        kept = [
            c for c in np.unique(corners) if np.any(np.abs(_apart(whole.corners, start + sense * c)) < 1e-12)
        ]
        self._corners = np.array(kept)

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return super().at(s - np.floor(s))

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places."""
        return np.mod((self._whole.nearest(xyz) - self._start) / self._span, 1.0)


def _apart(corners: Floats, at: float) -> Floats:
    away = np.mod(corners - at, 1.0)
    return np.minimum(away, 1.0 - away)


class Filled(TabledSurface):
    """The surface from two to four boundary curves, blended from its sides (Coons 1967, MIT MAC-TR-41).

    Four or three curves meet end to end within ``gap``, in order round the boundary; two are opposite
    sides or meet at both ends. Raises BadValue where they do not meet.
    """

    kind = "filled"

    def __init__(self, curves: Sequence[Curve], gap: float) -> None:
        if not 2 <= len(curves) <= 4:
            raise BadValue(f"{len(curves)} curves bound no such surface", remedy="give two, three or four")
        if any(curve.closed for curve in curves):
            raise BadValue("one of the curves is closed", remedy="divide it first")
        self._sides = _sides_of(curves, gap)
        bottom, top, left, right = self._sides
        self.breaks = (
            np.union1d(_breaks(bottom), _breaks(top)),
            np.union1d(_breaks(left), _breaks(right)),
        )
        self._joints = (
            np.union1d(_joints(bottom), _joints(top)),
            np.union1d(_joints(left), _joints(right)),
        )
        self._corners = np.stack([_end(bottom, 0), _end(bottom, 1), _end(top, 0), _end(top, 1)])

    @property
    def joints(self) -> tuple[Floats, Floats]:
        """Those of the boundary curves."""
        return self._joints

    def _by_formula(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        u, v = uv[:, 0], uv[:, 1]
        b, t, lft, r = (_jet(side, at) for side, at in zip(self._sides, (u, u, v, v), strict=True))
        a00, a10, a01, a11 = self._corners
        u, v = u[:, None], v[:, None]
        mix = (1 - u) * (1 - v) * a00 + u * (1 - v) * a10 + (1 - u) * v * a01 + u * v * a11
        mix_u = (1 - v) * (a10 - a00) + v * (a11 - a01)
        mix_v = (1 - u) * (a01 - a00) + u * (a11 - a10)
        twist = a11 - a10 - a01 + a00
        return (
            (1 - v) * b[0] + v * t[0] + (1 - u) * lft[0] + u * r[0] - mix,
            (1 - v) * b[1] + v * t[1] - lft[0] + r[0] - mix_u,
            -b[0] + t[0] + (1 - u) * lft[1] + u * r[1] - mix_v,
            (1 - v) * b[2] + v * t[2],
            -b[1] + t[1] - lft[1] + r[1] - twist,
            (1 - u) * lft[2] + u * r[2],
        )


#: A side of a filled surface: a curve, a straight line between two places, or one place.
_Side = Curve | tuple[Floats, Floats]


def _breaks(side: _Side) -> Floats:
    return breaks_of(side) if isinstance(side, Curve) else np.array([0.0, 1.0])


def _joints(side: _Side) -> Floats:
    return side.joints if isinstance(side, Curve) else np.array([0.0, 1.0])


def _jet(side: _Side, s: Floats) -> tuple[Floats, Floats, Floats]:
    if isinstance(side, Curve):
        return side.derivatives(s)
    step = side[1] - side[0]
    return side[0] + s[:, None] * step, np.tile(step, (len(s), 1)), np.zeros((len(s), 3))


def _end(side: _Side, which: int) -> Floats:
    """Give the corner at one end of a side."""
    if isinstance(side, Curve):
        return side.end() if which else side.start()
    return side[which]


def _sides_of(curves: Sequence[Curve], gap: float) -> tuple[_Side, _Side, _Side, _Side]:
    """Put boundary curves in place as bottom, top, left and right."""
    if len(curves) == 2:
        bottom, top = curves
        straight = np.linalg.norm(bottom.start() - top.start()) + np.linalg.norm(bottom.end() - top.end())
        crossed = np.linalg.norm(bottom.start() - top.end()) + np.linalg.norm(bottom.end() - top.start())
        if crossed < straight:
            top = Part(top, 1.0, 0.0)
        return bottom, top, (bottom.start(), top.start()), (bottom.end(), top.end())
    chain = _round_boundary(curves, gap)
    bottom, right, top = chain[0], chain[1], Part(chain[2], 1.0, 0.0)
    if len(chain) == 3:
        # The third curve is the left side; the top shrinks to the place where it meets the right one.
        apex = right.end()
        return bottom, (apex, apex), Part(chain[2], 1.0, 0.0), right
    return bottom, top, Part(chain[3], 1.0, 0.0), right


def _round_boundary(curves: Sequence[Curve], gap: float) -> list[Curve]:
    """Turn curves round so that each begins where the one before ends, and the last meets the first."""
    for first in (curves[0], Part(curves[0], 1.0, 0.0)):
        chain, left = [first], list(curves[1:])
        while left:
            end = chain[-1].end()
            fits = [
                (c, w) for c in left for w in (c, Part(c, 1.0, 0.0)) if np.linalg.norm(w.start() - end) <= gap
            ]
            if not fits:
                break
            chain.append(fits[0][1])
            left.remove(fits[0][0])
        if not left and np.linalg.norm(chain[-1].end() - chain[0].start()) <= gap:
            return chain
    raise BadValue(
        "the boundary curves do not meet end to end",
        remedy="let their ends meet (see the list of guides for their ends), or allow a larger gap",
    )

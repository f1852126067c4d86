"""The curves in which surfaces cross each other or a plane."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import scipy
from contourpy import LineType, contour_generator

from plodek.core.arrays import Bools, Floats, Ints, dot
from plodek.core.errors import BadValue, NothingFound
from plodek.core.shape.curves.compound import Joined
from plodek.core.shape.curves.curve import Curve, Jet
from plodek.core.shape.curves.parametric import ParametricCurve
from plodek.core.shape.frame import frame_of
from plodek.core.shape.surfaces.analytic import Plane
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.surface import SmoothSurface
from plodek.core.shape.surfaces.trimmed_face import TrimmedFace

_STEPS = 40
_CELLS = 96  # per direction, in which the crossing of surfaces is first looked for
_FOOT = 1e-6
_ALONG = 1e-6  # the sine of the angle below which surfaces run along each other
_BESIDE = 1e-13  # of the parameters: so near a sharp line a surface is taken as on the side looked from
_FEWEST = 8  # steps between two sharp lines at least


def bounds_of(surface: SmoothSurface) -> Floats:
    """Give the parameter bounds (2, 2) of a surface: lows, then highs."""
    if isinstance(surface, TrimmedFace):
        return np.array([[b[0] for b in surface.patch.breaks], [b[-1] for b in surface.patch.breaks]])
    return np.array([[0.0, 0.0], [1.0, 1.0]])


def _wraps(surface: SmoothSurface) -> Bools:
    if isinstance(surface, TrimmedFace):
        return np.array(surface.closed)
    return np.array(surface.wraps if isinstance(surface, GeneratedSurface) else (False, False))


def _on(surface: SmoothSurface, uv: Floats) -> Bools:
    """Say which parameters are on the surface."""
    low, high = bounds_of(surface)
    wraps = _wraps(surface)
    slack = 1e-12 * (high - low)
    inside = np.all(wraps | ((uv >= low - slack) & (uv <= high + slack)), axis=1)
    if isinstance(surface, TrimmedFace):
        inside &= surface.inside(_wrapped(surface, uv))
    return np.asarray(inside)


def _wrapped(surface: SmoothSurface, uv: Floats) -> Floats:
    low, high = bounds_of(surface)
    turned = low + np.mod(uv - low, high - low)
    return np.asarray(np.where(_wraps(surface), turned, np.clip(uv, low, high)))


class CrossingCurve(ParametricCurve):
    """The curve in which two surfaces cross, exact at every place: a spline guides, both surfaces decide.

    At each parameter the place is where both surfaces meet the plane across the spline.
    """

    #: Both surfaces decide at every place, which is costly: arc length to 1e-9 must do.
    settled = 1e-9

    def __init__(
        self,
        a: SmoothSurface,
        b: SmoothSurface,
        both: Floats,
        *,
        closed: bool,
        corner: bool = False,
    ) -> None:
        """Take parameters ``both`` (n, 4) on the surfaces; a closed one may begin at a ``corner``."""
        self._a, self._b = a, b
        uv, st = both[:, :2], both[:, 2:]
        self._within = np.hstack([_smooth_part(a, uv), _smooth_part(b, st)])
        xyz = a.at(_wrapped(a, uv))
        if closed:
            xyz[-1] = xyz[0]
        knots = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(xyz, axis=0), axis=1))])
        self._goes_on = closed and not corner
        self._guide: scipy.interpolate.PPoly = scipy.interpolate.CubicSpline(
            knots, xyz, bc_type="periodic" if self._goes_on else "not-a-knot"
        )
        self._first, self._second = self._guide.derivative(), self._guide.derivative(2)
        self._seeds = scipy.interpolate.CubicSpline(knots, both)
        self._range = knots[-1]
        sharp = knots[:1] if closed else knots[[0, -1]]
        super().__init__(knots, closed=closed, sharp=np.empty(0) if self._goes_on else sharp, points=xyz)

    def _jet(self, u: Floats) -> Jet:
        step = 1e-5 * self._range
        place, first = self._met(u)
        low, high = u - step, u + step
        if not self._goes_on:
            low, high = np.maximum(low, 0.0), np.minimum(high, self._range)
        second = (self._met(high)[1] - self._met(low)[1]) / (high - low)[:, None]
        return place, first, second

    def _slope(self, u: Floats) -> Floats:
        return self._met(u)[1]

    def _met(self, u: Floats) -> tuple[Floats, Floats]:
        at = np.mod(u, self._range) if self._goes_on else u
        c, c1, c2 = (np.asarray(f(at)) for f in (self._guide, self._first, self._second))
        found = np.asarray(self._seeds(at))
        for _ in range(8):
            place, other, matrix = self._matrix(found, c1)
            wrong = np.column_stack([place - other, dot(place - c, c1)])
            step = np.linalg.solve(matrix, -wrong[..., None])[..., 0]
            found = found + step
            if np.max(np.abs(step), initial=0.0) < 1e-9:
                break  # Newton's steps square: the next would be round-off
        place, _, matrix = self._matrix(found, c1)
        right = np.zeros((len(u), 4, 1))
        right[:, 3, 0] = dot(c1, c1) - dot(place - c, c2)
        rate = np.linalg.solve(matrix, right)[..., 0]
        found = np.clip(found, *self._within)
        _, du, dv, *_ = self._a.derivatives(_wrapped(self._a, found[:, :2]))
        return place, rate[:, :1] * du + rate[:, 1:2] * dv

    def _matrix(self, found: Floats, along: Floats) -> tuple[Floats, Floats, Floats]:
        found = np.clip(found, *self._within)
        place, au, av, *_ = self._a.derivatives(_wrapped(self._a, found[:, :2]))
        other, bu, bv, *_ = self._b.derivatives(_wrapped(self._b, found[:, 2:]))
        matrix = np.zeros((len(found), 4, 4))
        for k, (part, sign) in enumerate(((au, 1), (av, 1), (bu, -1), (bv, -1))):
            matrix[:, :3, k] = sign * part
        matrix[:, 3, 0], matrix[:, 3, 1] = dot(au, along), dot(av, along)
        return place, other, matrix


def _smooth_part(surface: SmoothSurface, uv: Floats) -> Floats:
    """Give the bounds (2, 2) of the part between sharp lines that a stretch of a crossing (n, 2) lies in."""
    bounds = np.array([[-np.inf, -np.inf], [np.inf, np.inf]])
    if isinstance(surface, GeneratedSurface):
        for axis in (0, 1):
            lines = surface.sharp[axis]
            if len(lines):
                middle = float(uv[len(uv) // 2, axis])
                turn = np.floor(middle) if surface.wraps[axis] else 0.0
                all_lines = np.concatenate([lines + turn - 1, lines + turn, lines + turn + 1])
                if not surface.wraps[axis]:
                    all_lines = lines
                bounds[0, axis] = np.max(all_lines, where=all_lines < middle, initial=-np.inf) + _BESIDE
                bounds[1, axis] = np.min(all_lines, where=all_lines > middle, initial=np.inf) - _BESIDE
    return bounds


def surface_crossings(a: SmoothSurface, b: SmoothSurface) -> list[Curve]:
    """Give the curves in which two surfaces cross, the longest first, with corners at their sharp lines.

    Found as the zero line of the signed distance from ``b`` over the parameters of ``a``, refined by
    Newton steps onto both, and carried on to the borders. Raises NothingFound where they do not cross,
    BadValue where they only touch.
    """
    chains = [chain for chain in _zero_lines(a, b) if len(chain) > 1]
    refined = [_refined(a, b, chain) for chain in chains]
    for uv, st in refined:
        across = np.cross(a.normal(_wrapped(a, uv)), b.normal(_wrapped(b, st)))
        if len(uv) and np.min(np.linalg.norm(across, axis=1)) < _ALONG:
            raise BadValue(
                "the surfaces run along each other where they meet",
                remedy="take a border or a section there; a crossing needs an angle",
            )
    joined = _joined(a, b, [both for both in refined if len(both[0]) > 1])
    curves: list[Curve] = []
    for uv, st, closed in joined:
        if not closed:
            uv, st = _to_borders(a, b, uv, st)
        if len(uv) > 3:
            curves.append(_with_corners(a, b, np.column_stack([uv, st]), closed=closed))
    if not curves:
        raise NothingFound(
            "the surfaces do not cross", remedy="look at them in the view; move or enlarge one"
        )
    return sorted(curves, key=lambda curve: -curve.length)


def plane_section(surface: SmoothSurface, at: Floats, normal: Floats) -> list[Curve]:
    """Give the curves in which the plane through ``at`` across ``normal`` cuts a surface."""
    drawn_at = surface.facets.xyz
    frame = frame_of(normal)
    middle = 0.5 * (drawn_at.min(axis=0) + drawn_at.max(axis=0))
    reach = 2 * float(np.linalg.norm(np.ptp(drawn_at, axis=0))) + 1e-12
    centre = middle - float((middle - at) @ frame[2]) * frame[2]
    plane = Plane(centre - reach * (frame[0] + frame[1]), frame, 2 * reach, 2 * reach)
    try:
        return surface_crossings(surface, plane)
    except NothingFound as error:
        away = (drawn_at - at) @ frame[2]
        raise NothingFound(
            "the plane does not cut the surface",
            remedy=f"along its normal the surface lies from {away.min():.4g} to {away.max():.4g} of it",
        ) from error


def _zero_lines(a: SmoothSurface, b: SmoothSurface) -> list[Floats]:
    low, high = bounds_of(a)
    u, v = (np.linspace(low[k], high[k], _CELLS + 1) for k in (0, 1))
    uv = np.stack(np.meshgrid(u, v, indexing="ij"), -1).reshape(-1, 2)
    place = a.at(uv)
    st = b.nearest(place)
    away = place - b.at(st)
    normal = b.normal(st)
    gap = dot(away, normal)
    # A foot on the border of b, seen aslant, says nothing about the side; so does a place off the trim.
    size = float(np.max(np.ptp(place, axis=0)))
    aslant = np.linalg.norm(away - gap[:, None] * normal, axis=1) > _FOOT * size
    off = ~_on(a, uv) if isinstance(a, TrimmedFace) else np.zeros(len(uv), dtype=bool)
    field = np.ma.masked_array(gap, aslant | off).reshape(_CELLS + 1, _CELLS + 1)
    lines = contour_generator(v, u, field, line_type=LineType.Separate).lines(0.0)
    return [np.asarray(line)[:, ::-1] for line in lines]


def _refined(
    a: SmoothSurface, b: SmoothSurface, uv: Floats, st: Floats | None = None
) -> tuple[Floats, Floats]:
    """Bring places onto both surfaces by the shortest Newton steps; those that fail are left out."""
    st = b.nearest(a.at(_wrapped(a, uv))) if st is None else st
    found = np.column_stack([uv, st])
    for _ in range(_STEPS):
        wrong, matrix = _apart(a, b, found)
        step = -(np.linalg.pinv(matrix) @ wrong[..., None])[..., 0]
        found = found + step
        if np.max(np.abs(step), initial=0.0) < 1e-14:
            break
    wrong, _ = _apart(a, b, found)
    size = float(np.max(np.ptp(a.at(_wrapped(a, uv)), axis=0), initial=0.0)) + 1e-300
    good = (np.linalg.norm(wrong, axis=1) < 1e-9 * size) & _on(a, found[:, :2]) & _on(b, found[:, 2:])
    found = found[good]
    return found[:, :2], found[:, 2:]


def _apart(a: SmoothSurface, b: SmoothSurface, found: Floats) -> tuple[Floats, Floats]:
    place, au, av, *_ = a.derivatives(_wrapped(a, found[:, :2]))
    other, bu, bv, *_ = b.derivatives(_wrapped(b, found[:, 2:]))
    return place - other, np.stack([au, av, -bu, -bv], axis=2)


def _joined(
    a: SmoothSurface, b: SmoothSurface, chains: list[tuple[Floats, Floats]]
) -> list[tuple[Floats, Floats, bool]]:
    """Join chains that a seam has parted, and close those whose ends meet."""
    left = list(chains)
    done = []
    while left:
        uv, st = left.pop(0)
        steps = np.linalg.norm(np.diff(a.at(_wrapped(a, uv)), axis=0), axis=1)
        reach = 2.5 * float(np.max(steps))
        again = True
        while again:
            again = False
            end = a.at(_wrapped(a, uv[-1:]))[0]
            for n, (other_uv, other_st) in enumerate(left):
                ends = a.at(_wrapped(a, other_uv[[0, -1]]))
                away = np.linalg.norm(ends - end, axis=1)
                if np.min(away) <= reach:
                    way = slice(None) if away[0] <= away[1] else slice(None, None, -1)
                    uv, st = np.vstack([uv, other_uv[way]]), np.vstack([st, other_st[way]])
                    left.pop(n)
                    again = True
                    break
        ends = a.at(_wrapped(a, uv[[0, -1]]))
        closed = len(uv) > 4 and float(np.linalg.norm(ends[1] - ends[0])) <= reach
        if closed:
            uv, st = np.vstack([uv, uv[:1]]), np.vstack([st, st[:1]])
        kept = _spaced(a.at(_wrapped(a, uv)))
        done.append((_unwound(a, uv[kept]), _unwound(b, st[kept]), closed))
    return done


def _with_corners(a: SmoothSurface, b: SmoothSurface, both: Floats, *, closed: bool) -> Curve:
    """Make the curve through parameters (n, 4) on both surfaces: smooth stretches between sharp lines."""
    at = _over_sharp_lines(a, b, both)
    if not len(at):
        return CrossingCurve(a, b, both, closed=closed)
    at = at[np.argsort(at[:, 0])]
    xyz = a.at(_wrapped(a, at[:, 1:3]))
    size = float(np.max(np.ptp(a.at(_wrapped(a, both[:, :2])), axis=0)))
    # On a seam one corner may be found on both sides.
    kept = [n for n in range(len(at)) if not np.any(np.linalg.norm(xyz[:n] - xyz[n], axis=1) < 1e-9 * size)]
    share, place = at[kept, 0], at[kept, 1:]
    count = len(both) - 1
    if closed:  # it begins at its first corner; its parameters run on over the seam
        run_on = both[1:] + np.round(both[-1] - both[0])
        both, share = np.vstack([both, run_on]), np.append(share, share[0] + count)
        place = np.vstack([place, place[0] + np.round(both[count] - both[0])])
    else:
        share = np.concatenate([[0.0], share, [count]])
        place = np.vstack([both[0], place, both[-1]])
    pieces: list[Curve] = []
    for (low, high), (start, end) in zip(pairwise(share), pairwise(place), strict=True):
        if high - low > 1e-9:
            steps = max(_FEWEST, int(high - low))
            inner = np.linspace(low, high, steps + 1)[1:-1]
            nodes = np.arange(len(both))
            tried = np.column_stack([np.interp(inner, nodes, part) for part in both.T])
            tried = np.column_stack(_refined(a, b, tried[:, :2], tried[:, 2:]))
            stretch = np.vstack([start, tried, end])
            once = closed and len(share) == 2
            pieces.append(CrossingCurve(a, b, stretch, closed=once, corner=once))
    gap = 1e-7 * sum(piece.length for piece in pieces)
    return Joined(pieces, gap) if len(pieces) > 1 else pieces[0]


def _over_sharp_lines(a: SmoothSurface, b: SmoothSurface, both: Floats) -> Floats:
    """Give where a crossing runs over sharp lines of a surface (n, 5): its place among nodes, parameters."""
    found = []
    for first, surface in ((0, a), (2, b)):
        if not isinstance(surface, GeneratedSurface):
            continue
        for axis in (0, 1):
            values = both[:, first + axis]
            turns = (
                np.arange(np.floor(values.min()), np.ceil(values.max()) + 1) if surface.wraps[axis] else [0.0]
            )
            for line in np.add.outer(turns, surface.sharp[axis]).ravel():
                for n in np.flatnonzero((values[:-1] < line) != (values[1:] < line)):
                    part = (line - values[n]) / (values[n + 1] - values[n])
                    place = both[n] + part * (both[n + 1] - both[n])
                    place[first + axis] = line
                    others = np.delete(np.arange(4), first + axis)
                    for _ in range(_STEPS):
                        wrong, matrix = _apart(a, b, place[None, :])
                        step = np.linalg.lstsq(matrix[0][:, others], wrong[0], rcond=None)[0]
                        place[others] -= step
                        if np.max(np.abs(step)) < 1e-14:
                            break
                    found.append([n + part, *place])
    return np.array(found).reshape(-1, 5)


def _spaced(xyz: Floats) -> Ints:
    """Choose places that are not too close to the one before; the first and the last are kept."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(xyz, axis=0), axis=1))])
    each = 0.4 * along[-1] / len(xyz)
    first = np.unique(np.floor(along / each), return_index=True)[1]
    inner = first[(along[first] > 0) & (along[first] < along[-1] - each)]
    far = np.diff(along[inner], prepend=0.0) > 0.5 * each
    return np.concatenate([[0], inner[far], [len(xyz) - 1]])


def _unwound(surface: SmoothSurface, uv: Floats) -> Floats:
    """Let parameters run on over a seam instead of jumping back."""
    low, high = bounds_of(surface)
    span = high - low
    turns = np.where(_wraps(surface), np.round(np.diff(uv, axis=0) / span), 0.0)
    return np.asarray(uv - np.vstack([np.zeros(2), np.cumsum(turns, axis=0)]) * span)


def _to_borders(a: SmoothSurface, b: SmoothSurface, uv: Floats, st: Floats) -> tuple[Floats, Floats]:
    """Carry both ends of an open crossing on to where one of the surfaces ends, by halving."""
    both = np.column_stack([uv, st])
    for _ in range(2):
        both = both[::-1]
        step = both[-1] - both[-2]
        share, reach = 0.0, 2.0
        end = both[-1]
        for _ in range(60):
            tried = 0.5 * (share + reach)
            found = both[-1] + tried * step
            for _ in range(8):
                wrong, matrix = _apart(a, b, found[None, :])
                move = np.linalg.pinv(matrix[0]) @ wrong[0]
                found = found - move
                if np.max(np.abs(move)) < 1e-15:
                    break
            fits = _on(a, found[None, :2])[0] and _on(b, found[None, 2:])[0]
            if fits and np.linalg.norm(_apart(a, b, found[None, :])[0]) < 1e-9 * (1 + np.linalg.norm(both)):
                share, end = tried, found
            else:
                reach = tried
        both = np.vstack([both if share > 1e-3 else both[:-1], end])
    return both[:, :2], both[:, 2:]

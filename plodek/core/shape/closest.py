"""The closest places on a curve or surface that is given by its derivatives.

The nearest of many samples shows the neighbourhood; safeguarded Newton steps on the squared distance
find the place in it (Dennis & Schnabel, Numerical Methods for Unconstrained Optimization, 1983, ch. 6).
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numba
import numpy as np
import scipy

from plodek.core.arrays import Bools, Floats, Ints, dot
from plodek.core.shape.curves.curve import Jet
from plodek.core.shape.descent import MOST_STEPS, ROUND_OFF, SMALL, STILL, Seeds, bounded_steps, descend
from plodek.core.shape.patch_table import PatchTable
from plodek.core.tolerances import NEWTON

_SAMPLES = 24  # per smooth piece of a curve
_NEIGHBOURS = 5
_VALLEYS = 3
_ADJACENT = 3.5
#: For a few places, waking the cores takes longer than the work.
_MANY = 2000
_POLE = 1e-9
#: The error of a table, in shares of the extent, from which on it is of no use.
_NEAR = 1e-5
#: How far within its bounds the way to a nearest place is looked at, in shares of the way.
_INSIDE = 1e-12


class CurveSearch:
    """Finds closest places on a curve with ``jet`` over parameters that is smooth between ``knots`` (n,)."""

    def __init__(self, jet: Callable[[Floats], Jet], knots: Floats, *, closed: bool) -> None:
        self._jet = jet
        self._knots = knots
        self._closed = closed
        part = np.arange(_SAMPLES) / _SAMPLES
        inner = (knots[:-1, None] + part * np.diff(knots)[:, None]).ravel()
        self._parameters = np.append(inner, knots[-1])
        self._samples, slope, bend = jet(self._parameters)
        self._beside = self._slopes_beside(slope)
        self._tree = scipy.spatial.cKDTree(self._samples)
        square = np.maximum(dot(slope, slope), 1e-300)
        self._bend = float(np.max(np.linalg.norm(bend, axis=1) / square))
        self._step = float(np.max(np.linalg.norm(np.diff(self._samples, axis=0), axis=1)))

    def _slopes_beside(self, slope: Floats) -> tuple[Floats, Floats]:
        """Give the derivatives (m, 3) just before and just after the samples: they differ at corners."""
        low, high = slope.copy(), slope.copy()
        ends = np.arange(0, len(slope), _SAMPLES)
        inside = _INSIDE / _SAMPLES * np.diff(self._knots)
        low[ends[1:]] = self._jet(self._knots[1:] - inside)[1]
        high[ends[:-1]] = self._jet(self._knots[:-1] + inside)[1]
        if self._closed:
            low[0], high[-1] = low[-1], high[0]
        return low, high

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n,) of the places nearest to ``xyz`` (n, 3)."""
        count = min(_NEIGHBOURS, len(self._parameters))
        near = self._tree.query(xyz, k=count, workers=-1 if len(xyz) > _MANY else 1)
        gaps, index = (np.reshape(part, (len(xyz), count)) for part in near)
        best = self._between(xyz, index[:, 0])
        # The nearest place is at most half a step from a sample, whose squared distance is that much more
        # (Taylor): where samples beyond the nearest ones are within it, other valleys may be deeper.
        bound = gaps[:, 0] ** 2 + (0.5 * self._step) ** 2 * (1.0 + self._bend * (gaps[:, 0] + self._step))
        around = np.abs(index - index[:, :1])
        if self._closed:
            around = np.minimum(around, len(self._parameters) - 1 - around)
        unsure = np.flatnonzero((gaps[:, -1] ** 2 <= bound) | (np.max(around, axis=1) >= count))
        if len(unsure):
            best[unsure] = self._deepest(xyz[unsure], index[unsure, 0], best[unsure], bound[unsure])
        return best

    def _deepest(self, xyz: Floats, found: Ints, best: Floats, bound: Floats) -> Floats:
        """Give the best of what was found and of the lowest other valleys of the samples."""
        others = np.empty((len(xyz), _VALLEYS), dtype=np.int64)
        _valleys(self._samples, xyz, found, bound, others)
        gap = np.linalg.norm(self._jet(best)[0] - xyz, axis=1)
        for valley in others.T:
            there = np.flatnonzero(valley >= 0)
            if not len(there):
                continue
            tried = self._between(xyz[there], valley[there])
            away = np.linalg.norm(self._jet(tried)[0] - xyz[there], axis=1)
            deeper = away < gap[there]
            best[there[deeper]], gap[there[deeper]] = tried[deeper], away[deeper]
        return best

    def _between(self, xyz: Floats, index: Ints) -> Floats:
        """Find the nearest places between the neighbours of samples (n,)."""
        last = len(self._parameters) - 1
        before, after = index - 1, index + 1
        ends = index, index
        if self._closed:  # the first and the last sample are one place
            before, after = np.where(index == 0, last - 1, before), np.where(index == last, 1, after)
            ends = np.where(index == 0, last, index), np.where(index == last, 0, index)
        # The slope may jump at the sample: the way may lead on to both sides, or to none.
        down = np.flatnonzero(self._rates(xyz, index, 0) > 0)
        up = np.flatnonzero(self._rates(xyz, index, 1) < 0)
        found = self._parameters[index]
        down, low = self._refined(xyz, down, before, ends[0])
        up, high = self._refined(xyz, up, ends[1], after)
        found[down] = low
        twice = np.isin(up, down, assume_unique=True)
        if np.any(twice):
            one, other = found[up[twice]], high[twice]
            gaps = [np.linalg.norm(self._jet(u)[0] - xyz[up[twice]], axis=1) for u in (one, other)]
            high[twice] = np.where(gaps[0] < gaps[1], one, other)
        found[up] = high
        return found

    def _rates(self, xyz: Floats, index: Ints, end: int) -> Floats:
        """Give the derivative (n,) of half the squared distance just before samples (n,), or just after."""
        found = np.empty(len(index))
        _rates(self._samples, self._beside[end], xyz, index, found)
        return found

    def _refined(self, xyz: Floats, which: Ints, low: Ints, high: Ints) -> tuple[Ints, Floats]:
        """Find the nearest parameters between samples ``low`` and ``high`` (n,), by Newton steps or halving.

        For those of the places ``which`` (m,) whose distance falls after the one and rises before the other.
        """
        which = which[(low[which] >= 0) & (high[which] < len(self._parameters))]
        rates = self._rates(xyz[which], low[which], 1), self._rates(xyz[which], high[which], 0)
        which, rates = which[inside := (rates[0] < 0) & (rates[1] > 0)], (rates[0][inside], rates[1][inside])
        xyz = xyz[which]
        lower, upper = self._parameters[low[which]], self._parameters[high[which]]
        still = NEWTON * (self._knots[-1] - self._knots[0])
        u = lower + (upper - lower) * (rates[0] / (rates[0] - rates[1]))
        going = np.arange(len(which))
        for _ in range(MOST_STEPS):
            if not len(going):
                break
            going = going[_stepped(*self._jet(u[going]), xyz, going, lower, upper, still, u)]
        return which, u


#: Place, and the derivatives by u, v, uu, uv and vv, each (n, 3).
SurfaceJet = tuple[Floats, Floats, Floats, Floats, Floats, Floats]


class SurfaceSearch:
    """Finds closest places on a surface with ``jet`` over (u, v), smooth between sharp lines.

    ``breaks`` are the rising parameters of the sharp lines in u and in v, ends included; ``wraps`` says
    in which directions the surface closes on itself; ``counts`` how many samples are taken in each
    direction; ``seeds`` may leave samples out, where a part of the surface does not count. Where there is
    a ``table`` of the surface, steps are taken on that.
    """

    def __init__(
        self,
        jet: Callable[[Floats], SurfaceJet],
        breaks: tuple[Floats, Floats],
        wraps: tuple[bool, bool],
        counts: tuple[int, int],
        seeds: Callable[[Floats], Bools] | None = None,
        table: PatchTable | None = None,
    ) -> None:
        self._jet = jet
        self._table = table
        self._wraps = np.array([w and len(b) == 2 for w, b in zip(wraps, breaks, strict=True)])
        self._ends = np.array([[b[0], b[-1]] for b in breaks])
        panels = [_panel_samples(b, c) for b, c in zip(breaks, counts, strict=True)]
        uv, low, high = (np.stack(np.broadcast_arrays(panels[0][k][:, None], panels[1][k][None, :]), -1)
                         .reshape(-1, 2) for k in range(3))  # fmt: skip
        if seeds is not None:
            kept = seeds(uv)
            if np.any(kept):
                uv, low, high = uv[kept], low[kept], high[kept]
        xyz, du, dv, *_ = jet(uv)
        # A pole is stationary in the direction round it: nothing would lead away from there.
        sizes = [np.linalg.norm(part, axis=1) for part in (du, dv)]
        sound = np.all([size > _POLE * np.max(size) for size in sizes], axis=0)
        self._uv, self._low, self._high = uv[sound], low[sound], high[sound]
        self._lows = np.where(self._wraps, -np.inf, self._low)
        self._highs = np.where(self._wraps, np.inf, self._high)
        self._seeds = None
        if table is not None and table.error <= _NEAR:
            jets = np.ascontiguousarray(table.jet(self._uv, self._highs).transpose(1, 0, 2))
            self._seeds = Seeds(self._uv, self._lows, self._highs, jets)
        self._xyz = xyz[sound]
        self._tree = scipy.spatial.cKDTree(self._xyz, balanced_tree=False)
        self._counts = np.array(counts, dtype=float)
        steps = [s / c * (e[1] - e[0]) for s, c, e in zip(sizes, counts, self._ends, strict=True)]
        self._reach = float(np.max(np.hypot(*steps)))
        self._round_off = (ROUND_OFF * float(np.max(np.ptp(self._xyz, axis=0)))) ** 2
        # Where a sample lies, counted in samples.
        self._cells = (self._uv - self._ends[:, 0]) / (self._ends[:, 1] - self._ends[:, 0]) * self._counts

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the places nearest to ``xyz`` (n, 3)."""
        count = min(_NEIGHBOURS, len(self._uv))
        apart, index = (
            np.reshape(part, (len(xyz), count)) for part in self._tree.query(xyz, k=count, workers=-1)
        )
        best, gap = self._refined(xyz, index[:, 0])
        others = np.empty((count, len(xyz)), dtype=bool)
        _others(index, self._cells, self._low, np.where(self._wraps, self._counts, np.inf), others)
        for again in range(1, count):
            needed = np.flatnonzero(others[again])
            # What lies round a sample is no nearer than it is, less the reach of its cell.
            far = apart[needed, again] - self._reach >= np.sqrt(gap[needed])
            needed = needed[~far & (gap[needed] > self._round_off)]
            if len(needed):
                uv, tried = self._refined(xyz[needed], index[needed, again])
                better = tried < gap[needed]
                best[needed] = np.where(better[:, None], uv, best[needed])
                gap[needed] = np.where(better, tried, gap[needed])
        return best

    def _refined(self, xyz: Floats, seed: Ints) -> tuple[Floats, Floats]:
        """Go down from a seed by bounded Newton steps; gives parameters and squared distances."""
        if self._table is not None and self._seeds is not None:
            uv, gap = descend(
                self._table, self._wraps, np.ascontiguousarray(xyz), self._seeds, np.ascontiguousarray(seed)
            )
            if self._table.exact:
                return uv, gap
        else:
            uv = self._uv[seed]
        low, high = self._lows[seed], self._highs[seed]
        span = self._ends[:, 1] - self._ends[:, 0]
        going = np.arange(len(xyz))
        gap = np.full(len(xyz), np.inf)
        jet = self._jet(self._wrapped(uv))
        for _ in range(MOST_STEPS):
            step, value = np.empty((len(going), 2)), np.empty(len(going))
            bounded_steps(np.stack(jet), xyz[going], uv[going], low[going], high[going], step, value)
            gap[going] = value
            moving = np.any(np.abs(step) > STILL * span, axis=1)
            going, step = going[moving], step[moving]
            if not len(going):
                break
            uv[going], jet, better = self._searched(xyz[going], uv[going], step, gap[going])
            # Small steps that no longer bring it nearer only follow round-off.
            better &= np.any(np.abs(step) > SMALL * span, axis=1) | (
                np.sum((jet[0] - xyz[going]) ** 2, axis=1) < gap[going]
            )
            going, jet = going[better], tuple(part[better] for part in jet)  # type: ignore[assignment]
        return self._wrapped(uv), gap

    def _searched(
        self, xyz: Floats, uv: Floats, step: Floats, gap: Floats
    ) -> tuple[Floats, SurfaceJet, Bools]:
        """Shorten steps until the distance does not grow; says which points still gain by one."""
        share = np.ones(len(uv))
        tried = uv + step
        jet = self._jet(self._wrapped(tried))
        value = np.sum((jet[0] - xyz) ** 2, axis=1)
        for _ in range(8):
            worse = np.flatnonzero(value > gap * (1 + ROUND_OFF))
            if not len(worse):
                break
            share[worse] *= 0.25
            tried[worse] = uv[worse] + share[worse, None] * step[worse]
            again = self._jet(self._wrapped(tried[worse]))
            for part, new in zip(jet, again, strict=True):
                part[worse] = new
            value[worse] = np.sum((again[0] - xyz[worse]) ** 2, axis=1)
        gains = value <= gap * (1 + ROUND_OFF)
        return np.where(gains[:, None], tried, uv), jet, gains

    def _wrapped(self, uv: Floats) -> Floats:
        if not np.any(self._wraps):
            return uv
        low, span = self._ends[:, 0], self._ends[:, 1] - self._ends[:, 0]
        turned = low + np.mod(uv - low, span)
        return np.where(self._wraps, turned, uv)


def _panel_samples(breaks: Floats, count: int) -> tuple[Floats, Floats, Floats]:
    """Give samples of all panels between breaks, as many as they are wide, with their bounds."""
    each = np.maximum(4, np.ceil(count * np.diff(breaks) / (breaks[-1] - breaks[0]))).astype(int)
    values = [np.linspace(a, b, n + 1) for (a, b), n in zip(pairwise(breaks), each, strict=True)]
    lows, highs = (np.repeat(ends, each + 1) for ends in (breaks[:-1], breaks[1:]))
    return np.concatenate(values), lows, highs


@numba.njit(cache=True, nogil=True, parallel=True)
def _others(index: Ints, cells: Floats, low: Floats, circuit: Floats, others: Bools) -> None:
    """Say in ``others`` (count, n) which of the nearest samples ``index`` (n, count) lie by none before them.

    One that is cells away from these may lie in another valley, and one beyond a sharp line lies on another
    smooth piece. After ``circuit`` (2,) cells the surface closes on itself.
    """
    for n in numba.prange(len(index)):
        for k in range(index.shape[1]):
            other, alone = index[n, k], True
            for before in index[n, :k]:
                apart = False
                for axis in range(2):
                    away = abs(cells[other, axis] - cells[before, axis])
                    apart |= min(away, circuit[axis] - away) > _ADJACENT
                    apart |= low[other, axis] != low[before, axis]
                alone &= apart
            others[k, n] = alone


@numba.njit(cache=True, nogil=True)
def _stepped(
    place: Floats, slope: Floats, bend: Floats, xyz: Floats, going: Ints,
    lower: Floats, upper: Floats, still: float, u: Floats,
) -> Bools:  # fmt: skip
    """Take a Newton step within bounds (n,), or halve, for those ``going`` (m,), whose jets are given.

    Brings ``lower`` and ``upper`` nearer, and says which steps were more than ``still``.
    """
    moving = np.empty(len(going), dtype=np.bool_)
    for m in range(len(going)):
        n = going[m]
        value = rate = 0.0
        for c in range(3):
            gap = place[m, c] - xyz[n, c]
            value += gap * slope[m, c]
            rate += slope[m, c] * slope[m, c] + gap * bend[m, c]
        at = u[n]
        if value < 0:
            lower[n] = at
        elif value > 0:
            upper[n] = at
        after = at - value / rate if rate > 0 else np.inf
        if value == 0:
            after = at
        elif not lower[n] <= after <= upper[n]:
            after = 0.5 * (lower[n] + upper[n])
        u[n] = after
        moving[m] = abs(after - at) > still
    return moving


@numba.njit(cache=True, nogil=True)
def _rates(samples: Floats, slopes: Floats, xyz: Floats, index: Ints, found: Floats) -> None:
    """Give the derivatives (n,) of half the squared distances of places (n, 3) to samples ``index`` (n,)."""
    for n in range(len(index)):
        at, rate = index[n], 0.0
        for c in range(3):
            rate += (samples[at, c] - xyz[n, c]) * slopes[at, c]
        found[n] = rate


@numba.njit(cache=True, nogil=True, parallel=True)
def _valleys(samples: Floats, xyz: Floats, found: Ints, bound: Floats, others: Ints) -> None:
    """Give the lowest valleys (n, m) of the squared distances to samples within a bound (n,), else -1.

    The one round the sample ``found`` (n,) is left out.
    """
    last = len(samples) - 1
    for n in numba.prange(len(xyz)):
        others[n] = -1
        depths = np.full(others.shape[1], np.inf)
        before = here = np.inf
        for k in range(last + 2):
            after = np.inf
            if k <= last:
                after = 0.0
                for c in range(3):
                    after += (samples[k, c] - xyz[n, c]) ** 2
            at = k - 1
            if at >= 0 and here <= before and here <= after and here <= bound[n] and at != found[n]:
                deepest = np.argmax(depths)
                if here < depths[deepest]:
                    depths[deepest], others[n, deepest] = here, at
            before, here = here, after

"""The way down to the nearest place on a surface by bounded Newton steps, compiled.

On the squared distance over (u, v) (Dennis & Schnabel, Numerical Methods for Unconstrained Optimization,
1983, ch. 6).
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.shape.patch_table import PatchTable, patch_jet

MOST_STEPS = 60
#: A step below this share of the parameter range ends the search: its error is the square.
STILL = 1e-12
#: Small steps that no longer bring a place nearer only follow round-off.
SMALL = 1e-6
ROUND_OFF = 1e-14
_LAST = 1e-8
_FEW = 256


@dataclass(frozen=True)
class Seeds:
    """Samples of a table from which the ways go down, so that their first jets need not be worked out again.

    ``uv``, ``low`` and ``high`` (m, 2) are their parameters and the bounds of their ways, ``jets`` (m, 6, 3)
    the places and derivatives there.
    """

    uv: Floats
    low: Floats
    high: Floats
    jets: Floats


def descend(table: PatchTable, wraps: Bools, xyz: Floats, seeds: Seeds, seed: Ints) -> tuple[Floats, Floats]:
    """Go down on a table from seeds (n,) towards ``xyz`` (n, 3).

    Gives the parameters (n, 2) and the squared distances (n,).
    """
    uv, gap = np.empty((len(xyz), 2)), np.empty(len(xyz))
    # For a few places, waking the cores takes longer than the work.
    down = _descend_some if len(xyz) <= _FEW else _descend_many
    down(table.series, *table.lines, wraps, xyz, seeds.uv, seeds.low, seeds.high, seeds.jets, seed, uv, gap)
    return uv, gap


@numba.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def bounded_steps(
    jet: Floats, xyz: Floats, uv: Floats, low: Floats, high: Floats, step: Floats, gap: Floats
) -> None:
    """Give the Newton steps within bounds (n, 2) and the squared distances (n,); ``jet`` is (6, n, 3)."""
    for n in numba.prange(len(xyz)):
        step[n, 0], step[n, 1], gap[n] = _bounded_step(jet[:, n], xyz[n], uv[n], low[n], high[n])


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _bounded_step(
    jet: Floats, xyz: Floats, uv: Floats, low: Floats, high: Floats
) -> tuple[float, float, float]:
    """Give the Newton step in u and v within bounds (2,), and the squared distance; ``jet`` is (6, 3)."""
    square = gu = gv = a0 = b0 = c0 = a = b = c = 0.0
    for k in range(3):
        away = jet[0, k] - xyz[k]
        du, dv = jet[1, k], jet[2, k]
        square += away * away
        gu += away * du
        gv += away * dv
        a0 += du * du
        b0 += du * dv
        c0 += dv * dv
        a += away * jet[3, k]
        b += away * jet[4, k]
        c += away * jet[5, k]
    a, b, c = a + a0, b + b0, c + c0
    if not (a > 0 and a * c - b * b > 1e-12 * a0 * c0):
        a, b, c = a0, b0, c0  # without the bend of the surface the step still goes down
    tiny = 1e-30 + 1e-14 * max(a, c)  # poles: the direction round them has no length
    low_u, high_u = low[0] - uv[0], high[0] - uv[0]
    low_v, high_v = low[1] - uv[1], high[1] - uv[1]
    # A variable at its bound that wants out of it is held there.
    held_u = (low_u >= 0 and gu > 0) or (high_u <= 0 and gu < 0)
    held_v = (low_v >= 0 and gv > 0) or (high_v <= 0 and gv < 0)
    su, sv = -gu / max(a, tiny), -gv / max(c, tiny)
    if held_u or held_v:
        su, sv = 0.0 if held_u else su, 0.0 if held_v else sv
    elif a * c - b * b > 1e-14 * max(a, c) ** 2:
        su, sv = (b * gv - c * gu) / (a * c - b * b), (b * gu - a * gv) / (a * c - b * b)
    # A step that meets a bound in one direction is the best one along that bound in the other.
    cut_u = min(max(su, low_u), high_u)
    if cut_u != su and not held_v:
        sv = -(gv + b * cut_u) / max(c, tiny)
    cut_v = min(max(sv, low_v), high_v)
    if cut_v != sv and cut_u == su and not held_u:
        cut_u = min(max(-(gu + b * cut_v) / max(a, tiny), low_u), high_u)
    return cut_u, cut_v, square


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _descend_some(
    series: Floats, us: Floats, vs: Floats, wraps: Bools, xyz: Floats, starts: Floats, lows: Floats,
    highs: Floats, jets: Floats, seed: Ints, uv: Floats, gap: Floats,
) -> None:  # fmt: skip
    ends = np.array([[us[0], us[-1]], [vs[0], vs[-1]]])
    jet, after, sums = np.empty((6, 3)), np.empty((6, 3)), np.empty((3, series.shape[3]))
    at, tried = np.empty(2), np.empty(2)
    for n in range(len(xyz)):
        low, high = lows[seed[n]], highs[seed[n]]
        at[:] = starts[seed[n]]
        jet[:] = jets[seed[n]]
        for _ in range(MOST_STEPS):
            su, sv, square = _bounded_step(jet, xyz[n], at, low, high)
            gap[n] = square
            far = max(abs(su) / (us[-1] - us[0]), abs(sv) / (vs[-1] - vs[0]))
            if not far > _LAST:  # its error is the square: this step is the last
                at[0], at[1] = at[0] + su, at[1] + sv
                break
            share, value = 1.0, np.inf
            while share > 1e-5:
                tried[0], tried[1] = at[0] + share * su, at[1] + share * sv
                u, v = _turned(tried[0], ends[0], wraps[0]), _turned(tried[1], ends[1], wraps[1])
                patch_jet(series, us, vs, u, v, high, after, sums)
                value = 0.0
                for k in range(3):
                    value += (after[0, k] - xyz[n, k]) ** 2
                if value <= square * (1 + ROUND_OFF):
                    break
                share *= 0.25
            if value > square * (1 + ROUND_OFF):
                break
            at[:] = tried
            jet[:] = after
            gap[n] = value
            if far <= SMALL and value >= square:
                break
        for k in range(2):
            uv[n, k] = _turned(at[k], ends[k], wraps[k])


@numba.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _descend_many(
    series: Floats, us: Floats, vs: Floats, wraps: Bools, xyz: Floats, starts: Floats, lows: Floats,
    highs: Floats, jets: Floats, seed: Ints, uv: Floats, gap: Floats,
) -> None:  # fmt: skip
    for part in numba.prange(-(-len(xyz) // _FEW)):
        some = slice(part * _FEW, min((part + 1) * _FEW, len(xyz)))
        _descend_some(
            series, us, vs, wraps, xyz[some], starts, lows, highs, jets, seed[some], uv[some], gap[some]
        )


@numba.njit(cache=True, nogil=True)
def _turned(value: float, ends: Floats, wraps: bool) -> float:
    """Bring a parameter of a surface that closes on itself within its ends."""
    if not wraps:
        return value
    span = ends[1] - ends[0]
    turned: float = value - span * np.floor((value - ends[0]) / span)
    return turned

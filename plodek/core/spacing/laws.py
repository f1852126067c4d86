"""One-dimensional spacing laws: nodes on an edge from physical cell sizes.

Every law gives node fractions s (n + 1,), strictly increasing, 0 and 1 exact at the ends, or raises
ImpossibleSpacing with the nearest wish that can be met.
"""

from __future__ import annotations

import math

import numpy as np
from scipy.optimize import brentq

from plodek.core.arrays import Floats
from plodek.core.errors import ImpossibleSpacing
from plodek.core.tolerances import END_SIZE

#: Growth from one cell to the next beyond this is taken for a mistake.
MOST_GROWTH = 10.0
#: Logarithms of slopes ds/dξ beyond this are no spacing any more.
_MOST_SLOPE = 25.0


def uniform(n: int) -> Floats:
    """Give n equal cells."""
    return np.arange(n + 1) / n


def geometric(n: int, ratio: float) -> Floats:
    """Give n cells whose sizes grow by ``ratio`` each: d_k = d_0 r^k with Σ d_k = 1."""
    if not 1 / MOST_GROWTH <= ratio <= MOST_GROWTH:
        raise ImpossibleSpacing(
            f"a growth of {ratio:.3g} per cell",
            remedy=f"use a growth from {1 / MOST_GROWTH:g} to {MOST_GROWTH:g}",
        )
    if abs(ratio - 1) < 1e-12:
        return uniform(n)
    # expm1 keeps the digits where the ratio is close to 1.
    log = math.log(ratio)
    s = np.expm1(np.arange(n + 1) * log) / math.expm1(n * log)
    s[0], s[-1] = 0.0, 1.0
    return _rising(s)


def geometric_ratio(n: int, first: float) -> float:
    """Solve Σ first r^k = 1 for r: the growth at which n cells from size ``first`` fill the length."""
    if not first > 0:
        raise ImpossibleSpacing(f"a first cell of {first:.3g}", remedy="give a size above 0")
    if n == 1:
        if abs(first - 1) > 1e-9:
            raise ImpossibleSpacing("one cell fills the edge", remedy="give it 2 cells or more")
        return 1.0
    if abs(first * n - 1) < 1e-12:
        return 1.0

    def excess(log: float) -> float:
        x = n * log
        total = n if log == 0 else math.expm1(min(x, 700.0)) / math.expm1(log)
        return first * total - 1

    limit = math.log(MOST_GROWTH)
    if excess(limit) < 0 or excess(-limit) > 0:
        few = first * n < 1
        raise ImpossibleSpacing(
            f"{n} cells from {first:.3g} of the edge's length do not {'reach its end' if few else 'fit'}",
            remedy="use more cells or a larger first cell" if few else "use a smaller first cell",
        )
    return math.exp(float(brentq(excess, -limit, limit, xtol=1e-15, rtol=1e-14)))


def geometric_count(first: float, ratio: float) -> int:
    """Give the number of cells from ``first`` at growth ``ratio`` that come nearest to filling the length."""
    if not first > 0:
        raise ImpossibleSpacing(f"a first cell of {first:.3g}", remedy="give a size above 0")
    if abs(ratio - 1) < 1e-9:
        return max(1, round(1 / first))
    reach = 1 + (ratio - 1) / first
    if reach <= 0:
        raise ImpossibleSpacing(
            f"cells that shrink by {ratio:.3g} from {first:.3g} of the length never reach the end",
            remedy=f"use a growth above {1 - first:.3g}",
        )
    return max(1, round(math.log(reach) / math.log(ratio)))


def tanh(n: int, first: float | None, last: float | None) -> Floats:
    """Give n cells by the hyperbolic tangent law with exact sizes of the first and last cell.

    Vinokur 1983 (J. Comput. Phys. 50, 215) prescribes ds/dξ at the ends, not the cell; the prescribed
    slopes are corrected until the actual cells have the wished sizes. With one size given the other
    end is the smooth one-sided law's.
    """
    for size in (first, last):
        if size is not None and not 0 < size < 1:
            raise ImpossibleSpacing(
                f"an end cell of {size:.3g} of the edge's length",
                remedy="give a size between 0 and all of it",
            )
    if n < 2 or (first is not None and last is not None and n < 3):
        raise ImpossibleSpacing(f"{n} cells cannot carry these sizes", remedy="use 3 cells or more")
    if first is None and last is None:
        return uniform(n)
    if first is None:
        assert last is not None
        return flipped(_one_sided(n, last))
    if last is None:
        return _one_sided(n, first)
    return _two_sided(n, first, last)


def flipped(s: Floats) -> Floats:
    """Turn a law round; the sizes change places."""
    after = 1.0 - s[::-1]
    after[0], after[-1] = 0.0, 1.0
    return after


def sizes(s: Floats, length: float) -> Floats:
    """Give the cell sizes d (n,) of nodes s on an edge of a physical length."""
    return np.diff(s) * length


def _one_sided(n: int, first: float) -> Floats:
    """Solve the one-sided law s = 1 + tanh(δ(ξ−1)/2)/tanh(δ/2) (tan where the first cell is large)."""
    xi = np.arange(n + 1) / n

    def law(delta: float) -> Floats:
        if abs(delta) < 1e-8:
            return xi.copy()
        if delta > 0:
            return np.asarray(1 + np.tanh(delta * (xi - 1) / 2) / math.tanh(delta / 2))
        return np.asarray(1 + np.tan(-delta * (xi - 1) / 2) / math.tan(-delta / 2))

    def excess(delta: float) -> float:
        return float(law(delta)[1]) - first

    low, high = -math.pi + 1e-9, 1e-3
    while excess(high) > 0 and high < 200:
        high *= 2
    if excess(low) < 0 or excess(high) > 0:
        raise ImpossibleSpacing(
            f"{n} cells with a first one of {first:.3g} of the length", remedy="use more cells"
        )
    s = law(float(brentq(excess, low, high, xtol=1e-14)))
    s[0], s[-1] = 0.0, 1.0
    return _rising(s)


def _two_sided(n: int, first: float, last: float) -> Floats:
    low, high = math.log(first * n), math.log(last * n)  # slopes ds/dξ at the ends, as logarithms
    s = _vinokur(n, math.exp(low), math.exp(high))
    for _ in range(200):
        gap_low, gap_high = math.log(first / s[1]), math.log(last / (s[-1] - s[-2]))
        if max(abs(s[1] - first), abs(s[-1] - s[-2] - last)) <= END_SIZE * 1e-3:
            return _rising(s)
        low, high = low + gap_low, high + gap_high
        if max(abs(low), abs(high)) > _MOST_SLOPE:
            break
        s = _vinokur(n, math.exp(low), math.exp(high))
        if not np.all(np.diff(s) > 0):
            break
    raise ImpossibleSpacing(
        f"{n} cells with end cells of {first:.3g} and {last:.3g} of the length",
        remedy="use more cells, or sizes closer to the mean cell",
    )


def _vinokur(n: int, slope_low: float, slope_high: float) -> Floats:
    """Give Vinokur's two-sided law for the slopes ds/dξ at both ends."""
    a = math.sqrt(slope_high / slope_low)
    b = 1 / math.sqrt(slope_low * slope_high)
    xi = np.arange(n + 1) / n
    if abs(b - 1) < 1e-9:
        u = xi.copy()
    elif b > 1:
        delta = float(brentq(lambda d: math.sinh(d) / d - b, 1e-6, 200.0, xtol=1e-14))
        u = 0.5 * (1 + np.tanh(delta * (xi - 0.5)) / math.tanh(delta / 2))
    else:
        delta = float(brentq(lambda d: math.sin(d) / d - b, 1e-6, math.pi, xtol=1e-14))
        u = 0.5 * (1 + np.tan(delta * (xi - 0.5)) / math.tan(delta / 2))
    s = u / (a + (1 - a) * u)
    s[0], s[-1] = 0.0, 1.0
    return np.asarray(s)


def _rising(s: Floats) -> Floats:
    if not np.all(np.diff(s) > 0):
        raise ImpossibleSpacing(
            f"{len(s) - 1} cells would shrink to nothing", remedy="use fewer cells or less growth"
        )
    return s

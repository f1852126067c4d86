"""Compiled solvers of the spacing laws, and the laying of many edges at once.

Sizes are shares of the edge's length here; `edge_law` turns physical ones into them. A law that cannot
be met gives False, and says nothing: `refusal` finds the words.
"""

from __future__ import annotations

import math

import numba as nb
import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.tolerances import END_SIZE

#: Growth from one cell to the next beyond this is taken for a mistake.
MOST_GROWTH = 10.0
_LOG_GROWTH = math.log(MOST_GROWTH)
#: Logarithms of slopes ds/dξ beyond this are no spacing any more.
_MOST_SLOPE = 25.0
#: Halvings of a bracket until no digit is left.
_HALVINGS = 120
#: The laws by number, as `lay` takes them.
UNIFORM, RATIO, GEOMETRIC, TWO_SIDED, TANH, LAYERS = range(6)


@nb.njit(cache=True, nogil=True)
def _sum(n: int, x: float) -> float:
    """Give Σ e^(kx) for k = 0 … n − 1."""
    if abs(x) < 1e-13:
        return float(n)
    return math.expm1(min(n * x, 700.0)) / math.expm1(x)


@nb.njit(cache=True, nogil=True)
def growth(n: int, first: float) -> float:
    """Solve first Σ r^k = 1 for ln r; NaN where no growth up to MOST_GROWTH does it."""
    if n == 1:
        return 0.0 if abs(first - 1) < 1e-9 else math.nan
    if abs(first * n - 1) < 1e-13:
        return 0.0
    low, high = -_LOG_GROWTH, _LOG_GROWTH
    if first * _sum(n, high) < 1 or first * _sum(n, low) > 1:
        return math.nan
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        if middle in (low, high):
            break
        if first * _sum(n, middle) < 1:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


@nb.njit(cache=True, nogil=True)
def _split(n: int, first: float, last: float, x: float) -> int:
    """Give how many of n cells belong to the run from the start: up to where both runs are as large."""
    if x == 0.0:
        return n
    meet = 0.5 * ((n - 1) + math.log(last / first) / x)
    return min(max(math.floor(meet + 1e-9) + 1, 1), n - 1)


@nb.njit(cache=True, nogil=True)
def reach(n: int, first: float, last: float, x: float) -> float:
    """Give how far n cells reach that grow by e^x from both ends until they meet."""
    m = _split(n, first, last, x)
    return first * _sum(m, x) + last * _sum(n - m, x)


@nb.njit(cache=True, nogil=True)
def two_sided_growth(n: int, first: float, last: float) -> float:
    """Solve reach = 1 for x = ln r, above 0 where the ends are fine, below where the middle is; or NaN."""
    if n < 2 or first + last > 1:
        return math.nan
    if n == 2:
        return 0.0 if abs(first + last - 1) < 1e-9 else math.nan
    least = abs(math.log(last / first)) / (n - 1)  # there the two runs are one geometric run
    if least > _LOG_GROWTH:
        return math.nan
    if reach(n, first, last, least) <= 1:
        low, high = least, _LOG_GROWTH
    else:
        low, high = -_LOG_GROWTH, -least
    if reach(n, first, last, high) < 1 or reach(n, first, last, low) > 1:
        return math.nan
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        if middle in (low, high):
            break
        if reach(n, first, last, middle) < 1:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


@nb.njit(cache=True, nogil=True)
def _rising(s: Floats) -> bool:
    return bool(np.all(s[1:] > s[:-1]))


@nb.njit(cache=True, nogil=True)
def _uniform(s: Floats) -> bool:
    n = len(s) - 1
    for k in range(n + 1):
        s[k] = k / n
    return True


@nb.njit(cache=True, nogil=True)
def _geometric(s: Floats, x: float) -> bool:
    """Lay cells that grow by e^x each; expm1 keeps the digits where the growth is close to 1."""
    n = len(s) - 1
    if math.isnan(x) or abs(x) > _LOG_GROWTH * (1 + 1e-12):
        return False
    whole = _sum(n, x)
    for k in range(n + 1):
        s[k] = _sum(k, x) / whole
    s[0], s[n] = 0.0, 1.0
    return _rising(s)


@nb.njit(cache=True, nogil=True)
def _two_sided(s: Floats, first: float, last: float) -> bool:
    n = len(s) - 1
    x = two_sided_growth(n, first, last)
    if math.isnan(x):
        return False
    m = _split(n, first, last, x)
    for k in range(n + 1):
        s[k] = first * _sum(k, x) if k <= m else 1.0 - last * _sum(n - k, x)
    s[0], s[n] = 0.0, 1.0
    return _rising(s)


@nb.njit(cache=True, nogil=True)
def _one_sided_at(xi: float, delta: float) -> float:
    """Give the one-sided law s = 1 + tanh(δ(ξ−1)/2)/tanh(δ/2); tan where the first cell is large."""
    if abs(delta) < 1e-8:
        return xi
    if delta > 0:
        return 1 + math.tanh(delta * (xi - 1) / 2) / math.tanh(delta / 2)
    return 1 + math.tan(-delta * (xi - 1) / 2) / math.tan(-delta / 2)


@nb.njit(cache=True, nogil=True)
def _one_sided(s: Floats, first: float) -> bool:
    n = len(s) - 1
    low, high = -math.pi + 1e-9, 200.0
    if n < 2 or _one_sided_at(1 / n, low) < first or _one_sided_at(1 / n, high) > first:
        return False
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        if middle in (low, high):
            break
        if _one_sided_at(1 / n, middle) > first:
            low = middle
        else:
            high = middle
    for k in range(n + 1):
        s[k] = _one_sided_at(k / n, high)
    s[0], s[1], s[n] = 0.0, first, 1.0  # tanh loses digits near 0, and the size is known
    return _rising(s)


@nb.njit(cache=True, nogil=True)
def _vinokur_delta(b: float) -> float:
    """Solve sinh δ/δ = b by Newton's steps on a convex function; below 1 sin δ/δ = b by halving."""
    if b > 1:
        delta = math.sqrt(6 * (b - 1)) if b < 3 else math.log(2 * b) + math.log(math.log(2 * b)) + 1
        for _ in range(50):
            sinh, cosh = math.sinh(delta), math.cosh(delta)
            step = (sinh / delta - b) / ((delta * cosh - sinh) / delta**2)
            delta -= step
            if abs(step) <= 1e-15 * delta:
                break
        return delta
    low, high = 1e-6, math.pi
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        if middle in (low, high):
            break
        if b < math.sin(middle) / middle:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


@nb.njit(cache=True, nogil=True)
def _vinokur_at(xi: float, a: float, b: float, delta: float) -> float:
    """Give Vinokur's two-sided law at ξ, for A, B and the δ that solves it."""
    if abs(b - 1) < 1e-9:
        u = xi
    elif b > 1:
        u = 0.5 * (1 + math.tanh(delta * (xi - 0.5)) / math.tanh(delta / 2))
    else:
        u = 0.5 * (1 + math.tan(delta * (xi - 0.5)) / math.tan(delta / 2))
    return u / (a + (1 - a) * u)


@nb.njit(cache=True, nogil=True)
def _tanh(s: Floats, first: float, last: float) -> bool:
    """Lay Vinokur's law; it prescribes ds/dξ at the ends, so the slopes are corrected until the cells fit."""
    n = len(s) - 1
    if n < 3 or first + last >= 1:
        return False
    low, high = math.log(first * n), math.log(last * n)
    for _ in range(300):
        a, b = math.exp(0.5 * (high - low)), math.exp(-0.5 * (low + high))
        delta = _vinokur_delta(b) if abs(b - 1) >= 1e-9 else 0.0
        d0 = _vinokur_at(1 / n, a, b, delta)
        d1 = 1 - _vinokur_at(1 - 1 / n, a, b, delta)
        if not (d0 > 0 and d1 > 0):
            return False
        if max(abs(d0 - first), abs(d1 - last)) <= END_SIZE * 1e-3:
            for k in range(n + 1):
                s[k] = _vinokur_at(k / n, a, b, delta)
            s[0], s[n] = 0.0, 1.0
            return _rising(s)
        low += math.log(first / d0)
        high += math.log(last / d1)
        if max(abs(low), abs(high)) > _MOST_SLOPE:
            return False
    return False


@nb.njit(cache=True, nogil=True)
def _flip(s: Floats) -> None:
    n = len(s) - 1
    for k in range(n // 2 + 1):
        s[k], s[n - k] = 1.0 - s[n - k], 1.0 - s[k]
    s[0], s[n] = 0.0, 1.0


@nb.njit(cache=True, nogil=True)
def _smooth(s: Floats, first: float, last: float) -> bool:
    """Lay the tanh law for the sizes that are given; a NaN is none."""
    if math.isnan(first) and math.isnan(last):
        return _uniform(s)
    if math.isnan(last):
        return 0 < first < 1 and _one_sided(s, first)
    if math.isnan(first):
        done = 0 < last < 1 and _one_sided(s, last)
        _flip(s)
        return done
    return first > 0 and last > 0 and _tanh(s, first, last)


@nb.njit(cache=True, nogil=True)
def _layers(s: Floats, first: float, last: float, x: float, m: int, far: float) -> bool:
    """Lay m cells that grow by e^x from each end that has a height, and the tanh law between.

    Its first cell continues the growth. ``far`` is the size at the end without layers.
    """
    n = len(s) - 1
    at_low, at_high = not math.isnan(first), not math.isnan(last)
    rest = n - m * (int(at_low) + int(at_high))
    if rest < 2 or not (at_low or at_high):
        return False
    low = first * _sum(m, x) if at_low else 0.0
    high = last * _sum(m, x) if at_high else 0.0
    between = 1.0 - low - high
    if between <= 0:
        return False
    begin = first * math.exp(m * x) / between if at_low else far / between
    end = last * math.exp(m * x) / between if at_high else far / between
    start = m if at_low else 0
    inner = s[start : start + rest + 1]
    if not _smooth(inner, begin, end):
        return False
    for k in range(rest + 1):
        inner[k] = low + between * inner[k]
    if at_low:
        for k in range(m):
            s[k] = first * _sum(k, x)
    if at_high:
        for k in range(m):
            s[n - k] = 1.0 - last * _sum(k, x)
    s[0], s[n] = 0.0, 1.0
    return _rising(s)


@nb.njit(cache=True, nogil=True)
def lay(law: int, sizes: Floats, layers: int, s: Floats) -> bool:  # noqa: PLR0911  (one for each law)
    """Lay a law: ``sizes`` are first, last, far and ln growth, NaN where not given; fills s (n + 1,)."""
    first, last, far, x = sizes[0], sizes[1], sizes[2], sizes[3]
    n = len(s) - 1
    if law == UNIFORM:
        return _uniform(s)
    if law == RATIO:
        return _geometric(s, x)
    if law == GEOMETRIC:
        if not math.isnan(first):
            return first > 0 and _geometric(s, growth(n, first))
        return last > 0 and _geometric(s, -growth(n, last))
    if law == TWO_SIDED:
        return first > 0 and last > 0 and _two_sided(s, first, last)
    if law == TANH:
        return _smooth(s, first, last)
    return _layers(s, first, last, x, layers, far)


@nb.njit(cache=True, parallel=True, nogil=True)
def lay_all(law: Ints, sizes: Floats, layers: Ints, starts: Ints, nodes: Floats) -> Bools:
    """Lay many edges: laws (e,), sizes (e, 4), layers (e,); edge k owns nodes[starts[k]:starts[k + 1]].

    Gives whether each could be laid (e,).
    """
    done = np.zeros(len(law), dtype=np.bool_)
    for k in nb.prange(len(law)):
        done[k] = lay(law[k], sizes[k], layers[k], nodes[starts[k] : starts[k + 1]])
    return done

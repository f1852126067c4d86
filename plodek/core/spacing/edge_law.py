"""What a law needs to lay nodes on one edge, in physical lengths, and the laying itself."""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing import kernels
from plodek.core.spacing.size_law import Table, equal_shares

LawName = Literal["uniform", "geometric", "two-sided", "tanh", "wall layers", "table", "kept"]
End = Literal["first", "last"]

MOST_CELLS = 10_000
#: So many counts are tried one by one before the search for the fewest takes larger steps.
_SINGLY = 16
_NUMBERS = {"two-sided": kernels.TWO_SIDED, "tanh": kernels.TANH, "wall layers": kernels.LAYERS}


@dataclass(frozen=True)
class EdgeLaw:
    """A spacing law on an edge; sizes in the project's unit, ``first`` at the edge's first corner.

    ``geometric`` takes ``ratio`` (growth from the first corner on), or ``first``, or ``last``, or
    ``expansion`` (last over first). ``two-sided`` grows geometrically from both ends until they meet;
    ``tanh`` takes ``first``, ``last`` or both. ``wall layers`` takes ``layers`` cells that grow by
    ``ratio`` from each end that has a height (``first``, ``last``), and ``far`` for the other end.
    ``table`` takes relative sizes against places; ``kept`` the ``places`` of nodes, which another count
    goes through smoothly, and of what it was a piece of the sizes at its ends and the layers that it has
    whole. ``matched`` names the ends that take the size of the
    cell on the neighbour across them.
    """

    law: LawName = "uniform"
    first: float | None = None
    last: float | None = None
    ratio: float | None = None
    expansion: float | None = None
    layers: int = 0
    far: float | None = None
    table: Table = ()
    places: tuple[float, ...] = ()
    matched: frozenset[End] = frozenset()

    def turned(self) -> EdgeLaw:
        """Give the law that starts at the edge's other end."""
        turns = self.law == "geometric"  # the growth of wall layers is away from the wall
        return replace(
            self,
            first=self.last,
            last=self.first,
            ratio=1.0 / self.ratio if turns and self.ratio is not None else self.ratio,
            expansion=None if self.expansion is None else 1.0 / self.expansion,
            table=tuple((1.0 - place, size) for place, size in reversed(self.table)),
            places=tuple(1.0 - s for s in reversed(self.places)),
            matched=frozenset("last" if end == "first" else "first" for end in self.matched),
        )

    def kept(self, places: tuple[float, ...], *, at_first: bool, at_last: bool) -> EdgeLaw:
        """Give the law of a piece with nodes at places, which has the first end, the last, or neither."""
        whole = len(places) > self.layers
        return EdgeLaw(
            "kept",
            first=self.first if at_first and whole else None,
            last=self.last if at_last and whole else None,
            layers=self.layers if whole else 0,
            places=places,
        )

    def with_end(self, end: End, size: float) -> EdgeLaw:
        """Give the law with a size at one end: of the cell there, or of the far one of wall layers."""
        if self.law == "wall layers":
            return replace(self, far=size)
        law: LawName = "geometric" if self.law == "uniform" else self.law
        if end == "first":
            return replace(self, law=law, first=size)
        return replace(self, law=law, last=size)

    def scaled(self, factor: float) -> EdgeLaw:
        """Give the law on ``factor`` times as many cells with sizes divided by it, growth to match."""
        return replace(
            self,
            first=None if self.first is None else self.first / factor,
            last=None if self.last is None else self.last / factor,
            far=None if self.far is None else self.far / factor,
            ratio=None if self.ratio is None else self.ratio ** (1.0 / factor),
            layers=round(self.layers * factor),
        )

    def nodes(self, n: int, length: float, unit: str = "") -> Floats:
        """Lay n cells on an edge: node fractions s (n + 1,). Raises ImpossibleSpacing."""
        if self.law == "uniform":
            return _uniform(n)
        if self.law == "table":
            return _on_table(self.table, n)
        if self.law == "kept":
            return _on_places(self.places, n)
        s = np.empty(n + 1)
        if not self._laid(n, length, s):
            raise refusal(self, n, length, unit)
        return s

    def fits(self, n: int, length: float) -> bool:
        """Whether n cells can be laid on an edge."""
        if self.law in ("uniform", "table", "kept"):
            return n >= 1
        return self._laid(n, length, np.empty(n + 1))

    def _laid(self, n: int, length: float, s: Floats) -> bool:
        number, sizes, layers = self.packed(n, length)
        return bool(kernels.lay(number, np.array(sizes), layers, s))

    def packed(self, n: int, length: float) -> tuple[int, tuple[float, float, float, float], int]:
        """Give the law as the kernels take it: its number, four sizes as shares of the edge, and layers."""
        first = math.nan if self.first is None else self.first / length
        last = math.nan if self.last is None else self.last / length
        far = math.nan if self.far is None else self.far / length
        log = math.log(self.ratio) if self.ratio is not None and self.ratio > 0 else math.nan
        if self.law == "two-sided":  # one size is that of both ends
            first, last = (last if math.isnan(first) else first), (first if math.isnan(last) else last)
        number = _NUMBERS.get(self.law, kernels.GEOMETRIC)
        if self.law == "geometric" and self.first is None and self.last is None:
            number = kernels.RATIO
            if self.expansion is not None and self.expansion > 0:
                log = math.log(self.expansion) / max(n - 1, 1)
        return number, (first, last, far, log), self.layers


def flipped(s: Floats) -> Floats:
    """Turn a law round; the sizes change places."""
    after = 1.0 - s[::-1]
    after[0], after[-1] = 0.0, 1.0
    return after


def most_growth(s: Floats) -> float:
    """Give the largest ratio between neighbouring cells, 1 or more."""
    d = np.diff(s)
    return float(np.maximum(d[1:] / d[:-1], d[:-1] / d[1:]).max(initial=1.0))


@lru_cache(maxsize=20_000)
def fewest_cells(law: EdgeLaw, length: float, growth: float = math.inf, size: float = math.inf) -> int:
    """Give the fewest cells whose growth and largest size stay within limits.

    Raises ImpossibleSpacing, with what could be had, where no count does.
    """
    found = _fewest(law, length, growth, size)
    if found is None:
        raise _no_count(law, length, growth, size)
    return found


def _fewest(law: EdgeLaw, length: float, growth: float, size: float) -> int | None:
    """Find the fewest cells, or None.

    The first counts are tried one by one, since layers that nearly fill an edge leave room for few others;
    from there doubling finds a count that does, halving the fewest.
    """

    def does(n: int) -> bool:
        if not law.fits(n, length):
            return False
        s = law.nodes(n, length)
        return most_growth(s) <= growth * (1 + 1e-9) and float(np.diff(s).max()) * length <= size * (1 + 1e-9)

    low = max(1, math.ceil(length / size - 1e-9) if size < math.inf else 1)
    if law.law == "uniform":
        return low
    low = max(low, law.layers * _ends_with_layers(law))
    high, singly = low, low + _SINGLY
    while high <= MOST_CELLS and not does(high):
        low, high = high + 1, high + 1 if high < singly else int(1.5 * high)
    if high > MOST_CELLS:
        return None
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if does(middle) else (middle + 1, high)
    return high


def _ends_with_layers(law: EdgeLaw) -> int:
    return (law.first is not None) + (law.last is not None)


def _no_count(law: EdgeLaw, length: float, growth: float, size: float) -> ImpossibleSpacing:
    """Say that no count keeps within the limits, and the nearest wish that one does."""
    wished = [f"{name} {v:.4g}" for name, v in (("first cell", law.first), ("last cell", law.last)) if v]
    wished += [f"{law.layers} layers"] if law.layers else []
    wished += [f"growth at most {growth:.4g}"] if growth < math.inf else []
    wished += [f"no cell above {size:.4g}"] if size < math.inf else []
    return ImpossibleSpacing(
        f"no count up to {MOST_CELLS} meets {', '.join(wished)} on a length of {length:.6g}",
        remedy=_fewer_layers(law, length, growth, size) if law.layers else _more_growth(law, length),
    )


def _fewer_layers(law: EdgeLaw, length: float, growth: float, size: float) -> str:
    """Name the most layers that leave room for a count, or the end where even one is too high."""
    for layers in range(law.layers - 1, 0, -1):
        if _fewest(replace(law, layers=layers), length, growth, size) is not None:
            return f"use {layers} layers at most, or give the count: the growth is then what it comes to"
    return "use lower layers or more growth"


def _more_growth(law: EdgeLaw, length: float) -> str:
    """Name the least growth that a count comes to."""
    low = max(1, law.layers * _ends_with_layers(law))
    counts = [*range(low, low + _SINGLY), *np.geomspace(low + _SINGLY, MOST_CELLS, 60).astype(int).tolist()]
    reached = {n: most_growth(law.nodes(n, length)) for n in counts if law.fits(n, length)}
    best = min(reached, key=lambda n: (reached[n], n), default=None)
    if best is None:
        return "use end cells that are smaller together than the edge"
    return f"allow a growth of {reached[best] + 5e-4:.3f}, which {best} cells come to"


def geometric_count(length: float, first: float, last: float, ratio: float) -> int:
    """Give the cells of a geometric run from two of first cell, last cell and ratio; NaN for the third.

    From Σ d_k = L: n = ln(1 + (r − 1) L / d₀)/ln r, and r = (L − d₀)/(L − dₙ₋₁); rounded to the nearest.
    """
    if math.isnan(ratio):
        if first >= length or last >= length:
            raise ImpossibleSpacing("an end cell is longer than the edge", remedy="give a smaller one")
        ratio = (length - first) / (length - last)
    elif math.isnan(first):
        first, ratio = last, 1.0 / ratio
    if not ratio > 0:
        raise ImpossibleSpacing(f"a growth of {ratio:g}", remedy="give a growth above 0")
    if abs(ratio - 1) < 1e-9:
        return max(1, round(length / first))
    reach = 1 + (ratio - 1) * length / first
    if reach <= 0:
        raise ImpossibleSpacing(
            f"cells that shrink by {ratio:.3g} from {first:.3g} never reach the end of {length:.3g}",
            remedy=f"use a growth above {1 - first / length:.3g}, or a larger first cell",
        )
    return max(1, round(math.log(reach) / math.log(ratio)))


def contradiction(n: int, first: float, ratio: float, length: float, unit: str) -> ImpossibleSpacing:
    """Say that cells, first cell and growth contradict each other, with the nearest wishes that do not."""
    reached = first * (n if ratio == 1 else (ratio**n - 1) / (ratio - 1))
    log = kernels.growth(n, first / length)
    cures = []
    with suppress(ImpossibleSpacing):
        cures.append(f"{geometric_count(length, first, math.nan, ratio)} cells")
    if not math.isnan(log):
        cures.append(f"growth {math.exp(log):.3g}")
    return ImpossibleSpacing(
        f"{n} cells from {first:.3g} {unit} at growth {ratio:.4g} reach {reached:.3g} {unit} of "
        f"{length:.3g} {unit}",
        remedy=f"use {' or '.join(cures)}" if cures else "leave one of the three out",
    )


def refusal(law: EdgeLaw, n: int, length: float, unit: str) -> ImpossibleSpacing:
    """Say why n cells cannot be laid by a law, and what could."""

    def say(size: float) -> str:
        return f"{size:.3g} {unit}".rstrip()

    sizes = {"first cell": law.first, "last cell": law.last, "far cell": law.far}
    for name, size in sizes.items():
        if size is not None and not size > 0:
            return ImpossibleSpacing(f"a {name} of {size:.3g}", remedy="give a size above 0")
        if size is not None and size >= length:
            return ImpossibleSpacing(
                f"the {name} of {say(size)} does not fit on {say(length)}",
                remedy="give a size below the edge's length",
            )
    if law.first is not None and law.last is not None and law.first + law.last >= length:
        return ImpossibleSpacing(
            f"end cells of {say(law.first)} and {say(law.last)} leave nothing of {say(length)}",
            remedy="give sizes that are smaller together than the edge",
        )
    limit = kernels.MOST_GROWTH
    if law.ratio is not None and not 1 / limit <= law.ratio <= limit:
        return ImpossibleSpacing(
            f"a growth of {law.ratio:.3g} per cell", remedy=f"use a growth from {1 / limit:g} to {limit:g}"
        )
    given = ", ".join(f"{name} {say(size)}" for name, size in sizes.items() if size is not None)
    if law.law == "geometric" and not given and law.ratio is None and law.expansion is None:
        return ImpossibleSpacing(
            "a geometric law needs a growth, an expansion, a first or a last cell",
            remedy="give one of them",
        )
    cures = [f"{m} cells" for m in _nearest_counts(law, n, length)]
    size = law.first if law.first is not None else law.last
    if law.law == "geometric" and size is not None and n > 1:
        nearest = _nearest_size(law, n, length, size)
        # Half a unit of the last digit told is left, so that what is told fits.
        bound = f"least {say(1.005 * nearest)}" if size < nearest else f"most {say(0.995 * nearest)}"
        cures.append(f"a cell of at {bound}")
    layers = f", {law.layers} layers at growth {law.ratio or 1:.4g}" if law.layers else ""
    return ImpossibleSpacing(
        f"{n} cells with {given or 'this growth'}{layers} cannot fill {say(length)}",
        remedy=f"use {' or '.join(cures)}" if cures else "use sizes closer to the mean cell",
    )


def _nearest_counts(law: EdgeLaw, n: int, length: float) -> list[int]:
    """Find the nearest count above that can be laid, or the nearest below."""
    steps = np.unique(np.round(np.geomspace(1, 20 * n + 100, 120)).astype(int)).tolist()
    above = next((n + k for k in steps if n + k <= MOST_CELLS and law.fits(n + k, length)), None)
    if above is not None:
        while above - 1 > n and law.fits(above - 1, length):
            above -= 1
        return [above]
    below = next((m for m in range(n - 1, 0, -1) if law.fits(m, length)), None)
    return [] if below is None else [below]


def _nearest_size(law: EdgeLaw, n: int, length: float, size: float) -> float:
    """Find the end cell nearest to a size that does not fit, by halving the way to equal cells."""
    end: End = "first" if law.first is not None else "last"
    fits, wished = length / n, size
    for _ in range(50):
        middle = math.sqrt(fits * wished)
        if law.with_end(end, middle).fits(n, length):
            fits = middle
        else:
            wished = middle
    return fits


@lru_cache(maxsize=1000)
def _uniform(n: int) -> Floats:
    """Give n equal cells; one array for all edges, which nobody may write to."""
    found = np.arange(n + 1) / n
    found.flags.writeable = False
    return found


@lru_cache(maxsize=1000)
def _on_table(table: Table, n: int) -> Floats:
    """Lay a table; one array for all edges that have it."""
    found = equal_shares(table, n)
    found.flags.writeable = False
    return found


@lru_cache(maxsize=1000)
def _on_places(places: tuple[float, ...], n: int) -> Floats:
    """Lay nodes at places kept from before; for another count, monotonically between them."""
    found = np.array(places)
    if len(places) != n + 1:
        index = np.linspace(0.0, 1.0, len(places))
        found = np.asarray(scipy.interpolate.PchipInterpolator(index, found)(np.linspace(0.0, 1.0, n + 1)))
        found[0], found[-1] = 0.0, 1.0
    found.flags.writeable = False
    return found

"""What a law needs to lay nodes on one edge, in physical lengths, and the laying itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from plodek.core.arrays import Floats
from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing import laws

LawName = Literal["uniform", "geometric", "tanh"]


@dataclass(frozen=True)
class EdgeLaw:
    """A spacing law on an edge; sizes in the project's unit, ``first`` at the edge's first corner.

    ``geometric`` takes ``ratio`` (growth from the first corner on), or ``first``, or ``last``.
    ``tanh`` takes ``first``, ``last`` or both.
    """

    law: LawName = "uniform"
    first: float | None = None
    last: float | None = None
    ratio: float | None = None

    def turned(self) -> EdgeLaw:
        """Give the law that starts at the edge's other end."""
        ratio = None if self.ratio is None else 1.0 / self.ratio
        return replace(self, first=self.last, last=self.first, ratio=ratio)

    def nodes(self, n: int, length: float) -> Floats:
        """Lay n cells on an edge: node fractions s (n + 1,). Raises ImpossibleSpacing."""
        first = None if self.first is None else self.first / length
        last = None if self.last is None else self.last / length
        if self.law == "uniform":
            return _uniform(n)
        if self.law == "tanh":
            return laws.tanh(n, first, last)
        if self.ratio is not None:
            return laws.geometric(n, self.ratio)
        if first is not None:
            return laws.geometric(n, laws.geometric_ratio(n, first))
        if last is not None:
            return laws.flipped(laws.geometric(n, laws.geometric_ratio(n, last)))
        raise ImpossibleSpacing(
            "a geometric law needs a growth, a first or a last cell", remedy="give one of them"
        )


@lru_cache(maxsize=1000)
def _uniform(n: int) -> Floats:
    """Give n equal cells; one array for all edges, which nobody may write to."""
    found = laws.uniform(n)
    found.flags.writeable = False
    return found

"""Counts of tiers that have none of their own: from wanted cell sizes, a factor, a budget, a multiple."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.tiers import Tier
from plodek.core.budget import need
from plodek.core.errors import ImpossibleSpacing
from plodek.core.spacing.edge_law import MOST_CELLS, EdgeLaw, fewest_cells

#: Where no size is wanted, cells are of about this share of the layout's diagonal.
DERIVED_SIZE = 1 / 40


@dataclass(frozen=True)
class Counting:
    """How counts are derived: all multiplied by ``factor``, rounded to ``multiple``, within a ``budget``.

    ``finer`` is what the sizes that were set have been divided by so far; a lift that comes later takes
    its own count and sizes by both.
    """

    factor: float = 1.0
    finer: float = 1.0
    budget: int | None = None
    multiple: int = 1
    keep_single: bool = True

    def scaled(self, factor: float, dim: int, *, divide: bool) -> Counting:
        """Multiply the derived counts, and a budget with them; ``divide`` the sizes that are set."""
        budget = None if self.budget is None else round(self.budget * factor**dim)
        finer = self.finer * factor if divide else self.finer
        return replace(self, factor=self.factor * factor, finer=finer, budget=budget)

    def times(self, count: int) -> int:
        """Multiply a count that is set; one cell stays one where single ones are kept."""
        if count == 1 and self.keep_single:
            return 1
        return max(1, round(count * self.factor))

    def rounded(self, count: float) -> int:
        """Round to the nearest multiple, one at least."""
        return max(1, round(count / self.multiple)) * self.multiple

    def up(self, count: float) -> int:
        """Round up to a multiple."""
        return max(1, math.ceil(count / self.multiple - 1e-9)) * self.multiple


class _Wishes(Protocol):
    @property
    def counts(self) -> Mapping[Edge, int]: ...
    @property
    def laws(self) -> Mapping[Edge, EdgeLaw]: ...
    @property
    def counting(self) -> Counting: ...


def derived_counts(
    layout: Layout,
    tiers: tuple[Tier, ...],
    paths: Mapping[Edge, EdgePath],
    spacing: _Wishes,
    wanted: Mapping[Edge, float],
) -> tuple[dict[Edge, int], frozenset[str]]:
    """Give the cells of every edge, and the labels of the tiers that are locked.

    A tier takes as many cells as the most demanding of its edges needs. Raises ImpossibleSpacing where
    the locked tiers alone are over the budget, OverBudget for too many cells on one.
    """
    counting, default = spacing.counting, layout.size() * DERIVED_SIZE
    found: list[int] = []
    locked = []
    for tier in tiers:
        given = next((spacing.counts[e] for e in tier.edges if e in spacing.counts), None)
        locked.append(given is not None)
        if given is not None:
            found.append(given)
            continue
        needs = [
            _needed(spacing.laws.get(e), paths[e].length, wanted[e])
            for e in tier.edges
            if e in paths and e in wanted
        ]
        if needs:
            found.append(counting.up(max(needs) * counting.factor))
            continue
        lengths = [paths[e].length for e in tier.edges if e in paths]
        mean = sum(lengths) / len(lengths) if lengths else default
        found.append(counting.rounded(max(2, round(mean / default)) * counting.factor))
    if counting.budget is not None:
        found = _within_budget(layout, tiers, found, locked, counting, counting.budget)
    for tier, n in zip(tiers, found, strict=True):
        need("tier_cells", n, where=f"the tier {tier.label}")
    counts = {edge: n for tier, n in zip(tiers, found, strict=True) for edge in tier.edges}
    return counts, frozenset(t.label for t, is_locked in zip(tiers, locked, strict=True) if is_locked)


def _needed(law: EdgeLaw | None, length: float, size: float) -> int:
    """Give the fewest cells none of which is larger than wanted."""
    if law is None or law.law in ("table", "kept"):
        law = EdgeLaw()
    if law.matched:
        law = replace(law, matched=frozenset())
    try:
        return fewest_cells(law, length, size=size)
    except ImpossibleSpacing:  # the law itself sets its cells
        return math.ceil(length / size)


def _within_budget(
    layout: Layout,
    tiers: tuple[Tier, ...],
    counts: list[int],
    locked: list[bool],
    counting: Counting,
    budget: int,
) -> list[int]:
    """Scale the derived counts alike, so that the cells come as near to the budget as they can from below."""
    blocks = _axes(layout, tiers)
    base, fixed = np.array([*counts, 1]), np.array([*locked, True])

    def at(factor: float) -> Ints:
        k = counting.multiple
        scaled = np.maximum(1, np.floor(base * factor / k + 1e-9).astype(int)) * k
        return np.where(fixed, base, np.clip(scaled, min(2, budget), MOST_CELLS))

    def cells(factor: float) -> int:
        return int(at(factor)[blocks].prod(axis=1).sum())

    if cells(0.0) > budget:
        raise ImpossibleSpacing(
            f"the locked tiers alone make {cells(0.0)} cells, the budget is {budget}",
            remedy="raise the budget, or release a tier",
        )
    low, high = 0.0, 1.0
    while cells(high) <= budget and high < 1e4:
        low, high = high, 2 * high
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if cells(middle) <= budget else (low, middle)
    return [int(n) for n in at(low)[:-1]]


def _axes(layout: Layout, tiers: tuple[Tier, ...]) -> Ints:
    """Give the number of the tier along each axis of each filled block (b, dim); the last for none."""
    number = {edge: n for n, tier in enumerate(tiers) for edge in tier.edges}
    found = []
    for name in layout.filled:
        corners = layout.blocks[name].corners
        row = []
        for axis in range(layout.dim):
            ways = ((corners[a], corners[b]) for a, b in tables.parallel(layout.dim, axis))
            row.append(next((number[edge_of(a, b)] for a, b in ways if a != b), len(tiers)))
        found.append(row)
    return np.array(found)

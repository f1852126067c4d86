"""Laws that follow a cell size given along the edge: nodes at equal shares of ∫ ds / size.

A size that is linear in the arc length with slope b gives cells that grow by e^b each, since n cells
take ∫ ds / (a + b s) = ln(size₂ / size₁) / b = n.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import ImpossibleSpacing
from plodek.core.shape.curves.curve import Curve

#: Cell sizes against places: (place from 0 to 1, relative size), places rising.
Table: TypeAlias = tuple[tuple[float, float], ...]
#: Places at which the curvature of an edge is looked at.
_LOOKS = 513
#: Points of a table made from curvature.
_POINTS = 129


def check_table(points: Sequence[Sequence[float]]) -> Table:
    """Take a table from 0 to 1. Raises ImpossibleSpacing for one that does not rise, or a size of 0."""
    found = tuple((float(p), float(size)) for p, size in points)
    if len(found) < 2 or found[0][0] != 0 or found[-1][0] != 1:
        raise ImpossibleSpacing(
            "the table does not run from place 0 to place 1", remedy="give a size at 0 and one at 1"
        )
    for number, ((a, _), (b, _)) in enumerate(pairwise(found), 2):
        if not b > a:
            raise ImpossibleSpacing(
                f"line {number} of the table is at {b:g}, not beyond {a:g}", remedy="give rising places"
            )
    low, high = min(size for _, size in found), max(size for _, size in found)
    if not low > 0 or high / low > 1e6:
        raise ImpossibleSpacing(
            f"the table has sizes from {low:g} to {high:g}",
            remedy="give sizes above 0, none a million times another",
        )
    return found


def equal_shares(table: Table, n: int) -> Floats:
    """Lay n cells: nodes (n + 1,) at equal shares of ∫ ds / size, the size linear between the points."""
    place, size = np.array(table).T
    share = _shares(place, size)
    wanted = np.linspace(0.0, share[-1], n + 1)
    k = np.clip(np.searchsorted(share, wanted, side="right") - 1, 0, len(place) - 2)
    width, slope = np.diff(place)[k], (np.diff(size) / np.diff(place))[k]
    x = slope * (wanted - share[k])
    grown = np.where(np.abs(x) > 1e-12, np.expm1(x) / np.where(x == 0, 1.0, x), 1.0)
    s = place[k] + np.minimum(size[k] * (wanted - share[k]) * grown, width)
    s[0], s[-1] = 0.0, 1.0
    return np.asarray(s)


def cells_of(table: Table) -> float:
    """Give ∫ ds / size over the edge: the cells, where the sizes are shares of its length."""
    place, size = np.array(table).T
    return float(_shares(place, size)[-1])


def _shares(place: Floats, size: Floats) -> Floats:
    """Give ∫ ds / size from the start to each point (n,)."""
    width = np.diff(place)
    ratio = np.log(size[1:] / size[:-1])
    step = size[1:] - size[:-1]
    flat = np.abs(ratio) < 1e-9
    pieces = np.where(flat, width * 2 / (size[1:] + size[:-1]), width * ratio / np.where(flat, 1.0, step))
    return np.concatenate([[0.0], np.cumsum(pieces)])


def by_curvature(
    curve: Curve | None, length: float, degrees: float, largest: float, most_growth: float
) -> Table:
    """Give the table of an edge whose cells turn by at most ``degrees`` and are no larger than ``largest``.

    ``curve`` is the edge's own, from its first corner to its second, None where straight; the cells grow
    by at most ``most_growth`` each. Sizes in the table are shares of the edge's length.
    """
    s = np.linspace(0.0, 1.0, _LOOKS)
    size = np.full(_LOOKS, largest)
    if curve is not None:
        bend = np.maximum(curve.curvature(s), 1e-300)
        size = np.minimum(size, math.radians(degrees) / bend)
    size = np.maximum(size / length, 1e-6)
    climb = math.log(most_growth) * s
    size = np.minimum.accumulate(size - climb) + climb
    size = (np.minimum.accumulate((size + climb)[::-1]))[::-1] - climb
    kept = np.linspace(0, _LOOKS - 1, _POINTS).astype(int)
    # A point between two kept ones may be finer than both: the finest of its surroundings counts.
    near = np.minimum.reduce([size[np.clip(kept + k, 0, _LOOKS - 1)] for k in range(-3, 4)])
    return tuple(zip(s[kept].tolist(), near.tolist(), strict=True))

"""Where the cell size jumps: along edges, and from one edge to the next across a side."""

from __future__ import annotations

from dataclasses import dataclass

from plodek.core.blocks.continuing import Continuing
from plodek.core.blocks.layout import Edge
from plodek.core.spacing.spread import LaidOut

#: Growth from one cell to the next that most solvers take well; common practice.
GROWTH_LIMIT = 1.2
#: What rounding of counts may add before a growth is told.
_SLACK = 1.005


@dataclass(frozen=True)
class Jump:
    """At a corner the cell of ``fine`` meets that of ``coarse``, which is ``ratio`` times as large.

    Across twin sides the coarse one begins at another corner, ``there``.
    """

    corner: str
    fine: Edge
    coarse: Edge
    there: str
    ratio: float


def jumps(laid: LaidOut, beyond: Continuing, limit: float = GROWTH_LIMIT) -> list[Jump]:
    """Find where cells jump by more than a limit from one edge to the next, the worst first."""
    found, cells = [], laid.edge_cells
    for (edge, corner), ends in beyond.items():
        here = cells[edge].first if edge[0] == corner else cells[edge].last
        for other, there in ends:
            size = cells[other].first if other[0] == there else cells[other].last
            # An edge of no length has no cells that a neighbour could match.
            if here > 0 and size > here * limit * _SLACK:
                found.append(Jump(corner, edge, other, there, size / here))
    return sorted(found, key=lambda jump: -jump.ratio)


def worst_growth(laid: LaidOut) -> float:
    """Give the largest growth from cell to cell along any edge."""
    return max((cells.growth for cells in laid.edge_cells.values()), default=1.0)

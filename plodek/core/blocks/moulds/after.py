"""What an operation leaves of moulds: pieces keep theirs, and what was merged has one again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.change import Change
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, Name, edge_of
from plodek.core.blocks.moulds.edges import shares_along
from plodek.core.blocks.moulds.mould import Mould, joined
from plodek.core.shape.curves.curve import Curve


@dataclass(frozen=True)
class Moulded:
    """The layout with its moulds, and where the nodes (n,) of edges across pieces lie, as fractions."""

    layout: Layout
    nodes: Mapping[Edge, Floats]


def moulded(
    before: Layout, change: Change, paths: Mapping[Edge, EdgePath], nodes: Mapping[Edge, Floats]
) -> Moulded:
    """Carry the moulds of a layout over to what became of it.

    ``paths`` and ``nodes`` are those of its edges: an edge across a block or side that was divided runs
    through the received nodes, and has its own where those of the edges beside it say.
    """
    layout = change.layout
    if not before.moulds:
        return Moulded(layout, {})
    dividing = _Dividing(change, paths, nodes)
    found: dict[Name, Mould] = {}
    parts: dict[Name, list[Mould]] = {}
    for name, mould in before.moulds.items():
        pieces = change.pieces.get(name, (name,))
        if len(pieces) > 1:
            found |= dividing.pieces(name, mould, pieces, layout)
        elif pieces != (name,):
            parts.setdefault(pieces[0], []).append(mould)
    for name, halves in parts.items():
        if len(halves) == 2 and (corners := corners_of(layout, name)) is not None:
            whole = joined(corners, *halves)
            found |= {} if whole is None else {name: whole}
    if layout.dim == 3:  # sides that divide blocks are new
        for mould in [mould for name, mould in found.items() if isinstance(name, str)]:
            found |= {s: own for s, own in mould.sides() if s not in before.sides and s not in found}
    bends = dict(layout.bends) | {e: c for e, c in dividing.bends.items() if e in layout.edges}
    follows = {e: f for e, f in layout.follows.items() if e not in dividing.bends}
    return Moulded(
        replace(layout, moulds=dict(layout.moulds) | found, bends=bends, follows=follows),
        {e: s for e, s in dividing.across.items() if e in layout.edges},
    )


def corners_of(layout: Layout, name: Name) -> tuple[str, ...] | None:
    """Give the corners of a block or side in logical order; None where the layout has none of that name."""
    if isinstance(name, str):
        return layout.blocks[name].corners if name in layout.blocks else None
    return layout.ordered(name) if name in layout.sides else None


class _Dividing:
    """The halves of moulds that were divided; ``bends`` are the edges across, ``across`` their nodes."""

    def __init__(self, change: Change, paths: Mapping[Edge, EdgePath], nodes: Mapping[Edge, Floats]) -> None:
        self._paths, self._nodes = paths, nodes
        self.bends: dict[Edge, Curve] = {}
        self.across: dict[Edge, Floats] = {}
        self._middles: dict[Edge, tuple[str, float]] = {}
        for edge, pieces in change.pieces.items():
            if isinstance(edge, tuple) and len(edge) == 2 and len(pieces) == 2:
                middle = next(iter(set(pieces[0]) & set(pieces[1])), "")
                share = change.shares.get(edge_of(edge[0], middle))
                if share is not None and share.edge == edge:
                    self._middles[edge] = middle, share.high

    def pieces(self, name: Name, mould: Mould, pieces: Sequence[Name], layout: Layout) -> dict[Name, Mould]:
        """Give the moulds of the pieces of a side or block that was divided once."""
        for axis in range(mould.dim):
            halves = self._halves(mould, axis)
            if halves is None:
                continue
            found: dict[Name, Mould] = {}
            for piece in pieces:
                for half in halves:
                    own = corners_of(layout, piece)
                    if own is not None and sorted(own) == sorted(half.corners):
                        found[piece] = half.ordered(own)
            return found if len(found) == len(pieces) else {}
        return {}

    def _halves(self, mould: Mould, axis: int) -> tuple[Mould, Mould] | None:
        """Divide a mould across an axis at the middles of its edges; None where these were not divided."""
        bit, corners = 1 << axis, mould.corners
        lower = [n for n in range(len(corners)) if not n & bit]
        at = {n: self._middle(mould, n, n | bit) for n in lower}
        true = [middle[1] for n, middle in at.items() if middle and corners[n] != corners[n | bit]]
        if None in at.values() or not true:
            return None
        names, shares = {}, {}
        for n, middle in at.items():
            assert middle is not None
            names[n] = middle[0]
            shares[n] = float(np.mean(true)) if corners[n] == corners[n | bit] else middle[1]
        between = {
            n: mould.index[n] + share * (mould.index[n | bit] - mould.index[n]) for n, share in shares.items()
        }
        low, high = mould.index.copy(), mould.index.copy()
        low_names, high_names = list(corners), list(corners)
        for n in lower:
            low[n | bit] = high[n] = between[n]
            low_names[n | bit] = high_names[n] = names[n]
        halves = Mould(mould.lattice, tuple(low_names), low), Mould(mould.lattice, tuple(high_names), high)
        for n in lower:
            for other in (n | 1 << a for a in range(mould.dim) if a != axis and not n >> a & 1):
                self._cross(mould, halves[0], (n, other), bit, 0.5 * (shares[n] + shares[other]))
        return halves

    def _middle(self, mould: Mould, first: int, second: int) -> tuple[str, float] | None:
        """Give the corner on an edge that was divided, and the share of the lattice's steps before it."""
        a, b = mould.corners[first], mould.corners[second]
        if a == b:
            return a, 0.0
        found = self._middles.get(edge_of(a, b))
        if found is None:
            return None
        fraction = found[1] if a < b else 1.0 - found[1]
        shares = shares_along(mould, first, second, self._paths.get(edge_of(a, b)), np.array([fraction]))
        return found[0], float(shares[0])

    def _cross(self, mould: Mould, low: Mould, ends: tuple[int, int], bit: int, at: float) -> None:
        """Shape the edge across two divided ones, and lay the nodes of those beside it on it."""
        first, second = (n | bit for n in ends)
        if low.corners[first] > low.corners[second]:
            first, second = second, first
        edge = low.corners[first], low.corners[second]
        if edge[0] == edge[1] or edge in self._paths or edge in self.bends:
            return
        line = low.line(first, second)
        self.bends[edge] = line
        beside = []
        for weight, n, m in ((1.0 - at, first & ~bit, second & ~bit), (at, first, second)):
            a, b = mould.corners[n], mould.corners[m]
            s = self._nodes.get(edge_of(a, b)) if a != b else None
            if s is not None:
                own = s if a < b else 1.0 - s[::-1]
                beside.append((weight, shares_along(mould, n, m, self._paths.get(edge_of(a, b)), own)))
        if beside:
            weights = np.array([weight for weight, _ in beside])
            shares = np.average(np.stack([share for _, share in beside]), axis=0, weights=weights)
            self.across[edge] = line.fractions(np.asarray(shares))

"""A mould: the received nodes that a side or block has its shape from."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.orientation import Orientation
from plodek.core.shape.curves.lattice_line import LatticeLine
from plodek.core.shape.lattice import Lattice


@dataclass(frozen=True, eq=False)
class Mould:
    """Where the ``corners`` (4 or 8 ids, in logical order) stand in a lattice: at ``index`` (n, 3).

    Between them a side or block is straight in the lattice's indices.
    """

    lattice: Lattice
    corners: tuple[str, ...]
    index: Floats

    @property
    def dim(self) -> int:
        """2 of a side or a block of the plane, 3 of a block in space."""
        return len(self.corners).bit_length() - 1

    def ordered(self, corners: Sequence[str]) -> Mould:
        """Give it with the same corners in another order. Raises ValueError where they are not the same."""
        if tuple(corners) == self.corners:
            return self
        turn = Orientation.of_corners(corners, self.corners)
        return Mould(self.lattice, tuple(corners), self.index[[turn.corner(n) for n in range(len(corners))]])

    def renamed(self, names: Mapping[str, str]) -> Mould:
        """Give it with other corners in the place of those named."""
        return replace(self, corners=tuple(names.get(c, c) for c in self.corners))

    def turned_round(self) -> Mould:
        """Give it with its first axis the other way round: what was left-handed is right-handed."""
        order = [n ^ 1 for n in range(len(self.corners))]
        return replace(self, corners=tuple(self.corners[n] for n in order), index=self.index[order])

    def sides(self) -> Iterator[tuple[tuple[str, ...], Mould]]:
        """Give the sides of a block in space by name, with their moulds; those that have shrunk left out."""
        for _, _, ns in tables.sides(3):
            corners = tuple(self.corners[n] for n in ns)
            if len(set(corners)) >= 3:
                yield tuple(sorted(corners)), Mould(self.lattice, corners, self.index[list(ns)])

    def line(self, first: int, second: int) -> LatticeLine:
        """Give the curve from one of its corners, by their places in the order, to another."""
        return LatticeLine(self.lattice, self.index[first], self.index[second])

    def nodes(self) -> Floats:
        """Give its own nodes (na, nb, nc, 3), in the order of its corners; nc is 1 of a side."""
        way = [self.index[1 << axis] - self.index[0] if axis < self.dim else np.zeros(3) for axis in range(3)]
        counts = [max(round(float(np.abs(w).max())), 1) + 1 if np.any(w) else 1 for w in way]
        shares = [np.linspace(0.0, 1.0, count) for count in counts]
        index = np.zeros((*counts, 3))
        for n in range(1 << self.dim):
            weight = np.ones(())
            for axis, share in enumerate(shares):
                own = share if n >> axis & 1 else 1.0 - share
                weight = weight[..., None] * (own if axis < self.dim else np.ones(1))
            index += weight[..., None] * self.index[n]
        return self.lattice.at(index)


def joined(corners: Sequence[str], one: Mould, other: Mould) -> Mould | None:
    """Give the mould with these corners of two that meet in a side; None where they do not make one."""
    dim = one.dim
    for axis in range(dim):
        bit = 1 << axis
        for low, high in ((one, other), (other, one)):
            halves = [
                half
                for mould, kept in ((low, 0), (high, bit))
                if (half := _turned(mould, corners, bit, kept)) is not None
            ]
            if len(halves) == 2 and _meet(halves[0], halves[1], bit):
                return _one(tuple(corners), halves[0], halves[1], axis)
    return None


def _turned(mould: Mould, corners: Sequence[str], bit: int, kept: int) -> Mould | None:
    """Turn a mould so that its corners on one side are those at the same places of others."""
    places = [n for n in range(len(corners)) if n & bit == kept]
    for turn in Orientation.every(mould.dim):
        order = [turn.corner(n) for n in range(len(corners))]
        if all(mould.corners[order[n]] == corners[n] for n in places):
            return Mould(mould.lattice, tuple(mould.corners[n] for n in order), mould.index[order])
    return None


def _meet(low: Mould, high: Mould, bit: int) -> bool:
    return all(low.corners[n] == high.corners[n ^ bit] for n in range(len(low.corners)) if n & bit)


def _one(corners: tuple[str, ...], low: Mould, high: Mould, axis: int) -> Mould:
    bit = 1 << axis
    lower = [n for n in range(len(corners)) if not n & bit]
    upper = [n | bit for n in lower]
    if low.lattice is high.lattice and np.array_equal(low.index[upper], high.index[lower]):
        ways = low.index[upper] - low.index[lower], high.index[upper] - high.index[lower]
        if not np.any(np.cross(*ways)) and np.all(np.sum(ways[0] * ways[1], axis=1) >= 0):
            index = low.index.copy()
            index[upper] = high.index[upper]
            return Mould(low.lattice, corners, index)
    first, second = low.nodes(), high.nodes()
    joint = [slice(None)] * 3
    joint[axis] = slice(1, None)
    nodes = np.concatenate([first, second[tuple(joint)]], axis=axis)
    bits = np.array([[n >> a & 1 for a in range(3)] for n in range(len(corners))], dtype=float)
    return Mould(Lattice(nodes), corners, bits * (np.array(nodes.shape[:3]) - 1.0))

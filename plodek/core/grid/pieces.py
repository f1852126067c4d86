"""The pieces of divided blocks, and which of their corners are one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise, product

import numpy as np
import scipy

from plodek.core.arrays import Floats, Ints
from plodek.core.blocks.layout import Side, side_of, stable_id
from plodek.core.errors import BadFile
from plodek.core.grid.divisions import Division, Divisions, spans
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, Seam, Window

#: A corner of a piece of a block: the block, and its place among the divisions along each axis.
_At = tuple[int, ...]


@dataclass(frozen=True)
class _Line:
    """An edge of a piece, from corner to corner, with the mean place (3,) of its nodes and its cells."""

    first: _At
    second: _At
    length: float
    middle: Floats
    count: int


class Pieces:
    """The pieces of divided blocks: their corners, by numbers that are equal where corners are one."""

    def __init__(self, grid: Grid, divisions: Divisions, near: float) -> None:
        self.grid, self.near = grid, near
        self.at = [[divisions.of(block, axis) for axis in range(3)] for block in range(len(grid.xyz))]
        self._shapes = [tuple(len(own) for own in three) for three in self.at]
        self._starts = np.concatenate([[0], np.cumsum([int(np.prod(s)) for s in self._shapes])])
        self._lines = [*self._all_lines()]
        pairs = [pair for joint in grid.interfaces for pair in self._met(joint)]
        pairs += [(self._flat(s.first), self._flat(s.second)) for s in self._lines if s.length <= near]
        for seam in grid.seams:
            pairs += self._joined(seam)
        one, other = np.array(pairs, dtype=int).reshape(-1, 2).T
        count = int(self._starts[-1])
        joints = scipy.sparse.coo_array((np.ones(len(one)), (one, other)), shape=(count, count))
        labels = scipy.sparse.csgraph.connected_components(joints, directed=False)[1]
        first = np.full(count, count)
        np.minimum.at(first, labels, np.arange(count))
        self.number: Ints = first[labels]  # a corner's number is that of the first that it is one with

    def _flat(self, at: _At) -> int:
        block, *place = at
        return int(self._starts[block] + np.ravel_multi_index(tuple(place), self._shapes[block]))

    def _node(self, flat: int) -> tuple[int, tuple[int, ...]]:
        """Give the block of a corner by its number, and its node there."""
        block = int(np.searchsorted(self._starts, flat, side="right")) - 1
        at = np.unravel_index(flat - self._starts[block], self._shapes[block])
        return block, tuple(own[int(n)] for own, n in zip(self.at[block], at, strict=True))

    def names(self, step: str) -> dict[int, str]:
        """Give the ids of the corners by their numbers: made of the first block that has one."""
        found = {}
        for flat in np.unique(self.number).tolist():
            block, nodes = self._node(flat)
            found[flat] = stable_id(step, self.grid.names[block], ",".join(map(str, nodes)))
        return found

    def places(self, names: Mapping[int, str]) -> Iterator[tuple[str, Floats]]:
        """Give the places (3,) of the corners."""
        for flat, name in names.items():
            block, node = self._node(flat)
            yield name, self.grid.xyz[block][node]

    def of(self, block: int) -> Iterator[_At]:
        """Give the pieces of a block, each by its corner at the low ends."""
        yield from ((block, *at) for at in product(*(range(max(n - 1, 1)) for n in self._shapes[block])))

    def _cube(self, at: _At) -> Iterator[_At]:
        block, *low = at
        for n in range(1 << self.grid.dim):
            i, j, k = (place + (n >> axis & 1) for axis, place in enumerate(low))
            yield block, i, j, k

    def corners(self, at: _At) -> list[int]:
        """Give the numbers of the corners of a piece, in logical order."""
        return [int(self.number[self._flat(corner)]) for corner in self._cube(at)]

    def index(self, at: _At) -> Floats:
        """Give the indices (4 or 8, 3) of the corners of a piece in its block."""
        own = self.at[at[0]]
        return np.array(
            [[own[a][n] for a, n in enumerate(corner[1:])] for corner in self._cube(at)], dtype=float
        )

    def met(self, joint: Interface) -> list[tuple[int, int]]:
        """Give the numbers of the corners on the first side of a joint, each with that on the second."""
        return [(int(self.number[a]), int(self.number[b])) for a, b in self._met(joint)]

    def _met(self, joint: Interface) -> Iterator[tuple[int, int]]:
        first, second = joint.first, joint.second
        here, there = spans(self.grid, first), spans(self.grid, second)
        pairs: list[list[tuple[int, int, int, int]]] = []
        for axis, span in here.items():
            signed = joint.orientation.axes[axis]
            other, beyond = abs(signed) - 1, there[abs(signed) - 1]
            own, far = self.at[first.block][axis], self.at[second.block][other]
            ways = ((n, node - span[0]) for n, node in enumerate(own) if span[0] <= node <= span[-1])
            pairs.append(
                [
                    (axis, n, other, far.index(beyond[0] + k if signed > 0 else beyond[-1] - k))
                    for n, k in ways
                ]
            )
        for chosen in product(*pairs):
            one, two = self._end(first), self._end(second)
            for axis, n, other, m in chosen:
                one[axis], two[other] = n, m
            yield self._flat((first.block, *one)), self._flat((second.block, *two))

    def _end(self, window: Window) -> list[int]:
        at = [0, 0, 0]
        at[window.axis] = len(self.at[window.block][window.axis]) - 1 if window.end else 0
        return at

    def sides(self, window: Window, names: Mapping[int, str]) -> list[Side]:
        """Give the sides of pieces that a window consists of, those that have shrunk left out."""
        ranges = []
        for axis, span in spans(self.grid, window).items():
            own = self.at[window.block][axis]
            ranges.append([(axis, n) for n, node in enumerate(own[:-1]) if span[0] <= node < span[-1]])
        found = []
        for chosen in product(*ranges):
            at = self._end(window)
            for axis, n in chosen:
                at[axis] = n
            free = [axis for axis, _ in chosen]
            corners = []
            for bits in product((0, 1), repeat=len(free)):
                corner = list(at)
                for axis, bit in zip(free, bits, strict=True):
                    corner[axis] += bit
                corners.append(names[int(self.number[self._flat((window.block, *corner))])])
            if len(set(corners)) >= self.grid.dim:
                found.append(side_of(*corners))
        return found

    def _joined(self, seam: Seam) -> Iterator[tuple[int, int]]:
        """Give the corners of an edge or corner of a block that is one of another's."""
        one, other = (
            [len(self.at[block][a]) - 1 if end else 0 for a, end in enumerate((*ends, 0)[:3])]
            for block, ends in ((seam.block, seam.ends), (seam.other, seam.other_ends))
        )
        count = len(self.at[seam.block][seam.axes[0]]) if seam.axes else 1
        for n in range(count):
            if seam.axes:
                one[seam.axes[0]], other[seam.axes[1]] = n, count - 1 - n if seam.turned else n
            yield self._flat((seam.block, *one)), self._flat((seam.other, *other))

    def _all_lines(self) -> Iterator[_Line]:
        """Give the edges of all pieces. Raises BadFile for one that has no length somewhere within."""
        for block, nodes in enumerate(self.grid.xyz):
            for axis in range(self.grid.dim):
                others = [range(len(own)) if a != axis else range(1) for a, own in enumerate(self.at[block])]
                for at in product(*others):
                    index = tuple(
                        slice(None) if a == axis else own[n]
                        for a, (own, n) in enumerate(zip(self.at[block], at, strict=True))
                    )
                    yield from self._on(block, axis, at, nodes[index])

    def _on(self, block: int, axis: int, at: tuple[int, ...], line: Floats) -> Iterator[_Line]:
        steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
        for n, (low, high) in enumerate(pairwise(self.at[block][axis])):
            first, second = list(at), list(at)
            first[axis], second[axis] = n, n + 1
            length = float(steps[low:high].sum())
            if length > self.near and steps[low:high].min() <= self.near * 1e-3:
                node = low + int(np.argmin(steps[low:high])) + 1
                where = ["ijk"[axis] + f" = {node} to {node + 1}"]
                where += [f"{'ijk'[a]} = {self.at[block][a][n] + 1}" for a, n in enumerate(at) if a != axis]
                raise BadFile(
                    "two nodes of an edge are at one place",
                    where=f"block {self.grid.names[block]}, {', '.join(where)}",
                    remedy="let an edge shrink as a whole, or keep its nodes apart",
                )
            yield _Line(
                (block, *first), (block, *second), length, line[low : high + 1].mean(axis=0), high - low
            )

    def too_few(self) -> Iterator[Division]:
        """Give where to divide further, so that no two edges or sides have the same corners.

        Raises BadFile where there are not enough cells for that.
        """
        seen: dict[tuple[int, int], _Line] = {}
        for line in self._lines:
            if line.length <= self.near:
                continue
            a, b = (int(self.number[self._flat(at)]) for at in (line.first, line.second))
            if a == b:
                yield from self._divided(line, 4 if line.count >= 4 else 3)
                continue
            same = seen.setdefault((min(a, b), max(a, b)), line)
            if np.linalg.norm(same.middle - line.middle) > 1e-6 * line.length:
                yield from self._divided(line, 2)
                yield from self._divided(same, 2)

    def _divided(self, line: _Line, parts: int) -> Iterator[Division]:
        block = line.first[0]
        axis = next(a for a in range(3) if line.first[a + 1] != line.second[a + 1])
        if line.count < parts:
            raise BadFile(
                f"it has {line.count} cells along {'ijk'[axis]} where it closes round, and cannot be divided",
                where=f"block {self.grid.names[block]}",
                remedy=f"give it {parts} cells there at least",
            )
        low = self.at[block][axis][line.first[axis + 1]]
        yield from ((block, axis, low + line.count * part // parts) for part in range(1, parts))

"""Where blocks of a received grid touch along an edge or at a corner, though they share no side there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

import numpy as np
import scipy
from propcache.api import cached_property

from plodek.core.arrays import Floats, Ints
from plodek.core.blocks import tables
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Seam, Window, part_of

#: The ends of a part of a block along each axis, None along it.
_Ends = tuple[int | None, ...]
#: Lines between the same ends are one where their middles are closer than this share of their length.
_SAME_LINE = 1e-6


def seams_in(grid: Grid) -> tuple[Seam, ...]:
    """Find the edges and corners that blocks have in common, to the bit, without a chain of sides between.

    A slit between sides that lie on each other, and were not said to meet, stays one. So do blocks whose
    edges lie on each other with nodes of their own. Only whole edges of blocks are looked at.
    """
    touching = _Touching(grid)
    if not touching.several:
        return ()
    lines = [*touching.lines()]
    apart = touching.apart({place for line in lines for place in line.places}) | _apart(lines)
    joined = [line for line in lines if not apart.intersection(line.places)]
    return (*_seams(joined), *touching.corners(touching.several - apart))


@dataclass(frozen=True)
class _Line:
    """An edge of a block from the one of two ``places``, which have numbers, to the other.

    ``group`` tells which edges sides join. The block itself counts the ``nodes`` (n, 3) ``back`` perhaps.
    """

    block: int
    ends: _Ends
    places: tuple[int, int]
    group: int
    nodes: Floats
    back: bool

    @cached_property
    def middle(self) -> tuple[Floats, float]:
        """The place half-way along it (3,), and its length."""
        steps = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(self.nodes, axis=0), axis=1)))
        half = [np.interp(0.5 * steps[-1], steps, self.nodes[:, axis]) for axis in range(3)]
        return np.array(half), float(steps[-1])

    def is_beside(self, other: _Line) -> bool:
        """Whether another edge is the same line with nodes of its own."""
        middle, length = self.middle
        near = bool(np.linalg.norm(middle - other.middle[0]) <= _SAME_LINE * length)
        return near and not np.array_equal(self.nodes, other.nodes)


def _by_places(lines: Sequence[_Line]) -> Iterator[list[_Line]]:
    found: dict[tuple[int, int], list[_Line]] = {}
    for line in lines:
        found.setdefault(line.places, []).append(line)
    yield from found.values()


def _apart(lines: Sequence[_Line]) -> set[int]:
    """Give the places at the ends of edges that lie on each other with nodes of their own."""
    alike = (own for own in _by_places(lines) if any(a.is_beside(b) for a, b in combinations(own, 2)))
    return {place for own in alike for place in own[0].places}


def _seams(lines: Sequence[_Line]) -> Iterator[Seam]:
    """Give the seams along edges that have the same nodes."""
    for own in _by_places(lines):
        firsts: list[_Line] = []
        for line in own:
            first = next((one for one in firsts if np.array_equal(one.nodes, line.nodes)), None)
            if first is None:
                firsts.append(line)
            elif first.group != line.group:
                yield Seam(first.block, first.ends, line.block, line.ends, first.back != line.back)


@lru_cache(maxsize=1024)
def _ends_in(shape: tuple[int, ...], spans: tuple[range, ...], near: int) -> Ints:
    """Give the numbers, in a block of a shape, of nodes at the ends of spans and of those next to them."""
    chosen = [sorted({*span[: near + 1], *span[-near - 1 :]}) for span in spans]
    return np.asarray(np.ravel_multi_index(np.ix_(*chosen), shape))


@lru_cache(maxsize=1024)
def _on_edges(shape: tuple[int, ...], dim: int) -> tuple[Ints, ...]:
    """Give the indices of those on edges among the nodes chosen of a block; corners, in the plane."""
    at_end = [np.isin(np.indices(shape)[a], (0, shape[a] - 1)) for a in range(dim)]
    return np.nonzero(np.sum(at_end, axis=0) >= 2)


class _Touching:
    """The corners of blocks and the nodes next to them along edges, in groups that sides join.

    ``several`` are the numbers of the places where several groups are.
    """

    def __init__(self, grid: Grid) -> None:
        self._grid = grid
        self._starts = np.cumsum([0, *(nodes[..., 0].size for nodes in grid.xyz)])
        own = [self._ends_of(block, (slice(None),) * 3) for block in range(len(grid.xyz))]
        pairs = [*self._joined(), *self._shrunk()]
        sides = [part.ravel() for pair in pairs for part in pair]
        nodes = np.unique(np.concatenate([*(part.ravel() for part in own), *sides]))
        one, other = (np.searchsorted(nodes, np.concatenate([nodes[:0], *sides[n::2]])) for n in (0, 1))
        joints = scipy.sparse.coo_array((np.ones(len(one)), (one, other)), shape=(len(nodes), len(nodes)))
        group = scipy.sparse.csgraph.connected_components(joints, directed=False)[1]
        place = np.unique(self._xyz(nodes) + 0.0, axis=0, return_inverse=True)[1].ravel()  # −0 is 0
        at = [np.searchsorted(nodes, part) for part in own]
        self._group, self._place = [group[part] for part in at], [place[part] for part in at]
        there, count = np.unique(np.unique(np.stack([place, group]), axis=1)[0], return_counts=True)
        self.several: set[int] = set(there[count > 1].tolist())
        beyond = np.ones(len(nodes), dtype=bool)
        for part in at:
            beyond[part[_on_edges(part.shape, grid.dim)]] = False
        self._within_sides: set[int] = set(place[beyond].tolist())

    def _ends_of(self, block: int, part: tuple[slice, ...]) -> Ints:
        """Give the numbers of the nodes at the corners of a part of a block, and of those next to them."""
        shape = self._grid.xyz[block].shape[:3]
        spans = tuple(range(n)[along] for n, along in zip(shape, part, strict=True))
        near = 1 if self._grid.dim == 3 else 0  # the edges of plane blocks are their sides
        return np.asarray(self._starts[block] + _ends_in(shape, spans, near), dtype=np.int64)

    def _xyz(self, nodes: Ints) -> Floats:
        block = np.searchsorted(self._starts, nodes, side="right") - 1
        found = np.empty((len(nodes), 3))
        for n, xyz in enumerate(self._grid.xyz):
            mine = slice(*np.searchsorted(block, [n, n + 1]))
            found[mine] = xyz[np.unravel_index(nodes[mine] - self._starts[n], xyz.shape[:3])]
        return found

    def _window(self, window: Window) -> Ints:
        return self._ends_of(window.block, window.slices(self._grid.xyz[window.block].shape[:3]))

    def _joined(self) -> Iterator[tuple[Ints, Ints]]:
        for joint in self._grid.interfaces:
            yield self._window(joint.first), joint.orientation.apply(self._window(joint.second))

    def _shrunk(self) -> Iterator[tuple[Ints, Ints]]:
        for pole in self._grid.poles:
            line = self._ends_of(pole.block, part_of((*pole.ends, 0)[:3]))
            first = np.take(line, [0], axis=pole.along)
            yield np.broadcast_to(first, line.shape), line

    def lines(self) -> Iterator[_Line]:
        """Give the edges of blocks where several groups are, all along or at both ends."""
        for block, (group, place) in enumerate(zip(self._group, self._place, strict=True)):
            if not self.several.intersection(place.ravel().tolist()):
                continue
            for axis, low, _ in tables.edges(self._grid.dim):
                first = tuple(-(low >> a & 1) for a in range(3))
                last, inner = (tuple(n if a == axis else first[a] for a in range(3)) for n in (-1, 1))
                places = int(place[first]), int(place[last])
                if places[0] == places[1] or not (
                    int(place[inner]) in self.several or self.several.issuperset(places)
                ):
                    continue
                ends = tuple(None if a == axis else low >> a & 1 for a in range(self._grid.dim))
                nodes = self._grid.xyz[block][part_of((*ends, 0)[:3])].reshape(-1, 3)
                back = places[0] > places[1]
                way = (places[::-1], nodes[::-1]) if back else (places, nodes)
                yield _Line(block, ends, way[0], int(group[inner]), way[1], back)

    def apart(self, ends: set[int]) -> set[int]:
        """Give the places, of these and where several groups are, that must not be made one.

        There outer faces lie on each other, or a side goes on, or one meets others in part.
        """
        grid, found = self._grid, set(self._within_sides)
        joints = [w for joint in grid.interfaces for w in (joint.first, joint.second)]
        held = {(w.block, w.axis, w.end) for w in joints}
        for window in joints:
            if window.low is not None:
                found |= set(self._place[window.block].take(-window.end, axis=window.axis).ravel().tolist())
        seen: set[bytes] = set()
        for block, place in enumerate(self._place):
            for corner in self._corners_at(place, ends | self.several):
                for axis in range(grid.dim):
                    if (block, axis, -corner[axis]) in held:
                        continue
                    face = self._face(block, corner, axis)
                    if face in seen:
                        found.add(int(place[corner]))
                    seen.add(face)
        return found

    def _corners_at(self, place: Ints, places: set[int]) -> Iterator[tuple[int, ...]]:
        """Give the corners of a block that are at some places, by their indices: 0 or -1 along each axis."""
        whole = range(1 << self._grid.dim)
        corners = (tuple(-(n >> a & 1) for a in range(3)) for n in whole)
        yield from (corner for corner in corners if int(place[corner]) in places)

    def _face(self, block: int, corner: tuple[int, ...], axis: int) -> bytes:
        """Give what tells the cell face at a corner of a block, on the side across an axis."""
        nodes = self._grid.xyz[block]
        spans = [[end] for end in corner]
        for along in range(self._grid.dim):
            if along != axis:
                spans[along].append(-2 if corner[along] else 1)
        return np.unique(nodes[np.ix_(*spans)].reshape(-1, 3) + 0.0, axis=0).tobytes()

    def corners(self, places: set[int]) -> Iterator[Seam]:
        """Give the seams that join all groups at the corners of blocks at some places."""
        firsts: dict[int, dict[int, tuple[int, _Ends]]] = {}
        for block, (group, place) in enumerate(zip(self._group, self._place, strict=True)):
            for corner in self._corners_at(place, places):
                there = firsts.setdefault(int(place[corner]), {})
                own = block, tuple(-end for end in corner[: self._grid.dim])
                there.setdefault(int(group[corner]), own)
        for there in firsts.values():
            (block, ends), *others = there.values()
            yield from (Seam(block, ends, other, other_ends) for other, other_ends in others)

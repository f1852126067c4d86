"""Where received blocks have to be divided so that each meets others, patches and itself on whole sides."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from math import prod

from plodek.core.budget import need
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, Window

#: A place along an axis of a block: the block, the axis, and the node.
Division = tuple[int, int, int]


@dataclass(frozen=True)
class _Way:
    """Nodes ``low`` to ``high`` along an axis of one block are those of ``other``'s axis from ``at`` on.

    They run the same way, or, where ``sign`` is -1, back.
    """

    low: int
    high: int
    other: int
    axis: int
    at: int
    sign: int

    def there(self, node: int) -> Division:
        return self.other, self.axis, self.at + self.sign * (node - self.low)


class Divisions:
    """The nodes at which the blocks of a grid are divided along their axes, both ends among them.

    A division runs on through interfaces and twins, as a cut does.
    """

    def __init__(self, grid: Grid) -> None:
        self._at: dict[tuple[int, int], set[int]] = {}
        self._ways: dict[tuple[int, int], list[_Way]] = {}
        for joint in (*grid.interfaces, *grid.periodic):
            for one in (joint, joint.turned()):
                for key, way in _ways(grid, one):
                    self._ways.setdefault(key, []).append(way)
        for key, way in _ways_along(grid):
            self._ways.setdefault(key, []).append(way)
        for block, nodes in enumerate(grid.xyz):
            for axis in range(grid.dim):
                self._at[block, axis] = {0, nodes.shape[axis] - 1}
        windows = [w for joint in (*grid.interfaces, *grid.periodic) for w in (joint.first, joint.second)]
        windows += [*(w for patch in grid.patches for w in patch.windows), *grid.unnamed]
        self.divide(end for window in windows for end in _ends(grid, window))

    def divide(self, wished: Iterable[Division]) -> None:
        """Divide blocks, and those that the divisions run on into. Raises OverBudget for too many blocks."""
        left = list(wished)
        while left:
            block, axis, node = left.pop()
            there = self._at[block, axis]
            if node not in there:
                there.add(node)
                left += [
                    way.there(node)
                    for way in self._ways.get((block, axis), ())
                    if way.low <= node <= way.high
                ]
        need("blocks", sum(prod(counts) for counts in self._counts().values()))

    def of(self, block: int, axis: int) -> list[int]:
        """Give the nodes at which a block is divided along an axis, rising; one where it has no more."""
        return sorted(self._at.get((block, axis), {0}))

    def _counts(self) -> dict[int, list[int]]:
        counts: dict[int, list[int]] = {}
        for (block, _), there in self._at.items():
            counts.setdefault(block, []).append(len(there) - 1)
        return counts


def _ways_along(grid: Grid) -> Iterator[tuple[tuple[int, int], _Way]]:
    """Give how divisions run on along edges that blocks share without a side."""
    for seam in grid.seams:
        if seam.axes is not None:
            one, other = (seam.block, seam.axes[0]), (seam.other, seam.axes[1])
            last = grid.xyz[seam.block].shape[seam.axes[0]] - 1
            at, sign = (last, -1) if seam.turned else (0, 1)
            yield one, _Way(0, last, *other, at, sign)
            yield other, _Way(0, last, *one, at, sign)


def _ends(grid: Grid, window: Window) -> Iterator[Division]:
    """Give the ends of a window along the axes of its side."""
    for axis, span in spans(grid, window).items():
        yield from ((window.block, axis, node) for node in (span[0], span[-1]))


def spans(grid: Grid, window: Window) -> dict[int, range]:
    """Give the nodes of a window along the axes of its side."""
    shape = grid.xyz[window.block].shape[:3]
    slices = window.slices(shape)
    return {a: range(shape[a])[slices[a]] for a in range(grid.dim) if a != window.axis}


def _ways(grid: Grid, joint: Interface) -> Iterator[tuple[tuple[int, int], _Way]]:
    there = spans(grid, joint.second)
    for axis, span in spans(grid, joint.first).items():
        signed = joint.orientation.axes[axis]
        other = there[abs(signed) - 1]
        at, sign = (other[0], 1) if signed > 0 else (other[-1], -1)
        yield (
            (joint.first.block, axis),
            _Way(span[0], span[-1], joint.second.block, abs(signed) - 1, at, sign),
        )

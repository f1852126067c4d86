"""Windows: rectangles on the sides of grid blocks, of which interfaces, patches and poles are made."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

from plodek.core.blocks.orientation import Orientation
from plodek.core.shape.move import Move

#: The types of patches. Wedge sides are those of a thin sector about an axis, 2-D sides the front and back of
#: a case of the plane, and an interface is one to a neighbouring grid.
PatchType = Literal[
    "wall", "inlet", "outlet", "symmetry", "periodic", "far field", "axis", "wedge sides", "2-D sides",
    "interface", "general",
]  # fmt: skip
#: Node indices along the two other axes of a side, these in rising order.
Pair: TypeAlias = tuple[int, int]


@dataclass(frozen=True)
class Window:
    """A rectangle on a side of a block: ``block`` is its index, ``end`` 0 at the low index and 1 at the high.

    ``low`` and ``high`` are its first and last node along the other axes; the whole side where None.
    """

    block: int
    axis: int
    end: int
    low: Pair | None = None
    high: Pair | None = None

    def slices(self, shape: tuple[int, ...], *, cells: bool = False) -> tuple[slice, ...]:
        """Give the index of its nodes, or of the ``cells`` behind it, in a block of ``shape`` of them.

        The side's own axis stays, with one entry.
        """
        found = []
        others = iter(range(2))
        for axis in range(3):
            if axis == self.axis:
                found.append(slice(-1, None) if self.end else slice(0, 1))
                continue
            n = next(others)
            if self.low is None or self.high is None:
                found.append(slice(0, shape[axis]))
            else:
                # A plane has one layer of cells between a first and a last node that are one.
                last = max(self.high[n], self.low[n] + 1) if cells else self.high[n] + 1
                found.append(slice(self.low[n], last))
        return tuple(found)

    def narrowed(self, low: Pair, high: Pair, shape: tuple[int, ...]) -> Window:
        """Give the window of the nodes ``low`` to ``high`` on this side of a block of ``shape`` nodes."""
        whole = tuple(n - 1 for axis, n in enumerate(shape) if axis != self.axis)
        if low == (0, 0) and high == whole:
            return Window(self.block, self.axis, self.end)
        return Window(self.block, self.axis, self.end, low, high)


@dataclass(frozen=True)
class Interface:
    """Two windows whose nodes are the same, and how the second block sits against the first.

    ``move`` brings the nodes of the first onto those of the second where they are twins: periodic ones.
    """

    first: Window
    second: Window
    orientation: Orientation
    move: Move | None = None

    def turned(self) -> Interface:
        """Give it as seen from the second block."""
        back = None if self.move is None else self.move.inverse()
        return Interface(self.second, self.first, self.orientation.inverse(), back)


def part_of(ends: tuple[int | None, ...]) -> tuple[slice, ...]:
    """Give the index of a corner, edge, side or all of a block: its end along each axis, None all along."""
    return tuple(slice(None) if end is None else slice(-1, None) if end else slice(0, 1) for end in ends)


@dataclass(frozen=True)
class Pole:
    """Nodes of a block that coincide ``along`` an axis: an edge, or a side, that has shrunk.

    ``ends`` says for each axis the end where they are; None where they run along it.
    """

    block: int
    ends: tuple[int | None, ...]
    along: int

    @property
    def side(self) -> tuple[int, int] | None:
        """The axis and end of the whole side that has shrunk; None for a single edge."""
        fixed = [(axis, end) for axis, end in enumerate(self.ends) if end is not None]
        return fixed[0] if len(fixed) == 1 else None


@dataclass(frozen=True)
class Seam:
    """An edge or corner of a block that is one of another's though they share no side there.

    ``ends`` and ``other_ends`` say for each axis the end where it is, None along it; ``turned`` where the
    other's runs the other way.
    """

    block: int
    ends: tuple[int | None, ...]
    other: int
    other_ends: tuple[int | None, ...]
    turned: bool = False

    @property
    def axes(self) -> tuple[int, int] | None:
        """The axis of each block along which an edge runs; None for a corner."""
        return (self.ends.index(None), self.other_ends.index(None)) if None in self.ends else None


@dataclass(frozen=True)
class PatchFaces:
    """A named patch: its type and the windows that it consists of."""

    name: str
    type: PatchType
    windows: tuple[Window, ...]

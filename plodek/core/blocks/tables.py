"""The numbering of a block's corners, edges and sides: everything else reads it from here.

Corner ``n`` has the bits (i, j, k): n = i + 2j + 4k.

        6 ------- 7
       /|        /|          k
      4 ------- 5 |          | j
      | |       | |          |/
      | 2 ------|-3          +---- i
      |/        |/
      0 ------- 1            a block of the plane has 0, 1, 2, 3

An *edge* joins two corners that differ in one bit, its axis. A *side* is (axis, end): the corners
whose bit of that axis is ``end``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import permutations, product


@cache
def edges(dim: int) -> tuple[tuple[int, int, int], ...]:
    """List (axis, low corner, high corner) of all edges of a block."""
    return tuple(
        (axis, n, n | 1 << axis) for axis in range(dim) for n in range(1 << dim) if not n >> axis & 1
    )


@cache
def sides(dim: int) -> tuple[tuple[int, int, tuple[int, ...]], ...]:
    """List (axis, end, corners) of all sides of a block."""
    return tuple(
        (axis, end, tuple(n for n in range(1 << dim) if n >> axis & 1 == end))
        for axis in range(dim)
        for end in (0, 1)
    )


@cache
def side_corners(dim: int, axis: int, end: int) -> tuple[int, ...]:
    """List the corners of one side, along its lower axis first."""
    return next(corners for a, e, corners in sides(dim) if (a, e) == (axis, end))


@cache
def parallel(dim: int, axis: int) -> tuple[tuple[int, int], ...]:
    """List (low corner, high corner) of the edges along one axis."""
    return tuple((low, high) for a, low, high in edges(dim) if a == axis)


def _across(
    n: int,
    other: tuple[int, int],
    own: Sequence[int],
    along: Sequence[int],
    flips: Sequence[bool],
) -> int:
    """Give the corner of the second block that corner ``n`` of the first becomes across their side."""
    found = other[1] << other[0]
    for axis, there, flip in zip(own, along, flips, strict=True):
        found |= ((n >> axis & 1) ^ flip) << there
    return found


@dataclass(frozen=True)
class Orientation:
    """How one block sits against another.

    ``axes[i]`` is the axis of the second block, counted from 1, that runs along axis i of the first;
    negative where it runs the other way. This is the Transform of the CGNS standard (SIDS 8.2).
    """

    axes: tuple[int, ...]

    @staticmethod
    def between(
        first: Sequence[str], side: tuple[int, int], second: Sequence[str], other: tuple[int, int]
    ) -> Orientation:
        """Derive it from the corner ids of two blocks that share ``side`` and ``other``, each (axis, end)."""
        dim = len(first).bit_length() - 1
        own = [axis for axis in range(dim) if axis != side[0]]
        theirs = [axis for axis in range(dim) if axis != other[0]]
        for along in permutations(theirs):
            for flips in product((False, True), repeat=dim - 1):
                # Where edges have shrunk several ways may fit; all of them join the same corners.
                if all(
                    first[n] == second[_across(n, other, own, along, flips)] for n in side_corners(dim, *side)
                ):
                    axes = [0] * dim
                    axes[side[0]] = (1 if side[1] != other[1] else -1) * (other[0] + 1)
                    for axis, there, flip in zip(own, along, flips, strict=True):
                        axes[axis] = -(there + 1) if flip else there + 1
                    return Orientation(tuple(axes))
        raise ValueError(f"{first} and {second} do not share {side} and {other}")

    def inverse(self) -> Orientation:
        """Give the orientation of the first block as seen from the second."""
        axes = [0] * len(self.axes)
        for axis, signed in enumerate(self.axes):
            axes[abs(signed) - 1] = (axis + 1) if signed > 0 else -(axis + 1)
        return Orientation(tuple(axes))

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

from functools import cache


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
def away(dim: int, axis: int, end: int) -> tuple[tuple[int, int], ...]:
    """List (corner on the side, corner opposite) of the edges that leave one side."""
    return tuple((n, n ^ 1 << axis) for n in side_corners(dim, axis, end))


@cache
def parallel(dim: int, axis: int) -> tuple[tuple[int, int], ...]:
    """List (low corner, high corner) of the edges along one axis."""
    return tuple((low, high) for a, low, high in edges(dim) if a == axis)

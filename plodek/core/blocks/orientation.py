"""How one block, or one side, sits against another: the one value for it everywhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import permutations, product
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from plodek.core.blocks import tables

_Array = TypeVar("_Array", bound=npt.NDArray[Any])


@dataclass(frozen=True)
class Orientation:
    """How a second block sits against a first.

    ``axes[i]`` is the axis of the second, counted from 1, that runs along axis i of the first; negative
    where it runs the other way. This is the Transform of the CGNS standard (SIDS 8.2).
    """

    axes: tuple[int, ...]

    @staticmethod
    def identity(dim: int) -> Orientation:
        """Give the orientation of a block against itself."""
        return Orientation(tuple(range(1, dim + 1)))

    @staticmethod
    def every(dim: int) -> list[Orientation]:
        """List all orientations: 8 in the plane, 48 in space, mirrored ones among them."""
        return [
            Orientation(tuple(sign * axis for sign, axis in zip(signs, axes, strict=True)))
            for axes in permutations(range(1, dim + 1))
            for signs in product((1, -1), repeat=dim)
        ]

    @staticmethod
    def of_corners(first: Sequence[str], second: Sequence[str]) -> Orientation:
        """Derive it from two orders of the same corners (4 or 8 ids). Raises ValueError where none fits.

        Where edges have shrunk several may fit; all of them join the same corners.
        """
        numbers = {corner: n for n, corner in enumerate(dict.fromkeys(first))}
        return _of_corners(
            tuple(numbers[c] for c in first), tuple(numbers.get(c, len(numbers)) for c in second)
        )

    @staticmethod
    def between(
        first: Sequence[str], side: tuple[int, int], second: Sequence[str], other: tuple[int, int]
    ) -> Orientation:
        """Derive it from the corner ids of two blocks that share ``side`` and ``other``, each (axis, end)."""
        dim = len(first).bit_length() - 1
        ours = [first[n] for n in tables.side_corners(dim, *side)]
        theirs = [second[n] for n in tables.side_corners(dim, *other)]
        flat = Orientation.of_corners(ours, theirs)
        own, away = ([axis for axis in range(dim) if axis != at] for at in (side[0], other[0]))
        axes = [0] * dim
        axes[side[0]] = (1 if side[1] != other[1] else -1) * (other[0] + 1)
        for axis, signed in zip(own, flat.axes, strict=True):
            there = away[abs(signed) - 1] + 1
            axes[axis] = there if signed > 0 else -there
        return Orientation(tuple(axes))

    def inverse(self) -> Orientation:
        """Give the orientation of the first block as seen from the second."""
        axes = [0] * len(self.axes)
        for axis, signed in enumerate(self.axes):
            axes[abs(signed) - 1] = (axis + 1) if signed > 0 else -(axis + 1)
        return Orientation(tuple(axes))

    def compose(self, other: Orientation) -> Orientation:
        """Give the orientation of a third block against the first; ``other`` is the third's to the second."""
        axes = (other.axes[abs(a) - 1] * (1 if a > 0 else -1) for a in self.axes)
        return Orientation(tuple(axes))

    def apply(self, array: _Array) -> _Array:
        """Turn an array over the second block's indices so that its axes run as the first's; a view.

        Axes beyond those of the orientation (components, or k in the plane) stay as they are.
        """
        rest = range(len(self.axes), array.ndim)
        turned = np.transpose(array, [*(abs(a) - 1 for a in self.axes), *rest])
        return turned[tuple(slice(None, None, 1 if a > 0 else -1) for a in self.axes)]  # type: ignore[return-value]

    def corner(self, n: int) -> int:
        """Give the second's number of the corner that is number ``n`` of the first."""
        bits = ((n >> axis & 1) ^ (signed < 0) for axis, signed in enumerate(self.axes))
        return sum(bit << abs(signed) - 1 for bit, signed in zip(bits, self.axes, strict=True))


@lru_cache(maxsize=4096)
def _of_corners(first: tuple[int, ...], second: tuple[int, ...]) -> Orientation:
    dim = len(first).bit_length() - 1
    for one in Orientation.every(dim):
        if all(corner == second[one.corner(n)] for n, corner in enumerate(first)):
            return one
    raise ValueError(f"the corners {first} and {second} are not the same")

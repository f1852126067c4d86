"""What leaves: a grid on its way into files, given piece by piece so that it never stands in memory twice."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import Literal, TypeAlias, TypeVar

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.grid.grid import Grid

#: Nodes in a piece, as a rule: 12 MB of coordinates.
PIECE = 500_000
#: Nodes are turned over in squares of so many along i and k, which stay in the processor's nearest memory.
_WIDE, _DEEP = 32, 16
_AHEAD = 2
#: Hears how many more nodes have been written; may raise Halted.
Told: TypeAlias = Callable[[int], None]
_Piece = TypeVar("_Piece")


def unheard(nodes: int) -> None:
    """Hear nothing."""


@dataclass(frozen=True)
class Cargo:
    """A grid that is written with its coordinates times ``factor``, which are in ``unit`` then, "" for none.

    ``recipe`` is the document that the grid was built from, for formats that have a place for words.
    """

    grid: Grid
    unit: str = ""
    factor: float = 1.0
    recipe: str = ""
    told: Told = unheard

    def fields(self, block: int) -> Iterator[tuple[int, Floats]]:
        """Give x, y and z of a block apart, i running fastest: from which k on, and (3, nk, nj, ni)."""
        return self._layers(block, "apart")

    def points(self, block: int) -> Iterator[tuple[int, Floats]]:
        """Give the nodes of a block, i running fastest: from which k on, and (nk, nj, ni, 3)."""
        return self._layers(block, "together")

    def rows(self, block: int) -> Iterator[tuple[int, Floats]]:
        """Give the nodes of a block as they lie in memory: from which i on, and (ni, nj, nk, 3)."""
        nodes = self.grid.xyz[block]
        step = max(PIECE // nodes[0, ..., 0].size, 1)
        for low in range(0, len(nodes), step):
            piece = nodes[low : low + step]
            yield low, piece if self.factor == 1.0 else piece * self.factor
            self.told(piece[..., 0].size)

    def _layers(self, block: int, way: Literal["apart", "together"]) -> Iterator[tuple[int, Floats]]:
        nodes = self.grid.xyz[block]
        ni, nj, nk = nodes.shape[:3]
        step = min(max(PIECE // (ni * nj) // _DEEP, 1) * _DEEP, nk)

        def turned(low: int) -> tuple[int, Floats]:
            count = min(step, nk - low)
            if way == "apart":
                out = np.empty((3, count, nj, ni))
                _turn(nodes, low, self.factor, np.moveaxis(out, 0, 3))
            else:
                out = np.empty((count, nj, ni, 3))
                _turn(nodes, low, self.factor, out)
            return low, out

        lows = range(0, nk, step)
        for low, out in ahead(turned, lows) if len(lows) > 1 else map(turned, lows):
            yield low, out
            self.told(out.size // 3)


def ahead(make: Callable[[int], _Piece], wishes: Iterable[int]) -> Iterator[_Piece]:
    """Make one piece after the other, two at once, while those before them are in use."""
    with ThreadPoolExecutor(_AHEAD) as others:
        coming: deque[Future[_Piece]] = deque()
        for wish in wishes:
            coming.append(others.submit(make, wish))
            if len(coming) > _AHEAD:
                yield coming.popleft().result()
        while coming:
            yield coming.popleft().result()


@nb.njit(cache=True, nogil=True)
def _turn(nodes: Floats, low: int, factor: float, out: Floats) -> None:
    """Fill ``out`` (nk, nj, ni, 3) with the layers of ``nodes`` (ni, nj, nk, 3) from k ``low`` on."""
    nk, nj, ni = out.shape[:3]
    for j in range(nj):
        for under in range(0, nk, _DEEP):
            for first in range(0, ni, _WIDE):
                for k in range(under, min(under + _DEEP, nk)):
                    for i in range(first, min(first + _WIDE, ni)):
                        for axis in range(3):
                            out[k, j, i, axis] = factor * nodes[i, j, low + k, axis]

"""Windows as files tell them: ranges of nodes counted from 1."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.errors import BadFile
from plodek.core.grid.window import Window


def span_of(window: Window, shape: tuple[int, ...]) -> tuple[list[int], list[int]]:
    """Give the first and the last node of a window in a block of ``shape``, counted from 1."""
    spans = [range(n)[part] for n, part in zip(shape, window.slices(shape), strict=True)]
    return [span[0] + 1 for span in spans], [span[-1] + 1 for span in spans]


def ranged(block: int, span: Ints, shape: tuple[int, ...], name: str) -> Window:
    """Give the window of a range of nodes (2, dim), in any order of its ends. Raises BadFile for none."""
    dim = span.shape[1]
    low, high = np.sort(span, axis=0)
    where = f"{name}, block {block + 1}"
    if np.any(low < 1) or np.any(high > shape[:dim]):
        raise BadFile(
            f"the range {low.tolist()} to {high.tolist()} reaches outside the {_times(shape[:dim])} nodes",
            where=where, remedy="look whether the file is whole, and of one grid",
        )  # fmt: skip
    flat = [axis for axis in range(dim) if low[axis] == high[axis] and low[axis] in (1, shape[axis])]
    if len(flat) != 1 or any(low[axis] == high[axis] for axis in range(dim) if axis != flat[0]):
        raise BadFile(
            f"the range {low.tolist()} to {high.tolist()} is no part of a side",
            where=where, remedy="patches and interfaces lie on the sides of blocks",
        )  # fmt: skip
    axis = flat[0]
    others = [a for a in range(3) if a != axis]
    first = tuple(int(low[a]) - 1 if a < dim else 0 for a in others)
    last = tuple(int(high[a]) - 1 if a < dim else 0 for a in others)
    return Window(block, axis, int(low[axis] > 1)).narrowed(
        (first[0], first[1]), (last[0], last[1]), shape[:3]
    )


def _times(counts: tuple[int, ...]) -> str:
    return " × ".join(map(str, counts))

"""Glossary of array names, and their types.

``xyz``  nodes or places, float64 (..., 3), in the project's unit
``s``    arc-length fractions along a curve, float64, 0 at its start and 1 at its end
``d``    cell sizes along an edge, float64 (n,), in the project's unit
``ni nj nk``  node counts of a block; ``ci cj ck`` its cell counts, one less
"""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
import numpy.typing as npt

Floats: TypeAlias = npt.NDArray[np.float64]
Ints: TypeAlias = npt.NDArray[np.int64]
Bools: TypeAlias = npt.NDArray[np.bool_]
Place: TypeAlias = tuple[float, float, float]


def place(values: npt.ArrayLike) -> Place:
    """Turn two or three numbers into a place; a missing z is 0."""
    numbers = np.asarray(values, dtype=float).ravel()
    z = float(numbers[2]) if numbers.size > 2 else 0.0
    return float(numbers[0]), float(numbers[1]), z


def dot(a: Floats, b: Floats) -> Floats:
    """Give the dot products (n,) of vectors (n, 3)."""
    return np.asarray(np.einsum("nk,nk->n", a, b))

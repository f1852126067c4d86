"""Vectors in compiled loops."""

from __future__ import annotations

import numba as nb

from plodek.core.arrays import Floats


@nb.njit(cache=True, inline="always")
def det(a: Floats, b: Floats, c: Floats) -> float:
    """Give the determinant of three vectors (3,)."""
    value: float = (
        a[0] * (b[1] * c[2] - b[2] * c[1])
        + a[1] * (b[2] * c[0] - b[0] * c[2])
        + a[2] * (b[0] * c[1] - b[1] * c[0])
    )
    return value

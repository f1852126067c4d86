"""Directions in space: unit vectors, frames, and turns."""

from __future__ import annotations

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue

X, Y, Z = np.eye(3)


def unit(vector: Floats, name: str = "direction") -> Floats:
    """Give the unit vector (3,) along ``vector``. Raises BadValue where it has no length."""
    size = float(np.linalg.norm(vector))
    if not size > 0:
        raise BadValue(f"the {name} has no length", remedy="give a direction, such as 0, 0, 1")
    return np.asarray(vector / size)


def frame_of(normal: Floats, along: Floats | None = None) -> Floats:
    """Give a right-handed frame, rows x, y and z (3, 3), with z along ``normal`` and x near ``along``.

    Where ``along`` is left out, or lies along the normal, x is the coordinate axis most across it.
    """
    z = unit(normal, "normal")
    for wish in (along, np.eye(3)[int(np.argmin(np.abs(z)))] if abs(z[2]) < 1 - 1e-9 else X):
        if wish is None:
            continue
        across = wish - np.dot(wish, z) * z
        size = float(np.linalg.norm(across))
        if size > 1e-9 * float(np.linalg.norm(wish)):
            x = across / size
            return np.stack([x, np.cross(z, x), z])
    raise BadValue("the frame's two directions are one", remedy="give directions that differ")


def turning(axis: Floats, angle: float) -> Floats:
    """Give the matrix (3, 3) that turns by ``angle`` radians about ``axis`` (Rodrigues' formula)."""
    k = unit(axis, "axis")
    cross = np.array([[0, -k[2], k[1]], [k[2], 0, -k[0]], [-k[1], k[0], 0]])
    return np.asarray(np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * cross @ cross)

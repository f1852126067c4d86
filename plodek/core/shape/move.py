"""Moves that keep shapes: shifting, turning, mirroring, and scaling alike in all directions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.frame import turning, unit


@dataclass(frozen=True)
class Move:
    """The map x → scale · matrix · x + shift, with an orthogonal ``matrix`` (3, 3)."""

    matrix: Floats
    shift: Floats
    scale: float = 1.0

    @property
    def mirrors(self) -> bool:
        """Whether left becomes right."""
        return bool(np.linalg.det(self.matrix) < 0)

    def places(self, xyz: Floats) -> Floats:
        """Move places (n, 3)."""
        return np.asarray(self.scale * xyz @ self.matrix.T + self.shift)

    def vectors(self, vectors: Floats) -> Floats:
        """Turn and scale vectors (n, 3), without the shift."""
        return np.asarray(self.scale * vectors @ self.matrix.T)

    def back(self, xyz: Floats) -> Floats:
        """Undo the move for places (n, 3)."""
        return np.asarray((xyz - self.shift) @ self.matrix / self.scale)

    def inverse(self) -> Move:
        """Give the move that undoes this one."""
        return Move(self.matrix.T, -(self.matrix.T @ self.shift) / self.scale, 1.0 / self.scale)

    def in_unit(self, factor: float) -> Move:
        """Give the same move of coordinates that have all been multiplied by a factor."""
        return Move(self.matrix, factor * self.shift, self.scale)

    def fitted(self, first: Floats, second: Floats) -> Move:
        """Give the move near this one that brings places (n, 3) nearest to others; a shift stays one."""
        turns = not np.allclose(self.matrix, np.eye(3), atol=1e-6)
        move = between(first, second, turns=turns)
        off, before = (float(np.abs(one.places(first) - second).max()) for one in (move, self))
        return move if off < before else self

    def then(self, other: Move) -> Move:
        """Give this move followed by another."""
        shift = other.scale * other.matrix @ self.shift + other.shift
        return Move(other.matrix @ self.matrix, shift, self.scale * other.scale)


def shifted(by: Floats) -> Move:
    """Shift by a vector (3,)."""
    return Move(np.eye(3), np.asarray(by, dtype=float))


def turned(centre: Floats, axis: Floats, angle: float) -> Move:
    """Turn by ``angle`` radians about the axis through ``centre``. Raises BadValue for no axis."""
    matrix = turning(axis, angle)
    return Move(matrix, centre - matrix @ centre)


def mirrored(at: Floats, normal: Floats) -> Move:
    """Mirror in the plane through ``at`` with ``normal``. Raises BadValue for a normal of no length."""
    n = unit(normal, "normal")
    return Move(np.eye(3) - 2 * np.outer(n, n), 2 * float(at @ n) * n)


def scaled(centre: Floats, factor: float) -> Move:
    """Scale by ``factor`` from ``centre``. Raises BadValue for a factor that is not positive."""
    if not factor > 0:
        raise BadValue(f"the factor is {factor:g}", remedy="give a factor above 0; mirror to turn round")
    return Move(np.eye(3), (1 - factor) * centre, factor)


def between(first: Floats, second: Floats, *, turns: bool = True) -> Move:
    """Give the shift, or the turn and shift, that brings places (n, 3) nearest to others.

    The best rotation in the sense of least squares: Kabsch 1976 (Acta Cryst. A 32, 922).
    """
    here, there = first.mean(axis=0), second.mean(axis=0)
    if not turns:
        return shifted(there - here)
    u, _, v = np.linalg.svd((first - here).T @ (second - there))
    sign = np.diag([1.0, 1.0, np.sign(np.linalg.det(u @ v))])
    matrix = (u @ sign @ v).T
    return Move(matrix, there - matrix @ here)

"""Diffusion by cell-centred finite volumes: the one equation that the dry run solves.

∇·∇φ = source, second order on any cells. The flux over a face is that along the way between the two centres,
over-relaxed, and the rest from gradients (Jasak 1996, thesis, Imperial College; from memory). Gradients
are those of least squares, so that a linear field is met exactly on every grid. All of it is one matrix: no
part is left over from a step before, which may diverge where lines are far from square.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyamg
import scipy
from propcache.api import cached_property

from plodek.core.arrays import Bools, Floats, Ints, dot
from plodek.core.dryrun.volumes import Volumes
from plodek.core.errors import NotReady

#: The cosine between a face's normal and the way over it counts as this at least.
_OBLIQUE = 0.05
#: The equations are met within this share of their right side, and given up beyond the other.
_MET, _GIVEN_UP = 1e-10, 1e-6
_MOST_STEPS = 400
#: The coarsest level of the multigrid has so many cells at the most.
_FEW = 2000
_TINY = float(np.finfo(float).tiny)


@dataclass(frozen=True)
class Solved:
    """A field ``values`` (cells,), its ``gradient`` (cells, 3), the ``flux`` (n,) out of each outer face.

    ``steps`` of the solver have brought what is left of the equations, as a share, to ``left``.
    """

    values: Floats
    gradient: Floats
    flux: Floats
    steps: int
    left: float


class Diffusion:
    """The equations on volumes: on outer faces that are ``fixed`` (n,) values are given, on others fluxes."""

    def __init__(self, volumes: Volumes, fixed: Bools) -> None:
        self.volumes, self.fixed = volumes, fixed
        outer = volumes.outer
        self._way = outer.middle - volumes.centre[outer.cell]
        self._size = np.maximum(np.linalg.norm(outer.area, axis=1), _TINY)
        along, beside = _parted(outer.area, self._way)
        self._along = np.where(self.fixed, along, 0.0)
        self._beside = np.where(self.fixed[:, None], beside, 0.0)

    @staticmethod
    def with_values_on(volumes: Volumes, patches: Collection[int]) -> Diffusion:
        """Give the equations with values on some patches, by number."""
        return Diffusion(volumes, np.isin(volumes.outer.patch, list(patches)))

    def solve(self, given: Floats, source: Floats | None = None) -> Solved:
        """Solve with what is ``given`` on each outer face: a value, or the flux out of the cell.

        ``source`` (cells,) is the mean over each cell. Where no value is given at all the field's mean is
        0. Raises NotReady where the equations cannot be solved.
        """
        cells, cell = len(self.volumes.volume), self.volumes.outer.cell
        matrices, pull, depth = self._gradients
        value = np.where(self.fixed, given, given / self._size * depth)
        constants = [np.bincount(cell, pull[:, axis] * value, cells) for axis in range(3)]
        right = np.bincount(cell, np.where(self.fixed, self._along * given, given), cells).astype(float)
        for fluxes, constant in zip(self._fluxes, constants, strict=True):
            right += fluxes @ constant
        if source is not None:
            right -= source * self.volumes.volume
        found, steps, left = self._solved(right)
        parts = zip(matrices, constants, strict=True)
        gradient = np.stack([matrix @ found + constant for matrix, constant in parts], axis=1)
        through = self._along * (given - found[cell]) + dot(self._beside, gradient[cell])
        return Solved(found, gradient, np.where(self.fixed, through, given), steps, left)

    @cached_property
    def _gradients(self) -> tuple[list[Any], Floats, Floats]:
        """Give the matrices of the gradient's components, and of outer faces a pull (n, 3) and a depth (n,).

        Each face gives an equation: the difference along the way over it, or the flux through it.
        """
        inner, outer = self.volumes.inner, self.volumes.outer
        cells = len(self.volumes.volume)
        normal = outer.area / self._size[:, None]
        depth = np.abs(dot(self._way, normal))
        ways = np.where(self.fixed[:, None], self._way, normal * depth[:, None])
        sides = [(inner.ours, inner.apart), (inner.theirs, -inner.turned(inner.apart)), (outer.cell, ways)]
        normals = np.zeros((cells, 3, 3))
        for cell, d in sides:
            weight = 1.0 / np.maximum(dot(d, d), _TINY)
            for a in range(3):
                for b in range(3):
                    normals[:, a, b] += np.bincount(cell, weight * d[:, a] * d[:, b], cells)
        inverse = np.linalg.pinv(normals, hermitian=True)
        pulls = [
            np.einsum("nab,nb->na", inverse[cell], d / np.maximum(dot(d, d), _TINY)[:, None])
            for cell, d in sides
        ]
        matrices = []
        for axis in range(3):
            ours, theirs, outside = (pull[:, axis] for pull in pulls)
            fixed = np.where(self.fixed, outside, 0.0)
            rows = [inner.ours, inner.ours, inner.theirs, inner.theirs, outer.cell]
            columns = [inner.theirs, inner.ours, inner.ours, inner.theirs, outer.cell]
            matrices.append(_sparse(cells, rows, columns, [ours, -ours, theirs, -theirs, -fixed]))
        return matrices, pulls[2], depth

    @cached_property
    def _plain(self) -> Any:
        """The matrix of the fluxes along the ways between centres alone."""
        inner, cell = self.volumes.inner, self.volumes.outer.cell
        a, _ = _parted(inner.area, inner.apart)
        rows = [inner.ours, inner.ours, inner.theirs, inner.theirs, cell]
        columns = [inner.ours, inner.theirs, inner.theirs, inner.ours, cell]
        return _sparse(len(self.volumes.volume), rows, columns, [a, -a, a, -a, self._along])

    @cached_property
    def _fluxes(self) -> list[Any]:
        """The matrices that make the rest of the fluxes into each cell of the components of gradients."""
        inner, cell = self.volumes.inner, self.volumes.outer.cell
        _, rest = _parted(inner.area, inner.apart)
        there = inner.turned(rest)
        found = []
        for axis in range(3):
            here, away = (1 - inner.share) * rest[:, axis], inner.share * there[:, axis]
            rows = [inner.ours, inner.ours, inner.theirs, inner.theirs, cell]
            columns = [inner.ours, inner.theirs, inner.ours, inner.theirs, cell]
            values = [here, away, -here, -away, self._beside[:, axis]]
            found.append(_sparse(len(self.volumes.volume), rows, columns, values))
        return found

    @cached_property
    def _matrix(self) -> Any:
        parts = zip(self._fluxes, self._gradients[0], strict=True)
        return (self._plain - sum(fluxes @ gradient for fluxes, gradient in parts)).tocsr()

    @cached_property
    def _guide(self) -> scipy.sparse.linalg.LinearOperator:
        """Multigrid on the plain equations."""
        coarsest = "splu" if self.fixed.any() else "pinv"
        levels = pyamg.ruge_stuben_solver(self._plain, max_coarse=_FEW, coarse_solver=coarsest)
        return scipy.sparse.linalg.LinearOperator(self._matrix.shape, levels.aspreconditioner().matvec)

    def _solved(self, right: Floats) -> tuple[Floats, int, float]:
        """Solve by BiCGStab; gives the field, the steps it took, and what is left."""
        if not self.fixed.any():
            right = right - right.mean()  # what goes in has to come out
        size = float(np.linalg.norm(right))
        if size == 0:
            return np.zeros(len(right)), 0, 0.0
        steps = 0

        def count(_: Any) -> None:
            nonlocal steps
            steps += 1

        found, _ = scipy.sparse.linalg.bicgstab(
            self._matrix, right, rtol=_MET, atol=0.0, maxiter=_MOST_STEPS, callback=count, M=self._guide
        )
        left = float(np.linalg.norm(self._matrix @ found - right)) / size
        if not left <= _GIVEN_UP:
            raise NotReady(
                f"the equations are not solved: {left:.1e} of them is left after {steps} steps",
                remedy="look at folded and very oblique cells",
            )
        return found if self.fixed.any() else found - found.mean(), steps, left


def _parted(area: Floats, way: Floats) -> tuple[Floats, Floats]:
    """Part area vectors (n, 3) into a factor on the way over each face, over-relaxed, and the rest."""
    across = dot(area, way)
    least = _OBLIQUE * np.linalg.norm(area, axis=1) * np.linalg.norm(way, axis=1)
    factor = dot(area, area) / np.maximum(np.maximum(across, least), _TINY)
    return factor, area - factor[:, None] * way


def _sparse(cells: int, rows: list[Ints], columns: list[Ints], values: list[Floats]) -> Any:
    at = np.concatenate(rows), np.concatenate(columns)
    return scipy.sparse.csr_matrix((np.concatenate(values), at), shape=(cells, cells))

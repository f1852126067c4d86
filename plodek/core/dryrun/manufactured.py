"""What is known of the solution beforehand: linear fields, which are met exactly, and manufactured ones.

The order of accuracy is seen from a manufactured solution on a grid and on one with half its cells: Roache
2002 (J. Fluids Eng. 124, 4). A smooth field is chosen, its source put in, and the error looked at.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.dryrun.coarser import coarser
from plodek.core.dryrun.diffusion import Diffusion
from plodek.core.dryrun.volumes import Volumes
from plodek.core.formats.mesh import mesh_of
from plodek.core.grid.grid import Grid

_SLOPE = np.array([1.0, 0.5, -0.25])


@dataclass(frozen=True)
class Order:
    """The ``order`` seen from the errors on a grid and on the ``coarse`` one, as shares of the field."""

    order: float
    fine: float
    coarse: float
    cells: tuple[int, int]


def given_all_round(volumes: Volumes) -> Diffusion:
    """Give the equations with values on all of the outside."""
    return Diffusion(volumes, np.unique(volumes.outer.patch).tolist())


def linear_error(equations: Diffusion) -> float:
    """Give how far a linear field, given on all of the outside, is missed, as a share of its range."""
    wanted = equations.volumes.centre @ _SLOPE
    found = equations.solve(equations.volumes.outer.middle @ _SLOPE).values
    return float(np.abs(found - wanted).max() / max(np.ptp(wanted), np.finfo(float).tiny))


def order_on(grid: Grid, equations: Diffusion) -> Order | None:
    """Give the order on a grid, on which ``equations`` are; None where it cannot be made coarser."""
    half = coarser(grid)
    if half is None or 2 * half.cells > grid.cells:
        return None
    field = _Field.over(grid)
    fine = field.error(equations)
    coarse = field.error(given_all_round(Volumes.of(mesh_of(half), periodic=False)))
    ratio = (grid.cells / half.cells) ** (1 / len(field.ways))
    return Order(float(np.log(coarse / fine) / np.log(ratio)), fine, coarse, (grid.cells, half.cells))


@dataclass(frozen=True)
class _Field:
    """The field Σ cos(way · x + 1) over ``ways`` (n, 3)."""

    ways: Floats

    @staticmethod
    def over(grid: Grid) -> _Field:
        """Give a field with half a wave over a grid along each axis, but along none that is one cell deep."""
        low = np.min([nodes.min(axis=(0, 1, 2)) for nodes in grid.xyz], axis=0)
        size = np.max([nodes.max(axis=(0, 1, 2)) for nodes in grid.xyz], axis=0) - low
        ways = np.diag(np.pi / size)
        thin = _thin(grid)
        if thin is not None:
            flat = ways - np.outer(ways @ thin, thin)
            ways = flat[np.linalg.norm(flat, axis=1) > 1e-6 * np.linalg.norm(ways, axis=1)]
        return _Field(ways)

    def at(self, places: Floats) -> Floats:
        """Give the field at places (n, 3)."""
        return np.asarray(np.cos(places @ self.ways.T + 1.0).sum(axis=1))

    def source(self, places: Floats) -> Floats:
        """Give its Laplacian at places (n, 3)."""
        return np.asarray(-np.cos(places @ self.ways.T + 1.0) @ (self.ways**2).sum(axis=1))

    def error(self, equations: Diffusion) -> float:
        """Give the root of the mean square error over the volume, as a share of the field's own."""
        volumes = equations.volumes
        found = equations.solve(self.at(volumes.outer.middle), self.source(volumes.centre)).values
        wanted = self.at(volumes.centre)
        weight = np.abs(volumes.volume)
        return float(np.sqrt((weight * (found - wanted) ** 2).sum() / (weight * wanted**2).sum()))


def _thin(grid: Grid) -> Floats | None:
    """Give the direction in which every block is one cell deep, if there is one."""
    found: Floats | None = None
    for nodes in grid.xyz:
        axis = next((axis for axis in range(3) if nodes.shape[axis] == 2), None)
        if axis is None:
            return None
        way = np.diff(nodes, axis=axis).reshape(-1, 3)
        way = way / np.linalg.norm(way, axis=1)[:, None]
        found = way[0] if found is None else found
        if np.abs(np.abs(way @ found) - 1).max() > 1e-9:
            return None
    return found

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
    return Diffusion(volumes, np.ones(len(volumes.outer.cell), dtype=bool))


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
    fine = field.error(equations if field.thin is None else field.equations(equations.volumes))
    coarse = field.error(field.equations(Volumes.of(mesh_of(half), periodic=False)))
    ratio = (grid.cells / half.cells) ** (1 / len(field.ways))
    return Order(float(np.log(coarse / fine) / np.log(ratio)), fine, coarse, (grid.cells, half.cells))


@dataclass(frozen=True)
class _Field:
    """The field Σ cos(way · x + 1) over ``ways`` (n, 3), and the direction in which it is one cell deep."""

    ways: Floats
    thin: Floats | None

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
        return _Field(ways, thin)

    def equations(self, volumes: Volumes) -> Diffusion:
        """Give the equations with values on the outside, but with fluxes in front of the depth and behind it.

        Values there, half a cell from every centre, would hold the solution to the field by themselves.
        """
        if self.thin is None:
            return given_all_round(volumes)
        area = volumes.outer.area
        return Diffusion(volumes, np.abs(area @ self.thin) < 0.5 * np.linalg.norm(area, axis=1))

    def at(self, places: Floats) -> Floats:
        """Give the field at places (n, 3)."""
        return np.asarray(np.cos(places @ self.ways.T + 1.0).sum(axis=1))

    def gradient(self, places: Floats) -> Floats:
        """Give its gradient (n, 3) at places (n, 3)."""
        return np.asarray(-np.sin(places @ self.ways.T + 1.0) @ self.ways)

    def source(self, places: Floats) -> Floats:
        """Give its Laplacian at places (n, 3)."""
        return np.asarray(-np.cos(places @ self.ways.T + 1.0) @ (self.ways**2).sum(axis=1))

    def error(self, equations: Diffusion) -> float:
        """Give the root of the mean square error over the volume, as a share of the field's own."""
        volumes, outer = equations.volumes, equations.volumes.outer
        flux = np.einsum("nk,nk->n", self.gradient(outer.middle), outer.area)
        known = np.where(equations.fixed, self.at(outer.middle), flux)
        found = equations.solve(known, self.source(volumes.centre)).values
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

"""A measured grid: what every cell is measured by at once, from which all else is worked out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.check.geometry import Joined
from plodek.core.grid.grid import Grid


@dataclass(frozen=True)
class WallUnits:
    """What walls are measured by, in the grid's unit: the height of y⁺ 1, the boundary layer's thickness."""

    height: float
    thickness: float

    def scaled(self, factor: float) -> WallUnits:
        """Give them in another unit."""
        return WallUnits(factor * self.height, factor * self.thickness)


@dataclass(frozen=True)
class Measured:
    """Metrics of every cell of a ``grid``: ``volume`` (cells,), ``folded`` (cells,), ``centres`` (3, cells).

    Cells that are flat count as folded.
    ``poles`` (cells,) tells the cells with a shrunk edge: they are measured as the wedges they are.
    ``left`` are the indices of left-handed blocks, which were measured as if turned round.
    ``joined`` are its faces at interfaces, ``basic`` (metrics, cells) the metrics that are always there.

    Cells run block by block, C order within one, as the grid counts them.
    """

    grid: Grid
    joined: Joined
    basic: Floats
    volume: Floats
    centres: Floats
    folded: Bools
    poles: Bools
    wall_units: WallUnits | None = None
    left: tuple[int, ...] = ()

    @property
    def signs(self) -> Floats:
        """1 for each block (blocks,), -1 where its cells have negative volumes or it is left-handed."""
        signs = np.sign(np.add.reduceat(self.volume, self.grid.starts[:-1]))
        signs[list(self.left)] *= -1.0
        return signs

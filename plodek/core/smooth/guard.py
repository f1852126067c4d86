"""Taking back moves that have made cells fold, or worse than a floor."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Bools, Floats
from plodek.core.smooth.ghosted import Ghosted
from plodek.core.smooth.rows import Rows, Scheme

#: How often what folds is taken back twice as wide, before all of it is.
_WIDER = 5
#: Lower by less than this share is no worse: corners that are forced are so but for rounding.
ALIKE = 1e-5
Singles = npt.NDArray[np.float32]


def squareness(ghosted: Ghosted, scheme: Scheme, cells: Rows, xyz: Floats) -> Singles:
    """Give each cell's least scaled Jacobian at its first slot (n,), 2 at slots that are none."""
    found = np.full(ghosted.count, 2.0, dtype=np.float32)
    scheme.squareness(xyz, cells, found)
    return found


def take_back(
    ghosted: Ghosted,
    scheme: Scheme,
    cells: Rows,
    xyz: Floats,
    before: Floats,
    was: Singles,
    floor: np.float32,
) -> tuple[Singles, Bools]:
    """Put nodes (n, 3) back to where they were ``before``, in place, at cells that have become too bad.

    That is folded, or below the floor and below what they were (n,). Gives what cells are now, and which
    slots (n,) have been put back.
    """
    now = squareness(ghosted, scheme, cells, xyz)
    touched = np.zeros(len(was), dtype=bool)
    for wider in range(_WIDER + 1):
        bad = (now < was) & ((now < floor) | ((now <= 0) & (was > 0)))
        if not np.any(bad):
            break
        if wider == _WIDER:
            touched[ghosted.node >= 0] = True
        else:
            for _ in range(2**wider):
                spread(ghosted, scheme, cells, bad, touched)
        xyz[touched] = before[touched]
        ghosted.renew(xyz)
        now = squareness(ghosted, scheme, cells, xyz)
    return now, touched


def spread(ghosted: Ghosted, scheme: Scheme, cells: Rows, bad: Bools, touched: Bools) -> None:
    """Mark the nodes of bad cells (n,) and of those around what is marked, in all their slots, in place."""
    around = bad.copy()
    if np.any(touched):
        scheme.kernels.cells_at(cells, touched, around)
    scheme.kernels.mark_corners(cells, around, touched)
    touched[:] = ghosted.alike(touched)

"""Plodek: block-structured hexahedral grids for flow computations."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

# Threads that wait for others must not spin: beside another process that works, as a server's worker or a
# solver, kernels would take three times as long. Read when the first kernel runs on several threads.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from plodek.core.arrays import Floats
    from plodek.core.check.checked import Checked
    from plodek.core.grid.grid import Grid


def check(grid: Grid | Sequence[Floats], limits: Mapping[str, float] | None = None) -> Checked:
    """Check a grid, or the node arrays of its blocks: see `plodek.core.check.checked.check`."""
    # Kernels are loaded when they are first needed: commands that need none start at once.
    from plodek.core.check.checked import check as checked

    return checked(grid, limits)

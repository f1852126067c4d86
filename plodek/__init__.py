"""Plodek: block-structured hexahedral grids for flow computations."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

# Threads that wait for others must not spin: beside another process that works, as a server's worker or a
# solver, kernels would take three times as long. Read when the first kernel runs on several threads.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    from plodek.core.arrays import Floats
    from plodek.core.check.checked import Checked
    from plodek.core.dryrun.dry_run import DryRun
    from plodek.core.formats.convert import Converted
    from plodek.core.grid.grid import Grid
    from plodek.core.proof.proof import Proof


def check(grid: Grid | Sequence[Floats], limits: Mapping[str, float] | None = None) -> Checked:
    """Check a grid, or the node arrays of its blocks: see `plodek.core.check.checked.check`."""
    # Kernels are loaded when they are first needed: commands that need none start at once.
    from plodek.core.check.checked import check as checked

    return checked(grid, limits)


def convert(
    source: Path, target: Path, options: Mapping[str, str] | None = None, *, unit: str | None = None
) -> Converted:
    """Turn a grid file into another format: see `plodek.core.formats.convert.convert`."""
    from plodek.core.formats.convert import convert as converted

    return converted(source, target, options, unit=unit)


def prove(file: Path) -> Proof:
    """Read a grid file back and look at it: see `plodek.core.proof.proof.prove`."""
    from plodek.core.proof.proof import prove as proved

    return proved(file)


def dry_run(file: Path) -> DryRun:
    """Solve on the grid in a file: see `plodek.core.dryrun.dry_run.dry_run`."""
    from plodek.core.dryrun.dry_run import dry_run as run

    return run(file)

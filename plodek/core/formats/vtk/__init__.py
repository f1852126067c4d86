"""VTK XML: a .vtm that gathers blocks (.vts) and patches (.vtp)."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.registry import Format
from plodek.core.grid.grid import Grid


def _write(path: Path, grid: Grid, unit: str) -> list[Path]:
    from plodek.core.formats.vtk.write import write

    return write(path, grid)


FORMAT = Format(
    "vtk",
    "VTK XML",
    (".vtm",),
    "a file that gathers one structured grid per block, by regions, and the surface of each patch",
    write=_write,
    poles=True,
)

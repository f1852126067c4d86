"""CGNS: the open standard AIAA R-101A, in its HDF5 form."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.registry import Format
from plodek.core.grid.grid import Grid


def _write(path: Path, grid: Grid, unit: str) -> list[Path]:
    from plodek.core.formats.cgns.write import write  # HDF5 only where it is wanted

    return write(path, grid, unit)


def _read(path: Path) -> tuple[Grid, str]:
    from plodek.core.formats.cgns.read import read

    return read(path)


FORMAT = Format(
    "cgns",
    "CGNS",
    (".cgns",),
    "structured zones with one-to-one interfaces, families of patches and regions, units",
    write=_write,
    read=_read,
    poles=True,
)

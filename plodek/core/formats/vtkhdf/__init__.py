"""VTKHDF: all cells and the faces of each patch in one HDF5 file."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.registry import Choices, Format


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.vtkhdf.write import write

    return write(path, cargo)


def _read(path: Path) -> tuple[Mesh, str]:
    from plodek.core.formats.vtkhdf.read import read

    return read(path)


FORMAT = Format(
    "vtkhdf",
    "VTKHDF",
    (".vtkhdf",),
    "one file with the cells of each region and the faces of each patch",
    write=_write,
    read=_read,
)

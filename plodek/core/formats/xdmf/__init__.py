"""XDMF: a description of cells and faces, whose numbers stand in an HDF5 file beside it."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.registry import Choices, Format
from plodek.core.grid.grid import Grid


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.xdmf.write import write

    return write(path, cargo)


def _read(path: Path) -> tuple[Grid | Mesh, str]:
    from plodek.core.formats.xdmf.read import read

    return read(path)


FORMAT = Format(
    "xdmf",
    "XDMF",
    (".xdmf", ".xmf"),
    "cells and outer faces with the numbers of their regions and patches; arrays in an HDF5 file beside it",
    write=_write,
    read=_read,
)

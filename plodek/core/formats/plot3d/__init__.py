"""PLOT3D: multi-block grids of nodes (NASA TM-101235), with a map of patches and interfaces beside them."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.registry import Choices, Format, Option
from plodek.core.grid.grid import Grid


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.plot3d.write import write

    return write(path, cargo, choices)


def _read(path: Path) -> tuple[Grid | Mesh, str]:
    from plodek.core.formats.plot3d.read import read

    return read(path)


FORMAT = Format(
    "plot3d",
    "PLOT3D",
    (".xyz", ".p3d", ".x", ".g"),
    "nodes block by block; patches, interfaces, regions and unit in a plain map beside them",
    write=_write,
    read=_read,
    plane=True,
    periodic=True,
    options=(
        Option("form", "Form", ("binary", "Fortran records", "text")),
        Option("bytes", "Byte order", ("little-endian", "big-endian")),
        Option("precision", "Precision", ("double", "single")),
    ),
    types={},
)

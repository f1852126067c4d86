"""VTK XML: a .vtm that gathers blocks (.vts) or cells (.vtu), and patches (.vtp)."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.registry import Choices, Format, Option
from plodek.core.grid.grid import Grid

_BLOCKS, _CELLS = "structured blocks", "unstructured"


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.vtk.write import write

    return write(path, cargo, blocks=choices["cells"] == _BLOCKS)


def _read(path: Path) -> tuple[Grid | Mesh, str]:
    if path.suffix.lower() == ".vtk":
        from plodek.core.formats.vtk import legacy

        return legacy.read(path)
    from plodek.core.formats.vtk.read import read

    return read(path)


FORMAT = Format(
    "vtk",
    "VTK XML",
    (".vtm",),
    "a file that gathers a structured grid per block, or all cells by region, and the faces of each patch",
    write=_write,
    read=_read,
    plane=True,
    read_too=(".vts", ".vtr", ".vtu", ".vtk"),
    options=(Option("cells", "Cells", (_BLOCKS, _CELLS)),),
)

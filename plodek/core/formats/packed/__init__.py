"""ZIP: the files of a grid packed as one, as the download of a hand-off is."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.mesh import Mesh
from plodek.core.formats.registry import Format
from plodek.core.grid.grid import Grid


def _read(path: Path) -> tuple[Grid | Mesh, str]:
    from plodek.core.formats.packed.read import read

    return read(path)


FORMAT = Format(
    "packed",
    "ZIP",
    (".zip",),
    "a grid that consists of several files, or one, packed as one file",
    read=_read,
)

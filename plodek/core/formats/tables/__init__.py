"""Tables: nodes and block edges as CSV, for programs that read nothing else."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.registry import Choices, Format


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.tables.write import write

    return write(path, cargo)


FORMAT = Format(
    "tables",
    "Tables (CSV)",
    (".csv",),
    "all nodes by block and index, the nodes along each block edge, and the map of patches and interfaces",
    write=_write,
    plane=True,
    types={},
)

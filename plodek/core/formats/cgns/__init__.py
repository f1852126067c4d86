"""CGNS: the open standard AIAA R-101A, in its HDF5 form."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cgns.words import STAND_INS
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.registry import Choices, Format, Option
from plodek.core.grid.grid import Grid

_STRUCTURED, _ONE, _BY_REGION = "structured", "unstructured", "unstructured by region"
_BY_FACES = "unstructured by faces"


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.cgns import structured, unstructured  # HDF5 only where it is wanted

    if choices["zones"] == _STRUCTURED:
        return structured.write(path, cargo)
    zones = choices["zones"]
    return unstructured.write(path, cargo, by_region=zones == _BY_REGION, by_faces=zones == _BY_FACES)


def _read(path: Path) -> tuple[Grid | Mesh, str]:
    from plodek.core.formats.cgns.read import read

    return read(path)


FORMAT = Format(
    "cgns",
    "CGNS",
    (".cgns",),
    "zones with interfaces, periodic ones too, families of patches and regions, units, and the recipe",
    write=_write,
    read=_read,
    plane=True,
    periodic=True,
    types=STAND_INS,
    options=(Option("zones", "Zones", (_STRUCTURED, _ONE, _BY_REGION, _BY_FACES)),),
)

"""STL: the faces of each patch as triangles."""

from __future__ import annotations

from pathlib import Path

from plodek.core.formats.cargo import Cargo
from plodek.core.formats.registry import Choices, Format, Option

_ONE, _EACH = "text, one file", "binary, a file each"


def _write(path: Path, cargo: Cargo, choices: Choices) -> list[Path]:
    from plodek.core.formats.stl.write import write

    return write(path, cargo, one=choices["form"] == _ONE)


FORMAT = Format(
    "stl",
    "STL of patches",
    (".stl",),
    "the outside as triangles: a named solid for each patch, or a file for each",
    write=_write,
    options=(Option("form", "Form", (_ONE, _EACH)),),
)

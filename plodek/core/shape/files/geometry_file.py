"""Geometry files of all kinds: which kind one is, what it holds, and its size.

Reading gives packed contents, the same for all kinds, from which `contents.guides_of` makes guides.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal, get_args

import numpy as np

from plodek.core.errors import BadFile
from plodek.core.shape.files import cad_file, dxf_file, mesh_file
from plodek.core.shape.files.cad_file import CadKind
from plodek.core.shape.files.packed import pack, unpack
from plodek.core.telling import Tell

FileKind = Literal["step", "iges", "stl", "obj", "dxf", "points"]
_ENDINGS: dict[str, FileKind] = {
    "step": "step", "stp": "step", "iges": "iges", "igs": "iges", "stl": "stl", "obj": "obj", "dxf": "dxf",
}  # fmt: skip
#: Beginnings of files that are packed, pictures or programs, whatever their name says.
_FOREIGN = {
    b"PK\x03\x04": "a ZIP archive", b"\x1f\x8b": "a gzip archive", b"7z\xbc\xaf": "a 7z archive",
    b"BZh": "a bzip2 archive", b"\xfd7zXZ": "an xz archive", b"\x89PNG": "a picture",
    b"%PDF": "a PDF document", b"\x7fELF": "a program", b"MZ": "a program",
}  # fmt: skip


@dataclass(frozen=True)
class Summary:
    """What a file holds, told before it is used: ``low`` and ``high`` are in its own numbers."""

    kind: FileKind
    unit: str
    file_unit: str
    counts: dict[str, int]
    names: tuple[str, ...]
    left_out: tuple[str, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]


def kind_of(name: str) -> FileKind:
    """Tell a file's kind by the ending of its name; what is none of the others is point text."""
    return _ENDINGS.get(name.rpartition(".")[2].lower(), "points")


def refuse_foreign(data: bytes, name: str) -> None:
    """Raise BadFile for what is no geometry, whatever its name says."""
    if not data:
        raise BadFile("it is empty", where=name, remedy="choose another file")
    for head, what in _FOREIGN.items():
        if data.startswith(head) and not (head == b"MZ" and kind_of(name) == "points"):
            raise BadFile(
                f"it is {what}, whatever its name says", where=name, remedy="unpack or export it first"
            )


def read(data: bytes, name: str, tell: Tell | None = None) -> bytes:
    """Read a CAD, STL, OBJ or DXF file as packed contents. Raises BadFile."""
    refuse_foreign(data, name)
    kind = kind_of(name)
    if kind in get_args(CadKind):
        return cad_file.read(data, kind, name, tell)  # type: ignore[arg-type]
    tree = dxf_file.read(data, name) if kind == "dxf" else mesh_file.read(data, kind, name)
    return pack(tree)


def summary(packed: bytes, name: str) -> Summary:
    """Tell what packed contents hold."""
    tree = unpack(packed)
    places = [*_places(tree)]
    xyz = np.concatenate(places) if places else np.zeros((1, 3))
    counts = {
        "faces": len(tree["faces"]),
        "triangulated surfaces": len(tree["meshes"]),
        "triangles": sum(len(mesh["triangles"]) for mesh in tree["meshes"]),
        "curves": len(tree["curves"]),
        "points": len(tree["points"]),
    }
    named = [part["name"] for part in (*tree["faces"], *tree["meshes"], *tree["curves"]) if part["name"]]
    return Summary(
        kind_of(name), tree["unit"], tree["file_unit"],
        {what: count for what, count in counts.items() if count},
        tuple(named), tuple(tree["flat"]),
        tuple(float(v) for v in xyz.min(axis=0)), tuple(float(v) for v in xyz.max(axis=0)),
    )  # fmt: skip


def _places(tree: dict[str, Any]) -> list[Any]:
    found = [mesh["xyz"] for mesh in tree["meshes"]]
    found += [tree["points"]] if len(tree["points"]) else []
    for face in tree["faces"]:
        for loop in face["loops"]:
            found += [edge["curve"]["poles"] for edge in loop if edge["curve"] is not None]
    for part in tree["curves"]:
        curve = part["curve"]
        if "points" in curve or "poles" in curve:
            found.append(curve.get("points", curve.get("poles")))
        else:
            reach = curve.get("radius") or max(curve["semi_axes"])
            found.append(np.asarray(curve["centre"]) + reach * np.array([[-1.0, -1, 0], [1, 1, 0]]))
    return found

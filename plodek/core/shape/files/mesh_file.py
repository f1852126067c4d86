"""Triangulated surfaces in STL (text and binary) and OBJ files."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable
from itertools import pairwise
from typing import Any, TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.budget import need
from plodek.core.errors import BadFile
from plodek.core.shape.surfaces.triangulated import weld
from plodek.core.tolerances import LARGEST

_Part: TypeAlias = tuple[str, Floats, Ints]

_RECORD = 50  # bytes of a triangle in a binary STL file, after a head of 84


def read(data: bytes, kind: str, name: str) -> dict[str, Any]:
    """Read a file as meshes; names are those of its solids, objects or groups.

    Raises BadFile where it breaks off, holds no triangle, or a coordinate is no usable number, and
    OverBudget for too many triangles.
    """
    need("triangles", _most_triangles(data, kind), where=name)
    if kind == "stl":
        _look_stl(data, name)
    else:
        _look_obj(data, name)
    parts = _read_obj(data) if kind == "obj" else _read_stl(data, name)
    meshes = []
    for part, xyz, faces in parts:
        if not np.all(np.abs(xyz) <= LARGEST):
            bad = int(np.flatnonzero(~np.all(np.abs(xyz) <= LARGEST, axis=1))[0])
            raise BadFile(
                f"corner {bad + 1} of “{part}” has a coordinate that is no usable number",
                where=name,
                remedy="repair it in the program it came from; nothing was read",
            )
        xyz, triangles = weld(xyz, faces, 0.0)
        if len(triangles):
            meshes.append({"name": part, "xyz": xyz, "triangles": triangles})
    if not meshes:
        raise BadFile("it holds no triangle with an area", where=name, remedy="choose another file")
    return {
        "faces": [], "meshes": meshes, "curves": [], "points": np.zeros((0, 3)), "flat": [], "unit": "",
        "file_unit": "",
    }  # fmt: skip


def _most_triangles(data: bytes, kind: str) -> float:
    """Give how many triangles a file holds at most, from what is counted quickly."""
    if kind == "obj":
        return data.count(b" ") / 3  # each has three numbers, and each place too
    return (len(data) - 84) / _RECORD if _is_binary(data) else data.count(b"endfacet")


def _read_stl(data: bytes, name: str) -> list[_Part]:
    import trimesh  # it takes long to import, and few files need it

    try:
        found: Any = trimesh.load(io.BytesIO(data), file_type="stl", process=False)
    except Exception as error:  # the reader's own errors are of many kinds
        raise BadFile(
            f"it cannot be understood ({str(error)[:80]})", where=name, remedy="export it anew"
        ) from error
    parts = found.geometry if isinstance(found, trimesh.Scene) else {_solid_name(data): found}
    return [
        (str(part), np.asarray(mesh.vertices, dtype=np.float64), np.asarray(mesh.faces, dtype=np.int64))
        for part, mesh in parts.items()
        if len(getattr(mesh, "faces", ()))
    ]


def _read_obj(data: bytes) -> list[_Part]:
    """Read places and faces by object or group; polygons are divided from their first corner."""
    places: list[str] = []
    faces: dict[str, list[list[int]]] = {}
    part = ""
    for line in data.decode("utf-8").splitlines():
        head, _, rest = line.strip().partition(" ")
        if head == "v":
            places.append(" ".join(rest.split()[:3]))
        elif head in ("o", "g"):
            part = rest.strip()
        elif head == "f":
            used = [int(corner.split("/")[0]) for corner in rest.split()]
            at = [index - 1 if index > 0 else len(places) + index for index in used]
            faces.setdefault(part, []).extend([at[0], b, c] for b, c in pairwise(at[1:]))
    xyz = np.array(" ".join(places).split(), dtype=np.float64).reshape(-1, 3)
    return [(name, xyz, np.array(found, dtype=np.int64).reshape(-1, 3)) for name, found in faces.items()]


def write_stl(surfaces: Iterable[tuple[str, Floats, Ints]], scale: float) -> bytes:
    """Write places (n, 3) and triangles (m, 3) as one text STL file with a named solid each.

    Coordinates are multiplied by ``scale``.
    """
    import trimesh  # it takes long to import, and few files need it

    parts = []
    for name, xyz, triangles in surfaces:
        mesh = trimesh.Trimesh(xyz * scale, triangles, process=False)
        text = trimesh.exchange.stl.export_stl_ascii(mesh)
        body = text.split("\n", 1)[1].rsplit("endsolid", 1)[0]
        parts.append(f"solid {name}\n{body}endsolid {name}\n")
    return "".join(parts).encode()


def _solid_name(data: bytes) -> str:
    first = re.match(rb"\s*solid[ \t]+([^\r\n]*)", data[:200]) if not _is_binary(data) else None
    return first[1].decode("utf-8", "replace").strip() if first else ""


def _is_binary(data: bytes) -> bool:
    if len(data) < 84:
        return False
    count = int.from_bytes(data[80:84], "little")
    return len(data) == 84 + _RECORD * count or b"facet" not in data[:1000]


def _look_stl(data: bytes, name: str) -> None:
    if _is_binary(data):
        count = int.from_bytes(data[80:84], "little")
        held = (len(data) - 84) / _RECORD
        if held < count:
            raise BadFile(
                f"it breaks off after {int(held)} of its {count} triangles",
                where=name,
                remedy="copy or export it again",
            )
        return
    opened, closed = data.count(b"solid") - data.count(b"endsolid"), data.count(b"endsolid")
    if not data.lstrip().startswith(b"solid") or b"facet" not in data:
        raise BadFile("it is no STL file", where=name, remedy="look whether its ending tells its true type")
    if opened != closed or data.count(b"endfacet") * 2 != data.count(b"facet"):
        lines = data.count(b"\n") + 1
        raise BadFile(f"it breaks off at line {lines}", where=name, remedy="copy or export it again")


def _look_obj(data: bytes, name: str) -> None:
    try:
        lines = data.decode("utf-8").splitlines()
    except UnicodeDecodeError as error:
        raise BadFile("it is not text, as an OBJ file is", where=name, remedy="export it anew") from error
    places = sum(line.startswith("v ") for line in lines)
    for number, line in enumerate(lines, 1):
        if line.startswith("v "):
            _look_place(line, number, name)
        if line.startswith("f "):
            used = [part.split("/")[0] for part in line.split()[1:]]
            if any(not re.fullmatch(r"-?\d+", u) or not 1 <= abs(int(u)) <= places for u in used):
                raise BadFile(
                    f"line {number} “{line[:40]}” names a place that is not among its {places}",
                    where=name,
                    remedy="export it anew; nothing was read",
                    rows=[number],
                )


def _look_place(line: str, number: int, name: str) -> None:
    try:
        fine = len([float(part) for part in line.split()[1:4]]) == 3
    except ValueError:
        fine = False
    if not fine:
        raise BadFile(
            f"line {number} “{line[:40]}” is not three numbers",
            where=name,
            remedy="export it anew; nothing was read",
            rows=[number],
        )

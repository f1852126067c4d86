"""Pieces of a file, each with points of its own, as one mesh: points at one place are one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.formats.cells import Kind
from plodek.core.formats.mesh import Mesh, four
from plodek.core.formats.mesh_file import meshed, need_corners


def joined(
    name: str, pieces: Sequence[tuple[str, Floats, Mapping[Kind, Ints], Ints | None]], unit: str = ""
) -> Mesh:
    """Join pieces: their name, points, and cells by kind or the faces of a patch; several may be one patch.

    Points are one where they are equal to the bit. Raises BadFile as `meshed` does.
    """
    every = np.concatenate([np.ascontiguousarray(points) for _, points, _, _ in pieces])
    order = np.lexsort(every.T[::-1])
    fresh = np.append(True, (np.diff(every[order], axis=0) != 0).any(axis=1)) if len(every) else order
    group = np.cumsum(fresh) - 1
    first = np.full(int(group[-1]) + 1 if len(group) else 0, len(every))
    np.minimum.at(first, group, order)
    rank = np.empty(len(first), dtype=np.int64)
    rank[np.argsort(first)] = np.arange(len(first))  # points keep the order that they come in
    number = np.empty(len(every), dtype=np.int64)
    number[order] = rank[group]
    solids: dict[Kind, list[Ints]] = {}
    faces: dict[str, Ints] = {}
    start = 0
    for title, points, cells, face in pieces:
        own = number[start : start + len(points)]
        for corners in (*cells.values(), *(() if face is None else (face,))):
            need_corners(name, corners, len(own))
        for kind, corners in cells.items():
            solids.setdefault(kind, []).append(own[corners])
        if face is not None:
            faces[title] = np.concatenate([faces.get(title, np.empty((0, 4), np.int64)), four(own[face])])
        start += len(points)
    found = {kind: np.concatenate(parts) for kind, parts in solids.items()}
    return meshed(name, every[np.sort(first)], found, faces, {}, unit)

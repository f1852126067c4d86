"""The finite volumes of a mesh: cells, faces between them, periodic ones too, and those on the outside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Ints, dot
from plodek.core.formats.faces import areas, bodies, faces_of, found_among, middles
from plodek.core.formats.mesh import Mesh
from plodek.core.grid.window import PatchType


@dataclass(frozen=True)
class Inner:
    """Faces (n,) between ``ours`` and ``theirs``, ``area`` (n, 3) looking to theirs.

    ``apart`` (n, 3) leads from the centre of ours to that of theirs, as seen from ours, ``share`` (n,) is
    where on that way the face is. ``turns`` (n, 3, 3) turns vectors at ours into those at theirs: at
    periodic faces by their move.
    """

    ours: Ints
    theirs: Ints
    area: Floats
    apart: Floats
    share: Floats
    turns: Floats | None

    def turned(self, vectors: Floats) -> Floats:
        """Turn vectors (n, 3) at ours into those at theirs."""
        return vectors if self.turns is None else np.einsum("nab,nb->na", self.turns, vectors)


@dataclass(frozen=True)
class Outer:
    """Outer faces (n,) of a ``cell``, with their ``patch``.

    ``corners`` (n, 4) are numbers of points, ``area`` (n, 3) looks out, ``middle`` (n, 3) is in the face.
    """

    corners: Ints
    cell: Ints
    area: Floats
    middle: Floats
    patch: Ints


@dataclass(frozen=True)
class Volumes:
    """Cells with ``volume`` (n,) and ``centre`` (n, 3), and their faces; ``patches`` are names and types."""

    volume: Floats
    centre: Floats
    inner: Inner
    outer: Outer
    patches: tuple[tuple[str, PatchType], ...]

    @staticmethod
    def of(mesh: Mesh, *, periodic: bool = True) -> Volumes:
        """Give the volumes of a mesh. Outer faces in no patch have the number -1.

        Unless ``periodic`` faces with twins are outer ones too.
        """
        faces = faces_of(mesh)
        area, middle = areas(mesh.points, faces.corners), middles(mesh.points, faces.corners)
        volume, centre = bodies(mesh.cells, faces, area, middle)
        outer = faces.outer.copy()
        ours, theirs = faces.owner[~outer], faces.beyond[~outer]
        parts = [_inner(ours, theirs, area[~outer], middle[~outer], centre, centre[theirs], None)]
        for twins in mesh.twins if periodic else ():
            one, other = (found_among(faces.corners, corners) for corners in (twins.ours, twins.theirs))
            here, there = faces.owner[one], faces.owner[other]
            seen = twins.move.back(centre[there])
            parts.append(_inner(here, there, area[one], middle[one], centre, seen, twins.move.matrix))
            outer[one] = outer[other] = False
        rest = Outer(faces.corners[outer], faces.owner[outer], area[outer], middle[outer], faces.patch[outer])
        patches = tuple((name, mesh.types.get(name, "general")) for name in mesh.faces)
        return Volumes(volume, centre, _together(parts), rest, patches)


def _together(parts: list[Inner]) -> Inner:
    """Put faces together; those that turn nothing turn by nothing."""
    turns = None
    if any(part.turns is not None for part in parts):
        plain = (np.eye(3) if part.turns is None else part.turns for part in parts)
        turns = np.concatenate(
            [np.broadcast_to(turn, (len(part.ours), 3, 3)) for turn, part in zip(plain, parts, strict=True)]
        )
    return Inner(
        np.concatenate([part.ours for part in parts]),
        np.concatenate([part.theirs for part in parts]),
        np.concatenate([part.area for part in parts]),
        np.concatenate([part.apart for part in parts]),
        np.concatenate([part.share for part in parts]),
        turns,
    )


def _inner(
    ours: Ints,
    theirs: Ints,
    area: Floats,
    middle: Floats,
    centre: Floats,
    there: Floats,
    turns: Floats | None,
) -> Inner:
    """Give faces, with the centres of theirs ``there`` as they are seen from ours."""
    apart = there - centre[ours]
    across = dot(area, apart)
    share = dot(area, middle - centre[ours]) / np.where(across == 0, 1.0, across)
    return Inner(ours, theirs, area, apart, np.clip(share, 0.0, 1.0), turns)

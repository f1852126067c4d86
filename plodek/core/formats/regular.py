"""Blocks found again in hexahedra that a file holds without any: wherever these lie as in blocks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from plodek.core.arrays import Bools, Ints
from plodek.core.budget import need
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA, faces_between
from plodek.core.formats.faces import NONE, faces_of, found_among
from plodek.core.formats.mesh import Mesh
from plodek.core.formats.sheets import FACES, Boxes, Neighbours, boxes, disagreeing
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import joined, matched, rectangles
from plodek.core.grid.outside import rest_of
from plodek.core.grid.window import Interface, PatchFaces, Window

#: The corners i + 2j + 4k of a hexahedron in the order that files have.
_AROUND = [0, 1, 3, 2, 4, 5, 7, 6]
_REMEDY = "give structured blocks, or hexahedra that lie as in blocks"
#: So often a box that closes on itself is cut through.
_ROUNDS = 50


def blocks_of(mesh: Mesh, name: str) -> Grid:
    """Make a grid of blocks of a mesh: they end where cells do not lie as in a block, and where patches meet.

    Raises BadFile, with what was met, for cells that are no hexahedra or do not lie in blocks.
    """
    for kind, cells in mesh.solids.items():
        if kind is not HEXA and len(cells):
            raise BadFile(f"it holds {len(cells)} cells of the kind {kind.name}", where=name, remedy=_REMEDY)
    corners = mesh.solids[HEXA][:, _AROUND] if HEXA in mesh.solids else np.empty((0, 8), dtype=np.int64)
    in_order = np.sort(corners, axis=1)
    shrunk = (np.diff(in_order, axis=1) == 0).any(axis=1)
    if shrunk.any() or not len(corners):
        what = (
            f"{int(shrunk.sum())} of its hexahedra hold a node twice" if shrunk.any() else "it holds no cell"
        )
        raise BadFile(what, where=name, remedy=_REMEDY)
    groups = _groups(mesh, corners)
    neighbours = Neighbours.of(corners)
    marked = neighbours.spread(neighbours.begin(groups))
    for _ in range(_ROUNDS):
        found = boxes(neighbours, marked)
        need("blocks", int(found.box.max()) + 1)
        face = disagreeing(neighbours, marked, found)
        if face is None:
            break
        one = np.zeros_like(marked)
        one[face] = one[neighbours.cell[face], neighbours.face[face]] = True
        marked |= one
        neighbours.spread(marked)
    else:
        raise BadFile(f"its cells close on themselves more than {_ROUNDS} times", where=name, remedy=_REMEDY)
    return _grid(mesh, name, corners, groups, found)


def _groups(mesh: Mesh, corners: Ints) -> Ints:
    """Give the number of the patch (m, 6) of each face of a cell, -1 where it has none."""
    faces = faces_of(mesh)
    groups = np.full((len(corners), 6), NONE)
    outer = faces.patch != NONE
    owner, patch = faces.owner[outer], faces.patch[outer]
    wanted = np.sort(faces.corners[outer], axis=1)
    for face, own in enumerate(FACES):
        same = (np.sort(corners[owner][:, own], axis=1) == wanted).all(axis=1)
        groups[owner[same], face] = patch[same]
    return groups


def _grid(mesh: Mesh, name: str, corners: Ints, groups: Ints, found: Boxes) -> Grid:
    order = np.argsort(found.box, kind="stable")
    starts = np.flatnonzero(np.diff(found.box[order], prepend=-1))
    numbers, windows = [], dict[str, list[Window]]()
    titles = list(mesh.faces)
    for block, cells in enumerate(np.split(order, starts[1:])):
        place = found.place[cells] - found.place[cells].min(axis=0)
        shape = place.max(axis=0) + 1
        if len(cells) != int(np.prod(shape)) or len(np.unique(np.ravel_multi_index(place.T, shape))) < len(
            cells
        ):
            at = ", ".join(f"{c:.6g}" for c in mesh.points[corners[cells[0], 0]])
            raise BadFile(
                f"{len(cells)} cells around ({at}) do not lie as in a block of {' × '.join(map(str, shape))}",
                where=name, remedy=_REMEDY,
            )  # fmt: skip
        ids = np.empty(shape + 1, dtype=np.int64)
        for n in range(8):
            own = found.offset[cells, n]
            ids[tuple((place + np.stack([own >> d & 1 for d in range(3)], axis=1)).T)] = corners[cells, n]
        numbers.append(ids)
        for title, window in _windows(block, place, shape, groups[cells], found.offset[cells], titles):
            windows.setdefault(title, []).append(window)
    xyz = tuple(mesh.points[ids] for ids in numbers)
    names = tuple(f"block{n}" for n in range(1, len(xyz) + 1))
    patches = tuple(
        PatchFaces(title, mesh.types.get(title, "wall"), tuple(windows[title]))
        for title in titles
        if title in windows
    )
    grid = Grid(3, names, xyz, matched(xyz, 3), patches, periodic=_periodic(mesh, numbers))
    return replace(grid, unnamed=rest_of(grid))


def _periodic(mesh: Mesh, numbers: list[Ints]) -> tuple[Interface, ...]:
    """Give the twins of a mesh as those of blocks, which hold the ``numbers`` (ni, nj, nk) of points."""
    if not mesh.twins:
        return ()
    sides = [Window(block, axis, end) for block in range(len(numbers)) for axis in range(3) for end in (0, 1)]
    on_sides = [np.squeeze(numbers[w.block][w.slices(numbers[w.block].shape)], axis=w.axis) for w in sides]
    corners = np.concatenate([faces_between(ids) for ids in on_sides])
    shapes = [(ids.shape[0] - 1, ids.shape[1] - 1) for ids in on_sides]
    side = np.repeat(np.arange(len(sides)), [a * b for a, b in shapes])
    place = np.concatenate([np.indices(shape).reshape(2, -1).T for shape in shapes])
    theirs = [ids[..., None].astype(float) for ids in numbers]
    found: list[Interface] = []
    for twins in mesh.twins:
        partner = np.full(len(mesh.points), float(NONE))
        partner[twins.ours] = twins.theirs
        one, other = (found_among(corners, faces) for faces in (twins.ours, twins.theirs))
        ours, same = [partner[ids][..., None] for ids in numbers], np.full(len(one), 0.5)
        joints = joined(ours, theirs, 3, sides, (side[one], place[one]), (side[other], place[other]), same)
        found += [replace(joint, move=twins.move) for joint in joints]
    return tuple(found)


def _windows(
    block: int, place: Ints, shape: Ints, groups: Ints, offset: Ints, titles: list[str]
) -> list[tuple[str, Window]]:
    """Give the windows of patches on a block of cells (n,), by the patches' names."""
    found = []
    sides: dict[tuple[int, int], Ints] = {}
    for face, own in enumerate(FACES):
        (cells,) = np.nonzero(groups[:, face] != NONE)
        bits = offset[cells][:, own]
        for axis in range(3):
            for end in (0, 1):
                on = cells[((bits >> axis & 1) == end).all(axis=1)]
                if len(on):
                    others = [a for a in range(3) if a != axis]
                    side = sides.setdefault((axis, end), np.full(shape[others], NONE))
                    side[tuple(place[on][:, others].T)] = groups[on, face]
    for (axis, end), side in sides.items():
        for group in np.unique(side[side != NONE]).tolist():
            mask: Bools = side == group
            for low, high in rectangles(mask):
                nodes = tuple(int(n) + 1 for n in shape)
                found.append((titles[group], Window(block, axis, end).narrowed(low, high, nodes)))
    return found

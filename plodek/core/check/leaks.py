"""Leaks of a grid: blocks that lie in each other, and outer sides that lie on others without being joined.

All is told from the nodes, so it holds of grids that were received as of those that were laid out.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints, Place, place
from plodek.core.blocks.overlaps import boxes_that_meet
from plodek.core.check.geometry import solid
from plodek.core.check.kernels.leaks import faces_on, within_polygon, within_surface
from plodek.core.grid.grid import Grid
from plodek.core.grid.outside import doubled_faces
from plodek.core.grid.window import Window
from plodek.core.shape.frame import turning

#: Faces nearer to others than this share of the smaller one's size were meant to be joined.
_NEAR = 0.01
#: A side is held against another with so many tests of faces at most: then only some of its faces are.
_MOST_TESTS = 20_000_000
#: Turned so, no edge of a grid along the axes lies along them.
_TURN = turning(np.array([0.3, 0.5, 0.8]), 1.0).T
#: Places of a block, in shares of its cells along each axis, that may lie in no other.
_LOOKED_AT = (0.08, 0.5, 0.92)

#: How two blocks leak.
Kind = Literal["overlap", "unjoined", "in part", "twice"]
_CURES: Mapping[Kind, str] = {
    "overlap": "move their corners apart, or take one of them out",
    "unjoined": "join their corners, within a little more than that",
    "twice": "every outer face belongs to one patch: take it out of one of them",
    "in part": "cut the one with the larger sides where the other ends, and give both the same cells",
}


@dataclass(frozen=True)
class Leak:
    """Where two blocks, by their indices, overlap, or have sides that lie on each other without being joined.

    ``apart`` is how far these are apart at most; they may lie on each other ``in part``, or have other faces.
    """

    kind: Kind
    blocks: tuple[int, int]
    at: Place
    apart: float = 0.0

    def told(self, names: Sequence[str]) -> str:
        """Say what it is, where, and what cures it; ``names`` are those of the blocks."""
        one, other = (names[block] for block in self.blocks)
        where = "(" + ", ".join(f"{v:.4g}" for v in self.at) + ")"
        what = {
            "overlap": f"{one} and {other} overlap",
            "unjoined": f"sides of {one} and {other} lie {self.apart:.2g} apart and are not joined",
            "twice": f"faces of {one} are in two patches or interfaces at once",
            "in part": f"sides of {one} and {other} meet in part, or with other faces",
        }[self.kind]
        return f"{what}, at {where}: {_CURES[self.kind]}"


def leaks_of(grid: Grid, centres: Floats, signs: Floats) -> tuple[Leak, ...]:
    """Find the leaks of a grid, from the ``centres`` (3, cells) of its cells.

    ``signs`` (blocks,) are 1 for right-handed blocks and -1 for left-handed ones.

    Where a grid does not say what its outer sides are, only overlaps are found.
    """
    twice = (_twice(grid, block) for block in doubled_faces(grid))
    return (*_overlaps(grid, centres), *_unjoined(grid, signs), *twice)


def _twice(grid: Grid, block: int) -> Leak:
    return Leak("twice", (block, block), place(grid.xyz[block].mean(axis=(0, 1, 2))))


def _overlaps(grid: Grid, centres: Floats) -> Iterator[Leak]:
    """Find blocks with cells whose centres lie in other blocks."""
    if len(grid.xyz) < 2:
        return
    boxes = np.array([[nodes.min(axis=(0, 1, 2)), nodes.max(axis=(0, 1, 2))] for nodes in grid.xyz])
    places = [_looked_at(grid, centres, block) for block in range(len(grid.xyz))]
    for one, other in _in_order(boxes_that_meet(boxes)):
        for a, b in ((one, other), (other, one)):
            low, high = boxes[b][:, : grid.dim]
            xyz = places[a][:, : grid.dim]
            inside = places[a][np.all((xyz >= low) & (xyz <= high), axis=1)]
            for block in (b, a):  # the middle of a crooked cell may be none of its own block's places
                inside = inside[_within(grid, block, inside)] if len(inside) else inside
            if len(inside):
                yield Leak("overlap", (one, other), place(inside[0]))
                break


def _in_order(pairs: Ints) -> list[tuple[int, int]]:
    both = np.sort(pairs, axis=1)
    return [(int(a), int(b)) for a, b in both[np.lexsort((both[:, 1], both[:, 0]))]]


def _looked_at(grid: Grid, centres: Floats, block: int) -> Floats:
    """Give the centres (n, 3) of some cells of a block, in its middle and near its sides."""
    shape = grid.shape_of(block)
    along = [np.unique([int(share * n) for share in _LOOKED_AT]) for n in shape]
    cells = grid.starts[block] + np.ravel_multi_index(np.meshgrid(*along, indexing="ij"), shape).ravel()
    return np.ascontiguousarray(centres[:, cells].T)


def _within(grid: Grid, block: int, places: Floats) -> Bools:
    """Tell which places (n, 3) lie in a block."""
    if grid.dim == 2:
        flat = grid.xyz[block][:, :, 0]
        rim = np.concatenate([flat[:-1, 0], flat[-1, :-1], flat[:0:-1, -1], flat[0, :0:-1]])
        return within_polygon(places @ _TURN, np.ascontiguousarray(rim @ _TURN))
    quads = [
        _quads(grid, Window(block, axis, end), reverse=end == (axis == 1))
        for axis in range(3)
        for end in (0, 1)
    ]
    corners = np.concatenate(quads) @ _TURN
    return within_surface(places @ _TURN, np.concatenate([corners[:, (0, 1, 2)], corners[:, (0, 2, 3)]]))


def _quads(grid: Grid, window: Window, *, reverse: bool = False) -> Floats:
    """Give the faces (n, 4, 3) of a window, in order around each; those of a plane stand one high."""
    nodes = np.squeeze(solid(grid.nodes(window), grid.dim), axis=window.axis)
    parts = nodes[:-1, :-1], nodes[1:, :-1], nodes[1:, 1:], nodes[:-1, 1:]
    return np.stack([part.reshape(-1, 3) for part in (parts[::-1] if reverse else parts)], axis=1)


@dataclass(frozen=True)
class _Faces:
    """The faces of an outer window: corners (n, 4, 3), middles and unit normals (n, 3), and sizes (n,).

    Normals look out of the block, and corners stand around them. ``box`` (2, 3) has some room around.
    """

    window: Window
    patch: str
    quads: Floats
    middles: Floats
    normals: Floats
    sizes: Floats
    box: Floats

    @staticmethod
    def of(grid: Grid, window: Window, patch: str, sign: float) -> _Faces:
        """Take those of a window that have an area, of a block of positive or negative volume."""
        out = (1.0 if window.end else -1.0) * (-1.0 if window.axis == 1 else 1.0) * sign
        quads = _quads(grid, window, reverse=out < 0)
        vectors = 0.5 * np.cross(quads[:, 2] - quads[:, 0], quads[:, 3] - quads[:, 1])
        areas = np.linalg.norm(vectors, axis=1)
        there = areas > 0
        quads, areas = np.ascontiguousarray(quads[there]), areas[there]
        sizes = areas if grid.dim == 2 else np.sqrt(areas)
        room = 2.0 * _NEAR * sizes.max(initial=0.0)
        box = (
            np.array([quads.min(axis=(0, 1)) - room, quads.max(axis=(0, 1)) + room]) if len(sizes) else quads
        )
        normals = vectors[there] / areas[:, None]
        return _Faces(window, patch, quads, quads.mean(axis=1), normals, sizes, box)


def _unjoined(grid: Grid, signs: Floats) -> Iterator[Leak]:
    """Find outer sides with faces on those of others."""
    outer = [(window, patch.name) for patch in grid.patches for window in patch.windows]
    outer += [(window, "") for window in grid.unnamed]
    periodic = {window for joint in grid.periodic for window in (joint.first, joint.second)}
    sides = [_Faces.of(grid, w, name, signs[w.block]) for w, name in outer if w not in periodic]
    sides = [side for side in sides if len(side.sizes)]
    if len(sides) < 2:
        return
    boxes = np.array([side.box for side in sides])
    region = {block: name for name, blocks in grid.regions.items() for block in blocks}
    told: set[tuple[int, int]] = set()
    for a, b in _in_order(boxes_that_meet(boxes)):
        one, other = sides[a], sides[b]
        first, second = one.window.block, other.window.block
        # A wall between two regions has faces on both of its sides.
        two_faced = one.patch != "" and one.patch == other.patch and region.get(first) != region.get(second)
        key = (min(first, second), max(first, second))
        if not two_faced and key not in told:
            found = _on_each_other(one, other)
            if found is not None:
                told.add(key)
                yield found


def _on_each_other(one: _Faces, other: _Faces) -> Leak | None:
    count, at, apart = _count_on(one, other)
    back, there, far = _count_on(other, one)
    if not count and not back:
        return None
    xyz = one.middles[at] if count else other.middles[there]
    whole = count == back == len(one.sizes) == len(other.sizes)
    blocks = (one.window.block, other.window.block)
    return Leak("unjoined" if whole else "in part", blocks, place(xyz), max(apart, far))


def _count_on(one: _Faces, other: _Faces) -> tuple[int, int, float]:
    """Count the faces of one side that lie on the other's; gives the first too, and how far off they are."""
    low, high = other.box
    near = np.flatnonzero(np.all((one.middles >= low) & (one.middles <= high), axis=1))
    if not len(near):
        return 0, -1, 0.0
    some = near[:: max(1, len(near) * len(other.sizes) // _MOST_TESTS)]
    count, first, apart = faces_on(
        one.middles[some], one.normals[some], one.sizes[some],
        other.quads, other.middles, other.normals, other.sizes, _NEAR,
    )  # fmt: skip
    return round(count * len(near) / len(some)), int(some[first]), apart

"""First heights over walls: held all over a wall as its edges have them, and measured.

Between its edges a filled block is as thick as the sides opposite leave it, and its first cells with it.
Where all edges that leave a wall have wall layers, the nodes of every line from that wall are moved along the
line so that the first one is as far from the wall as the heights at the wall's corners say.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Layout, Side, Use, edge_of, side_of
from plodek.core.blocks.normals import side_size
from plodek.core.blocks.orientation import Orientation
from plodek.core.blocks.sides import opposite, side_corners
from plodek.core.model.model import Model
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface

#: How fast the move fades on the way from the wall: with the power of what is left of it.
_FADING = 4
#: The share of its length that every cell of a line keeps at least; a height that takes more is held in part.
_KEPT = 0.2
_Blocks: TypeAlias = Mapping[str, Floats]


def hold(model: Model, blocks: _Blocks, *, shell: bool = False) -> None:
    """Hold the first heights of filled ``blocks``, nodes (ni, nj, nk, 3) by name, which are changed.

    Nodes on walls and on the edges of blocks stay; those of sides on surfaces are put back there. Of a
    ``shell`` only the sides are there.
    """
    moved: dict[str, None] = {}
    # Where walls meet on a sharp line the larger one has the last word.
    walls = [
        (side, use)
        for side, use in model.layered.items()
        if use.block in blocks and not _is_received(model, side, use)
    ]
    for side, use in sorted(walls, key=lambda one: side_size(model.layout, one[1])):
        lines = lines_from(blocks[use.block], use)
        seen = np.ones(lines.shape[:2], dtype=bool)
        if shell:
            seen[1:-1, 1:-1] = False
        heights = np.zeros(seen.shape)
        heights[seen] = heights_over(model, side, lines, seen)
        wanted = heights_wanted(model, use, heights)
        if _move(lines, np.divide(wanted, heights, out=np.ones(seen.shape), where=heights > 0)):
            moved[use.block] = None
    if model.layout.dim == 3:  # in the plane no node on an edge of a block has moved
        _put_back(model, blocks, moved)
        # Of two blocks the one with more walls knows what both of them want on the side between them.
        count = Counter(use.block for _, use in walls)
        _share(model.layout, blocks, sorted(moved, key=lambda name: -count[name]))


def _is_received(model: Model, side: Side, use: Use) -> bool:
    """Whether the heights over a wall are those of received nodes, as all that leaves it has them still."""
    return use.block in model.layout.moulds and all(law.law == "kept" for law in model.sized[side])


def _share(layout: Layout, blocks: _Blocks, moved: Collection[str]) -> None:
    """Give the blocks beside moved ones the nodes of these on the sides between them, each side once."""
    done: set[Side] = set()
    for name in moved:
        for axis, end, numbers in tables.sides(3):
            ids = tuple(layout.blocks[name].corners[n] for n in numbers)
            side = side_of(*ids)
            if side in done or len(set(ids)) < 3:
                continue
            done.add(side)
            for use in layout.sides[side]:
                if use.block in blocks and use.block != name:
                    theirs = side_corners(layout, use)
                    face = Orientation.of_corners(theirs, ids).apply(_face(blocks[name], axis, end))
                    _face(blocks[use.block], use.axis, use.end)[...] = face


def _face(nodes: Floats, axis: int, end: int) -> Floats:
    """Give the nodes of a block's side (na, nb, 3), a view of them."""
    face: Floats = np.moveaxis(nodes, axis, 0)[-1 if end else 0]
    return face


def lines_from(nodes: Floats, use: Use) -> Floats:
    """Give the lines of a block's nodes from one of its sides (na, nb, n, 3), a view of them."""
    lines = np.moveaxis(nodes, use.axis, 2)
    return lines[:, :, ::-1] if use.end else lines


def layered(model: Model) -> set[str]:
    """Give the blocks with a wall that has wall layers all over."""
    return {use.block for use in model.layered.values()}


def heights_over(model: Model, side: Side, lines: Floats, seen: Bools) -> Floats:
    """Give the distances (m,) of first nodes from a wall; ``lines`` are (na, nb, n, 3), from it.

    Of all lines those are looked at that are ``seen`` (na, nb), m of them.

    That is the distance along the normal of the guide that the wall lies on, or of its own faces.
    """
    guide = model.guides.get(guide_of(model.layout, side) or "")
    wall, first = lines[:, :, 0], lines[:, :, 1][seen]
    if isinstance(guide, Curve):
        return np.asarray(np.linalg.norm(guide.at(guide.nearest(first)) - first, axis=1))
    if isinstance(guide, Surface):
        normals = guide.normals_beside(wall[seen], _inner(wall)[seen])
    else:
        normals = _normals(wall)[seen]
    return np.asarray(np.abs(np.einsum("nk,nk->n", first - wall[seen], normals)))


def guide_of(layout: Layout, side: Side) -> str | None:
    """Give the guide that a side lies on, an edge in the plane along; None where there is none."""
    if layout.dim == 3:
        return layout.lies.get(side)
    follow = layout.follows.get(edge_of(*side))
    return None if follow is None else follow.guide


def _inner(wall: Floats) -> Floats:
    """Give for each node of a wall (na, nb, 3) the next one within it; inner ones stay."""
    within = []
    for count in wall.shape[:2]:
        index = np.arange(count)
        index[0], index[-1] = min(1, count - 1), max(count - 2, 0)
        within.append(index)
    return wall[np.ix_(*within)]


def _normals(wall: Floats) -> Floats:
    """Give the unit normals (na, nb, 3) at the nodes of a wall; of a line in the plane, (na, 1, 3)."""
    if wall.shape[1] == 1:
        along = np.gradient(wall[:, 0], axis=0)[:, None]
        across = np.stack([along[..., 1], -along[..., 0], np.zeros_like(along[..., 0])], axis=-1)
    else:
        faces = np.cross(wall[1:, 1:] - wall[:-1, :-1], wall[:-1, 1:] - wall[1:, :-1])
        around = np.pad(faces, ((1, 1), (1, 1), (0, 0)))
        across = around[1:, 1:] + around[:-1, 1:] + around[1:, :-1] + around[:-1, :-1]
    size = np.linalg.norm(across, axis=-1)[..., None]
    return np.asarray(across / np.where(size > 0, size, 1.0))


def heights_wanted(model: Model, use: Use, heights: Floats) -> Floats:
    """Give the heights (na, nb) that a layered wall shall have: those asked for, evenly between its corners.

    ``heights`` (na, nb) tells what is there. An edge that leaves several walls has not on each of them what
    was asked for: what it has fades away from the corner.
    """
    layout = model.layout
    here, there = side_corners(layout, use), side_corners(layout, opposite(layout, use)[1])
    asked = [model.heights_asked[edge_of(a, b)][a] for a, b in zip(here, there, strict=True)]
    evenly = np.array(asked).reshape(-1, 2).T
    off = at_corners(heights) - evenly
    return heights_between(evenly, heights.shape) + heights_between(off, heights.shape, _FADING)


def at_corners(heights: Floats) -> Floats:
    """Give those (2, 1 or 2) of heights over a wall (na, nb) that are at its corners."""
    return heights[np.ix_([0, -1], [0, -1] if heights.shape[1] > 1 else [0])]


def heights_between(corners: Floats, shape: tuple[int, ...], fading: float = 1) -> Floats:
    """Give the heights (na, nb) over a wall from those at its corners (2, 1 or 2).

    They go over evenly, or with ``fading`` to nothing between corners, by that power of what is left.
    """
    found = corners
    for axis, count in enumerate(shape):
        if found.shape[axis] > 1:
            away = np.linspace(0.0, 1.0, count)
            found = np.tensordot(np.stack([(1 - away) ** fading, away**fading], axis=1), found, (1, axis))
            found = np.moveaxis(found, 0, axis)
    return found


def _move(lines: Floats, factors: Floats) -> bool:
    """Move nodes along their lines (na, nb, n, 3), and first cells by factors (na, nb); says whether any."""
    chosen = np.abs(factors - 1.0) > 1e-9
    if not np.any(chosen) or lines.shape[2] < 3:
        return False
    xyz, factor = lines[chosen], factors[chosen][:, None]
    steps = np.linalg.norm(np.diff(xyz, axis=1), axis=2)
    s = np.concatenate([np.zeros((len(xyz), 1)), np.cumsum(steps, axis=1)], axis=1)
    usable = np.all(steps > 0, axis=1)
    xyz, factor, s = xyz[usable], factor[usable], s[usable]
    s /= s[:, -1:]
    fading = s * ((1.0 - s) / (1.0 - s[:, 1:2])) ** _FADING  # of the share moved: s at the first node
    # A cell of length d becomes d + (factor - 1) e.
    e = np.diff(fading, axis=1) / np.diff(s, axis=1)
    most = (1.0 - _KEPT) / np.maximum(np.max(-e, axis=1), 1e-300)[:, None]
    least = -(1.0 - _KEPT) / np.maximum(np.max(e, axis=1), 1e-300)[:, None]
    there = s + np.clip(factor - 1.0, least, most) * fading
    # Between which nodes each one comes to lie, on all lines at once.
    count, row = s.shape[1], 2.0 * np.arange(len(s))[:, None]
    index = np.searchsorted((s + row).ravel(), (there + row).ravel(), side="right").reshape(s.shape) - 1
    low = np.clip(index - count * np.arange(len(s))[:, None], 0, count - 2)
    a, b = (np.take_along_axis(s, low + n, 1) for n in (0, 1))
    share = ((there - a) / (b - a))[..., None]
    before, after = (np.take_along_axis(xyz, (low + n)[..., None], 1) for n in (0, 1))
    new = before + share * (after - before)
    new[:, 0], new[:, -1] = xyz[:, 0], xyz[:, -1]
    whole = lines[chosen]
    whole[usable] = new
    lines[chosen] = whole
    return True


def _put_back(model: Model, blocks: _Blocks, moved: Collection[str]) -> None:
    """Put moved nodes of sides back onto the surfaces that these lie on.

    The nodes of a wall have only moved where its block has another wall beside it.
    """
    count = Counter(use.block for use in model.layered.values())
    still = {side for side, use in model.layered.items() if count[use.block] == 1}
    for side, guide in model.layout.lies.items():
        if side in still:
            continue
        surface = model.guides.get(guide)
        for use in model.layout.sides[side]:
            if use.block in moved and isinstance(surface, Surface):
                inner = _face(blocks[use.block], use.axis, use.end)[1:-1, 1:-1]
                if inner.size:
                    inner[...] = surface.onto(inner.reshape(-1, 3)).reshape(inner.shape)

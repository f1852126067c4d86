"""What nodes alone tell of a multi-block grid: where its blocks meet, and where they have shrunk."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.blocks import tables
from plodek.core.blocks.orientation import Orientation
from plodek.core.grid.window import Interface, Pair, Pole, Window, part_of

#: Nodes are one where they are closer than this share of the shortest edge of the faces they are on.
SHARE = 1e-3
#: Two sides meet in so many rectangles at most: what meets in more does so by chance.
_MOST_PARTS = 100
#: Coordinates are known to about this share of themselves.
_ROUNDING = 1e-14
#: The indices of the corners of a block.
_ENDS = np.ix_([0, -1], [0, -1], [0, -1])
#: A rectangle of faces: its first face along both axes, and the one after its last.
Rectangle = tuple[Pair, Pair]


def poles_in(xyz: Sequence[Floats], dim: int) -> tuple[Pole, ...]:
    """Find the edges and sides of blocks (ni, nj, nk, 3) whose nodes along an axis are at one place."""
    found = []
    for block, nodes in enumerate(xyz):
        corners_at = _corners(nodes).reshape(8, 3)
        if not any((corners_at[low] == corners_at[high]).all() for _, low, high in tables.edges(dim)):
            continue  # what has shrunk has its corners at one place
        told: set[tuple[int, int]] = set()
        for axis, end, corners in tables.sides(dim) if dim == 3 else ():
            ends = tuple(end if a == axis else None for a in range(3))
            for along in (a for a in range(3) if a != axis):
                if _shrunk(nodes, ends, along):
                    told |= {(along, n) for n in corners}
                    found.append(Pole(block, ends, along))
        for along, low, _ in tables.edges(dim):
            ends = tuple(None if a == along else low >> a & 1 for a in range(3))
            if (along, low) not in told and _shrunk(nodes, ends, along):
                found.append(Pole(block, ends, along))
    return tuple(found)


def _corners(nodes: Floats) -> Floats:
    """Give the nodes (2, 2, 2, 3) of a block at its corners, k before j before i: as these are numbered."""
    return nodes[_ENDS].transpose(2, 1, 0, 3)


def _shrunk(nodes: Floats, ends: tuple[int | None, ...], along: int) -> bool:
    line = nodes[part_of(ends)]
    return bool(np.all(line == np.take(line, [0], axis=along)))


@dataclass(frozen=True)
class _Faces:
    """The faces (n,) of all sides: ``side`` they are on, their ``place`` (n, 2) and ``middle``.

    Faces ``near`` are one with them, and none that are more than ``most`` away.
    """

    sides: list[Window]
    side: Ints
    place: Ints
    middle: Floats
    near: Floats
    most: Floats


def matched(
    xyz: Sequence[Floats], dim: int, share: float = SHARE, within: float = 0.0
) -> tuple[Interface, ...]:
    """Find where blocks (ni, nj, nk, 3) meet, node by node, on whole sides or on parts of them.

    Nodes are one where they are closer than ``share`` of the shortest edge of their faces, or ``within`` a
    length, but never so far apart as half of such an edge. Of two sides some faces of which meet, those meet
    too that are no farther apart. A block can meet itself, on one side even. Work grows as that of sorting
    the outer faces.
    """
    faces = _faces_of(xyz, dim, share, within)
    if len(faces.middle) < 2:
        return ()
    nearest = scipy.spatial.cKDTree(faces.middle).query(faces.middle, k=2, workers=-1)
    apart, other = (np.asarray(values) for values in nearest)
    index = np.arange(len(other))
    beside = np.where(other[:, 0] == index, 1, 0)  # the nearest is the face itself, or one at its very place
    apart, other = apart[index, beside], other[index, beside]
    mutual = np.flatnonzero((index < other) & (other[other] == index) & (apart <= faces.most))
    first, second = mutual, other[mutual]
    pair = faces.side[first] * len(faces.sides) + faces.side[second]
    pairs, pair = np.unique(pair, return_inverse=True)
    near_of = np.zeros(len(pairs))  # of two sides: as near as any faces of them that meet may be
    surely = apart[first] <= faces.near[first]
    np.maximum.at(near_of, pair[surely], faces.near[first[surely]])
    meets = apart[first] <= near_of[pair]
    first, second, near = first[meets], second[meets], near_of[pair[meets]]
    ours, theirs = ((faces.side[of], faces.place[of]) for of in (first, second))
    return joined(xyz, xyz, dim, faces.sides, ours, theirs, near)


def joined(
    first: Sequence[Floats],
    second: Sequence[Floats],
    dim: int,
    sides: Sequence[Window],
    ours: tuple[Ints, Ints],
    theirs: tuple[Ints, Ints],
    near: Floats,
) -> tuple[Interface, ...]:
    """Give the interfaces of faces that lie at one place, each given by its side and its place there (n, 2).

    ``first`` and ``second`` are what nodes of blocks (ni, nj, nk, m) are the same by, within ``near`` (n,)
    which is one for all faces of two sides: our faces are looked at in the first, theirs in the second.
    """
    pair = ours[0] * len(sides) + theirs[0]
    order = np.argsort(pair, kind="stable")
    found = []
    for chosen in np.split(order, np.flatnonzero(np.diff(pair[order])) + 1) if len(order) else ():
        windows = [sides[int(side[chosen[0]])] for side, _ in (ours, theirs)]
        places = ours[1][chosen], theirs[1][chosen]
        nodes = first[windows[0].block], second[windows[1].block]
        found += _joined(nodes, dim, windows[0], windows[1], places, float(near[chosen[0]]))
    return tuple(found)


def _faces_of(xyz: Sequence[Floats], dim: int, share: float, within: float) -> _Faces:
    """Give the faces of all sides, worked out for all blocks of one shape at once."""
    alike: dict[tuple[int, ...], list[int]] = {}
    for block, nodes in enumerate(xyz):
        alike.setdefault(nodes.shape, []).append(block)
    side, place, middle, near, most = [], [], [], [], []
    for shape, blocks in alike.items():
        for number in range(2 * dim):
            window = Window(blocks[0], number // 2, number % 2)
            parts = np.stack([xyz[block][window.slices(shape[:3])] for block in blocks])
            part = np.squeeze(parts, axis=1 + window.axis)
            edges = [np.linalg.norm(np.diff(part, axis=1 + a), axis=-1) for a in range(dim - 1)]
            if dim == 3:
                longest = [
                    np.maximum(edges[0][:, :, :-1], edges[0][:, :, 1:]),
                    np.maximum(edges[1][:, :-1], edges[1][:, 1:]),
                ]
                shortest = np.minimum(*longest)
                across = part[:, 1:, :-1] + part[:, :-1, 1:]
                centre = 0.25 * (part[:, :-1, :-1] + part[:, 1:, 1:] + across)
            else:
                shortest, centre = edges[0], 0.5 * (part[:, :-1] + part[:, 1:])
            true = shortest > 0  # the others have shrunk to a line
            middle.append(centre[true])
            rounding = _ROUNDING * np.abs(centre[true]).max(axis=-1)
            most.append(0.5 * shortest[true])
            near.append(np.clip(within, share * shortest[true] + rounding, most[-1]))
            where = np.argwhere(true)
            place.append(where[:, 1:3])
            side.append(2 * dim * np.asarray(blocks)[where[:, 0]] + number)
    sides = [Window(block, axis, end) for block in range(len(xyz)) for axis in range(dim) for end in (0, 1)]
    whole = [np.concatenate(part) for part in (side, place, middle, near, most)]
    order = np.argsort(whole[0], kind="stable")
    return _Faces(sides, *(part[order] for part in whole))


def _joined(
    nodes: tuple[Floats, Floats],
    dim: int,
    ours: Window,
    theirs: Window,
    places: tuple[Ints, Ints],
    near: float,
) -> list[Interface]:
    """Give the interfaces of the faces of two sides that lie at one place, rectangle by rectangle.

    Sides of which all nodes are near meet as a whole: in layers thinner than a gap the nearest says little.
    """
    if ours != theirs and (turn := _turn(nodes, dim, ours, theirs, near)) is not None:
        return [Interface(ours, theirs, turn)]
    shape, away = (own.shape[:3] for own in nodes)
    counts = [max(n - 1, 1) for axis, n in enumerate(shape) if axis != ours.axis]
    there = np.full((*counts, 2), -1)
    there[tuple(places[0].T)] = places[1]
    found: list[Interface] = []
    left = there[..., 0] >= 0
    while left.any() and len(found) < _MOST_PARTS:
        (a, b), (c, d) = _first(left, there)
        left[a:c, b:d] = False
        part = there[a:c, b:d].reshape(-1, 2)
        low, high = part.min(axis=0), part.max(axis=0) + 1
        flat = 0 if dim == 2 else 1
        one = ours.narrowed((a, b), (c, d if flat else 0), shape)
        other = theirs.narrowed((int(low[0]), int(low[1])), (int(high[0]), int(high[1]) if flat else 0), away)
        turn = _turn(nodes, dim, one, other, near)
        if turn is None:
            return found  # faces at one place whose nodes are not: no interface
        found.append(Interface(one, other, turn))
    return found


def _first(left: Bools, there: Ints) -> Rectangle:
    """Give a rectangle of faces whose partners lie as one rectangle too: the first in rows."""
    a, b = (int(n) for n in np.argwhere(left)[0])
    d = b + 1 + _run(left[a, b + 1 :], np.diff(there[a, b:], axis=0)[:, None])
    c = a + 1 + _run(np.asarray(left[a + 1 :, b:d].all(axis=1)), np.diff(there[a:, b:d], axis=0))
    return (a, b), (c, d)


def _run(left: Bools, step: Ints) -> int:
    """Count the rows (n,) from the first on whose partners lie one step (n, m, 2) on, all the same way."""
    goes_on = left & (np.abs(step).sum(axis=2) == 1).all(axis=1) & (step == step[:1, :1]).all(axis=(1, 2))
    ends = np.flatnonzero(~goes_on)
    return int(ends[0]) if len(ends) else len(goes_on)


def _turn(
    nodes: tuple[Floats, Floats], dim: int, one: Window, other: Window, near: float
) -> Orientation | None:
    """Find how the nodes of a window lie against those of another; None where they are not the same."""
    ours, theirs = (own[w.slices(own.shape[:3])] for own, w in zip(nodes, (one, other), strict=True))
    first, second = (_corners(own).reshape(8, -1) for own in (ours, theirs))
    turns, corners = _turns(dim, one.axis, other.axis, one.end != other.end)
    off = np.abs(second[corners] - first[: 1 << dim]).max(axis=(1, 2))
    best: tuple[float, Orientation] | None = None
    for number in np.flatnonzero(off <= near):  # none of the others can be it
        turned = turns[number].apply(theirs)
        if turned.shape == ours.shape:
            off_all = float(np.abs(turned - ours).max())
            if best is None or off_all < best[0]:
                best = off_all, turns[number]
    return best[1] if best is not None and best[0] <= near else None


@cache
def _turns(dim: int, axis: int, other: int, opposite: bool) -> tuple[list[Orientation], Ints]:
    """Give how a side across one axis may lie on one across another, and for each whose corners are whose."""
    own = [a for a in range(dim) if a != axis]
    away = [a for a in range(dim) if a != other]
    found = []
    for flat in Orientation.every(dim - 1):
        axes = [0] * dim
        axes[axis] = (1 if opposite else -1) * (other + 1)
        for a, signed in zip(own, flat.axes, strict=True):
            there = away[abs(signed) - 1] + 1
            axes[a] = there if signed > 0 else -there
        found.append(Orientation(tuple(axes)))
    return found, np.array([[turn.corner(n) for n in range(1 << dim)] for turn in found])


def rectangles(mask: Bools) -> list[Rectangle]:
    """Cover what holds of a mask (na, nb) with rectangles that do not overlap."""
    left, found = mask.copy(), []
    while left.any():
        a, b = (int(n) for n in np.argwhere(left)[0])
        ends = np.flatnonzero(~left[a, b:])
        d = b + int(ends[0]) if len(ends) else left.shape[1]
        rows = np.flatnonzero(~left[a:, b:d].all(axis=1))
        c = a + int(rows[0]) if len(rows) else left.shape[0]
        left[a:c, b:d] = False
        found.append(((a, b), (c, d)))
    return found

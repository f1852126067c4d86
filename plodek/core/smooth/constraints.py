"""Nodes that stay on guides while a grid is smoothed, and those that glide on outer sides."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window, part_of
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.smooth.ghosted import Ghosted, Slots, outer_windows
from plodek.core.smooth.sides import Gliding, Kept, Plane, Sides

Guide: TypeAlias = Surface | Plane | Curve
#: Nodes on two surfaces are put onto one after the other, this many times.
_ROUNDS = 4
#: Two normals are alike within this sine: a node where they meet is on one surface.
_ALIKE = 1e-3


@dataclass(frozen=True)
class Pulled:
    """Nodes that are moved one by one, each to the weighted mean of those ``near`` it, in compressed rows."""

    slots: Slots
    start: Slots
    near: Slots
    weight: Floats


def fixed_nodes(ghosted: Ghosted, sides: Sides) -> Bools:
    """Say which nodes are fixed, by number."""
    fixed = np.zeros(int(ghosted.node.max()) + 1, dtype=bool)
    for part in sides.fixed:
        fixed[ghosted.node[ghosted.own[part.block][part_of(part.ends)]]] = True
    return fixed


def gliding_of(grid: Grid, ghosted: Ghosted, sides: Sides, fixed: Bools) -> Pulled:
    """Say which nodes glide: those of outer sides all of which do, unless they are ``fixed``, by number."""
    nothing = np.zeros(0, dtype=np.int32)
    if not sides.gliding:
        return Pulled(nothing, np.zeros(1, dtype=np.int32), nothing, np.zeros(0))
    free = ~fixed
    slides = {one.window for one in sides.gliding}
    for window in outer_windows(grid, free_twins=sides.free_twins):
        if window not in slides:
            free[ghosted.node[slots_of(ghosted, window)]] = False
    own, near = [], []
    for one in sides.gliding:
        slots = ghosted.own[one.window.block]
        behind = np.roll(slots, 1 if one.window.end else -1, axis=one.window.axis)
        own.append(slots_of(ghosted, one.window))
        near.append(behind[one.window.slices(slots.shape)].ravel())
    p, q = np.concatenate(own), np.concatenate(near)
    chosen = free[ghosted.node[p]] & (ghosted.mover[p] >= 0)
    p, q = ghosted.mover[p[chosen]], q[chosen]
    pairs, at = np.unique(np.stack([p, ghosted.node[q]], axis=1), axis=0, return_index=True)
    slots, start = np.unique(pairs[:, 0], return_index=True)
    start = np.append(start, len(pairs))
    share = 1.0 / np.repeat(np.diff(start), np.diff(start))
    return Pulled(slots.astype(np.int32), start.astype(np.int32), q[at].astype(np.int32), share)


@dataclass
class _Group:
    """Nodes on the same guides."""

    slots: Slots
    guides: tuple[Guide, ...]


@dataclass
class Constraints:
    """The nodes that stay on guides: kept there to first order in each sweep, put back after several.

    ``tie`` (n,) numbers those at ``slots`` (m,) among all, -1 elsewhere, or is one -1 where there are none:
    these run ``along`` (m,) a curve, along its tangent ``way`` (m, 3), or over a surface with that normal.
    """

    groups: Sequence[_Group]
    slots: Slots
    tie: Slots
    way: Floats
    along: Bools

    @staticmethod
    def of(ghosted: Ghosted, sliding: Sequence[Gliding], kept: Sequence[Kept], moving: Bools) -> Constraints:
        """Collect them among the ``moving`` slots."""
        places: list[tuple[Slots, Guide]] = [(slots_of(ghosted, g.window), g.on) for g in sliding]
        places += [(ghosted.own[k.part.block][part_of(k.part.ends)].ravel(), k.on) for k in kept]
        guides: list[Guide] = list({id(guide): guide for _, guide in places}.values())
        number = {id(guide): n for n, guide in enumerate(guides)}
        at: list[Slots] = []
        which: list[Slots] = []
        for slots, guide in places:
            movers = ghosted.mover[slots]
            movers = movers[movers >= 0]
            movers = movers[moving[movers]]
            at.append(movers)
            which.append(np.full(len(movers), number[id(guide)], dtype=np.int32))
        if not at:
            return Constraints._over([], 1)
        pairs = np.unique(np.stack([np.concatenate(at), np.concatenate(which)], axis=1), axis=0)
        return Constraints._over(_grouped(pairs, guides), ghosted.count)

    @staticmethod
    def _over(groups: Sequence[_Group], count: int) -> Constraints:
        slots = np.concatenate([np.zeros(0, dtype=np.int32), *(group.slots for group in groups)])
        tie = np.full(count if groups else 1, -1, dtype=np.int32)
        tie[slots] = np.arange(len(slots))
        return Constraints(groups, slots, tie, np.zeros((len(slots), 3)), np.zeros(len(slots), dtype=bool))

    def put_back(self, xyz: Floats) -> bool:
        """Put nodes onto their guides, in place; says whether there are any."""
        done = 0
        for group in self.groups:
            part = slice(done, done + len(group.slots))
            places, way, along = _onto(xyz[group.slots], group.guides)
            xyz[group.slots] = places
            self.way[part], self.along[part] = way, along
            done += len(group.slots)
        return bool(self.groups)


def slots_of(ghosted: Ghosted, window: Window) -> Slots:
    """Give the slots of a side of a block, flat."""
    slots = ghosted.own[window.block]
    return slots[window.slices(slots.shape)].ravel()


def _grouped(pairs: Slots, guides: list[Guide]) -> list[_Group]:
    """Group slots by all guides they are on, in pairs (p, 2); one that is on a curve stays on that alone."""
    if not len(pairs):
        return []
    is_curve = np.array([isinstance(guide, Curve) for guide in guides])
    # Curves first: where there is one, it is the only one that counts.
    pairs = pairs[np.lexsort((pairs[:, 1], ~is_curve[pairs[:, 1]], pairs[:, 0]))]
    slots, start, count = np.unique(pairs[:, 0], return_index=True, return_counts=True)
    count[is_curve[pairs[start, 1]]] = 1
    table = np.full((len(slots), int(count.max())), -1)
    for n in range(table.shape[1]):
        has = count > n
        table[has, n] = pairs[start[has] + n, 1]
    sets, which = np.unique(table, axis=0, return_inverse=True)
    return [
        _Group(slots[which.ravel() == n].astype(np.int32), tuple(guides[g] for g in own if g >= 0))
        for n, own in enumerate(sets)
    ]


def _onto(places: Floats, guides: tuple[Guide, ...]) -> tuple[Floats, Floats, bool]:
    """Put places (m, 3) onto guides; give also their tangents there, or normals, and which of both."""
    first = guides[0]
    if isinstance(first, Curve):
        s = first.nearest(places)
        return first.at(s), first.tangent(s), True
    normals: list[Floats] = []
    for _ in range(1 if len(guides) == 1 else _ROUNDS):
        normals = []
        for guide in guides:
            if isinstance(guide, Plane):
                places = places - np.outer((places - guide.at) @ guide.normal, guide.normal)
                normals.append(np.broadcast_to(guide.normal, places.shape))
            elif isinstance(guide, Surface):
                uv = guide.nearest(places)
                places = guide.at(uv)
                normals.append(guide.normal(uv))
    for other in normals[1:]:
        line = np.cross(normals[0], other)
        size = np.linalg.norm(line, axis=1)
        if np.all(size > _ALIKE):
            return places, line / size[:, None], True
    return places, normals[0], False

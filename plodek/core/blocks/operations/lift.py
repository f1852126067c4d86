"""Lift: the layout in space that a plane layout makes when it is extruded, revolved or swept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import Change
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import (
    Block,
    Corner,
    Edge,
    Follow,
    Layout,
    Name,
    Side,
    Twin,
    edge_of,
    side_of,
    stable_id,
)
from plodek.core.blocks.motion import Motion
from plodek.core.blocks.operations.twins import driven
from plodek.core.blocks.soundness import check
from plodek.core.errors import Refused
from plodek.core.shape.curves.compound import MovedCurve
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide
from plodek.core.shape.joined import names_in
from plodek.core.shape.move import Move
from plodek.core.shape.surfaces.surface import Surface

#: Twins' corners may lie so far from where the motion brings them, in shares of the layout's size.
SAME_TWIN = 1e-7
#: Places along an edge that say which way round a block runs.
_ALONG = np.linspace(0.0, 1.0, 17)[:-1]


@dataclass(frozen=True)
class Lifted(Change):
    """The layout in space, with each corner's ``foot`` and each block's ``base`` in the plane.

    ``above`` gives the corners that stand on each plane corner, one for each station.
    """

    foot: Mapping[str, str] = field(default_factory=dict)
    base: Mapping[str, str] = field(default_factory=dict)
    above: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def lifted(plane: Layout, guides: Mapping[str, Guide], motion: Motion, stations: Sequence[float]) -> Lifted:
    """Lift a plane layout, with blocks between the ``stations``, which rise from 0 to 1.

    The layer at 0 is the plane itself, and follows its guides, unless the plane stands up to begin with; the
    others carry its shape. Raises
    Refused for a full turn in fewer than three parts, or a plane that the motion runs along.
    """
    if motion.closed and len(stations) < 4:
        raise Refused(
            f"a full turn in {len(stations) - 1} parts has two edges between the same corners",
            remedy="turn it in 3 parts or more; 4 suit a butterfly core",
        )
    above: dict[str, tuple[str, ...]] = {}
    corners: dict[str, Corner] = {}
    foot: dict[str, str] = {}
    last = len(stations) - 1
    size = plane.size()
    moves = [motion.move(t) for t in stations]
    named = _names(stations)
    for name, corner in plane.corners.items():
        rests = motion.rests(np.array(corner.xyz), size)
        ats = [0 if rests or (motion.closed and n == last) else n for n in range(last + 1)]
        above[name] = tuple(f"{name}.{named[at]}" for at in ats)
        for n in dict.fromkeys(ats):
            xyz = place(moves[n].places(np.array([corner.xyz]))[0])
            corners[above[name][n]] = Corner(xyz) if n or motion.stands else replace(corner, xyz=xyz)
            foot[above[name][n]] = name
    found = _Shapes(plane, guides, motion, stations, above)
    blocks: dict[str, Block] = {}
    base: dict[str, str] = {}
    pieces: dict[Name, tuple[Name, ...]] = dict(found.pieces)
    back = _runs_back(plane, guides, motion)
    for name, block in plane.blocks.items():
        layers = []
        for n in range(last):
            one = name if last == 1 else f"{name}.{named[n]}"
            order = (n + 1, n) if back else (n, n + 1)
            blocks[one] = replace(block, corners=tuple(above[c][m] for m in order for c in block.corners))
            base[one] = name
            layers.append(one)
        pieces[name] = tuple(layers)
    twins = [_stood_up(twin, plane, moves, above) for twin in plane.twins]
    kept = tuple(twin for twin in twins if twin is not None)
    layout = Layout(3, corners, blocks, found.follows, found.bends, found.lies, kept).tidied()
    pieces = {n: p for n, p in pieces.items() if p != (n,)}
    return Lifted(
        driven(check(layout), guides),
        pieces,
        surfaces=found.surfaces,
        foot=foot,
        base=base,
        above=above,
    )


def _names(stations: Sequence[float]) -> list[str]:
    """Name the stations in ids: shortly, and in full where two would be called the same."""
    short = [f"{t:g}" for t in stations]
    return [name if short.count(name) == 1 else repr(t) for name, t in zip(short, stations, strict=True)]


def _stood_up(
    twin: Twin, plane: Layout, moves: Sequence[Move], above: Mapping[str, tuple[str, ...]]
) -> Twin | None:
    """Carry a pair of twins along; None where they no longer go onto each other by their move."""
    near = SAME_TWIN * plane.size()
    for move in moves:
        there = twin.move.places(move.places(plane.places(twin.corners)))
        if np.abs(there - move.places(plane.places(twin.corners.values()))).max() > near * move.scale:
            return None
    pairs = {
        a: b for one, other in twin.corners.items() for a, b in zip(above[one], above[other], strict=True)
    }
    sides = [
        side_of(*(above[c][m] for m in (n, n + 1) for c in edge))
        for edge in twin.sides
        for n in range(len(moves) - 1)
    ]
    return replace(twin, sides={side: tuple(pairs[c] for c in side) for side in sides if len(set(side)) > 2})


class _Shapes:
    """The shapes of the edges and sides of a lifted layout, and what plane edges became.

    A side that is no plane lies on the surface that its plane edge runs over.
    """

    def __init__(
        self,
        plane: Layout,
        guides: Mapping[str, Guide],
        motion: Motion,
        stations: Sequence[float],
        above: Mapping[str, tuple[str, ...]],
    ) -> None:
        self.follows: dict[Edge, Follow] = {}
        self.bends: dict[Edge, Curve] = {}
        self.pieces: dict[Name, tuple[Name, ...]] = {}
        self.lies: dict[Side, str] = {}
        self.surfaces: dict[str, Surface] = {}
        last = len(stations) - 1
        for edge in plane.edges:
            path = edge_path(plane, guides, edge).as_curve()
            for n, t in enumerate(stations):
                a, b = (above[c][n] for c in edge)
                as_it_lies = n == 0 and not motion.stands
                if as_it_lies and edge in plane.follows:
                    self.follows[a, b] = plane.follows[edge]
                elif path is not None and (a, b) not in self.follows and (a, b) not in self.bends:
                    self.bends[a, b] = path if as_it_lies else MovedCurve(path, motion.move(t))
            sides = [side_of(*(above[c][m] for m in (n, n + 1) for c in edge)) for n in range(last)]
            self.pieces[edge] = tuple(side for side in sides if len(set(side)) > 2)
            if path is not None:
                name = stable_id("surface", *edge)
                self.surfaces[name] = surface = motion.surface(path)
                guide = plane.follows[edge].guide if edge in plane.follows else None
                surface.made_of = () if guide is None else (guide, *names_in(guides[guide]))
                self.lies |= dict.fromkeys(sides, name)
        for name, corner in plane.corners.items():
            for n in range(last):
                a, b = above[name][n], above[name][n + 1]
                if a != b:
                    low, high = stations[n], stations[n + 1]
                    ends = (low, high) if a < b else (high, low)
                    trail = motion.trail(np.array(corner.xyz), *ends)
                    if trail is not None:
                        self.bends[edge_of(a, b)] = trail


def _runs_back(plane: Layout, guides: Mapping[str, Guide], motion: Motion) -> bool:
    """Whether the motion leaves the plane against its blocks' sense; Refused where it runs along it.

    The sense is that of the area vector of all blocks along the true paths of their edges.
    """
    area, way, whole = np.zeros(3), np.zeros(3), 0.0
    for name in plane.filled:
        rim = _rim(plane, guides, name)
        start = motion.places(rim, np.zeros(len(rim)))
        gone = motion.places(rim, np.full(len(rim), 1e-3)).mean(axis=0) - start.mean(axis=0)
        own = 0.5 * np.cross(start - start[0], np.roll(start, -1, axis=0) - start[0]).sum(axis=0)
        size = float(np.linalg.norm(own))
        area, way, whole = area + own, way + size * gone, whole + size
    height = float(area @ way)
    if abs(height) <= 1e-6 * whole * float(np.linalg.norm(way)):
        raise Refused(
            "the plane would move along itself",
            remedy="let the way leave the plane: another direction, axis or path",
        )
    return height < 0


def centre_of(plane: Layout, guides: Mapping[str, Guide]) -> Floats:
    """Give the centre (3,) of the area of a plane's blocks, along the true paths of their edges."""
    area, moment = 0.0, np.zeros(3)
    origin = plane.places(plane.corners).mean(axis=0)
    for name in plane.filled:
        rim = _rim(plane, guides, name) - origin
        ahead = np.roll(rim, -1, axis=0)
        parts = 0.5 * np.cross(rim, ahead)[:, 2]
        area += float(parts.sum())
        moment += parts @ (rim + ahead) / 3.0
    found = origin + moment / area
    return np.where(np.abs(found) > 1e-12 * plane.size(), found, 0.0)


def _rim(plane: Layout, guides: Mapping[str, Guide], name: str) -> Floats:
    """Give places (n, 3) around a block, along its edges: anticlockwise where it is right-handed."""
    c = plane.blocks[name].corners
    found = []
    for a, b in ((c[0], c[1]), (c[1], c[3]), (c[3], c[2]), (c[2], c[0])):
        if a != b:
            path = edge_path(plane, guides, edge_of(a, b))
            found.append(path.at(_ALONG if a < b else 1.0 - _ALONG))
    return np.concatenate(found)

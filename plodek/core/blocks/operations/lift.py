"""Lift: the layout in space that a plane layout makes when it is extruded, revolved or swept."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.change import Change
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Block, Corner, Edge, Follow, Layout, Name, edge_of, side_of
from plodek.core.blocks.soundness import check
from plodek.core.errors import BadValue, Refused
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.compound import MovedCurve, Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import frame_of, unit
from plodek.core.shape.guide import Guide
from plodek.core.shape.move import Move, shifted, turned
from plodek.core.shape.surfaces.swept import PathFrame, Trail


class Motion(ABC):
    """How the plane moves as ``t`` goes from 0 to 1."""

    #: Whether the end of the motion is its start again.
    closed = False

    @abstractmethod
    def move(self, t: float) -> Move:
        """Give the move that brings the plane to ``t``."""

    @abstractmethod
    def trail(self, foot: Floats, low: float, high: float) -> Curve | None:
        """Give the way of one place (3,) of the plane from ``low`` to ``high``; None where it is straight."""

    @abstractmethod
    def places(self, xyz: Floats, t: Floats) -> Floats:
        """Carry places (n, 3) of the plane to their own ``t`` (n,)."""

    @abstractmethod
    def parameter(self, foot: Floats, xyz: Floats) -> Floats:
        """Give the ``t`` (n,) of places (n, 3) on the way of one place (3,) of the plane."""

    def rests(self, foot: Floats, size: float) -> bool:
        """Whether a place of the plane does not move."""
        return False


class Extrusion(Motion):
    """Along a vector (3,). Raises BadValue where it has no length."""

    def __init__(self, by: Floats) -> None:
        unit(by, "extrusion")
        self.by = by

    def move(self, t: float) -> Move:
        """Give the move that brings the plane to ``t``."""
        return shifted(t * self.by)

    def trail(self, foot: Floats, low: float, high: float) -> Curve | None:
        """Give None: all ways are straight."""
        return None

    def places(self, xyz: Floats, t: Floats) -> Floats:
        """Carry places (n, 3) of the plane to their own ``t`` (n,)."""
        return np.asarray(xyz + t[:, None] * self.by)

    def parameter(self, foot: Floats, xyz: Floats) -> Floats:
        """Give the ``t`` (n,) of places (n, 3) above one place (3,) of the plane."""
        return np.asarray((xyz - foot) @ self.by / (self.by @ self.by))


class Revolution(Motion):
    """About an axis through ``at`` by ``turn`` radians; BadValue for no turn or more than a full one."""

    def __init__(self, at: Floats, axis: Floats, turn: float) -> None:
        if not 1e-9 < abs(turn) <= math.tau * (1 + 1e-12):
            raise BadValue(
                f"the plane turns by {math.degrees(turn):g}°", remedy="turn by more than 0° and up to 360°"
            )
        self.at, self.axis, self.turn = at, unit(axis, "axis"), turn
        self.closed = abs(turn) >= math.tau * (1 - 1e-12)

    def move(self, t: float) -> Move:
        """Give the move that brings the plane to ``t``."""
        return turned(self.at, self.axis, t * self.turn)

    def _split(self, xyz: Floats) -> tuple[Floats, Floats]:
        along = self.at + ((xyz - self.at) @ self.axis)[:, None] * self.axis
        return along, xyz - along

    def trail(self, foot: Floats, low: float, high: float) -> Curve | None:
        """Give the arc of one place (3,)."""
        centre, out = (part[0] for part in self._split(foot[None, :]))
        frame = frame_of(self.axis, out)
        return Arc(centre, float(np.linalg.norm(out)), low * self.turn, high * self.turn, frame)

    def places(self, xyz: Floats, t: Floats) -> Floats:
        """Turn places (n, 3) of the plane to their own ``t`` (n,)."""
        along, out = self._split(xyz)
        angle = (t * self.turn)[:, None]
        return np.asarray(along + np.cos(angle) * out + np.sin(angle) * np.cross(self.axis, out))

    def parameter(self, foot: Floats, xyz: Floats) -> Floats:
        """Give the ``t`` (n,) of places (n, 3) on the arc of one place (3,)."""
        out = self._split(foot[None, :])[1][0]
        away = self._split(xyz)[1]
        angle = np.arctan2(away @ np.cross(self.axis, out), away @ out) * math.copysign(1.0, self.turn)
        # The end of a full turn is told from its start by the order of the places.
        angle = np.where(angle < -1e-9, angle + math.tau, angle)
        return np.asarray(np.unwrap(angle) / abs(self.turn)) if len(angle) > 1 else angle / abs(self.turn)

    def rests(self, foot: Floats, size: float) -> bool:
        """Whether a place lies on the axis."""
        return bool(np.linalg.norm(self._split(foot[None, :])[1]) <= 1e-9 * size)


class Sweep(Motion):
    """Along a path, in a frame that does not twist; the section grows by ``scale`` towards the end."""

    def __init__(self, path: Curve, scale: float = 1.0) -> None:
        self.frame = PathFrame(path, scale)

    def move(self, t: float) -> Move:
        """Give the move that brings the plane to ``t``."""
        grown = self.frame.axes(np.array([t]))[0][:, 0]
        scale = float(np.linalg.norm(grown[0]))
        matrix = (grown / scale).T @ self.frame.start
        base = self.frame.path.at(np.array([t]))[0]
        return Move(matrix, base - scale * matrix @ self.frame.base, scale)

    def trail(self, foot: Floats, low: float, high: float) -> Curve | None:
        """Give the way of one place (3,)."""
        if low > high:
            return Part(Trail(self.frame, foot, high, low), 1.0, 0.0)
        return Trail(self.frame, foot, low, high)

    def places(self, xyz: Floats, t: Floats) -> Floats:
        """Carry places (n, 3) of the plane to their own ``t`` (n,)."""
        return self.frame.carried(self.frame.local(xyz), t)[0]

    def parameter(self, foot: Floats, xyz: Floats) -> Floats:
        """Give the ``t`` (n,) of places (n, 3) on the way of one place (3,)."""
        return self.frame.fractions_of(foot, xyz)


@dataclass(frozen=True)
class Lifted(Change):
    """The layout in space, with each corner's ``foot`` and each block's ``base`` in the plane."""

    foot: Mapping[str, str] = field(default_factory=dict)
    base: Mapping[str, str] = field(default_factory=dict)


def lifted(plane: Layout, guides: Mapping[str, Guide], motion: Motion, stations: Sequence[float]) -> Lifted:
    """Lift a plane layout, with blocks between the ``stations``, which rise from 0 to 1.

    The layer at 0 is the plane itself, and follows its guides; the others carry its shape. Raises
    Refused for a full turn in fewer than three parts, or a plane that the motion runs along.
    """
    if motion.closed and len(stations) < 4:
        raise Refused(
            f"a full turn in {len(stations) - 1} parts has two edges between the same corners",
            remedy="turn it in 3 parts or more; 4 suit a butterfly core",
        )
    names: dict[tuple[str, int], str] = {}
    corners: dict[str, Corner] = {}
    foot: dict[str, str] = {}
    last = len(stations) - 1
    size = plane.size()
    moves = [motion.move(t) for t in stations]
    for name, corner in plane.corners.items():
        rests = motion.rests(np.array(corner.xyz), size)
        for n in range(last + 1):
            at = 0 if rests or (motion.closed and n == last) else n
            names[name, n] = f"{name}.{stations[at]:g}"
            if at == n:
                xyz = place(moves[n].places(np.array([corner.xyz]))[0])
                corners[names[name, n]] = replace(corner, xyz=xyz) if n == 0 else Corner(xyz)
                foot[names[name, n]] = name
    found = _Shapes(plane, guides, motion, stations, names)
    blocks: dict[str, Block] = {}
    base: dict[str, str] = {}
    pieces: dict[Name, tuple[Name, ...]] = dict(found.pieces)
    back = _runs_back(plane, motion)
    for name, block in plane.blocks.items():
        layers = []
        for n in range(last):
            one = name if last == 1 else f"{name}.{stations[n]:g}"
            order = (n + 1, n) if back else (n, n + 1)
            blocks[one] = Block(tuple(names[c, m] for m in order for c in block.corners), block.hollow)
            base[one] = name
            layers.append(one)
        pieces[name] = tuple(layers)
    layout = Layout(3, corners, blocks, found.follows, found.bends).tidied()
    return Lifted(check(layout), {n: p for n, p in pieces.items() if p != (n,)}, {}, foot, base)


class _Shapes:
    """The shapes of the edges of a lifted layout, and what plane edges became."""

    def __init__(
        self,
        plane: Layout,
        guides: Mapping[str, Guide],
        motion: Motion,
        stations: Sequence[float],
        names: Mapping[tuple[str, int], str],
    ) -> None:
        self.follows: dict[Edge, Follow] = {}
        self.bends: dict[Edge, Curve] = {}
        self.pieces: dict[Name, tuple[Name, ...]] = {}
        last = len(stations) - 1
        for edge in plane.edges:
            path = edge_path(plane, guides, edge).as_curve()
            for n, t in enumerate(stations):
                a, b = (names[c, n] for c in edge)
                if n == 0 and edge in plane.follows:
                    self.follows[a, b] = plane.follows[edge]
                elif path is not None and (a, b) not in self.follows and (a, b) not in self.bends:
                    self.bends[a, b] = path if n == 0 else MovedCurve(path, motion.move(t))
            sides = [side_of(*(names[c, m] for m in (n, n + 1) for c in edge)) for n in range(last)]
            self.pieces[edge] = tuple(side for side in sides if len(set(side)) > 2)
        for name, corner in plane.corners.items():
            for n in range(last):
                a, b = names[name, n], names[name, n + 1]
                if a != b:
                    low, high = stations[n], stations[n + 1]
                    ends = (low, high) if a < b else (high, low)
                    trail = motion.trail(np.array(corner.xyz), *ends)
                    if trail is not None:
                        self.bends[edge_of(a, b)] = trail


def _runs_back(plane: Layout, motion: Motion) -> bool:
    """Whether the motion leaves the plane against its blocks' sense; Refused where it runs along it."""
    name = max(plane.filled, key=lambda b: float(np.ptp(plane.places(plane.blocks[b].corners))))
    xyz = plane.places(plane.blocks[name].corners)
    normal = np.cross(xyz[3] - xyz[0], xyz[2] - xyz[1])
    way = motion.places(xyz, np.full(4, 1e-3)).mean(axis=0) - xyz.mean(axis=0)
    height = float(normal @ way)
    if abs(height) <= 1e-6 * float(np.linalg.norm(normal) * np.linalg.norm(way)):
        raise Refused("the plane would move along itself", remedy="give a direction that leaves the plane")
    return height < 0

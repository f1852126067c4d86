"""Motions: how a plane moves to make a layout in space, straight on, about an axis, or along a path."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import frame_of, unit
from plodek.core.shape.move import Move, shifted, turned
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.swept import Extruded, PathFrame, Revolved, Swept, Trail


class Motion(ABC):
    """How the plane moves as ``t`` goes from 0 to 1."""

    #: Whether the end of the motion is its start again.
    closed = False
    #: Whether the plane itself has moved already where the motion begins.
    stands = False

    @abstractmethod
    def move(self, t: float) -> Move:
        """Give the move that brings the plane to ``t``."""

    @abstractmethod
    def trail(self, foot: Floats, low: float, high: float) -> Curve | None:
        """Give the way of one place (3,) of the plane from ``low`` to ``high``; None where it is straight."""

    @abstractmethod
    def surface(self, curve: Curve) -> Surface:
        """Give the surface that a curve of the plane runs over."""

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

    def surface(self, curve: Curve) -> Surface:
        """Give the extruded surface."""
        return Extruded(curve, self.by)

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

    def surface(self, curve: Curve) -> Surface:
        """Give the surface of revolution."""
        return Revolved(curve, self.at, self.axis, self.turn)

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
    """Along a path, in a frame that does not twist; the section grows by ``scale`` towards the end.

    The plane begins as it lies, or stands squarely on the path's start, with a place ``at`` (3,) of it there.
    """

    def __init__(self, path: Curve, scale: float = 1.0, at: Floats | None = None) -> None:
        self.frame = PathFrame(path, scale)
        if at is not None:
            self.frame.stand(at)
            self.stands = True

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

    def surface(self, curve: Curve) -> Surface:
        """Give the swept surface."""
        return Swept(curve, self.frame)

    def places(self, xyz: Floats, t: Floats) -> Floats:
        """Carry places (n, 3) of the plane to their own ``t`` (n,)."""
        return self.frame.carried(self.frame.local(xyz), t)[0]

    def parameter(self, foot: Floats, xyz: Floats) -> Floats:
        """Give the ``t`` (n,) of places (n, 3) on the way of one place (3,)."""
        return self.frame.fractions_of(foot, xyz)

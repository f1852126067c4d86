"""Surfaces that a curve sweeps over: extruded, revolved, and carried along a path."""

from __future__ import annotations

import math

import numpy as np
import scipy
from propcache.api import cached_property

from plodek.core.arrays import Floats, dot
from plodek.core.errors import BadValue
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.curve import Curve, Jet
from plodek.core.shape.curves.parametric import ParametricCurve
from plodek.core.shape.frame import frame_of, unit
from plodek.core.shape.move import turned
from plodek.core.shape.surfaces.generated import GeneratedSurface, TabledSurface

#: Where a curve is looked at to see whether it is plane, and how far off its plane it may be, by its length.
_LOOKED_AT = np.linspace(0.0, 1.0, 129)
_FLAT = 1e-12


def breaks_of(curve: Curve) -> Floats:
    """Give the fractions of a curve's sharp corners with both ends."""
    return np.union1d(curve.corners, [0.0, 1.0])


class Extruded(GeneratedSurface):
    """A curve carried along a vector (3,): u along the curve, v along the vector."""

    kind = "extruded"

    def __init__(self, curve: Curve, by: Floats) -> None:
        unit(by, "extrusion")
        self.curve, self.by = curve, by
        self.breaks = (breaks_of(curve), np.array([0.0, 1.0]))
        self.wraps = (curve.closed, False)
        self.samples = (160, 4)

    @property
    def joints(self) -> tuple[Floats, Floats]:
        """Those of the curve."""
        return self.curve.joints, self.breaks[1]

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        place, first, second = self.curve.derivatives(uv[:, 0])
        none = np.zeros_like(place)
        along = np.tile(self.by, (len(uv), 1))
        return place + uv[:, 1:] * self.by, first, along, second, none, none.copy()

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places: squarely over a plane curve by that alone."""
        if not self._is_square:
            return super().nearest(xyz)
        v = (xyz - self.curve.start()) @ self.by / (self.by @ self.by)
        return np.stack([self.curve.nearest(xyz - v[:, None] * self.by), np.clip(v, 0.0, 1.0)], axis=1)

    @cached_property
    def _is_square(self) -> bool:
        """Whether the curve lies in a plane across the vector."""
        places = self.curve.at(_LOOKED_AT) - self.curve.start()
        return bool(np.abs(places @ self.by).max() <= _FLAT * np.linalg.norm(self.by) * self.curve.length)


class Revolved(GeneratedSurface):
    """A curve turned about an axis by ``turn`` radians: u round the axis, v along the curve."""

    kind = "revolved"

    def __init__(self, curve: Curve, at: Floats, axis: Floats, turn: float) -> None:
        if not 0 < abs(turn) <= math.tau * (1 + 1e-12):
            raise BadValue(
                f"the curve turns by {math.degrees(turn):g}°", remedy="turn by more than 0° and up to 360°"
            )
        self.curve, self.origin, self.turn = curve, at, turn
        self.axis = unit(axis, "axis")
        self.breaks = (np.array([0.0, 1.0]), breaks_of(curve))
        self.wraps = (abs(turn) >= math.tau * (1 - 1e-12), curve.closed)
        self.samples = (48, 120)

    @property
    def joints(self) -> tuple[Floats, Floats]:
        """Those of the curve."""
        return self.breaks[0], self.curve.joints

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        angle = self.turn * uv[:, :1]
        place, first, second = self.curve.derivatives(uv[:, 1])
        t = self.turn
        moved, round_, back = self._turned(place - self.origin, angle)
        return (
            self.origin + moved,
            t * round_,
            self._turned(first, angle)[0],
            t * t * back,
            t * self._turned(first, angle)[1],
            self._turned(second, angle)[0],
        )

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places: for a curve in a half-plane at the axis there."""
        if self._out is None:
            return super().nearest(xyz)
        away = xyz - self.origin
        along = away @ self.axis
        across = away - along[:, None] * self.axis
        side = np.cross(self.axis, self._out)
        angle = np.arctan2(across @ side, across @ self._out) * math.copysign(1.0, self.turn)
        u = np.mod(angle, math.tau) / abs(self.turn)
        out = np.sqrt(dot(across, across))
        flat = self.origin + along[:, None] * self.axis + out[:, None] * self._out
        found = np.stack([u, self.curve.nearest(flat)], axis=1)
        beyond = u > 1.0
        if np.any(beyond):  # where the turn leaves a gap
            found[beyond] = super().nearest(xyz[beyond])
        return found

    @cached_property
    def _out(self) -> Floats | None:
        """The direction (3,) from the axis to the curve where it lies in a half-plane there; else None."""
        away = self.curve.at(_LOOKED_AT) - self.origin
        across = away - (away @ self.axis)[:, None] * self.axis
        size = np.linalg.norm(across, axis=1)
        out = across[int(size.argmax())] / max(float(size.max()), 1e-300)
        off = np.linalg.norm(across - (across @ out)[:, None] * out, axis=1)
        slack = _FLAT * self.curve.length
        return out if off.max() <= slack and (across @ out).min() >= -slack else None

    @cached_property
    def _round(self) -> Floats:
        """The matrix (3, 3) from the right by which vectors become their cross products with the axis."""
        return np.cross(self.axis, np.eye(3))

    def _turned(self, vectors: Floats, angle: Floats) -> tuple[Floats, Floats, Floats]:
        """Turn vectors about the axis; gives them with the first and second derivative by the angle."""
        along = (vectors @ self.axis)[:, None] * self.axis
        out = vectors - along
        side = out @ self._round
        cosine, sine = np.cos(angle), np.sin(angle)
        turned = cosine * out + sine * side
        return along + turned, cosine * side - sine * out, -turned


class PathFrame:
    """The frame that is carried along a path without twist, perhaps growing by ``scale`` towards the end.

    It turns as little as it can: double reflection (Wang, Jüttler, Zheng & Liu 2008, ACM Trans. Graph.
    27, 2), between fine stations a spline through its angle. Raises BadValue for a path with a sharp
    corner, or a closed one.
    """

    _STATIONS = 2001

    def __init__(self, path: Curve, scale: float = 1.0) -> None:
        inner = path.corners[(path.corners > 0) & (path.corners < 1)]
        if path.closed or len(inner):
            what = "closed" if path.closed else "turns sharply"
            raise BadValue(
                f"the path {what}", remedy="join it from pieces that meet smoothly, open at its ends"
            )
        if not scale > 0:
            raise BadValue(f"the scale at the end is {scale:g}", remedy="give a scale above 0")
        self.path, self.scale = path, scale
        self._ease()

    def _ease(self) -> None:
        """Lay the frame along the path."""
        s = np.linspace(0.0, 1.0, self._STATIONS)
        place, tangent = self.path.at(s), self.path.tangent(s)
        start = frame_of(tangent[0])
        across = np.empty((len(s), 3))
        across[0] = start[0]
        steps = np.diff(place, axis=0)
        for n, step in enumerate(steps):  # stations of the path, each from the one before
            r = across[n] - 2 / (step @ step) * (step @ across[n]) * step
            t = tangent[n] - 2 / (step @ step) * (step @ tangent[n]) * step
            w = tangent[n + 1] - t
            size = w @ w
            across[n + 1] = r - (2 / size * (w @ r) * w if size > 0 else 0.0)
        self._across = scipy.interpolate.CubicSpline(s, across)
        self.base = place[0]
        self.start = np.stack([start[0], np.cross(tangent[0], start[0]), tangent[0]])

    def stand(self, at: Floats) -> None:
        """Take places of a plane z = 0 as if it stood squarely on the path's start, ``at`` (3,) on that."""
        along = self.start[2]
        axis = np.cross([0.0, 0.0, 1.0], along)
        if np.any(axis):
            angle = math.atan2(float(np.linalg.norm(axis)), float(along[2]))
            self.start = self.start @ turned(at, axis, angle).matrix
        self.base = np.asarray(at)

    def local(self, xyz: Floats) -> Floats:
        """Give places (n, 3) at the path's start in the frame there."""
        return np.asarray((xyz - self.base) @ self.start.T)

    def carried(self, local: Floats, v: Floats) -> Jet:
        """Carry local places (n, 3) to the fractions ``v`` (n,): place, first and second derivative by v.

        The second one is a central difference.
        """
        place, along, _ = self.path.derivatives(v)
        axes, turning = self.axes(v)
        low, high = np.maximum(v - 1e-5, 0.0), np.minimum(v + 1e-5, 1.0)
        bent = (self.along(local, high) - self.along(local, low)) / (high - low)[:, None]
        return place + combined(local, axes), along + combined(local, turning), bent

    def along(self, local: Floats, v: Floats) -> Floats:
        """Give the derivative by ``v`` (n,) of local places (n, 3) that are carried."""
        return self.path.derivatives(v)[1] + combined(local, self.axes(v)[1])

    @cached_property
    def stations(self) -> tuple[Floats, Floats, Floats]:
        """Fine stations: fractions (n,), places (n, 3), and grown axes (3, n, 3)."""
        s = np.linspace(0.0, 1.0, self._STATIONS)
        return s, self.path.at(s), self.axes(s)[0]

    def fractions_of(self, foot: Floats, xyz: Floats) -> Floats:
        """Give the fractions (n,) of places (n, 3) on the trail of one place (3,): between fine stations."""
        s, base, axes = self.stations
        trail = base + combined(np.repeat(self.local(foot[None, :]), len(s), axis=0), axes)
        tree = scipy.spatial.cKDTree(trail)
        near = np.clip(tree.query(xyz)[1], 1, len(s) - 2)
        low, high = trail[near - 1], trail[near + 1]
        way = high - low
        part = dot(xyz - low, way) / dot(way, way)
        return np.asarray(np.clip(s[near - 1] + part * (s[near + 1] - s[near - 1]), 0.0, 1.0))

    def axes(self, v: Floats) -> tuple[Floats, Floats]:
        """Give the grown axes of the section along the path (3, n, 3), and their derivatives."""
        _, along, bend = self.path.derivatives(v)
        t, t1 = along / self.path.length, bend / self.path.length
        w, w1 = self._across(v), self._across(v, 1)
        part = dot(w, t)[:, None]
        q = w - part * t
        q1 = w1 - (dot(w1, t) + dot(w, t1))[:, None] * t - part * t1
        size = np.linalg.norm(q, axis=1)[:, None]
        x = q / size
        x1 = (q1 - dot(x, q1)[:, None] * x) / size
        y, y1 = np.cross(t, x), np.cross(t1, x) + np.cross(t, x1)
        grown = (1 + (self.scale - 1) * v)[:, None]
        axes, turning = np.stack([x, y, t]), np.stack([x1, y1, t1])
        return grown * axes, grown * turning + (self.scale - 1) * axes


class Trail(ParametricCurve):
    """The way of one place (3,) that a frame carries from fraction ``low`` to ``high`` of its path.

    Its parameter is the fraction of the path.
    """

    settled = 1e-9

    def __init__(self, frame: PathFrame, foot: Floats, low: float = 0.0, high: float = 1.0) -> None:
        self._frame, self._local = frame, frame.local(foot[None, :])
        knots = np.linspace(low, high, 9)
        ends = np.array([low, high])
        points = frame.carried(np.repeat(self._local, 2, axis=0), ends)[0]
        super().__init__(knots, closed=False, sharp=ends, points=points)

    def _jet(self, u: Floats) -> Jet:
        return self._frame.carried(np.repeat(self._local, len(u), axis=0), u)

    def _slope(self, u: Floats) -> Floats:
        return self._frame.along(np.repeat(self._local, len(u), axis=0), u)


class Swept(TabledSurface):
    """A section carried along a path without twist, perhaps growing: u along the section, v along the path.

    The section is taken where it is, at the path's start. See `PathFrame`.
    """

    kind = "swept"

    def __init__(self, section: Curve, frame: PathFrame) -> None:
        self._section, self._frame = section, frame
        self.breaks = (breaks_of(section), np.array([0.0, 1.0]))
        self.wraps = (section.closed, False)
        self.samples = (60, 80)

    @property
    def joints(self) -> tuple[Floats, Floats]:
        """Those of the section and of the path."""
        return self._section.joints, self._frame.path.joints

    def _by_formula(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at ``uv`` (n, 2); the second one by v by a central difference."""
        frame = self._frame
        u, v = uv[:, 0], uv[:, 1]
        place, first, second = self._section.derivatives(u)
        local = frame.local(place)
        first, second = first @ frame.start.T, second @ frame.start.T
        axes, turning = frame.axes(v)
        carried, along, bent = frame.carried(local, v)
        return (
            carried,
            combined(first, axes),
            along,
            combined(second, axes),
            combined(first, turning),
            bent,
        )


def combined(local: Floats, axes: Floats) -> Floats:
    """Sum the axes (3, n, 3) with local coordinates (n, 3)."""
    return np.asarray(np.einsum("nk,knj->nj", local, axes))

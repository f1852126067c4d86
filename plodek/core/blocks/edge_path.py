"""The path of a block edge: straight between its corners, along a guide, or a bend of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, Place, place
from plodek.core.blocks.layout import Corner, Edge, Layout
from plodek.core.errors import BadValue
from plodek.core.shape.closest import CurveSearch
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve, Jet
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.guide import Guide, curve_named, surface_named
from plodek.core.shape.surfaces.meeting import onto_all
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.tolerances import SAME_PLACE

#: Places of a straight line that are put onto a surface, to make the curve of an edge that lies on it.
_ON_SURFACE = np.linspace(0.0, 1.0, 17)
_MEASURED = np.linspace(0.0, 1.0, 65)
#: The step in the fraction of one-sided differences at the ends of a path, and their weights, of third order
#: (Fornberg 1988, Math. Comput. 51, 699).
_ONE_SIDED, _SLOPE = 1e-5, np.array([-11.0, 18.0, -9.0, 2.0])
#: The step in the fraction over which a path's derivatives are taken.
_STEP = 1e-4


def fraction_of(corner: Corner, name: str, curve: Curve) -> float:
    """Give the fraction at which a corner sits on a guide; a pinned one by its nearest place."""
    if corner.guide == name and corner.fraction is not None:
        return corner.fraction
    return float(curve.nearest(np.array([corner.xyz]))[0])


@dataclass(frozen=True)
class EdgePath:
    """An edge from its first corner (sorted order) to its second: ``start`` and ``end`` are (3,).

    A ``bend`` that no longer meets the corners is carried along with them, linearly in between. Places
    of an edge on ``surfaces`` are put onto them, where they meet if there are several, those of one ``along``
    a curve onto that; received nodes that are there stay as they are.
    """

    start: Floats
    end: Floats
    curve: Curve | None = None
    from_fraction: float = 0.0
    span: float = 0.0
    bend: bool = False
    surfaces: tuple[Surface, ...] = ()
    along: Curve | None = None

    @cached_property
    def length(self) -> float:
        """Arc length, in the project's unit."""
        if self.curve is None:
            return float(np.linalg.norm(self.end - self.start))
        if self.bend and self._is_off:
            return float(np.sum(np.linalg.norm(np.diff(self.at(_MEASURED), axis=0), axis=1)))
        return abs(self.span) * self.curve.length

    @cached_property
    def _off(self) -> Floats:
        """How far the corners have moved off a bend's ends, (2, 3)."""
        assert self.curve is not None
        return np.stack([self.start - self.curve.start(), self.end - self.curve.end()])

    @cached_property
    def _is_off(self) -> bool:
        """Whether that is more than round-off."""
        assert self.curve is not None
        return bool(np.abs(self._off).max() > 1e-12 * self.curve.length)

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,); 0 and 1 are the corners' places exactly."""
        if self.curve is None:
            xyz = self.start + s[:, None] * (self.end - self.start)
        else:
            xyz = np.empty((len(s), 3))
            within = (s != 0.0) & (s != 1.0)
            if np.any(within):
                xyz[within] = self._within(self.curve, s[within])
        xyz[s == 0.0] = self.start
        xyz[s == 1.0] = self.end
        return xyz

    def _within(self, curve: Curve, s: Floats) -> Floats:
        """Give places (n, 3) along the curve, between the corners."""
        xyz = curve.at(self.from_fraction + s * self.span)
        if self.bend and self._is_off:
            xyz = xyz + (1 - s)[:, None] * self._off[0] + s[:, None] * self._off[1]
        if self.along is None and not self.surfaces:
            return xyz
        along = self.along
        on = onto_all(self.surfaces, xyz) if along is None else along.at(along.nearest(xyz))
        steps = self.steps(s)
        if steps is not None:
            near = SAME_PLACE * float(np.linalg.norm(self.end - self.start))
            stay = (steps == np.round(steps)) & (np.linalg.norm(on - xyz, axis=1) <= near)
            on[stay] = xyz[stay]
        return on

    def steps(self, s: Floats) -> Floats | None:
        """Give how many steps (n,) of received nodes lie before fractions (n,); None where there are none."""
        return self.curve.steps(s) if self.curve is not None and self.bend else None

    def shares(self, s: Floats) -> Floats | None:
        """Give the same as shares of all of them."""
        found = self.steps(np.append(s, 1.0))
        return None if found is None else found[:-1] / found[-1]

    def nearest(self, xyz: Floats) -> float:
        """Give the fraction of the edge, 0 to 1, nearest to one place (3,)."""
        if self.curve is None:
            step = self.end - self.start
            return float(np.clip(np.dot(xyz - self.start, step) / np.dot(step, step), 0.0, 1.0))
        away = float(self.curve.nearest(xyz[None, :])[0]) - self.from_fraction
        if self.curve.closed:
            away = away % 1.0 if self.span > 0 else -(-away % 1.0)
        return min(max(away / self.span, 0.0), 1.0)

    def as_curve(self) -> Curve | None:
        """Give the path as a curve from its first corner to its second; None where it is straight."""
        if self.curve is None:
            return None
        if self.surfaces or self.along is not None or (self.bend and self._is_off):
            return PathCurve(self)
        whole = self.bend or (self.from_fraction == 0.0 and self.span == 1.0)
        return self.curve if whole else Part(self.curve, self.from_fraction, self.from_fraction + self.span)

    def directions(self) -> tuple[Floats, Floats]:
        """Give the unit directions (3,) in which the edge leaves its first and its second corner."""
        near = _ONE_SIDED * np.arange(4)
        xyz = self.at(np.concatenate([near, 1.0 - near]))
        ways = np.stack([_SLOPE @ xyz[:4], _SLOPE @ xyz[4:]])
        ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-300)
        return ways[0], ways[1]


class PathCurve(Curve):
    """The path of an edge, as a curve whose places are the path's own, to the bit."""

    closed = False

    def __init__(self, path: EdgePath) -> None:
        self._path = path
        self.length = path.length
        self.points = path.at(_ON_SURFACE)

    @property
    def corners(self) -> Floats:
        """The ends."""
        return np.array([0.0, 1.0])

    def at(self, s: Floats) -> Floats:
        """Give the places (n, 3) at the fractions ``s`` (n,)."""
        return self._path.at(np.clip(s, 0.0, 1.0))

    def derivatives(self, s: Floats) -> Jet:
        """Give place, first and second derivative by the fraction, by central differences."""
        middle = np.clip(s, _STEP, 1.0 - _STEP)
        before, here, after = (self.at(middle + way) for way in (-_STEP, 0.0, _STEP))
        bend = (after - 2.0 * here + before) / _STEP**2
        return self.at(s), (after - before) / (2.0 * _STEP) + (s - middle)[:, None] * bend, bend

    def steps(self, s: Floats) -> Floats | None:
        """Give those of the path."""
        return self._path.steps(s)

    def nearest(self, xyz: Floats) -> Floats:
        """Give the fractions (n,) of the nearest places."""
        return self._search.nearest(xyz)

    @cached_property
    def _search(self) -> CurveSearch:
        return CurveSearch(self.derivatives, np.linspace(0.0, 1.0, 3), closed=False)


def edge_path(layout: Layout, guides: Mapping[str, Guide], edge: Edge) -> EdgePath:
    """Make the path of an edge. Raises BadValue where its ends sit at one place of the guide."""
    first, second = layout.corners[edge[0]], layout.corners[edge[1]]
    follow = layout.follows.get(edge)
    guide = None if follow is None else guides.get(follow.guide)
    surfaces: tuple[Surface, ...] = ()
    if follow is not None and isinstance(guide, Surface):
        on = dict.fromkeys([follow.guide, *layout.surfaces_of.get(edge, ())])
        surfaces = tuple(surface_named(guides, name) for name in on)
    if edge in layout.bends:
        start, end = np.array(first.xyz), np.array(second.xyz)
        along = guide if isinstance(guide, Curve) else None
        return EdgePath(start, end, layout.bends[edge], span=1.0, bend=True, surfaces=surfaces, along=along)
    if follow is None:
        return EdgePath(np.array(first.xyz), np.array(second.xyz))
    if surfaces:
        return _on_surfaces(surfaces, first.xyz, second.xyz)
    curve = curve_named(guides, follow.guide)
    start, end = np.array(first.xyz), np.array(second.xyz)
    f0, f1 = (fraction_of(c, follow.guide, curve) for c in (first, second))
    span = f1 - f0
    if curve.closed:
        span = span % 1.0 if follow.forward else -(-span % 1.0)
    if span == 0.0:
        names = " and ".join(layout.labels[c] for c in edge)
        raise BadValue(
            f"the corners {names} sit at the same place of “{follow.guide}”",
            remedy="slide one of them",
        )
    return EdgePath(start, end, curve, f0, span)


def corner_at(layout: Layout, guides: Mapping[str, Guide], edge: Edge, fraction: float) -> Corner:
    """Make a corner at a fraction of an edge, on the guide that the edge follows."""
    path = edge_path(layout, guides, edge)
    xyz = place(path.at(np.array([fraction]))[0])
    follow = layout.follows.get(edge)
    if follow is None:
        return Corner(xyz)
    if isinstance(guides[follow.guide], Surface) or path.curve is None:
        return Corner(xyz, "guide", follow.guide)
    at = path.from_fraction + fraction * path.span
    return Corner(xyz, "guide", follow.guide, at % 1.0 if path.curve.closed else at)


def _on_surfaces(surfaces: tuple[Surface, ...], first: Place, second: Place) -> EdgePath:
    """Put the straight line between two places onto a surface, or onto several where they meet."""
    start, end = np.array(first), np.array(second)
    straight = start + _ON_SURFACE[:, None] * (end - start)
    xyz = onto_all(surfaces, straight)
    xyz[0], xyz[-1] = start, end
    if np.abs(xyz - straight).max() <= 1e-9 * np.linalg.norm(end - start):
        return EdgePath(start, end)
    curve = Spline(xyz, closed=False, corner_angle=180)
    return EdgePath(start, end, curve, span=1.0, bend=True, surfaces=surfaces)

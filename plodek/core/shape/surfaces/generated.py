"""A surface that is given by a formula over the unit square: its closest places, area and boundary."""

from __future__ import annotations

from abc import abstractmethod

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, dot
from plodek.core.shape.closest import SurfaceJet, SurfaceSearch
from plodek.core.shape.curves.curve import Curve, Jet
from plodek.core.shape.curves.parametric import ParametricCurve
from plodek.core.shape.patch_table import PatchTable
from plodek.core.shape.surfaces.surface import Border, Facets, SmoothSurface
from plodek.core.tolerances import SAME_PLACE, SHARP

_GAUSS_X, _GAUSS_W = np.polynomial.legendre.leggauss(16)
_PANELS = 6
_SETTLED = 1e-13
#: The largest turn of the normal between two neighbouring lines of a drawing, in radians.
_TURN = np.radians(7.5)
_MOST_LINES = 160
#: How far beside a line, in parameters, its normals are looked at.
_BESIDE = 1e-7
_ENDS = np.array([0.0, 1.0])


class GeneratedSurface(SmoothSurface):
    """A surface over u and v from 0 to 1, smooth between its ``breaks`` in either direction."""

    #: Rising parameters of sharp lines in u and in v, 0 and 1 included.
    breaks: tuple[Floats, Floats] = (_ENDS, _ENDS)
    #: Whether the surface closes on itself in u and in v.
    wraps: tuple[bool, bool] = (False, False)
    #: Samples in u and v from which closest places are sought.
    samples: tuple[int, int] = (40, 40)

    @property
    def joints(self) -> tuple[Floats, Floats]:
        """Rising parameters in u and v between which the surface is given by one smooth formula."""
        return self.breaks

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places: nearest sample, then bounded Newton steps."""
        return self._search.nearest(xyz)

    @cached_property
    def _search(self) -> SurfaceSearch:
        # Over a sharp seam no step leads on: what lies beyond it is sought by itself.
        smooth = [wraps and 0.0 not in sharp for wraps, sharp in zip(self.wraps, self.sharp, strict=True)]
        return SurfaceSearch(
            self.derivatives, self.breaks, (smooth[0], smooth[1]), self.samples, table=self._table
        )

    @cached_property
    def _table(self) -> PatchTable:
        return PatchTable(lambda uv: self._by_formula(uv)[0], self.joints)

    def _by_formula(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2), as the surface is defined."""
        return self.derivatives(uv)

    @cached_property
    def area(self) -> float:
        """Area, by Gauss-Legendre quadrature between the breaks."""
        return self._integrals[0]

    @property
    def swept_volume(self) -> float:
        """A third of the integral of place · normal."""
        return self._integrals[1]

    @cached_property
    def _integrals(self) -> tuple[float, float]:
        found = self._integrated(_PANELS)
        for panels in (2 * _PANELS, 4 * _PANELS):
            before, found = found, self._integrated(panels)
            if abs(found[0] - before[0]) <= _SETTLED * found[0]:
                break
        return found

    def _integrated(self, panels: int) -> tuple[float, float]:
        (u, wu), (v, wv) = (_quadrature(b, panels) for b in self.breaks)
        uv = np.stack(np.meshgrid(u, v, indexing="ij"), -1).reshape(-1, 2)
        weight = np.outer(wu, wv).ravel()
        place, du, dv, *_ = self.derivatives(uv)
        across = np.cross(du, dv)
        area = float(weight @ np.linalg.norm(across, axis=1))
        return area, float(weight @ dot(place, across)) / 3

    @cached_property
    def borders(self) -> tuple[Border, ...]:
        """The sides of the unit square, where they are neither seams nor poles."""
        found = []
        for axis in (0, 1):
            if self.wraps[axis]:
                continue
            for end in (0.0, 1.0):
                uv = np.full((9, 2), end)
                uv[:, 1 - axis] = np.linspace(0.0, 1.0, 9)
                if np.max(np.ptp(self.at(uv), axis=0)) > SAME_PLACE * np.sqrt(self.area):
                    found.append(Border("", SideCurve(self, axis, end)))
        return tuple(found)

    @cached_property
    def sharp(self) -> tuple[Floats, Floats]:
        """Parameters in u and in v of the lines along which the normal jumps; a seam counts as 0."""
        return self._sharp(0), self._sharp(1)

    def _sharp(self, axis: int) -> Floats:
        lines = self.breaks[axis][:-1] if self.wraps[axis] else self.breaks[axis][1:-1]
        along = np.linspace(0.02, 0.98, 25)
        found = []
        for line in lines:
            sides = []
            for beside in (line - _BESIDE, line + _BESIDE):
                uv = np.full((len(along), 2), np.mod(beside, 1.0))
                uv[:, 1 - axis] = along
                sides.append(self.normal(uv))
            if np.min(dot(*sides)) < SHARP:
                found.append(line)
        return np.array(found)

    @property
    def creases(self) -> tuple[Curve, ...]:
        """The lines of the surface along which its normal jumps by a tenth of a degree and more."""
        return tuple(SideCurve(self, axis, line) for axis in (0, 1) for line in self.sharp[axis])

    def _facets(self) -> Facets:
        """Give triangles over lines that are as close as the surface is bent."""
        lines = [self._lines(axis) for axis in (0, 1)]
        uv = np.stack(np.meshgrid(*lines, indexing="ij"), -1).reshape(-1, 2)
        rows, columns = len(lines[0]), len(lines[1])
        index = np.arange(rows * columns).reshape(rows, columns)
        a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
        quads = np.stack([a, b, c, a, c, d], axis=-1).reshape(-1, 3)
        # A pole has no normal of its own: it takes that from just inside.
        normals = self.normal(np.clip(uv, 1e-6, 1 - 1e-6))
        return Facets(self.at(uv), quads, normals)

    def _lines(self, axis: int) -> Floats:
        """Give the parameters of the drawing's lines across one direction."""
        along = np.linspace(0.005, 0.995, 65)
        found = []
        for across in (0.1, 0.5, 0.9):
            uv = np.full((len(along), 2), across)
            uv[:, axis] = along
            normals = self.normal(uv)
            turns = np.arccos(np.clip(dot(normals[1:], normals[:-1]), -1, 1))
            _, du, dv, *_ = self.derivatives(uv)
            first = (du, dv)[axis]
            ways = first / np.maximum(np.linalg.norm(first, axis=1), 1e-300)[:, None]
            bends = np.arccos(np.clip(dot(ways[1:], ways[:-1]), -1, 1))
            found.append(max(float(np.sum(turns)), float(np.sum(bends))))
        count = int(np.clip(np.ceil(max(found) / _TURN), 1, _MOST_LINES))
        return np.union1d(np.linspace(0.0, 1.0, count + 1), self.breaks[axis])


class TabledSurface(GeneratedSurface):
    """A surface whose formula is costly: places and derivatives come from its table, where that is exact."""

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        if not self._table.exact:
            return self._by_formula(uv)
        place, du, dv, duu, duv, dvv = self._table.jet(uv)
        return place, du, dv, duu, duv, dvv

    @abstractmethod
    def _by_formula(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2), as the surface is defined."""


class SideCurve(ParametricCurve):
    """The line of a surface at a constant parameter: ``axis`` 0 holds u, 1 holds v."""

    def __init__(self, surface: GeneratedSurface, axis: int, value: float) -> None:
        self._surface, self._axis, self._value = surface, axis, value
        breaks = surface.breaks[1 - axis]
        closed = surface.wraps[1 - axis]
        knots = np.union1d(breaks, np.linspace(0.0, 1.0, 9))
        sharp = breaks[:-1] if closed and len(breaks) > 2 else breaks[1:-1] if closed else breaks
        super().__init__(knots, closed=closed, sharp=sharp, points=self._jet(breaks)[0])

    def _jet(self, u: Floats) -> Jet:
        uv = np.full((len(u), 2), self._value)
        uv[:, 1 - self._axis] = u
        place, du, dv, duu, _, dvv = self._surface.derivatives(uv)
        return (place, dv, dvv) if self._axis == 0 else (place, du, duu)


def _quadrature(breaks: Floats, panels: int) -> tuple[Floats, Floats]:
    """Give points and weights over 0 to 1, in panels that end at the breaks."""
    ends = np.union1d(breaks, np.linspace(0.0, 1.0, panels + 1))
    half = 0.5 * np.diff(ends)[:, None]
    points = 0.5 * (ends[1:] + ends[:-1])[:, None] + half * _GAUSS_X
    return points.ravel(), (half * _GAUSS_W).ravel()

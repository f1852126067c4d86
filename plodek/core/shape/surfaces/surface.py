"""What every guide surface offers to the later stages."""

from __future__ import annotations

import copy
from abc import ABC, abstractmethod
from dataclasses import dataclass

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, Ints, dot
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.curve import Curve
from plodek.core.tolerances import SHARP

#: How far towards a place beside it the normal next to a sharp line is taken, in shares of the way.
_BESIDE = 1e-3


@dataclass(frozen=True)
class Border:
    """A piece of a surface's boundary; pieces with the same ``key`` are shared by the surfaces."""

    key: str
    curve: Curve


@dataclass(frozen=True)
class Facets:
    """Triangles that draw a surface: places (n, 3), triangles (m, 3), and unit normals (n, 3)."""

    xyz: Floats
    triangles: Ints
    normals: Floats


class Surface(ABC):
    """A surface in space, addressed by parameters (n, 2); a triangulated one by (n, 3).

    Parameters run from 0 to 1 in both directions, the boundary included; on an imported face they are
    those of its file, and the boundary is that of its trim.
    """

    #: Names of what the surface was made of, for reports.
    kind: str
    #: The names of the guides that an operation made it of, for sides to lie on; None for one of its own.
    made_of: tuple[str, ...] | None = None
    #: The tolerance that its edges were sewn to others with: what is on them may be off the surface so much.
    sewn: float = 0.0

    @abstractmethod
    def at(self, uv: Floats) -> Floats:
        """Give the places (n, 3) at the parameters ``uv``."""

    @abstractmethod
    def normal(self, uv: Floats) -> Floats:
        """Give the unit normals (n, 3) at the parameters ``uv``."""

    @abstractmethod
    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters of the places on the surface nearest to ``xyz`` (n, 3)."""

    @property
    @abstractmethod
    def area(self) -> float:
        """Area, in the square of the project's unit."""

    @property
    @abstractmethod
    def swept_volume(self) -> float:
        """A third of the integral of place · normal: added up over a closed shell it is its volume."""

    @property
    @abstractmethod
    def borders(self) -> tuple[Border, ...]:
        """The pieces of the boundary; seams and poles are none."""

    @cached_property
    def facets(self) -> Facets:
        """Triangles that draw the surface."""
        return self._facets()

    @abstractmethod
    def _facets(self) -> Facets:
        """Give triangles that draw the surface."""

    @property
    def carrier(self) -> Surface | None:
        """A surface without a trim of which this one is a part, where there is one."""
        return None

    def with_borders(self, borders: tuple[Border, ...], sewn: float = 0.0) -> Surface:
        """Give the surface with other pieces for its boundary, as sewing within a tolerance makes them."""
        found = copy.copy(self)
        found.__dict__["borders"] = borders
        found.sewn = max(self.sewn, sewn)
        return found

    def onto(self, xyz: Floats) -> Floats:
        """Give the nearest places (n, 3) on the surface."""
        return self.at(self.nearest(xyz))

    def normals_beside(self, xyz: Floats, beside: Floats) -> Floats:
        """Give the unit normals (n, 3) at the places nearest to ``xyz`` (n, 3).

        On a sharp line, where there are two, it is that on the side of ``beside`` (n, 3).
        """
        here = self.normal(self.nearest(xyz))
        off = np.flatnonzero(np.any(beside != xyz, axis=1))
        if not len(off):
            return here
        there = self.normal(self.nearest(xyz[off] + _BESIDE * (beside[off] - xyz[off])))
        jumps = dot(here[off], there) < SHARP
        here[off[jumps]] = there[jumps]
        return here


class SmoothSurface(Surface):
    """A surface with derivatives, so with curvature."""

    @abstractmethod
    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and the derivatives by u, v, uu, uv, vv at the parameters ``uv`` (n, 2)."""

    def at(self, uv: Floats) -> Floats:
        """Give the places (n, 3) at the parameters ``uv`` (n, 2)."""
        return self.derivatives(uv)[0]

    def normal(self, uv: Floats) -> Floats:
        """Give the unit normals (n, 3) at the parameters ``uv`` (n, 2); 0 at a pole that has none."""
        _, du, dv, *_ = self.derivatives(uv)
        across = np.cross(du, dv)
        size = np.linalg.norm(across, axis=1)[:, None]
        return np.asarray(across / np.where(size > 0, size, 1.0))

    def curvatures(self, uv: Floats) -> Floats:
        """Give the principal curvatures (n, 2), the larger in size first.

        From the first and second fundamental forms (do Carmo, Differential Geometry of Curves and
        Surfaces, 1976, ch. 3).
        """
        _, du, dv, duu, duv, dvv = self.derivatives(uv)
        n = self.normal(uv)
        e, f, g = dot(du, du), dot(du, dv), dot(dv, dv)
        le, m, nn = dot(n, duu), dot(n, duv), dot(n, dvv)
        area = e * g - f * f
        area = np.where(area > 0, area, np.inf)
        mean = (e * nn - 2 * f * m + g * le) / (2 * area)
        root = np.sqrt(np.maximum(mean**2 - (le * nn - m * m) / area, 0.0))
        pair = np.stack([mean + root, mean - root], axis=1)
        order = np.argsort(-np.abs(pair), axis=1)
        return np.take_along_axis(pair, order, axis=1)

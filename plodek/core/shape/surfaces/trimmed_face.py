"""A face as CAD files give it: a patch, trimmed by loops of curves in its parameter plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numba
import numpy as np
import scipy
from propcache.api import cached_property

from plodek.core.arrays import Bools, Floats, Ints, dot
from plodek.core.shape.closest import CurveSearch, SurfaceJet, SurfaceSearch
from plodek.core.shape.curves.curve import Curve, Jet
from plodek.core.shape.curves.nurbs import Nurbs
from plodek.core.shape.surfaces.carrier import carrier_of
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.patch import Patch
from plodek.core.shape.surfaces.surface import Border, Facets, SmoothSurface

_GAUSS_X, _GAUSS_W = np.polynomial.legendre.leggauss(16)
_PIECES = 16  # of each span of a trim curve that is not straight, where it is drawn as straight pieces
_SEEDS = 28
_SETTLED = 1e-12


@dataclass(frozen=True)
class TrimEdge:
    """A piece of a loop: its curve in the parameter plane (z = 0), which way it runs, and its edge.

    Edges with the same ``key`` are one edge of the body; ``curve`` is its curve in space, None at a
    pole. A ``seam`` is met twice by the loops of one face.
    """

    key: str
    trace: Nurbs
    forward: bool
    curve: Curve | None
    seam: bool = False


class TrimmedFace(SmoothSurface):
    """The part of a patch inside its loops, which run with the face at their left.

    ``reversed_`` says that the face's outward normal is against that of the patch.
    """

    kind = "face"

    def __init__(
        self,
        patch: Patch,
        loops: Sequence[Sequence[TrimEdge]],
        *,
        reversed_: bool = False,
        facets: tuple[Floats, Ints] | None = None,
    ) -> None:
        self.patch = patch
        self.loops = tuple(tuple(loop) for loop in loops)
        self.reversed = reversed_
        self.drawn = facets
        ends = np.array([[b[0], b[-1]] for b in patch.breaks])
        self._ends = ends
        self._trims = [edge for loop in self.loops for edge in loop]

    @property
    def closed(self) -> tuple[bool, bool]:
        """Whether the face runs all round in u and in v: it has a seam there."""
        found = [False, False]
        for edge in self._trims:
            if edge.seam:
                place = edge.trace.poles
                along_v = np.ptp(place[:, 0]) <= np.ptp(place[:, 1]) * 1e-9
                found[0 if along_v else 1] = True
        return found[0], found[1]

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and the derivatives by u, v, uu, uv, vv at the parameters ``uv`` (n, 2)."""
        return self.patch.jet(uv)

    @cached_property
    def carrier(self) -> GeneratedSurface | None:
        """The surface of revolution that the face is a part of; None where it is of none."""
        return carrier_of([self.patch], [self.facets])

    def normal(self, uv: Floats) -> Floats:
        """Give the unit normals (n, 3), outward where the face bounds a body."""
        found = super().normal(uv)
        return -found if self.reversed else found

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places of the trimmed face."""
        uv = self._search.nearest(xyz)
        outside = ~self.inside(uv)
        if np.any(outside):
            # The foot is beyond the trim: the boundary counts there, unless another foot is inside.
            uv[outside] = self._on_trim(self._trim_search.nearest(xyz[outside]))
        return uv

    def inside(self, uv: Floats) -> Bools:
        """Say which parameters (n, 2) lie within the loops; those on a loop do."""
        points, ends = self._polygon
        scale = 1.0 / (self._ends[:, 1] - self._ends[:, 0])
        found = np.empty(len(uv), dtype=np.bool_)
        gap = np.empty(len(uv))
        _inside(points * scale, ends, np.ascontiguousarray(uv * scale), found, gap)
        near = gap <= self._sag
        if np.any(near):
            found[near] = self._at_left(uv[near])
        return found

    @cached_property
    def _search(self) -> SurfaceSearch:
        breaks = self.patch.sharp
        counts = [max(_SEEDS, 4 * (len(b) - 1)) for b in self.patch.breaks]
        counts = [min(c, 200) for c in counts]
        return SurfaceSearch(self.patch.jet, breaks, self.closed, (counts[0], counts[1]), self.inside)

    # --- the trim, as one curve whose parameter counts its edges -------------------------------------

    def _edge_jets(self, t: Floats) -> Jet:
        """Give places and derivatives in the parameter plane (n, 3), running with the face at the left."""
        number = np.clip(np.floor(t).astype(np.int64), 0, len(self._trims) - 1)
        found = [np.empty((len(t), 3)) for _ in range(3)]
        for n in np.unique(number):
            edge, here = self._trims[n], number == n
            low, high = edge.trace.ends
            way = 1.0 if edge.forward else -1.0
            part = t[here] - n if edge.forward else 1 - (t[here] - n)
            place, first, second = edge.trace.jet(low + part * (high - low))
            found[0][here] = place
            found[1][here] = way * (high - low) * first
            found[2][here] = (high - low) ** 2 * second
        return found[0], found[1], found[2]

    def _on_trim(self, t: Floats) -> Floats:
        uv = self._edge_jets(t)[0][:, :2]
        return np.clip(uv, self._ends[:, 0], self._ends[:, 1])

    def _trim_jet(self, t: Floats) -> Jet:
        """Give the trim as it lies on the patch, by the chain rule."""
        uv, d1, d2 = self._edge_jets(t)
        place, du, dv, duu, duv, dvv = self.patch.jet(np.clip(uv[:, :2], self._ends[:, 0], self._ends[:, 1]))
        u1, v1, u2, v2 = d1[:, :1], d1[:, 1:2], d2[:, :1], d2[:, 1:2]
        second = duu * u1**2 + 2 * duv * u1 * v1 + dvv * v1**2 + du * u2 + dv * v2
        return place, du * u1 + dv * v1, second

    @cached_property
    def _trim_knots(self) -> Floats:
        """The edges' ends and inner knots, as parameters of the whole trim."""
        found = [np.array([float(len(self._trims))])]
        for n, edge in enumerate(self._trims):
            low, high = edge.trace.ends
            inner = (edge.trace.net.knots - low) / (high - low)
            inner = np.unique(np.clip(inner if edge.forward else 1 - inner, 0, 1))
            found.append(n + inner[inner < 1])
        return np.unique(np.concatenate(found))

    @cached_property
    def _trim_search(self) -> CurveSearch:
        return CurveSearch(self._trim_jet, self._trim_knots, closed=False)

    @cached_property
    def _plane_search(self) -> CurveSearch:
        return CurveSearch(self._edge_jets, self._trim_knots, closed=False)

    def _at_left(self, uv: Floats) -> Bools:
        """Decide near the trim: on which side of its exact curve a place lies."""
        flat = np.column_stack([uv, np.zeros(len(uv))])
        t = self._plane_search.nearest(flat)
        place, first, _ = self._edge_jets(t)
        away = flat - place
        across = first[:, 0] * away[:, 1] - first[:, 1] * away[:, 0]
        size = float(np.max(self._ends[:, 1] - self._ends[:, 0]))
        return np.asarray((across >= 0) | (np.linalg.norm(away, axis=1) <= 1e-9 * size))

    @cached_property
    def _polygon(self) -> tuple[Floats, Ints]:
        """The loops as straight pieces: places (n, 2) and the end of each loop."""
        parts, ends, done = [], [], 0
        edge_number = 0
        for loop in self.loops:
            for _ in loop:
                knots = self._trim_knots[
                    (self._trim_knots >= edge_number) & (self._trim_knots < edge_number + 1)
                ]
                straight = self._trims[edge_number].trace.net.degree == 1
                fine = knots if straight else _divided(np.append(knots, edge_number + 1), _PIECES)[:-1]
                parts.append(self._edge_jets(np.minimum(fine, edge_number + 1 - 1e-15))[0][:, :2])
                done += len(fine)
                edge_number += 1
            ends.append(done)
        return np.ascontiguousarray(np.concatenate(parts)), np.array(ends, dtype=np.int64)

    @cached_property
    def _sag(self) -> float:
        """How far the straight pieces stay from the trim at most, as a share of the parameter ranges."""
        scale = 1.0 / (self._ends[:, 1] - self._ends[:, 0])
        fine = _divided(self._trim_knots, 8 * _PIECES)
        coarse = _divided(self._trim_knots, _PIECES)
        exact = self._edge_jets(fine)[0][:, :2] * scale
        ends = self._edge_jets(coarse)[0][:, :2] * scale
        drawn = np.stack([np.interp(fine, coarse, ends[:, k]) for k in range(2)], axis=1)
        # Between edges the parameter jumps; a piece never spans two edges.
        return 2 * float(np.max(np.linalg.norm(exact - drawn, axis=1), initial=0.0)) + 1e-9

    # --- area and volume by Green's theorem ----------------------------------------------------------

    @property
    def area(self) -> float:
        """Area of the trimmed face."""
        return self._integrals[0]

    @property
    def swept_volume(self) -> float:
        """A third of the integral of place · outward normal."""
        return -self._integrals[1] if self.reversed else self._integrals[1]

    @cached_property
    def _integrals(self) -> tuple[float, float]:
        """Integrate over the loops, on ever finer panels until the area no longer changes."""
        found = self._integrated(1)
        for fine in (2, 4, 8):
            before, found = found, self._integrated(fine)
            if abs(found[0] - before[0]) <= _SETTLED * abs(found[0]):
                break
        return found

    def _integrated(self, fine: int) -> tuple[float, float]:
        """Integrate over the loops: ∬ f du dv = ∮ F dv, where F is the integral of f along u."""
        t = self._loop_panels(fine)
        half = 0.5 * np.diff(t)
        nodes = (0.5 * (t[1:] + t[:-1])[:, None] + half[:, None] * _GAUSS_X).ravel()
        weight = (half[:, None] * _GAUSS_W).ravel()
        uv, first, _ = self._edge_jets(nodes)
        rate = weight * first[:, 1]
        area, volume = (rate @ part for part in self._along_u(uv[:, 0], uv[:, 1], fine))
        return float(area), float(volume)

    def _loop_panels(self, fine: int) -> Floats:
        """Give trim parameters between which the integrand is smooth: also where it crosses the breaks."""
        panels = _divided(self._trim_knots, 2 * fine)
        uv = self._edge_jets(np.minimum(panels, len(self._trims)))[0]
        cuts = [panels]
        for axis, breaks in enumerate(part[1:-1] for part in self.patch.breaks):
            for value in breaks:
                away = uv[:, axis] - value
                change = np.flatnonzero(away[:-1] * away[1:] < 0)
                for n in change[np.floor(panels[change]) == np.floor(panels[change + 1] - 1e-12)]:
                    cuts.append(np.array([self._crossing(axis, value, panels[n], panels[n + 1])]))
        return np.unique(np.concatenate(cuts))

    def _crossing(self, axis: int, value: float, low: float, high: float) -> float:
        def away(t: float) -> float:
            return float(self._edge_jets(np.array([t]))[0][0, axis]) - value

        high = min(high, np.floor(low) + 1 - 1e-13)
        return float(scipy.optimize.brentq(away, low, high)) if away(low) * away(high) < 0 else low

    def _along_u(self, u: Floats, v: Floats, fine: int) -> tuple[Floats, Floats]:
        """Integrate the area element, and a third of place · normal, from the first u to each u (n,)."""
        area, volume = np.zeros(len(u)), np.zeros(len(u))
        for low, high in pairwise(_divided(self.patch.breaks[0], fine)):
            end = np.clip(u, low, high)
            half = 0.5 * (end - low)
            at = (0.5 * (end + low))[:, None] + half[:, None] * _GAUSS_X
            uv = np.stack([at.ravel(), np.repeat(v, len(_GAUSS_X))], axis=1)
            place, du, dv, *_ = self.patch.jet(np.clip(uv, self._ends[:, 0], self._ends[:, 1]))
            across = np.cross(du, dv)
            weight = (half[:, None] * _GAUSS_W).ravel()
            area += (weight * np.linalg.norm(across, axis=1)).reshape(len(u), -1).sum(axis=1)
            volume += (weight * dot(place, across)).reshape(len(u), -1).sum(axis=1) / 3
        return area, volume

    # --- boundary and drawing ------------------------------------------------------------------------

    @cached_property
    def borders(self) -> tuple[Border, ...]:
        """The edges of the loops; seams and poles are none."""
        return tuple(
            Border(edge.key, edge.curve) for edge in self._trims if not edge.seam and edge.curve is not None
        )

    def _facets(self) -> Facets:
        """Give the triangles that came with the face."""
        if self.drawn is None:
            raise RuntimeError("the face was made without facets")
        uv, triangles = self.drawn
        kept = np.clip(
            uv, *(self._ends[:, k] + (1e-6 if k == 0 else -1e-6) * np.ptp(self._ends, axis=1) for k in (0, 1))
        )
        return Facets(self.patch.jet(uv)[0], triangles, self.normal(kept))


def _divided(knots: Floats, pieces: int) -> Floats:
    part = np.arange(pieces) / pieces
    inner = (knots[:-1, None] + part * np.diff(knots)[:, None]).ravel()
    return np.append(inner, knots[-1])


@numba.njit(cache=True, nogil=True, parallel=True)
def _inside(points: Floats, ends: Ints, uv: Floats, found: Bools, gap: Floats) -> None:
    """Count crossings of a ray along +u with all loops; also gives the distance to the pieces."""
    for n in numba.prange(len(uv)):
        x, y = uv[n, 0], uv[n, 1]
        odd = False
        best = np.inf
        start = 0
        for loop in range(len(ends)):
            end = ends[loop]
            px, py = points[end - 1, 0], points[end - 1, 1]
            for k in range(start, end):
                qx, qy = points[k, 0], points[k, 1]
                if (qy > y) != (py > y) and x < (px - qx) * (y - qy) / (py - qy) + qx:
                    odd = not odd
                dx, dy = qx - px, qy - py
                square = dx * dx + dy * dy
                part = 0.0
                if square > 0:
                    part = min(max(((x - px) * dx + (y - py) * dy) / square, 0.0), 1.0)
                rx, ry = x - px - part * dx, y - py - part * dy
                best = min(best, rx * rx + ry * ry)
                px, py = qx, qy
            start = end
        found[n] = odd
        gap[n] = np.sqrt(best)

"""Rational B-splines (NURBS) as piecewise polynomials: curves, and the patches of surfaces.

The basis is turned into powers of a local parameter from 0 to 1 on every span (Piegl & Tiller, The
NURBS Book, 1997, ch. 2 to 4), which numba evaluates fast.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.curve import Jet
from plodek.core.shape.curves.parametric import ParametricCurve


@dataclass(frozen=True)
class Net:
    """The control net of a curve or of one direction of a surface: degree, and knots with repeats (k,)."""

    degree: int
    knots: Floats


def _powers(net: Net, weighted: Floats) -> tuple[Floats, Floats]:
    """Turn coefficients (n, ...) into powers (degree + 1, spans, ...) of local parameters 0 to 1."""
    spline = scipy.interpolate.BSpline(net.knots, weighted, net.degree)
    breaks = np.unique(net.knots[net.degree : len(net.knots) - net.degree])
    width = np.diff(breaks).reshape(-1, *([1] * (weighted.ndim - 1)))
    # The Taylor series at the start of each span, scaled to its width, highest power first.
    return np.stack(
        [
            np.asarray(spline(breaks[:-1], nu=k)) * width**k / math.factorial(k)
            for k in range(net.degree, -1, -1)
        ]
    ), breaks


def sharp_breaks(net: Net, breaks: Floats) -> Floats:
    """Give the breaks where the basis is only continuous, both ends included."""
    repeats = np.array([np.sum(net.knots == b) for b in breaks])
    repeats[[0, -1]] = net.degree
    return breaks[repeats >= net.degree]


class Nurbs:
    """Poles (n, 3) with weights (n,) over a knot vector, addressed by its own parameter.

    Raises BadValue where their numbers do not fit, or a weight is not positive.
    """

    def __init__(self, net: Net, poles: Floats, weights: Floats) -> None:
        if len(net.knots) != len(poles) + net.degree + 1:
            raise BadValue(
                f"{len(poles)} poles do not fit {len(net.knots)} knots of degree {net.degree}",
                remedy="export the curve anew",
            )
        if not np.all(weights > 0):
            raise BadValue("a weight of the curve is not positive", remedy="export the curve anew")
        self.net, self.poles, self.weights = net, poles, weights
        weighted = np.column_stack([poles * weights[:, None], weights])
        powers, self.breaks = _powers(net, weighted)
        self._powers = np.ascontiguousarray(powers)

    @property
    def ends(self) -> tuple[float, float]:
        """The first and the last parameter."""
        return float(self.breaks[0]), float(self.breaks[-1])

    def jet(self, u: Floats, *, before: bool = False) -> Jet:
        """Give place and derivatives (n, 3) at parameters ``u`` (n,); at a break those after or before it."""
        out = np.empty((3, len(u), 3))
        _curve_jet(self._powers, self.breaks, np.ascontiguousarray(u, dtype=np.float64), before, out)
        return out[0], out[1], out[2]

    def turns(self, before: float, after: float) -> bool:
        """Say whether the direction just before one parameter differs from that just after another."""
        a = self.jet(np.array([before]), before=True)[1][0]
        b = self.jet(np.array([after]))[1][0]
        return bool(a @ b < np.cos(np.radians(1e-3)) * np.linalg.norm(a) * np.linalg.norm(b))


class NurbsCurve(ParametricCurve):
    """A NURBS curve as a guide. Raises BadValue as `Nurbs` does."""

    def __init__(self, net: Net, poles: Floats, weights: Floats) -> None:
        form = Nurbs(net, poles, weights)
        self.form = form
        low, high = form.ends
        sharp = [float(b) for b in sharp_breaks(net, form.breaks)[1:-1] if form.turns(b, b)]
        places = form.jet(np.array([low, high]))[0]
        size = float(np.max(np.ptp(poles, axis=0)))
        closed = bool(np.linalg.norm(places[1] - places[0]) <= 1e-9 * size) and len(poles) > 2
        start = [low] if not closed or form.turns(high, low) else []
        corners = [*start, *sharp] if closed else [low, *sharp, high]
        super().__init__(form.breaks, closed=closed, sharp=np.array(corners), points=poles)

    def _jet(self, u: Floats) -> Jet:
        return self.form.jet(u)


class NurbsPatch:
    """The untrimmed surface of poles (n, m, 3) with weights (n, m) over two knot vectors."""

    #: What the patch was read from, where it came from a file.
    tree: dict[str, Any] | None = None

    def __init__(self, u: Net, v: Net, poles: Floats, weights: Floats) -> None:
        if poles.shape[:2] != (len(u.knots) - u.degree - 1, len(v.knots) - v.degree - 1):
            raise BadValue("the poles do not fit the knots of a face", remedy="export the face anew")
        if not np.all(weights > 0):
            raise BadValue("a weight of the face is not positive", remedy="export the face anew")
        self.u, self.v, self.poles, self.weights = u, v, poles, weights
        weighted = np.concatenate([poles * weights[..., None], weights[..., None]], axis=-1)
        along_u, self.u_breaks = _powers(u, weighted)  # (p+1, spans u, m, 4)
        along_v, self.v_breaks = _powers(v, np.moveaxis(along_u, 2, 0))  # (q+1, spans v, p+1, spans u, 4)
        self._c = np.ascontiguousarray(along_v.transpose(3, 1, 2, 0, 4))  # (su, sv, p+1, q+1, 4)

    @property
    def breaks(self) -> tuple[Floats, Floats]:
        """The parameters between which the patch is smooth, in u and in v."""
        return self.u_breaks, self.v_breaks

    @property
    def sharp(self) -> tuple[Floats, Floats]:
        """The parameters of its sharp lines in u and in v, ends included."""
        return sharp_breaks(self.u, self.u_breaks), sharp_breaks(self.v, self.v_breaks)

    def jet(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives by u, v, uu, uv, vv (n, 3) at parameters (n, 2)."""
        out = np.empty((6, len(uv), 3))
        _patch_jet(self._c, self.u_breaks, self.v_breaks, np.ascontiguousarray(uv), out)
        return out[0], out[1], out[2], out[3], out[4], out[5]


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _curve_jet(powers: Floats, breaks: Floats, u: Floats, before: bool, out: Floats) -> None:
    """Horner's rule with two derivatives; then the division by the weight (Piegl & Tiller, eq. 4.8)."""
    h = np.empty((3, 4))
    for n in range(len(u)):
        i = _span(breaks, u[n])
        if before and i > 0 and breaks[i] == u[n]:
            i -= 1
        width = breaks[i + 1] - breaks[i]
        t = (u[n] - breaks[i]) / width
        for k in range(4):
            f = f1 = f2 = 0.0
            for a in range(powers.shape[0]):
                f2 = f2 * t + 2 * f1
                f1 = f1 * t + f
                f = f * t + powers[a, i, k]
            h[0, k], h[1, k], h[2, k] = f, f1 / width, f2 / width**2
        w = h[0, 3]
        for k in range(3):
            x = h[0, k] / w
            x1 = (h[1, k] - h[1, 3] * x) / w
            out[0, n, k], out[1, n, k] = x, x1
            out[2, n, k] = (h[2, k] - 2 * h[1, 3] * x1 - h[2, 3] * x) / w


@numba.njit(cache=True, nogil=True, inline="always")
def _span(breaks: Floats, u: float) -> int:
    low, high = 0, len(breaks) - 1
    while high - low > 1:
        middle = (low + high) // 2
        if breaks[middle] <= u:
            low = middle
        else:
            high = middle
    return low


@numba.njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _patch_jet(c: Floats, u_breaks: Floats, v_breaks: Floats, uv: Floats, out: Floats) -> None:
    """Horner's rule in both directions, with two derivatives; then the division by the weight."""
    rows, columns = c.shape[2], c.shape[3]
    for n in numba.prange(len(uv)):
        i, j = _span(u_breaks, uv[n, 0]), _span(v_breaks, uv[n, 1])
        hu, hv = u_breaks[i + 1] - u_breaks[i], v_breaks[j + 1] - v_breaks[j]
        s, t = (uv[n, 0] - u_breaks[i]) / hu, (uv[n, 1] - v_breaks[j]) / hv
        h = np.zeros((6, 4))
        for k in range(4):
            f = fu = fv = fuu = fuv = fvv = 0.0
            for a in range(rows):
                g = gv = gvv = 0.0
                for b in range(columns):
                    gvv = gvv * t + 2 * gv
                    gv = gv * t + g
                    g = g * t + c[i, j, a, b, k]
                fuu = fuu * s + 2 * fu
                fu = fu * s + f
                fuv = fuv * s + fv
                f = f * s + g
                fv = fv * s + gv
                fvv = fvv * s + gvv
            h[0, k], h[1, k], h[2, k] = f, fu / hu, fv / hv
            h[3, k], h[4, k], h[5, k] = fuu / hu**2, fuv / (hu * hv), fvv / hv**2
        w = h[0, 3]
        for k in range(3):
            x = h[0, k] / w
            xu = (h[1, k] - h[1, 3] * x) / w
            xv = (h[2, k] - h[2, 3] * x) / w
            out[0, n, k], out[1, n, k], out[2, n, k] = x, xu, xv
            out[3, n, k] = (h[3, k] - 2 * h[1, 3] * xu - h[3, 3] * x) / w
            out[4, n, k] = (h[4, k] - h[1, 3] * xv - h[2, 3] * xu - h[4, 3] * x) / w
            out[5, n, k] = (h[5, k] - 2 * h[2, 3] * xv - h[5, 3] * x) / w

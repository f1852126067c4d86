"""Writing guides as STEP and STL.

Lines, arcs, ellipses, splines, NURBS, planes and everything turned about an axis are written exactly.
Other curves and surfaces are written as cubic splines through places on them, close enough to stay
within 1e-8 of their size.
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from typing import Any

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.curves.nurbs import Net, NurbsCurve
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.files import cad_file, mesh_file
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.surfaces.analytic import Turned
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.surface import SmoothSurface, Surface
from plodek.core.shape.surfaces.swept import Extruded, Revolved
from plodek.core.shape.surfaces.triangulated import Triangulated, weld
from plodek.core.shape.surfaces.trimmed_face import TrimmedFace
from plodek.core.units import factor

_NEAR = 1e-8


def step(guides: Mapping[str, Guide], unit: str) -> bytes:
    """Write guides with their names as STEP, in the project's unit. Raises BadValue for triangulated ones."""
    return cad_file.write(tree_of(guides, unit))


def tree_of(guides: Mapping[str, Guide], unit: str) -> dict[str, Any]:
    """Give guides as `cad_file.write` takes them. Raises BadValue for triangulated ones."""
    scale = factor(unit, "mm")
    rough = [name for name, guide in guides.items() if isinstance(guide, Triangulated)]
    if rough:
        raise BadValue(f"“{rough[0]}” is triangulated, which STEP is not for", remedy="write it as STL")
    faces, curves, points = [], [], []
    for name, guide in guides.items():
        if isinstance(guide, Point):
            points.append({"name": name, "xyz": [v * scale for v in guide.xyz]})
        elif isinstance(guide, Curve):
            curve = cad_file.packed_curve(nurbs_of(guide).form, scale)
            curves.append({"name": name, "curve": curve})
        else:
            assert isinstance(guide, SmoothSurface)
            faces += [{"name": name, **face} for face in _faces(guide, scale)]
    return {"faces": faces, "curves": curves, "points": points, "unit": unit}


def stl(guides: Mapping[str, Guide], unit: str, target: str) -> bytes:
    """Write surfaces as STL in the unit ``target``: triangulated ones exactly, others as they are drawn."""
    surfaces = []
    for name, guide in guides.items():
        if isinstance(guide, Triangulated):
            surfaces.append((name, guide))
        elif isinstance(guide, Surface):
            drawn = guide.facets
            size = float(np.max(np.ptp(drawn.xyz, axis=0)))
            surfaces.append((name, Triangulated(*weld(drawn.xyz, drawn.triangles, 1e-9 * size))))
    if not surfaces:
        raise BadValue("none of the chosen guides is a surface", remedy="choose surfaces, or write STEP")
    return mesh_file.write_stl(((n, s.xyz, s.triangles) for n, s in surfaces), factor(unit, target))


def nurbs_of(curve: Curve) -> NurbsCurve:
    """Give a curve as NURBS, exactly where that can be, else within 1e-8 of its length."""
    if isinstance(curve, NurbsCurve):
        return curve
    if isinstance(curve, Polyline):
        ends = curve.corners
        places = np.vstack([curve.points, curve.points[:1]]) if curve.closed else curve.points
        inner = np.append(ends, 1.0) if curve.closed else ends
        return NurbsCurve(Net(1, np.concatenate([[0.0], inner, [1.0]])), places, np.ones(len(places)))
    if isinstance(curve, Arc):
        return _conic(
            curve.centre,
            curve.radius * curve.frame[0],
            curve.radius * curve.frame[1],
            curve.first,
            curve.turn,
        )
    if isinstance(curve, Ellipse):
        a, b = (size * axis for size, axis in zip(curve.semi_axes, curve.frame[:2], strict=True))
        return _conic(curve.centre, a, b, curve.first, curve.turn)
    if isinstance(curve, Spline):
        return _bezier(curve.pieces)
    return _bezier(_fitted(curve))


def _conic(centre: Floats, a: Floats, b: Floats, first: float, turn: float) -> NurbsCurve:
    """Give a part of an ellipse as rational quadratic pieces of at most a quarter turn."""
    count = int(np.ceil(abs(turn) / (np.pi / 2) - 1e-9))
    half = turn / (2 * count)
    angles = first + half * np.arange(2 * count + 1)
    weights = np.where(np.arange(2 * count + 1) % 2, np.cos(half), 1.0)
    out = np.cos(angles)[:, None] * a + np.sin(angles)[:, None] * b
    knots = np.concatenate([[0.0], np.repeat(np.arange(count + 1.0), 2), [float(count)]])
    return NurbsCurve(Net(2, knots), centre + out / weights[:, None], weights)


def _bezier(pieces: scipy.interpolate.PPoly) -> NurbsCurve:
    """Give cubic pieces as a B-spline with every knot three times: the same curve."""
    bernstein = scipy.interpolate.BPoly.from_power_basis(pieces)
    poles = np.concatenate([bernstein.c[:3].transpose(1, 0, 2).reshape(-1, 3), bernstein.c[3][-1:]])
    knots = np.concatenate([pieces.x[:1], np.repeat(pieces.x, 3), pieces.x[-1:]])
    return NurbsCurve(Net(3, knots), poles, np.ones(len(poles)))


def _fitted(curve: Curve) -> scipy.interpolate.PPoly:
    """Fit cubic pieces through places of each smooth stretch, with its end tangents."""
    ends = np.union1d(curve.corners, [0.0, 1.0])
    found = []
    for a, b in pairwise(ends):
        for count in (16, 32, 64, 128, 256, 512, 1024, 2048):
            s = np.linspace(a, b, count + 1)
            inner = np.concatenate([[a + 1e-12], s[1:-1], [b - 1e-12]])
            place, first, _ = curve.derivatives(inner)
            place[[0, -1]] = curve.at(s[[0, -1]])
            spline = scipy.interpolate.CubicSpline(s, place, bc_type=((1, first[0]), (1, first[-1])))
            middle = 0.5 * (s[1:] + s[:-1])
            if np.max(np.abs(spline(middle) - curve.at(middle))) <= _NEAR * curve.length:
                break
        found.append(spline)
    knots = np.concatenate([found[0].x[:1], *(part.x[1:] for part in found)])
    return scipy.interpolate.PPoly(np.concatenate([part.c for part in found], axis=1), knots)


def _faces(surface: SmoothSurface, scale: float) -> list[dict[str, Any]]:
    if isinstance(surface, TrimmedFace):
        loops = [
            [{"trace": cad_file.packed_curve(e.trace, 1.0), "forward": e.forward} for e in loop]
            for loop in surface.loops
        ]
        low, high = ([b[k] for b in surface.patch.breaks] for k in (0, -1))
        tree = surface.patch.tree or _fit(surface, low, high, scale)
        return [{"patch": tree, "loops": loops, "reversed": surface.reversed}]
    assert isinstance(surface, GeneratedSurface)
    exact = _extruded(surface, scale) if isinstance(surface, Extruded) else _turned(surface, scale)
    if exact is not None:
        return [{"patch": exact, "loops": [], "reversed": False}]
    return [
        {"patch": _fit(surface, (u0, v0), (u1, v1), scale), "loops": [], "reversed": False}
        for u0, u1 in pairwise(surface.breaks[0])
        for v0, v1 in pairwise(surface.breaks[1])
    ]


def _extruded(surface: Extruded, scale: float) -> dict[str, Any]:
    """Give an extruded curve, as exactly as the curve itself."""
    form = nurbs_of(surface.curve).form
    return {
        "type": "nurbs", "bounds": [*form.ends, 0.0, 1.0], "degrees": [form.net.degree, 1],
        "u_knots": form.net.knots, "v_knots": np.array([0.0, 0.0, 1.0, 1.0]),
        "poles": scale * np.stack([form.poles, form.poles + surface.by], axis=1),
        "weights": np.stack([form.weights, form.weights], axis=1),
    }  # fmt: skip


def _turned(surface: GeneratedSurface, scale: float) -> dict[str, Any] | None:
    """Give what a curve turned about an axis makes, exactly; None for other surfaces."""
    if isinstance(surface, Turned):
        curve = nurbs_of(surface.meridian()).form
        origin, axis, turn = surface.origin, surface.frame[2], surface.turn
    elif isinstance(surface, Revolved):
        curve = nurbs_of(surface.curve).form
        origin, axis, turn = surface.origin, surface.axis, surface.turn
        if turn < 0:
            axis, turn = -axis, -turn
    else:
        return None
    return {
        "type": "revolution", "bounds": [0.0, turn, *curve.ends], "origin": origin * scale, "axis": axis,
        "curve": cad_file.packed_curve(curve, scale),
    }  # fmt: skip


def _fit(surface: SmoothSurface, low: Any, high: Any, scale: float) -> dict[str, Any]:
    """Fit a bicubic spline through places over a range of parameters, which it keeps."""
    for count in (4, 8, 16, 32, 64, 128):
        u, v = (np.linspace(low[k], high[k], count + 1) for k in (0, 1))
        inset = [1e-12 * (high[k] - low[k]) for k in (0, 1)]
        inner = [np.clip(w, w[0] + i, w[-1] - i) for w, i in zip((u, v), inset, strict=True)]
        xyz = _grid(surface, *inner)
        along = scipy.interpolate.make_interp_spline(u, xyz, k=3)
        both = scipy.interpolate.make_interp_spline(v, np.moveaxis(along.c, 1, 0), k=3)
        halves = [0.5 * (w[1:] + w[:-1]) for w in (u, v)]
        near = np.moveaxis(
            scipy.interpolate.make_interp_spline(v, np.moveaxis(along(halves[0]), 1, 0), k=3)(halves[1]), 1, 0
        )
        size = float(np.max(np.ptp(xyz.reshape(-1, 3), axis=0)))
        if np.max(np.abs(near - _grid(surface, *halves))) <= _NEAR * size:
            break
    poles = np.moveaxis(both.c, 1, 0) * scale
    return {
        "type": "nurbs", "bounds": [low[0], high[0], low[1], high[1]], "degrees": [3, 3],
        "u_knots": along.t, "v_knots": both.t, "poles": poles, "weights": np.ones(poles.shape[:2]),
    }  # fmt: skip


def _grid(surface: SmoothSurface, u: Floats, v: Floats) -> Floats:
    uv = np.stack(np.meshgrid(u, v, indexing="ij"), -1).reshape(-1, 2)
    return surface.at(uv).reshape(len(u), len(v), 3)

"""Closest places on surfaces."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from OCP.GeomAbs import GeomAbs_C2
from OCP.GeomAPI import GeomAPI_PointsToBSplineSurface, GeomAPI_ProjectPointOnSurf
from OCP.gp import gp_Pnt
from OCP.OCP.collections import Array2_gp_Pnt
from report import QUICK, say, seconds

from plodek.core.shape.curves.nurbs import Net, Nurbs
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.curves.wing_section import section
from plodek.core.shape.files.cad_reading import net_of
from plodek.core.shape.surfaces import analytic
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.patch import patch_of
from plodek.core.shape.surfaces.spanned import Lofted
from plodek.core.shape.surfaces.swept import Extruded, PathFrame, Revolved, Swept
from plodek.core.shape.surfaces.triangulated import Triangulated
from plodek.core.shape.surfaces.trimmed_face import TrimEdge, TrimmedFace

SPHERE = (40, 20) if QUICK else (450, 225)


def closest_places() -> None:
    """Analytic surfaces, a lofted vane, a NURBS face against the CAD kernel's own, and triangles."""
    rng = np.random.default_rng(2)
    places = rng.uniform(-2, 2, (2_000 if QUICK else 1_000_000, 3))
    frame, turn = np.eye(3), 2 * np.pi
    shapes = [
        analytic.Plane(np.zeros(3), frame, 1.0, 1.0),
        analytic.cylinder(np.zeros(3), frame, 1.0, 2.0, turn),
        analytic.cone(np.zeros(3), frame, (1.0, 0.5), 2.0, turn),
        analytic.sphere(np.zeros(3), frame, 1.0, (-1.5, 1.5), turn),
        analytic.torus(np.zeros(3), frame, 1.0, 0.3, turn),
    ]
    slowest = max(seconds(lambda s=shape: s.nearest(places), 3) for shape in shapes)
    say("closest places on the slowest analytic surface", f"{1 / slowest:.1f} M/s", ">= 5 M/s")
    u = np.stack(np.meshgrid(*(np.linspace(0, 1, n) for n in SPHERE), indexing="ij"), -1).reshape(-1, 2)
    vane = lofted_vane()
    say("closest places on a vane lofted from three sections", f"{_rate(vane):.2f} M/s", ">= 1 M/s")
    say("  of places in any order", f"{_rate(vane, in_order=False):.2f} M/s", "-")
    slowest_rate = min(map(_rate, swept_surfaces()))
    say("closest places on the slowest swept surface", f"{slowest_rate:.2f} M/s", ">= 1 M/s")
    surface, face = nurbs_face()
    near = rng.uniform(0.05, 0.95, (2_000 if QUICK else 200_000, 3)) * [1, 1, 0.4] - [0, 0, 0.2]
    face.nearest(near[:10])
    ours = seconds(lambda: face.nearest(near), 3) / len(near)
    kernel = GeomAPI_ProjectPointOnSurf()
    kernel.Init(surface, 0.0, 1.0, 0.0, 1.0, 1e-10)
    some = [gp_Pnt(*map(float, xyz)) for xyz in near[:2000]]

    def one_by_one() -> list[float]:
        found = []
        for point in some:
            kernel.Perform(point)
            found.append(kernel.LowerDistance())
        return found

    theirs = seconds(one_by_one, 2) / len(some)
    gap = np.linalg.norm(face.onto(near[:2000]) - near[:2000], axis=1)
    worse = float(np.max(gap - np.array(one_by_one())))
    say("closest places on a NURBS face over the CAD kernel's", f"{theirs / ours:.1f} x", ">= 20 x")
    say("  ours farther than the kernel's by at most", f"{max(worse, 0):.1e}", "<= 1e-9")
    ball = shapes[3]
    index = np.arange(SPHERE[0] * SPHERE[1]).reshape(SPHERE)
    a, b, c, d = (index[i, j].ravel() for i, j in (
        (slice(-1), slice(-1)), (slice(1, None), slice(-1)), (slice(1, None), slice(1, None)),
        (slice(-1), slice(1, None))))  # fmt: skip
    bumps = 1 + 0.02 * np.sin(9 * u[:, :1])
    mesh = Triangulated(ball.at(u) * bumps, np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]))
    beside_count = 2_000 if QUICK else 300_000
    beside = mesh.xyz[rng.integers(0, len(mesh.xyz), beside_count)] * rng.uniform(
        0.97, 1.03, (beside_count, 1)
    )
    mesh.nearest(beside[:10])
    rate = len(beside) / seconds(lambda: mesh.nearest(beside), 3)
    say(f"closest places on {len(mesh.triangles)} triangles", f"{rate / 1e3:.0f} k/s", ">= 300 k/s")


def _rate(surface: GeneratedSurface, *, in_order: bool = True) -> float:
    """Give how many million places a second are put onto a surface, as a side's nodes or in any order."""
    rng = np.random.default_rng(3)
    counts = (50, 40) if QUICK else (500, 400)
    uv = np.stack(np.meshgrid(*(np.linspace(0, 1, n) for n in counts), indexing="ij"), -1).reshape(-1, 2)
    beside = surface.at(uv) + 0.002 * rng.normal(size=(len(uv), 3))
    if not in_order:
        beside = rng.permutation(beside)
    surface.nearest(beside[:1000])
    return len(beside) / seconds(lambda: surface.nearest(beside), 3) / 1e6


def swept_surfaces() -> Iterator[GeneratedSurface]:
    """Give surfaces extruded squarely and obliquely, revolved of a plane curve and another, and swept."""
    flat, other = (
        Spline(
            np.array([[0, 0, 0], [1, 0.3, a], [2, -0.2, b], [3, 0.1, a]], float),
            closed=False,
            corner_angle=35,
        )
        for a, b in ((0, 0), (0.2, 0.5))
    )
    below, along = np.array([0.0, -3.0, 0.0]), np.array([1.0, 0.0, 0.0])
    yield Extruded(flat, np.array([0.0, 0.0, 2.0]))
    yield Extruded(flat, np.array([0.5, 0.7, 2.0]))
    yield from (Revolved(curve, below, along, 2.0) for curve in (flat, other))
    t = np.linspace(0, 2, 9)
    path = _open_spline(np.stack([4 * np.cos(t), 4 * np.sin(t), t], axis=1))
    yield Swept(flat, PathFrame(path))


def _open_spline(points: np.ndarray[Any, Any]) -> Spline:
    return Spline(points, closed=False, corner_angle=35)


def nurbs_face() -> tuple[Any, TrimmedFace]:
    """Give a bicubic face over the unit square, as the kernel's surface and as ours."""
    n = 20
    grid = Array2_gp_Pnt(1, n, 1, n)
    for i in range(n):
        for j in range(n):
            x, y = i / (n - 1), j / (n - 1)
            grid.SetValue(i + 1, j + 1, gp_Pnt(x, y, 0.1 * np.sin(5 * x) * np.cos(4 * y)))
    surface = GeomAPI_PointsToBSplineSurface(grid, 3, 3, GeomAbs_C2, 1e-6).Surface()
    ends = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 0]])
    traces = [Nurbs(Net(1, np.array([0.0, 0, 1, 1])), ends[k : k + 2], np.ones(2)) for k in range(4)]
    patch = patch_of({"type": "nurbs", **net_of(surface)}, 1.0)
    return surface, TrimmedFace(patch, [[TrimEdge("", trace, True, None) for trace in traces]])


def lofted_vane() -> Lofted:
    """Give a twisted vane with a sharp tail, through three sections."""
    sections = []
    for height, size, turn in ((0.0, 1.0, 0.0), (1.0, 0.9, 0.2), (2.0, 0.7, 0.5)):
        c, s = np.cos(turn), np.sin(turn)
        points = size * section("4412", 41, sharp=True) @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
        sections.append(Spline(points + np.array([0, 0, height]), closed=True, corner_angle=35))
    return Lofted(sections, as_drawn=True)

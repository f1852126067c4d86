"""Imported faces against the CAD kernel itself (Open CASCADE), and files that go round."""

import math

import numpy as np
import pytest
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.IGESControl import IGESControl_Writer
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.files import cad_file, export, geometry_file
from plodek.core.shape.files.contents import guides_of
from plodek.core.shape.frame import Z, frame_of
from plodek.core.shape.mend import examine
from plodek.core.shape.surfaces import analytic
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.swept import Extruded, Revolved
from tests.conftest import demo_file

pytestmark = pytest.mark.slow


def _box():
    return BRepPrimAPI_MakeBox(4.0, 3.0, 2.0).Shape()


def _fillet():
    rounded = BRepFilletAPI_MakeFillet(_box())
    edges = TopExp_Explorer(_box(), TopAbs_EDGE)
    shape = _box()
    rounded = BRepFilletAPI_MakeFillet(shape)
    edges = TopExp_Explorer(shape, TopAbs_EDGE)
    for radius in (0.5, 0.3):
        rounded.Add(radius, TopoDS.Edge(edges.Current()))
        edges.Next()
    return rounded.Shape()


def _drilled():
    drill = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(2, 1.5, -1), gp_Dir(0, 0, 1)), 0.7, 5.0).Shape()
    return BRepAlgoAPI_Cut(_box(), drill).Shape()


def _cap():
    ball, box = (
        BRepPrimAPI_MakeSphere(1.5).Shape(),
        BRepPrimAPI_MakeBox(gp_Pnt(0.3, -5, -5), gp_Pnt(5, 5, 5)).Shape(),
    )
    return BRepAlgoAPI_Cut(ball, box).Shape()


def _tee():
    branch = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, 2), gp_Dir(1, 0, 0)), 0.6, 3.0).Shape()
    return BRepAlgoAPI_Fuse(BRepPrimAPI_MakeCylinder(1.0, 4.0).Shape(), branch).Shape()


SOLIDS = {
    "drilled box": _drilled(),
    "rounded box": _fillet(),
    "torus": BRepPrimAPI_MakeTorus(3.0, 1.0).Shape(),
    "cone": BRepPrimAPI_MakeCone(1.0, 0.4, 2.0).Shape(),
    "cut sphere": _cap(),
    "tee": _tee(),
}


def written(shape, kind, tmp_path):
    path = tmp_path / f"shape.{kind}"
    if kind == "step":
        writer = STEPControl_Writer()
        writer.Transfer(shape, STEPControl_AsIs)
        writer.Write(str(path))
    else:
        iges = IGESControl_Writer("MM", 1)
        iges.AddShape(shape)
        iges.ComputeModel()
        iges.Write(str(path))
    return path.read_bytes()


def brought_in(data, name, scale=1.0):
    found = guides_of(geometry_file.read(data, name), scale, "k", edges=True, angle=30)
    return {one.name or f"part {n}": one.guide for n, one in enumerate(found)}


def surfaces_of(guides):
    return {name: guide for name, guide in guides.items() if isinstance(guide, Surface)}


def properties(shape):
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, 1e-11)
    BRepGProp.SurfaceProperties_s(shape, area, 1e-11)
    return volume.Mass(), area.Mass()


@pytest.mark.parametrize("name", SOLIDS)
@pytest.mark.parametrize("kind", ["step", "iges"])
def test_volumes_and_areas_are_the_kernels_own(name, kind, tmp_path):
    surfaces = surfaces_of(brought_in(written(SOLIDS[name], kind, tmp_path), f"a.{kind}"))
    volume, area = properties(SOLIDS[name])
    assert sum(s.area for s in surfaces.values()) == pytest.approx(area, rel=1e-9)
    found = examine(surfaces)
    assert not found.free
    assert found.volume == pytest.approx(volume, rel=1e-9)


@pytest.mark.parametrize("name", SOLIDS)
def test_closest_places_are_the_kernels_own(name, tmp_path):
    """To 1e-9 of the size, where the foot is inside; on the trim to the tolerance of the file's edges, 1e-7."""
    shape = SOLIDS[name]
    surfaces = list(surfaces_of(brought_in(written(shape, "step", tmp_path), "a.step")).values())
    places = np.random.default_rng(11).uniform(-2, 5, (25, 3))
    ours = [np.linalg.norm(s.onto(places) - places, axis=1) for s in surfaces]
    explorer, theirs = TopExp_Explorer(shape, TopAbs_FACE), []
    while explorer.More():
        face = explorer.Current()
        vertices = [BRepBuilderAPI_MakeVertex(gp_Pnt(*map(float, p))).Vertex() for p in places]
        theirs.append([BRepExtrema_DistShapeShape(vertex, face).Value() for vertex in vertices])
        explorer.Next()
    assert len(ours) == len(theirs)
    seen = 0
    for surface, mine, kernel in zip(surfaces, ours, theirs, strict=True):
        away = np.abs(mine - kernel)
        feet = surface.onto(places)
        rims = [np.linalg.norm(b.curve.at(b.curve.nearest(feet)) - feet, axis=1) for b in surface.borders]
        within = np.min([np.ones(len(feet)), *rims], axis=0) > 1e-5
        assert np.max(away[within], initial=0) < 1e-9 * 5
        assert np.max(away) < 2e-7
        seen += int(np.sum(within))
    assert seen > 5


def test_edge_lengths_and_closest_places_on_edges_are_the_kernels_own(tmp_path):
    shape = SOLIDS["tee"]
    guides = brought_in(written(shape, "step", tmp_path), "a.step").values()
    curves = [g for g in guides if isinstance(g, Curve)]
    edges, places = TopExp_Explorer(shape, TopAbs_EDGE), np.random.default_rng(4).uniform(-2, 4, (20, 3))
    vertices = [BRepBuilderAPI_MakeVertex(gp_Pnt(*map(float, p))).Vertex() for p in places]
    kernels = []
    while edges.More():
        kernels.append([BRepExtrema_DistShapeShape(v, edges.Current()).Value() for v in vertices])
        edges.Next()
    for curve in curves:
        gap = np.linalg.norm(curve.at(curve.nearest(places)) - places, axis=1)
        assert np.abs(np.array(kernels) - gap).max(axis=1).min() < 1e-9 * 5
    ours = sorted(
        g.length
        for g in brought_in(written(shape, "step", tmp_path), "a.step").values()
        if isinstance(g, Curve)
    )
    explorer, theirs = TopExp_Explorer(shape, TopAbs_EDGE), {}
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        theirs[round(GCPnts_AbscissaPoint.Length_s(BRepAdaptor_Curve(edge), 1e-12), 9)] = None
        explorer.Next()
    for length in ours:
        assert min(abs(length - other) for other in theirs) < 1e-8


def test_the_draft_cone_holds_its_closed_form():
    """Ruled panels from a circle of radius r to a square of half side h, L long, by Simpson's rule.

    At height v a panel's outline is (1 − v) r (cos θ, sin θ) + v h (1, 4θ/π), so the area is quadratic
    in v: exact from its values at 0, ½ and 1.
    """
    r, h, length = 0.4, 0.5, 1.5
    theta, weight = np.polynomial.legendre.leggauss(40)
    theta, weight = theta * math.pi / 4, weight * math.pi / 4

    def area(v):
        x = (1 - v) * r * np.cos(theta) + v * h
        y = (1 - v) * r * np.sin(theta) + v * h * 4 * theta / math.pi
        dx, dy = -(1 - v) * r * np.sin(theta), (1 - v) * r * np.cos(theta) + v * h * 4 / math.pi
        return 4 * 0.5 * float(weight @ (x * dy - y * dx))

    volume = length * (area(0) + 4 * area(0.5) + area(1)) / 6
    found = examine(surfaces_of(brought_in(demo_file("draft-cone.step"), "cone.step", 0.001)))
    assert not found.free
    assert found.volume == pytest.approx(volume, rel=1e-9)


@pytest.mark.parametrize("kind", ["step", "iges"])
def test_guides_go_round_through_step_and_iges(kind):
    tilted = frame_of(np.array([1.0, 2, 3]))
    wave = Spline(np.array([[0, 0, 0], [1, 1, 0], [2, 0, 1], [3, 2, 0.0]]), closed=False, corner_angle=180)
    guides = {
        "line": Polyline(np.array([[0, 0, 0], [1, 2, 3.0]])),
        "arc": Arc((1, 2, 3), 0.5, 0.2, 4.0, tilted),
        "ellipse": Ellipse(np.zeros(3), (2.0, 1.0), tilted),
        "wave": wave,
        "plane": analytic.Plane(np.zeros(3), tilted, 1.0, 2.0),
        "tube": analytic.cylinder(np.array([5.0, 0, 0]), tilted, 0.5, 2.0, 4.0),
        "bend": analytic.torus(np.array([9.0, 0, 0]), tilted, 1.0, 0.3, 2.0),
        "sheet": Extruded(wave, np.array([0, 0, 2.0])),
        "bell": Revolved(wave, np.array([0, -5.0, 0]), Z * 0 + np.array([1.0, 0, 0]), 3.0),
    }
    data = cad_file.write(export.tree_of(guides, "m"), kind)
    back = brought_in(data, f"a.{kind}", 0.001)
    # The kernel trims the faces of an IGES file less closely than those of a STEP file.
    near = 1e-9 if kind == "step" else 1e-7
    for size in ("area", "length"):
        totals = [sum(getattr(g, size, 0.0) for g in found.values()) for found in (guides, back)]
        if size == "area" or kind == "step":  # IGES brings the edges of its faces as curves too
            edges = sum(g.length for n, g in back.items() if "edge" in n) if size == "length" else 0.0
            assert totals[1] - edges == pytest.approx(totals[0], rel=near)
    for name, guide in guides.items():
        on = _onto(guide, np.random.default_rng(1).uniform(-2, 9, (20, 3)))
        # In IGES faces have no names, and an arc may come back in pieces.
        same = [back[name]] if kind == "step" else list(back.values())
        away = np.min([np.linalg.norm(_onto(g, on) - on, axis=1) for g in same], axis=0)
        assert np.max(away) < 10 * near, name


def _onto(guide, places):
    return guide.onto(places) if isinstance(guide, Surface) else guide.at(guide.nearest(places))


def test_the_cone_goes_round_and_stays_closed():
    once = surfaces_of(brought_in(demo_file("draft-cone.step"), "a.step", 0.001))
    twice = surfaces_of(brought_in(export.step(once, "m"), "b.step", 0.001))
    assert set(once) == set(twice)
    assert examine(twice).volume == pytest.approx(examine(once).volume, rel=1e-12)


def test_stl_holds_the_volume_up_to_its_triangles():
    ball = {"ball": analytic.sphere(np.zeros(3), np.eye(3), 1.0, (-math.pi / 2, math.pi / 2), math.tau)}
    data = export.stl(ball, "m", "mm")
    (surface,) = surfaces_of(brought_in(data, "a.stl")).values()
    assert not surface.borders
    assert surface.swept_volume == pytest.approx(4 / 3 * math.pi * 1e9, rel=0.01)

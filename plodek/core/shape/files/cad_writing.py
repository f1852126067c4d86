"""Writing faces, curves and points as STEP and IGES with the CAD kernel; run by `cad_kernel`."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepLib import BRepLib
from OCP.Geom import (
    Geom_BSplineCurve,
    Geom_BSplineSurface,
    Geom_ConicalSurface,
    Geom_CylindricalSurface,
    Geom_Plane,
    Geom_SphericalSurface,
    Geom_SurfaceOfRevolution,
    Geom_ToroidalSurface,
)
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Ax1, gp_Ax3, gp_Dir, gp_Pnt, gp_Pnt2d
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESControl import IGESControl_Writer
from OCP.Interface import Interface_Static
from OCP.OCP.collections import (
    Array1_double,
    Array1_gp_Pnt,
    Array1_gp_Pnt2d,
    Array1_int,
    Array2_double,
    Array2_gp_Pnt,
)
from OCP.ShapeFix import ShapeFix_Face
from OCP.STEPConstruct import STEPConstruct
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.StepGeom import StepGeom_Curve
from OCP.StepShape import StepShape_GeometricSet
from OCP.TCollection import TCollection_HAsciiString
from OCP.TopoDS import TopoDS, TopoDS_Compound

from plodek.core.shape.files.cad_common import Unreadable, type_of

#: Sewing of written faces, so that neighbours share their edges in the file, in millimetres.
_SEW = 1e-4
_KINDS = (
    Geom_Plane,
    Geom_CylindricalSurface,
    Geom_ConicalSurface,
    Geom_SphericalSurface,
    Geom_ToroidalSurface,
)


def write(kind: str, tree: dict[str, Any], target: str) -> None:
    """Write named faces and curves (in millimetres) in a length unit, neighbours sewn together."""
    unit = tree["unit"].upper()
    sewing = BRepBuilderAPI_Sewing(_SEW)
    made = []
    for face in tree["faces"]:
        shape = _made_face(face)
        sewing.Add(shape)
        made.append((face["name"], shape))
    whole = TopoDS_Compound()
    builder = BRep_Builder()
    builder.MakeCompound(whole)
    named = []
    if made:
        sewing.Perform()
        builder.Add(whole, sewing.SewedShape())
        named = [(name, sewing.ModifiedSubShape(shape)) for name, shape in made]
    for curve in tree["curves"]:
        edge = BRepBuilderAPI_MakeEdge(_made_curve(curve["curve"])).Edge()
        builder.Add(whole, edge)
    for point in tree["points"]:
        x, y, z = point["xyz"]
        builder.Add(whole, BRepBuilderAPI_MakeVertex(gp_Pnt(x, y, z)).Vertex())
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    if kind == "iges":
        iges = IGESControl_Writer({"IN": "IN", "FT": "FT"}.get(unit, unit), 1)
        iges.AddShape(whole)
        iges.ComputeModel()
        done = iges.Write(target)
    else:
        done = write_step(whole, named, [c["name"] for c in tree["curves"]], unit, target)
    if not done:
        raise Unreadable("the CAD kernel could not write it", "write fewer guides, to find the one at fault")


def write_step(whole: Any, named: list[tuple[str, Any]], free: list[str], unit: str, target: str) -> bool:
    """Write a shape as STEP, with the names of its faces and, in their order, of its free curves."""
    writer = STEPControl_Writer()
    Interface_Static.SetCVal_s("write.step.unit", {"IN": "INCH"}.get(unit, unit))
    writer.Transfer(whole, STEPControl_AsIs)
    finder = writer.WS().TransferWriter().FinderProcess()
    for name, shape in named:
        item = STEPConstruct.FindEntity_s(finder, shape)
        if item is not None:
            item.SetName(TCollection_HAsciiString(name))
    # Free curves are not found by their shapes: they stand in a set of their own, in their order.
    model = writer.Model()
    entities = (model.Value(n) for n in range(1, model.NbEntities() + 1))
    sets = [entity for entity in entities if isinstance(entity, StepShape_GeometricSet)]
    items = [one.ElementsValue(n).Value() for one in sets for n in range(1, one.NbElements() + 1)]
    for name, item in zip(free, [i for i in items if isinstance(i, StepGeom_Curve)], strict=False):
        item.SetName(TCollection_HAsciiString(name))
    return bool(writer.Write(target) == IFSelect_RetDone)


def _made_face(face: dict[str, Any]) -> Any:
    surface = _made_patch(face["patch"])
    if not face["loops"]:
        whole = BRepBuilderAPI_MakeFace(surface, *face["patch"]["bounds"], 1e-6).Face()
        return whole.Reversed() if face["reversed"] else whole
    wires = []
    for loop in face["loops"]:
        wire = BRepBuilderAPI_MakeWire()
        for edge in loop:
            made = BRepBuilderAPI_MakeEdge(_made_trace(edge["trace"]), surface).Edge()
            wire.Add(TopoDS.Edge(made if edge["forward"] else made.Reversed()))
        wires.append(wire.Wire())
    maker = BRepBuilderAPI_MakeFace(surface, wires[0], True)
    for wire in wires[1:]:
        maker.Add(wire)
    built = maker.Face()
    BRepLib.BuildCurves3d_s(built)
    fix = ShapeFix_Face(built)
    fix.Perform()
    whole = fix.Face()
    return whole.Reversed() if face["reversed"] else whole


def _knots(sequence: Any) -> tuple[Array1_double, Array1_int]:
    values, repeats = np.unique(np.asarray(sequence), return_counts=True)
    return _numbers(values), _whole(repeats)


def _numbers(values: Any) -> Array1_double:
    found = Array1_double(1, len(values))
    for n, value in enumerate(values, 1):
        found.SetValue(n, float(value))
    return found


def _whole(values: Any) -> Array1_int:
    found = Array1_int(1, len(values))
    for n, value in enumerate(values, 1):
        found.SetValue(n, int(value))
    return found


def _made_curve(curve: dict[str, Any]) -> Geom_BSplineCurve:
    poles = Array1_gp_Pnt(1, len(curve["poles"]))
    for n, (x, y, z) in enumerate(curve["poles"], 1):
        poles.SetValue(n, gp_Pnt(x, y, z))
    return Geom_BSplineCurve(poles, _numbers(curve["weights"]), *_knots(curve["knots"]), curve["degree"])


def _made_trace(curve: dict[str, Any]) -> Geom2d_BSplineCurve:
    poles = Array1_gp_Pnt2d(1, len(curve["poles"]))
    for n, (x, y, _) in enumerate(curve["poles"], 1):
        poles.SetValue(n, gp_Pnt2d(x, y))
    return Geom2d_BSplineCurve(poles, _numbers(curve["weights"]), *_knots(curve["knots"]), curve["degree"])


def _made_patch(patch: dict[str, Any]) -> Any:
    if patch["type"] == "nurbs":
        return _made_net(patch)
    at = gp_Pnt(*(float(v) for v in patch["origin"]))
    if patch["type"] == "revolution":
        axis = gp_Ax1(at, gp_Dir(*(float(v) for v in patch["axis"])))
        return Geom_SurfaceOfRevolution(_made_curve(patch["curve"]), axis)
    x, _, z = (gp_Dir(*(float(v) for v in way)) for way in patch["frame"])
    axes = gp_Ax3(at, z, x)
    if np.linalg.det(patch["frame"]) < 0:
        axes.YReverse()
    made = {type_of(kind): kind for kind in _KINDS}
    kind, numbers = made[patch["type"]], patch["numbers"]
    if kind is Geom_ConicalSurface:
        numbers = numbers[::-1]
    return kind(axes, *(float(n) for n in numbers))


def _made_net(patch: dict[str, Any]) -> Geom_BSplineSurface:
    rows, columns = patch["weights"].shape
    poles, weights = Array2_gp_Pnt(1, rows, 1, columns), Array2_double(1, rows, 1, columns)
    for i in range(rows):
        for j in range(columns):
            poles.SetValue(i + 1, j + 1, gp_Pnt(*(float(v) for v in patch["poles"][i, j])))
            weights.SetValue(i + 1, j + 1, float(patch["weights"][i, j]))
    (u_knots, u_repeats), (v_knots, v_repeats) = _knots(patch["u_knots"]), _knots(patch["v_knots"])
    return Geom_BSplineSurface(poles, weights, u_knots, v_knots, u_repeats, v_repeats, *patch["degrees"])

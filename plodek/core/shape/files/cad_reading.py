"""Reading STEP and IGES with the CAD kernel, as faces, curves and points; run by `cad_kernel`."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.Geom import (
    Geom_BezierSurface,
    Geom_BSplineCurve,
    Geom_BSplineSurface,
    Geom_ConicalSurface,
    Geom_CylindricalSurface,
    Geom_Plane,
    Geom_RectangularTrimmedSurface,
    Geom_SphericalSurface,
    Geom_SurfaceOfRevolution,
    Geom_ToroidalSurface,
    Geom_TrimmedCurve,
)
from OCP.Geom2d import Geom2d_TrimmedCurve
from OCP.Geom2dConvert import Geom2dConvert
from OCP.GeomAbs import GeomAbs_C2
from OCP.GeomConvert import GeomConvert, GeomConvert_ApproxSurface
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESControl import IGESControl_Reader
from OCP.Interface import Interface_Static
from OCP.OCP.collections import (
    IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher,
    Sequence_TCollection_AsciiString,
)
from OCP.STEPControl import STEPControl_Reader
from OCP.StepData import StepData_UndefinedEntity
from OCP.TopAbs import (
    TopAbs_EDGE,
    TopAbs_FACE,
    TopAbs_FORWARD,
    TopAbs_REVERSED,
    TopAbs_SHELL,
    TopAbs_SOLID,
    TopAbs_VERTEX,
    TopAbs_WIRE,
)
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from plodek.core.shape.files.cad_common import Unreadable, tell, type_of


def read(kind: str, source: str) -> dict[str, Any]:
    """Read a file as faces, free curves and points; see `_face` and `_curve` for their parts."""
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    reader = STEPControl_Reader() if kind == "step" else IGESControl_Reader()
    tell(0.05, "reading the file")
    if reader.ReadFile(source) != IFSelect_RetDone:
        raise Unreadable("the CAD kernel found no sense in it", "export it anew")
    if kind == "step":
        _refuse_unknown(reader, Path(source).read_bytes())
    tell(0.3, "translating its entities")
    reader.TransferRoots()
    shape = reader.OneShape()
    if shape is None or shape.IsNull():
        raise Unreadable("it holds no geometry that can be used", "export curves, surfaces or solids")
    names = _Names(reader, kind)
    tell(0.6, "drawing its surfaces")
    BRepMesh_IncrementalMesh(shape, _deflection(shape), False, 0.3, True)
    tell(0.7, "taking up its surfaces")
    edges = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
    TopExp.MapShapes_s(shape, TopAbs_EDGE, edges)
    faces: list[dict[str, Any]] = []
    flat: list[str] = []
    used: set[int] = set()
    for group, part in _faces_of(shape):
        name = names.of(part)
        found = _face(TopoDS.Face(part), edges, used)
        if found is None:
            flat.append(name or str(len(faces) + 1))
        else:
            faces.append(found | {"name": name, "group": names.of(group) if group else ""})
    tell(0.9, "reading its curves")
    curves = []
    for number in range(1, edges.Extent() + 1):
        edge = TopoDS.Edge(edges.FindKey(number))
        if number not in used and not BRep_Tool.Degenerated_s(edge):
            curve = _edge_curve(edge)
            if curve is not None:
                curves.append({"curve": curve, "name": names.of(edge), "group": ""})
    return {
        "faces": faces,
        "meshes": [],
        "curves": curves,
        "points": np.array(list(_free_points(shape))).reshape(-1, 3),
        "flat": flat,
        "unit": "mm",
        "file_unit": _unit(reader, kind),
    }


def _refuse_unknown(reader: STEPControl_Reader, text: bytes) -> None:
    model = reader.WS().Model()
    entities = (model.Value(n) for n in range(1, model.NbEntities() + 1))
    unknown = [entity for entity in entities if isinstance(entity, StepData_UndefinedEntity)]
    if unknown:
        kind = str(unknown[0].StepType())
        at = re.search(rb"#(\d+)\s*=\s*" + re.escape(kind.encode()), text)
        line = text.count(b"\n", 0, at.start()) + 1 if at else 0
        label = f"#{at[1].decode()} {kind} in line {line}" if at else kind
        more = f" and {len(unknown) - 1} more" if len(unknown) > 1 else ""
        raise Unreadable(
            f"its entity {label}{more} is of no type that the STEP standard knows",
            "export it as AP203, AP214 or AP242",
        )


def _deflection(body: Any) -> float:
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    box = Bnd_Box()
    BRepBndLib.Add_s(body, box, False)
    return 1e-3 * float(np.sqrt(box.SquareExtent())) if not box.IsVoid() else 1.0


def _faces_of(shape: Any) -> Iterator[tuple[Any, Any]]:
    """Give each face with the solid or shell it belongs to, None where it stands alone."""
    seen = IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher()
    for kind in (TopAbs_SOLID, TopAbs_SHELL, None):
        groups = _explored(shape, kind) if kind is not None else [None]
        for group in groups:
            for face in _explored(group if group is not None else shape, TopAbs_FACE):
                if not seen.Contains(face):
                    seen.Add(face)
                    yield group, face


def _explored(shape: Any, kind: Any) -> Iterator[Any]:
    explorer = TopExp_Explorer(shape, kind)
    while explorer.More():
        yield explorer.Current()
        explorer.Next()


def _free_points(shape: Any) -> Iterator[tuple[float, float, float]]:
    explorer = TopExp_Explorer(shape, TopAbs_VERTEX, TopAbs_EDGE)
    while explorer.More():
        at = BRep_Tool.Pnt_s(TopoDS.Vertex(explorer.Current()))
        yield at.X(), at.Y(), at.Z()
        explorer.Next()


class _Names:
    """Names of shapes as the file has them."""

    def __init__(self, reader: Any, kind: str) -> None:
        self._transfer = reader.WS().TransferReader()
        self._step = kind == "step"

    def of(self, shape: Any) -> str:
        found = (self._transfer.EntityFromShapeResult(shape, mode) for mode in (1, -1))
        entity = next((one for one in found if one is not None), None)
        if entity is None:
            return ""
        if self._step:
            named = getattr(entity, "Name", None)
            text = named() if named else None
            return text.ToCString().strip() if text is not None else ""
        if hasattr(entity, "HasName") and entity.HasName():
            return str(entity.NameValue().ToCString().strip())
        if hasattr(entity, "HasShortLabel") and entity.HasShortLabel():
            return str(entity.ShortLabel().ToCString().strip())
        return ""


def _unit(reader: Any, kind: str) -> str:
    if kind == "iges":
        return str(reader.IGESModel().GlobalSection().UnitName().ToCString()).lower()
    length, angle, solid = (Sequence_TCollection_AsciiString() for _ in range(3))
    reader.FileUnits(length, angle, solid)
    return length.Value(1).ToCString().lower() if length.Length() else ""


def _face(face: Any, edges: Any, used: set[int]) -> dict[str, Any] | None:
    """Read a face: its patch, loops of trim edges, orientation and drawing; None where it has no area."""
    forward = TopoDS.Face(face.Oriented(TopAbs_FORWARD))
    loops = []
    for wire in _explored(forward, TopAbs_WIRE):
        loop = _loop(TopoDS.Wire(wire), forward, edges, used)
        if loop:
            loops.append(loop)
    bounds = BRepTools.UVBounds_s(forward)
    if not loops or not (bounds[1] > bounds[0] and bounds[3] > bounds[2]):
        return None
    return {
        "patch": _patch(BRep_Tool.Surface_s(forward), bounds),
        "loops": loops,
        "reversed": face.Orientation() == TopAbs_REVERSED,
        **_triangles(face),
    }


def _patch(surface: Any, bounds: tuple[float, float, float, float]) -> dict[str, Any]:
    """Read a surface over the bounds its face uses, with the parameters that its trim is drawn in."""
    while isinstance(surface, Geom_RectangularTrimmedSurface):
        surface = surface.BasisSurface()
    for kind, numbers in _ELEMENTARY.items():
        if isinstance(surface, kind):
            axes = surface.Position()
            ways = (axes.XDirection(), axes.YDirection(), axes.Direction())
            return {
                "type": type_of(kind),
                "bounds": list(bounds),
                "origin": _xyz(axes.Location()),
                "frame": np.array([_xyz(way) for way in ways]),
                "numbers": numbers(surface),
            }
    if isinstance(surface, Geom_SurfaceOfRevolution):
        basis = surface.BasisCurve()
        while isinstance(basis, Geom_TrimmedCurve):
            basis = basis.BasisCurve()
        if isinstance(basis, Geom_BSplineCurve):
            axis = surface.Axis()
            return {
                "type": "revolution",
                "bounds": list(bounds),
                "origin": _xyz(axis.Location()),
                "axis": _xyz(axis.Direction()),
                "curve": _curve(basis),
            }
    return {"type": "nurbs", **net_of(_as_nurbs(surface, bounds))}


def _as_nurbs(surface: Any, bounds: tuple[float, float, float, float]) -> Any:
    """Give a surface as a B-spline with its own parameters, not periodic."""
    if isinstance(surface, Geom_BezierSurface):
        surface = GeomConvert.SurfaceToBSplineSurface_s(surface)
    elif not isinstance(surface, Geom_BSplineSurface):
        # Other kinds keep their parameters only in an approximation, far below the file's tolerance.
        trimmed = Geom_RectangularTrimmedSurface(surface, *bounds)
        near = GeomConvert_ApproxSurface(trimmed, 1e-8, GeomAbs_C2, GeomAbs_C2, 12, 12, 400, 0)
        surface = near.Surface()
    for axis in "UV":
        if getattr(surface, f"Is{axis}Periodic")():
            low, high = bounds[:2] if axis == "U" else bounds[2:]
            first = getattr(surface, f"First{axis}KnotIndex")()
            _begin_at(surface, axis, getattr(surface, f"{axis}Knot")(first), low, high)
    return surface


#: The numbers of elementary surfaces besides their axes.
_ELEMENTARY: dict[Any, Any] = {
    Geom_Plane: lambda s: [],
    Geom_CylindricalSurface: lambda s: [s.Radius()],
    Geom_ConicalSurface: lambda s: [s.RefRadius(), s.SemiAngle()],
    Geom_SphericalSurface: lambda s: [s.Radius()],
    Geom_ToroidalSurface: lambda s: [s.MajorRadius(), s.MinorRadius()],
}


def _xyz(vector: Any) -> Any:
    return np.array([vector.X(), vector.Y(), vector.Z()])


def _begin_at(surface: Any, axis: str, start: float, low: float, high: float) -> None:
    """Open a periodic surface, over the range that its face uses."""
    period = getattr(surface, f"{axis}Period")()
    if low < start - 1e-9 * period or high > start + period * (1 + 1e-9):
        bounds = list(surface.Bounds())
        bounds[0 if axis == "U" else 2], bounds[1 if axis == "U" else 3] = low, min(high, low + period)
        surface.CheckAndSegment(*bounds)
    else:
        getattr(surface, f"Set{axis}NotPeriodic")()


def net_of(surface: Any) -> dict[str, Any]:
    """Read a B-spline surface: degrees, knots, poles and weights."""
    poles, rows, columns = surface.Poles(), surface.NbUPoles(), surface.NbVPoles()
    places = np.array(
        [
            [(p.X(), p.Y(), p.Z()) for p in (poles.Value(i, j) for j in range(1, columns + 1))]
            for i in range(1, rows + 1)
        ]
    )
    weights = np.ones((rows, columns))
    if surface.IsURational() or surface.IsVRational():
        weights = np.array(
            [[surface.Weight(i, j) for j in range(1, columns + 1)] for i in range(1, rows + 1)]
        )
    return {
        "degrees": [surface.UDegree(), surface.VDegree()],
        "u_knots": np.array(list(surface.UKnotSequence())),
        "v_knots": np.array(list(surface.VKnotSequence())),
        "poles": places,
        "weights": weights,
    }


def _loop(wire: Any, face: Any, edges: Any, used: set[int]) -> list[dict[str, Any]]:
    loop = []
    explorer = BRepTools_WireExplorer(wire, face)
    while explorer.More():
        edge = explorer.Current()
        number = edges.FindIndex(edge)
        used.add(number)
        low, high = BRep_Tool.Range_s(edge, face)
        trace = BRep_Tool.CurveOnSurface_s(edge, face, 0.0, 0.0)
        if trace is None or not high > low:
            return []
        flat = Geom2dConvert.CurveToBSplineCurve_s(Geom2d_TrimmedCurve(trace, low, high))
        pole = BRep_Tool.Degenerated_s(edge)
        loop.append(
            {
                "edge": number,
                "trace": _curve(flat),
                "forward": edge.Orientation() == TopAbs_FORWARD,
                "seam": BRep_Tool.IsClosed_s(edge, face),
                "curve": None if pole else _edge_curve(edge),
            }
        )
        explorer.Next()
    return loop


def _edge_curve(edge: Any) -> dict[str, Any] | None:
    low, high = BRep_Tool.Range_s(edge)
    curve = BRep_Tool.Curve_s(edge, 0.0, 0.0)
    if curve is None or not high > low:
        return None
    return _curve(GeomConvert.CurveToBSplineCurve_s(Geom_TrimmedCurve(curve, low, high)))


def _curve(curve: Any) -> dict[str, Any]:
    """Read a B-spline curve in space or in the plane: degree, knots, poles (n, 3) and weights."""
    if curve.IsPeriodic():
        curve.SetNotPeriodic()
    count = curve.NbPoles()
    poles = [curve.Pole(n) for n in range(1, count + 1)]
    return {
        "type": "nurbs",
        "degree": curve.Degree(),
        "knots": np.array(list(curve.KnotSequence())),
        "poles": np.array([(p.X(), p.Y(), p.Z() if hasattr(p, "Z") else 0.0) for p in poles]),
        "weights": np.array([curve.Weight(n) for n in range(1, count + 1)]),
    }


def _triangles(face: Any) -> dict[str, Any]:
    """Read the drawing of a face: parameters (n, 2) and triangles (m, 3), turned outward."""
    drawn = BRep_Tool.Triangulation_s(face, TopLoc_Location())
    if drawn is None:
        return {"uv": np.zeros((0, 2)), "triangles": np.zeros((0, 3), dtype=np.int64)}
    nodes = [drawn.UVNode(n) for n in range(1, drawn.NbNodes() + 1)]
    uv = np.array([(p.X(), p.Y()) for p in nodes]).reshape(-1, 2)
    found = [drawn.Triangle(n) for n in range(1, drawn.NbTriangles() + 1)]
    triangles = np.array([[t.Value(k) - 1 for k in (1, 2, 3)] for t in found], dtype=np.int64).reshape(-1, 3)
    if face.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, ::-1]
    return {"uv": uv, "triangles": triangles}

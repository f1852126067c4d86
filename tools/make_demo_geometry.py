"""Make the CAD files of the demo with the CAD kernel: the draft cone, whole, and with deliberate gaps.

Run it only when the shape is to change: ``.venv/bin/python tools/make_demo_geometry.py``. All of it is
made up: from a pipe of 0.8 m to a square duct of 1.0 m, 1.5 m long.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
    BRepBuilderAPI_Transform,
)
from OCP.BRepFill import BRepFill
from OCP.gp import gp_Ax2, gp_Circ, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.IGESControl import IGESControl_Writer
from OCP.Interface import Interface_Static
from OCP.TopoDS import TopoDS, TopoDS_Compound

from plodek.core.shape.files.cad_writing import write_step

DEMO = Path(__file__).parents[1] / "plodek" / "demo"
RADIUS, HALF, LENGTH = 400.0, 500.0, 1500.0


def arc(start: float, end: float) -> Any:
    """Give an arc of the pipe's end between two angles in degrees."""
    circle = gp_Circ(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), RADIUS)
    return BRepBuilderAPI_MakeEdge(circle, math.radians(start), math.radians(end)).Edge()


def side(start: float, end: float) -> Any:
    """Give the part of the square's outline between two angles in degrees, both on one side of it."""
    return BRepBuilderAPI_MakeEdge(on_square(start), on_square(end)).Edge()


def on_square(angle: float) -> gp_Pnt:
    """Give the place on the square's outline at an angle in degrees."""
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    size = HALF / max(abs(c), abs(s))
    return gp_Pnt(size * c, size * s, LENGTH)


def panel(start: float, end: float) -> Any:
    """Give the ruled panel between an arc and the part of the square that faces it."""
    return BRepFill.Face_s(arc(start, end), side(start, end))


def cap(edges: Sequence[Any]) -> Any:
    """Give the flat face inside edges."""
    wire = BRepBuilderAPI_MakeWire()
    for edge in edges:
        wire.Add(edge)
    return BRepBuilderAPI_MakeFace(wire.Wire(), True).Face()


def shifted(face: Any, x: float, y: float, z: float) -> Any:
    """Move a face a little, so that gaps open around it."""
    move = gp_Trsf()
    move.SetTranslation(gp_Vec(x, y, z))
    return TopoDS.Face(BRepBuilderAPI_Transform(face, move, True).Shape())


def main() -> None:
    """Write both files."""
    corners = [(-45, 45), (45, 135), (135, 225), (225, 315)]
    panels = [panel(a, b) for a, b in corners]
    inlet, outlet = cap([arc(a, b) for a, b in corners]), cap([side(a, b) for a, b in corners])
    named = [("east", panels[0]), ("north", panels[1]), ("west", panels[2]), ("south", panels[3])]
    named += [("inlet", inlet), ("outlet", outlet)]
    sewing = BRepBuilderAPI_Sewing(1e-4)
    for _, face in named:
        sewing.Add(face)
    sewing.Perform()
    solid = BRepBuilderAPI_MakeSolid(TopoDS.Shell(sewing.SewedShape())).Solid()
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    names = [(name, sewing.ModifiedSubShape(face)) for name, face in named]
    write_step(solid, [("draft-cone", solid), *names], [], "M", str(DEMO / "draft-cone.step"))
    # The west panel is in two halves, so that edges end along others; two panels are a little off.
    halves = [panel(135, 180), panel(180, 225)]
    loose = [panels[0], shifted(panels[1], 0, 0.45, 0), *halves, shifted(panels[3], 0.2, -0.8, 0.1)]
    gapped = TopoDS_Compound()
    builder = BRep_Builder()
    builder.MakeCompound(gapped)
    for face in [*loose, inlet, outlet]:
        builder.Add(gapped, face)
    iges = IGESControl_Writer("MM", 0)
    iges.AddShape(gapped)
    iges.ComputeModel()
    iges.Write(str(DEMO / "draft-cone-gaps.igs"))


if __name__ == "__main__":
    main()

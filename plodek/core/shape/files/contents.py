"""What a geometry file holds: named guides, their groups, and the unit of its numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from plodek.core.arrays import place
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.curves.nurbs import NurbsCurve
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.files.cad_file import curve_of, face_of
from plodek.core.shape.files.packed import unpack
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.surfaces.triangulated import Triangulated


@dataclass(frozen=True)
class NamedGuide:
    """A guide with its name and its group in the file, "" where it has none."""

    name: str
    group: str
    guide: Guide


def guides_of(packed: bytes, scale: float, key: str, *, edges: bool, angle: float) -> list[NamedGuide]:
    """Make guides of what `geometry_file.read` has packed.

    ``scale`` is project units to the file's; ``key`` tells its edges from those of other files. With
    ``edges`` the edges of faces become curves too, and of triangulated surfaces the lines where they
    turn by more than ``angle`` degrees.
    """
    tree = unpack(packed)
    found: list[NamedGuide] = []
    curves: dict[int, NurbsCurve] = {}
    for item in tree["faces"]:
        found.append(NamedGuide(item["name"], item["group"], face_of(item, scale, key, curves)))
    for item in tree["meshes"]:
        found.append(NamedGuide(item["name"], "", Triangulated(item["xyz"] * scale, item["triangles"])))
    for item in tree["curves"]:
        found.append(NamedGuide(item["name"], item.get("group", ""), _curve(item["curve"], scale)))
    if edges:
        loops = [edge for item in tree["faces"] for loop in item["loops"] for edge in loop]
        seams = {edge["edge"] for edge in loops if edge["seam"]}
        kept = [curve for n, curve in curves.items() if n not in seams]
        found += [NamedGuide(f"edge-{n}", "", curve) for n, curve in enumerate(kept, 1)]
        for mesh in [one for one in found if isinstance(one.guide, Triangulated)]:
            assert isinstance(mesh.guide, Triangulated)
            lines = mesh.guide.feature_lines(angle)
            named = f"{mesh.name}-edge" if mesh.name else "edge"
            found += [NamedGuide(f"{named}-{n}", "", line) for n, line in enumerate(lines, 1)]
    found += [
        NamedGuide("point" if len(tree["points"]) == 1 else f"point-{n}", "", Point(place(xyz * scale)))
        for n, xyz in enumerate(tree["points"], 1)
    ]
    return found


def _curve(tree: dict[str, Any], scale: float) -> Curve:
    kind = tree["type"]
    if kind == "nurbs":
        return curve_of(tree, scale)
    if kind == "polyline":
        return Polyline(tree["points"] * scale, closed=tree["closed"])
    centre, frame = np.asarray(tree["centre"]) * scale, np.asarray(tree["frame"])
    if kind == "arc":
        return Arc(centre, tree["radius"] * scale, tree["start"], tree["end"], frame)
    axes = tree["semi_axes"]
    return Ellipse(centre, (axes[0] * scale, axes[1] * scale), frame, tree["start"], tree["end"])

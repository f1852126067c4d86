"""What sections that are kept with a project cut with, and how they are told in words."""

from __future__ import annotations

import numpy as np

from plodek.core.check.look.cutter import Cutter, cylinder, plane, plane_through, sphere
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.shape.curves.curve import Curve
from plodek.server.api.sections.messages import Section


def words_of(asked: Section, unit: str) -> str:
    """Tell a section in words."""
    moved = f", moved by {asked.moved:.6g} {unit}" if asked.moved else ""
    point = ", ".join(f"{v:.6g}" for v in asked.point or (0.0, 0.0, 0.0))
    if asked.kind == "sphere":
        return f"Sphere of {asked.radius:.6g} {unit} round ({point}){moved}"
    if asked.kind == "cylinder":
        return f"Cylinder of {asked.radius:.6g} {unit} through ({point}){moved}"
    if asked.guide:
        return f"Plane square to {asked.guide} at {asked.at:.6g} of it{moved}"
    if asked.through is not None:
        return f"Plane by three places{moved}"
    axis = np.asarray(asked.axis or (0.0, 0.0, 1.0))
    along = np.flatnonzero(axis)
    if len(along) == 1 and asked.point is not None:
        return f"Plane at {'xyz'[along[0]]} = {asked.point[along[0]]:.6g} {unit}{moved}"
    return f"Plane through ({point}){moved}"


def cutter_of(asked: Section, model: Model) -> Cutter:
    """Make what a section cuts with. Raises BadValue, and NothingFound for a guide that is not there."""
    point = (0.0, 0.0, 0.0) if asked.point is None else asked.point
    axis = (0.0, 0.0, 1.0) if asked.axis is None else asked.axis
    if asked.kind == "sphere":
        found = sphere(point, asked.radius)
    elif asked.kind == "cylinder":
        found = cylinder(point, axis, asked.radius)
    elif asked.guide:
        curve = model.guides.get(asked.guide)
        if not isinstance(curve, Curve):
            what = "is a surface" if curve else "is not there"
            raise NothingFound(f"the guide “{asked.guide}” {what}", remedy="choose a curve")
        share = np.array([asked.at])
        found = plane(curve.at(share)[0], curve.tangent(share)[0])
    else:
        found = plane(point, axis) if asked.through is None else plane_through(asked.through)
    return found.moved(asked.moved) if asked.moved else found

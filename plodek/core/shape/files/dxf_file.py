"""Curves in DXF files: lines, arcs, circles, ellipses, splines and polylines; layers become groups."""

from __future__ import annotations

import io
import math
from collections.abc import Iterator
from typing import Any

import ezdxf.recover
import numpy as np
from ezdxf.lldxf.const import DXFError
from ezdxf.math import OCS

from plodek.core.arrays import Floats
from plodek.core.errors import BadFile

#: Length units by the number that the head of a file gives them ($INSUNITS).
_UNITS = {1: "in", 2: "ft", 4: "mm", 5: "cm", 6: "m"}


def read(data: bytes, name: str) -> dict[str, Any]:
    """Read the curves and points of a file's model space.

    Raises BadFile where it breaks off, is no DXF file, or holds nothing that can be used.
    """
    if not data.rstrip().endswith(b"EOF"):
        lines = data.count(b"\n") + 1
        raise BadFile(
            f"it breaks off at line {lines}: its last line is not EOF",
            where=name,
            remedy="look whether it is a DXF file, and copy or export it again",
        )
    try:
        document, _ = ezdxf.recover.read(io.BytesIO(data))
    except (DXFError, OSError, ValueError) as error:
        raise BadFile(f"it cannot be understood ({error})", where=name, remedy="export it anew") from error
    curves: list[dict[str, Any]] = []
    points: list[list[float]] = []
    passed: dict[str, int] = {}
    for entity in document.modelspace():
        kind = entity.dxftype()
        found = list(_curves(entity))
        if kind == "POINT":
            points.append([float(v) for v in entity.dxf.location])
        elif not found:
            passed[kind] = passed.get(kind, 0) + 1
        curves += [{"name": "", "group": entity.dxf.layer, "curve": curve} for curve in found]
    if not curves and not points:
        had = ", ".join(f"{count} {kind}" for kind, count in passed.items()) or "nothing"
        raise BadFile(
            f"its model space holds no curve that can be used, but {had}",
            where=name,
            remedy="export lines, arcs, circles, splines or polylines",
        )
    unit = _UNITS.get(document.units, "")
    return {
        "faces": [], "meshes": [], "curves": curves, "points": np.array(points).reshape(-1, 3),
        "flat": [f"{count} {kind}" for kind, count in passed.items()], "unit": unit, "file_unit": unit,
    }  # fmt: skip


def _curves(entity: Any) -> Iterator[dict[str, Any]]:
    kind, dxf = entity.dxftype(), entity.dxf
    if kind == "LINE":
        yield _polyline(np.array([dxf.start, dxf.end], dtype=float), closed=False)
    elif kind in ("ARC", "CIRCLE"):
        start, end = (dxf.start_angle, dxf.end_angle) if kind == "ARC" else (0.0, 360.0)
        turn = (end - start) % 360 or 360.0
        yield _arc(dxf, OCS(dxf.extrusion), dxf.center, dxf.radius, start, start + turn)
    elif kind == "ELLIPSE":
        major = np.array(dxf.major_axis, dtype=float)
        z = np.array(dxf.extrusion, dtype=float)
        size = float(np.linalg.norm(major))
        frame = np.stack([major / size, np.cross(z, major / size), z])
        turn = (dxf.end_param - dxf.start_param) % math.tau or math.tau
        yield {
            "type": "ellipse", "centre": list(dxf.center), "semi_axes": [size, size * dxf.ratio],
            "frame": frame, "start": dxf.start_param, "end": dxf.start_param + turn,
        }  # fmt: skip
    elif kind == "SPLINE":
        yield from _spline(entity)
    elif kind in ("LWPOLYLINE", "POLYLINE"):
        yield from _polylines(entity)


def _spline(entity: Any) -> Iterator[dict[str, Any]]:
    tool = entity.construction_tool()
    weights = tool.weights()
    yield {
        "type": "nurbs", "degree": tool.degree, "knots": np.array(tool.knots(), dtype=float),
        "poles": np.array([list(p) for p in tool.control_points], dtype=float),
        "weights": np.array(weights if len(weights) else [1.0] * len(tool.control_points), dtype=float),
    }  # fmt: skip


def _polylines(entity: Any) -> Iterator[dict[str, Any]]:
    """Give one line where all pieces are straight, else each piece by itself."""
    closed = bool(entity.closed if entity.dxftype() == "LWPOLYLINE" else entity.is_closed)
    bulged = entity.has_arc
    if bulged:
        for part in entity.virtual_entities():
            yield from _curves(part)
        return
    if entity.dxftype() == "LWPOLYLINE":
        ocs = OCS(entity.dxf.extrusion)
        places = [ocs.to_wcs((x, y, entity.dxf.elevation)) for x, y in entity.get_points("xy")]
    else:
        places = [v.dxf.location for v in entity.vertices]
    points = np.array([list(p) for p in places], dtype=float)
    kept = np.append(True, np.linalg.norm(np.diff(points, axis=0), axis=1) > 0)
    points = points[kept]
    if closed and len(points) > 1 and np.linalg.norm(points[0] - points[-1]) == 0:
        points = points[:-1]
    if len(points) > 1:
        yield _polyline(points, closed=closed and len(points) > 2)


def _polyline(points: Floats, *, closed: bool) -> dict[str, Any]:
    return {"type": "polyline", "points": points, "closed": closed}


def _arc(dxf: Any, ocs: OCS, centre: Any, radius: float, start: float, end: float) -> dict[str, Any]:
    frame = np.array([list(ocs.ux), list(ocs.uy), list(ocs.uz)], dtype=float)
    return {
        "type": "arc", "centre": list(ocs.to_wcs(centre)), "radius": radius, "frame": frame,
        "start": math.radians(start), "end": math.radians(end),
    }  # fmt: skip

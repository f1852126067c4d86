"""Turning guides into what the screen shows: their facts, and surfaces as one binary picture."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Floats
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, Point
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.triangulated import Triangulated
from plodek.server.api.guides.messages import GuideOut
from plodek.server.api.packing import packed

#: Neighbouring triangles that turn by more than this show an edge, in degrees.
_EDGE = 30.0


def guides_out(evaluation: Evaluation) -> list[GuideOut]:
    """Tell the guides, each with the step that made it."""
    made: dict[str, str] = {}
    for step, model in zip(evaluation.recipe.steps, evaluation.models, strict=False):
        for name in model.own_guides:
            made.setdefault(name, step.id)
    return [_guide(name, guide, made[name]) for name, guide in evaluation.model.own_guides.items()]


def _guide(name: str, guide: Guide, step: str) -> GuideOut:
    kind = type(guide).__name__.lower().removesuffix("curve")
    found = GuideOut(
        name=name, kind={"moved": "curve", "trimmedface": "face"}.get(kind, kind), dim=0, step=step, length=0,
        area=0, closed=False, points=1, low=[], high=[], xyz=[], corners=[],
    )  # fmt: skip
    if isinstance(guide, Point):
        found.low = found.high = list(guide.xyz)
        found.xyz = [list(guide.xyz)]
        return found
    if isinstance(guide, Surface):
        xyz = guide.facets.xyz
        found.kind, found.dim, found.area = guide.kind, 2, guide.area
        found.points = len(guide.triangles) if isinstance(guide, Triangulated) else 0
    else:
        xyz = guide.drawing
        found.dim, found.length, found.closed = 1, guide.length, guide.closed
        found.points, found.corners = len(guide.points), guide.corners.tolist()
        found.xyz = _rounded(xyz).tolist()
    found.low, found.high = xyz.min(axis=0).tolist(), xyz.max(axis=0).tolist()
    return found


def _rounded(xyz: Floats) -> Floats:
    """Keep seven digits of places that are only drawn."""
    size = float(np.max(np.abs(xyz), initial=1e-300))
    return np.round(xyz, 6 - int(np.floor(np.log10(size))))


def shape_picture(guides: Mapping[str, Guide]) -> bytes:
    """Draw the surfaces among guides: nodes with normals, triangles by surface, and their edges.

    ``surfaces`` in the index names each with the end of its triangles and of its edge lines.
    """
    surfaces = {name: guide for name, guide in guides.items() if isinstance(guide, Surface)}
    nodes, normals, triangles, lines, index = [], [], [], [], []
    start = drawn = lined = 0
    for name, surface in surfaces.items():
        facets = surface.facets
        nodes.append(facets.xyz)
        normals.append(facets.normals)
        triangles.append(facets.triangles + start)
        start += len(facets.xyz)
        edges = [_pieces(curve) for curve in _edges(surface)]
        lines += edges
        drawn += len(facets.triangles)
        lined += sum(len(part) for part in edges)
        index.append({"name": name, "triangles": drawn, "lines": lined})
    places = np.concatenate(nodes) if nodes else np.zeros((0, 3))
    origin = 0.5 * (places.min(axis=0) + places.max(axis=0)) if len(places) else np.zeros(3)
    return packed(
        {"surfaces": index, "origin": origin.tolist()},
        {
            "nodes": (places - origin).astype(np.float32),
            "normals": _whole(normals, 3).astype(np.float32),
            "triangles": _whole(triangles, 3).astype(np.uint32),
            "lines": (_whole(lines, 6).reshape(-1, 3) - origin).astype(np.float32),
        },
    )


def _edges(surface: Surface) -> Iterable[Curve]:
    if isinstance(surface, Triangulated):
        return surface.feature_lines(_EDGE)
    return [border.curve for border in surface.borders]


def _pieces(curve: Curve) -> Floats:
    xyz = curve.drawing
    ring = np.vstack([xyz, xyz[:1]]) if curve.closed else xyz
    return np.concatenate([ring[:-1], ring[1:]], axis=1)


def _whole(parts: Sequence[npt.NDArray[Any]], width: int) -> npt.NDArray[Any]:
    return np.concatenate(parts) if parts else np.zeros((0, width))

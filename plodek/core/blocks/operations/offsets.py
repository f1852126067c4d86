"""Where outer sides come to lie at a constant distance: their corners, and the paths of their edges."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, Layout, Side, Use
from plodek.core.blocks.normals import corner_normal
from plodek.core.errors import BadValue, Refused
from plodek.core.shape.curves.arc import Arc, arc_through
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.frame import unit
from plodek.core.shape.guide import Guide

#: Normals whose singular values are below this share of the largest are of one plane.
_ONE_PLANE = 0.15
#: An edge is offset at so many places; where these are on a circle, by that share of it, it is an arc.
_SAMPLES, _ROUND = np.linspace(0.0, 1.0, 65), 1e-9
#: A side beside what grows goes on in its own line or plane where the normal is in it within this sine.
_ALONG = 1e-3


def corners_off(
    layout: Layout, guides: Mapping[str, Guide], sides: Sequence[Side], distance: float
) -> dict[str, Floats]:
    """Give where the corners of outer sides go: ``distance`` off every one of the sides that meet there.

    Corners on straight lines, or flat sides, that go on squarely from there stay on these: those of symmetry.
    """
    at_corner: dict[str, list[Floats]] = {}
    for side in sides:
        for corner in dict.fromkeys(side):
            normal = corner_normal(layout, guides, layout.outer[side], corner)
            at_corner.setdefault(corner, []).append(normal)
    beside = _flat_beside(layout, guides, sides)
    found = {}
    for corner, normals in at_corner.items():
        offset = _off(np.array(normals), np.full(len(normals), distance))
        for across in beside.get(corner, ()):
            away = float(offset @ across)
            if abs(away) < _ALONG * float(np.linalg.norm(offset)):
                offset = offset - away * across
        found[corner] = layout.places([corner])[0] + offset
    return found


def _off(normals: Floats, distances: Floats) -> Floats:
    """Give the shortest way (…, 3) that is so far (n,) along each of some unit normals (…, n, 3)."""
    return np.asarray(np.linalg.pinv(normals, rcond=_ONE_PLANE) @ distances)


def _flat_beside(
    layout: Layout, guides: Mapping[str, Guide], sides: Sequence[Side]
) -> dict[str, list[Floats]]:
    """Give, by corner of sides that grow, the unit normals of straight or flat outer sides beside them."""
    grown, corners = set(sides), {corner for side in sides for corner in side}
    found: dict[str, list[Floats]] = {}
    for side, use in layout.outer.items():
        if side in grown or not corners.intersection(side):
            continue
        normals = [corner_normal(layout, guides, use, corner) for corner in dict.fromkeys(side)]
        if all(float(one @ normals[0]) > 1.0 - 1e-9 for one in normals):
            for corner in corners.intersection(side):
                found.setdefault(corner, []).append(normals[0])
    return found


def edges_off(
    layout: Layout,
    guides: Mapping[str, Guide],
    sides: Mapping[Side, Use],
    ends: Mapping[str, Floats],
    distances: Mapping[Side, float],
    *,
    leave_out: bool = False,
) -> dict[Edge, Curve]:
    """Give the paths off the bent edges of ``sides``, as far as their ``distances``, between ``ends`` (3,).

    That is outwards of the blocks whose sides they are; of an arc it is an arc again. Raises Refused, with
    where, where a distance is beyond the radius to which an edge is bent; or these are left out.
    """
    at_edge: dict[Edge, list[Side]] = {}
    for side in sides:
        for edge in layout.rim_of(side):
            at_edge.setdefault(edge, []).append(side)
    found = {}
    for edge, own in at_edge.items():
        path = edge_path(layout, guides, edge)
        if path.curve is None:
            continue
        xyz = path.at(_SAMPLES)
        along = _tangents(xyz, path.directions())
        normals = np.stack([_normals(layout, guides, sides[s], edge, along) for s in own], axis=1)
        off = np.array([distances[side] for side in own])
        offset = xyz + _off(normals, off)
        try:
            _need_open(xyz, offset, float(np.abs(off).max()))
        except Refused:
            if leave_out:
                continue
            raise
        gaps = [np.asarray(ends[corner]) - offset[n] for corner, n in zip(edge, (0, -1), strict=True)]
        share = _SAMPLES[:, None]
        found[edge] = _curve_through(offset + (1 - share) * gaps[0] + share * gaps[1], along)
    return found


def _tangents(xyz: Floats, directions: tuple[Floats, Floats]) -> Floats:
    """Give the unit tangents (n, 3) along places (n, 3), from the first to the last."""
    found = np.gradient(xyz, axis=0, edge_order=2)
    found[0], found[-1] = directions[0], -directions[1]
    return np.asarray(found / np.linalg.norm(found, axis=1, keepdims=True))


def _normals(layout: Layout, guides: Mapping[str, Guide], use: Use, edge: Edge, along: Floats) -> Floats:
    """Give the unit normals (n, 3) of a block's side along one of its edges, outwards.

    Between its ends it turns with the edge: as its normals at both ends do, carried along it without twist
    (Bishop 1975, Amer. Math. Monthly 82, 246), each by its share.
    """
    first, last = (corner_normal(layout, guides, use, corner) for corner in edge)
    if layout.dim == 2:
        across = np.cross(along, [0.0, 0.0, 1.0])
        return np.asarray(across if float(across[0] @ first) >= 0 else -across)
    share = _SAMPLES[:, None]
    mixed = (1 - share) * _carried(first, along) + share * _carried(last, along[::-1])[::-1]
    mixed -= np.einsum("nk,nk->n", mixed, along)[:, None] * along
    return np.asarray(mixed / np.linalg.norm(mixed, axis=1, keepdims=True))


def _carried(vector: Floats, along: Floats) -> Floats:
    """Carry a vector (3,) along unit tangents (n, 3), turned as these turn from each to the next."""
    found = [np.asarray(vector)]
    for before, after in pairwise(along):
        axis = np.cross(before, after)
        cosine = float(before @ after)
        turned = (
            found[-1] * cosine + np.cross(axis, found[-1]) + axis * float(axis @ found[-1]) / (1.0 + cosine)
        )
        found.append(turned)
    return np.array(found)


def _need_open(xyz: Floats, offset: Floats, distance: float) -> None:
    """Raise Refused, with where, where an offset line runs backwards against the one that it is off."""
    steps = np.diff(xyz, axis=0)
    open_ = np.einsum("nk,nk->n", np.diff(offset, axis=0), steps) / np.einsum("nk,nk->n", steps, steps)
    worst = int(np.argmin(open_))
    if open_[worst] <= 0:
        where = ", ".join(f"{v:.4g}" for v in xyz[worst])
        radius = abs(distance) / (1.0 - float(open_[worst]))
        raise Refused(
            f"a layer of {abs(distance):.4g} folds at ({where}), where the side is bent to a radius of "
            f"{radius:.4g}",
            remedy=f"stay below {radius:.4g}, or grow the other way",
        )


def _curve_through(xyz: Floats, along: Floats) -> Curve:
    """Give the arc through places (n, 3) if they are on one, else the spline with tangents at its ends."""
    middle = len(xyz) // 2
    try:
        arc = arc_through(*(place(xyz[n]) for n in (0, middle, -1)))
    except BadValue:
        arc = None
    if isinstance(arc, Arc) and np.abs(arc.at(_SAMPLES) - xyz).max() < _ROUND * arc.radius:
        return arc
    return Spline(
        xyz, closed=False, corner_angle=60, start_tangent=unit(along[0]), end_tangent=unit(along[-1])
    )

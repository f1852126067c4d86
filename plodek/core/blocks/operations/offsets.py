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
#: A place is off all sides at a corner where it misses no distance by more than this share of it.
_KEPT = 0.3


def corner_off(at: Floats, normals: Floats, distance: float, beside: Sequence[Floats] = ()) -> Floats:
    """Give the place (3,) that is ``distance`` off outer sides at a corner (3,), by their normals (n, 3).

    It stays in the planes whose unit normals ``beside`` gives, where the way is all but in them: those of
    straight lines or flat sides that go on squarely from there, as of symmetry. Raises Refused, with where,
    where there is no such place: sides turn right back there, or touch in the corner alone.
    """
    offset = _off(normals, np.full(len(normals), distance))
    if np.abs(normals @ offset - distance).max() > _KEPT * distance:
        raise Refused(
            f"no place is {distance:.4g} off all sides at ({_told(at)}): they turn "
            "right back there, or touch in that corner alone",
            remedy="grow the sides there one after the other",
        )
    for across in beside:
        away = float(offset @ across)
        if abs(away) < _ALONG * float(np.linalg.norm(offset)):
            offset = offset - away * across
    return np.asarray(at + offset)


def _off(normals: Floats, distances: Floats) -> Floats:
    """Give the shortest way (…, 3) that is so far (n,) along each of some unit normals (…, n, 3)."""
    return np.asarray(np.linalg.pinv(normals, rcond=_ONE_PLANE) @ distances)


def beside_flat(
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
        uses, off = [sides[side] for side in own], [distances[side] for side in own]
        try:
            path = edge_off(layout, guides, edge, uses, off, (ends[edge[0]], ends[edge[1]]))
        except Refused:
            if leave_out:
                continue
            raise
        if path is not None:
            found[edge] = path
    return found


def edge_off(
    layout: Layout,
    guides: Mapping[str, Guide],
    edge: Edge,
    uses: Sequence[Use],
    distances: Sequence[float],
    ends: tuple[Floats, Floats],
) -> Curve | None:
    """Give the path off a bent edge between two ends (3,), so far outwards of each of some blocks' sides.

    None for a straight one. Raises Refused, with where, where that is beyond the radius of a bend.
    """
    path = edge_path(layout, guides, edge)
    if path.curve is None:
        return None
    xyz = path.at(_SAMPLES)
    along = _tangents(xyz, path.directions())
    normals = np.stack([_normals(layout, guides, use, edge, along) for use in uses], axis=1)
    offset = xyz + _off(normals, np.array(distances))
    _need_open(xyz, offset, float(np.abs(distances).max()))
    gaps = [np.asarray(end) - offset[n] for end, n in zip(ends, (0, -1), strict=True)]
    share = _SAMPLES[:, None]
    return _curve_through(offset + (1 - share) * gaps[0] + share * gaps[1], along)


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
        radius = abs(distance) / (1.0 - float(open_[worst]))
        raise Refused(
            f"a layer of {abs(distance):.4g} folds at ({_told(xyz[worst])}), where the side is bent to a "
            f"radius of {radius:.4g}",
            remedy=f"stay below {radius:.4g}, or grow the other way",
        )


def _told(xyz: Floats) -> str:
    return ", ".join(f"{value:.4g}" for value in xyz)


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

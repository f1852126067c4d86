"""Filling a side between its four edges: in space, and in the surface that it lies on."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.surface import SmoothSurface, Surface

#: Between two nodes of the rim parameters say how far apart they are, within this factor; else they are no
#: guide to what lies inside: there is a seam or a pole between.
_TRUE = 2.0
#: Nodes of the rim are on the surface within this share of the rim's size.
_ON = 1e-6
#: Where the surface moves by less than this share of what it does elsewhere as a parameter changes is a pole.
_POLE = 1e-7


class Rim(NamedTuple):
    """The nodes around a side: ``south`` and ``north`` (na, k), ``west`` and ``east`` (nb, k)."""

    south: Floats
    north: Floats
    west: Floats
    east: Floats


def between(u: Floats, v: Floats, rim: Rim) -> Floats:
    """Fill between four edges (na, nb, k) with the blending functions (na, nb).

    Transfinite interpolation (Gordon & Hall 1973, Int. J. Numer. Meth. Eng. 7, 461).
    """
    south, north, west, east = rim
    u, v = u[:, :, None], v[:, :, None]
    nodes = (
        (1 - u) * west[None] + u * east[None] + (1 - v) * south[:, None] + v * north[:, None]
        - (1 - u) * ((1 - v) * south[0] + v * north[0]) - u * ((1 - v) * south[-1] + v * north[-1])
    )  # fmt: skip
    nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1] = south, north, west, east
    return np.asarray(nodes)


def on_surface(surface: Surface, u: Floats, v: Floats, rim: Rim) -> Floats:
    """Fill between four edges on a surface (na, nb, 3): between the parameters of their nodes.

    With a pole within, that is in the plane in which the way from the pole and the angle about it are polar
    coordinates. Where parameters are no guide to the inside (edges off the surface, several surfaces or
    triangles), it is filled in space and put to the nearest places.
    """
    nodes = between(u, v, rim)
    inner = nodes[1:-1, 1:-1]
    if not inner.size:
        return nodes
    uv = _inside(surface, u, v, rim, nodes) if isinstance(surface, SmoothSurface) else None
    if uv is None:
        inner[...] = surface.onto(inner.reshape(-1, 3)).reshape(inner.shape)
    else:
        if isinstance(surface, GeneratedSurface):
            uv = np.where(surface.wraps, uv - np.floor(uv), np.clip(uv, 0.0, 1.0))
        inner[...] = surface.at(uv[1:-1, 1:-1].reshape(-1, 2)).reshape(inner.shape)
    return nodes


def _inside(surface: SmoothSurface, u: Floats, v: Floats, rim: Rim, flat: Floats) -> Floats | None:
    """Give parameters (na, nb, 2) of a side's nodes, ``flat`` as filled in space; None where unsound."""
    xyz = np.concatenate([rim.south, rim.east[1:], rim.north[-2::-1], rim.west[-2:0:-1]])
    uv = surface.nearest(xyz)
    size = float(np.linalg.norm(np.ptp(xyz, axis=0)))
    if np.abs(surface.at(uv) - xyz).max() > _ON * size:
        return None
    ways = surface.derivatives(uv)[1:3]
    speeds = np.stack([np.linalg.norm(way, axis=1) for way in ways], axis=1)
    is_pole = speeds <= _POLE * speeds.max(axis=0)
    if np.any(is_pole.all(axis=0)):
        return None
    if isinstance(surface, GeneratedSurface):
        for axis in (0, 1):
            if surface.wraps[axis] and not np.any(is_pole):
                steps = np.diff(uv[:, axis], append=uv[0, axis])
                if abs(np.sum(steps - np.round(steps))) > 0.5:  # once around
                    return _round_pole(surface, axis, u, v, _rim_of(uv, rim), flat)
    found = _parameters(surface, rim, xyz, uv, is_pole)
    return None if found is None else between(u, v, found)


def _round_pole(
    surface: GeneratedSurface, axis: int, u: Floats, v: Floats, rim: Rim, flat: Floats
) -> Floats | None:
    """Fill round a pole within the parameters ``rim``, in polar coordinates; ``axis`` goes round it."""
    other = 1 - axis
    middle = surface.nearest(flat[flat.shape[0] // 2, flat.shape[1] // 2][None])[0, other]
    pole = 0.0 if middle < np.mean(np.concatenate(rim)[:, other]) else 1.0
    at = np.zeros((1, 2))
    at[0, other] = pole
    speed = [np.linalg.norm(way) for way in surface.derivatives(at)[1:3]]
    if speed[axis] > _POLE * speed[other]:
        return None  # an open end: the rim goes round a tube
    polar = Rim(*(_polar(part, axis, pole) for part in rim))
    xy = between(u, v, polar)
    found = np.empty(xy.shape)
    found[..., axis] = np.arctan2(xy[..., 1], xy[..., 0]) / math.tau
    found[..., other] = np.abs(pole - np.hypot(xy[..., 0], xy[..., 1]))
    return found


def _polar(uv: Floats, axis: int, pole: float) -> Floats:
    """Give parameters (n, 2) as places in a plane round the pole."""
    angle, away = math.tau * uv[:, axis], np.abs(uv[:, 1 - axis] - pole)
    return np.stack([away * np.cos(angle), away * np.sin(angle)], axis=1)


def _parameters(surface: SmoothSurface, rim: Rim, xyz: Floats, uv: Floats, is_pole: Bools) -> Rim | None:
    """Give the parameters of the rim's nodes, going on over seams; None where they say too little."""
    ways = surface.derivatives(uv)[1:3]
    size = float(np.linalg.norm(np.ptp(xyz, axis=0)))
    for axis in (0, 1):
        if isinstance(surface, GeneratedSurface) and surface.wraps[axis]:
            uv[~is_pole[:, axis], axis] = np.unwrap(uv[~is_pole[:, axis], axis], period=1.0)
        known = np.flatnonzero(~is_pole[:, axis])
        if len(known) < len(uv):  # at a pole the parameter goes over from that before to that after
            uv[:, axis] = np.interp(np.arange(len(uv)), known, uv[known, axis], period=len(uv))
    after = np.roll(np.arange(len(uv)), -1)
    step, apart = uv[after] - uv, np.linalg.norm(xyz[after] - xyz, axis=1)
    told = np.linalg.norm(
        sum(0.5 * step[:, axis, None] * (ways[axis] + ways[axis][after]) for axis in (0, 1)), axis=1
    )
    slack = 1e-9 * size
    if np.any(told > _TRUE * apart + slack) or np.any(apart > _TRUE * told + slack):
        return None
    return _rim_of(uv, rim)


def _rim_of(uv: Floats, rim: Rim) -> Rim:
    """Give values (n, 2) once around as those of the four edges of a rim."""
    na, nb = len(rim.south), len(rim.west)
    south, east, north, west = np.split(uv, [na, na + nb - 1, 2 * na + nb - 2])
    return Rim(
        south,
        np.concatenate([north[::-1], east[-1:]]),
        np.concatenate([south[:1], west[::-1], north[-1:]]),
        np.concatenate([south[-1:], east]),
    )

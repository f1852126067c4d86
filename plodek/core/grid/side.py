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


def crossed(s1: Floats, s2: Floats, t1: Floats, t2: Floats) -> tuple[Floats, Floats]:
    """Give the blending functions u and v (na, nb) from where the nodes of the four edges lie, 0 to 1.

    They are at the crossings of straight lines between opposite edges: Soni 1985 (AIAA 85-1526).
    """
    s1, s2, t1, t2 = s1[:, None], s2[:, None], t1[None, :], t2[None, :]
    both = 1 - (s2 - s1) * (t2 - t1)
    return ((1 - t1) * s1 + t1 * s2) / both, ((1 - s1) * t1 + s1 * t2) / both


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

    With a pole within, or at a corner, that is in the plane in which the way from the pole and the angle
    about it are polar coordinates. Where parameters are no guide to the inside (edges off the surface,
    several surfaces or triangles), it is filled in space and put to the nearest places.
    """
    nodes = between(u, v, rim)
    inner = nodes[1:-1, 1:-1]
    if not inner.size:
        return nodes
    whole = surface.carrier or surface
    uv = _inside(whole, u, v, rim, nodes) if isinstance(whole, SmoothSurface) else None
    if uv is None:
        inner[...] = surface.onto(inner.reshape(-1, 3)).reshape(inner.shape)
    else:
        if isinstance(whole, GeneratedSurface):
            uv = np.where(whole.wraps, uv - np.floor(uv), np.clip(uv, 0.0, 1.0))
        inner[...] = whole.at(uv[1:-1, 1:-1].reshape(-1, 2)).reshape(inner.shape)
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
    for axis in (0, 1):
        (poles,) = np.nonzero(is_pole[:, axis])
        if len(poles) == 1:
            at_corner = _at_pole(surface, axis, uv, int(poles[0]), rim)
            return None if at_corner is None else _polar_between(u, v, *at_corner)
        if not np.any(is_pole) and _goes_round(surface, axis, uv):
            return _round_pole(surface, axis, u, v, _rim_of(uv, rim), flat)
    found = _parameters(surface, rim, xyz, uv, is_pole)
    return None if found is None else between(u, v, found)


def _goes_round(surface: SmoothSurface, axis: int, uv: Floats) -> bool:
    """Whether places once around (n, 2) go once round a surface that closes along a parameter."""
    if not isinstance(surface, GeneratedSurface) or not surface.wraps[axis]:
        return False
    steps = np.diff(uv[:, axis], append=uv[0, axis])
    return bool(abs(np.sum(steps - np.round(steps))) > 0.5)


def _round_pole(
    surface: SmoothSurface, axis: int, u: Floats, v: Floats, rim: Rim, flat: Floats
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
    return _polar_between(u, v, rim, _Polar(axis, pole, 1.0 - 2.0 * pole, math.tau, 0.0))


class _Polar(NamedTuple):
    """Polar coordinates: an angle is ``turn`` times the parameter ``axis`` beyond ``middle``.

    At the pole the other parameter is ``pole``, from where it goes on by ``sign``.
    """

    axis: int
    pole: float
    sign: float
    turn: float
    middle: float


def _at_pole(surface: SmoothSurface, axis: int, uv: Floats, at: int, rim: Rim) -> tuple[Rim, _Polar] | None:
    """Give the parameters once around a side with a pole at the node ``at``, and coordinates about it."""
    other = 1 - axis
    pole = float(uv[at, other])
    ahead = np.roll(uv, -1 - at, axis=0)[:-1]  # from the node after the pole to the one before it
    if isinstance(surface, GeneratedSurface) and surface.wraps[axis]:
        ahead[:, axis] = np.unwrap(ahead[:, axis], period=1.0)
    away = ahead[:, other] - pole
    sign = math.copysign(1.0, float(away.sum()))
    near = np.array([[ahead[:, axis].mean(), pole + 1e-4 * away[np.argmax(np.abs(away))]]])
    speed = [float(np.linalg.norm(way)) for way in surface.derivatives(near)[1:3]]
    turn = speed[axis] / (speed[other] * abs(near[0, other] - pole))
    if np.any(sign * away < 0) or turn * float(np.ptp(ahead[:, axis])) > math.tau:
        return None
    middle = 0.5 * float(ahead[:, axis].min() + ahead[:, axis].max())
    there = uv[at : at + 1]  # its angle says nothing
    return _rim_of(np.roll(np.concatenate([ahead, there]), 1 + at, axis=0), rim), _Polar(
        axis, pole, sign, turn, middle
    )


def _polar_between(u: Floats, v: Floats, rim: Rim, polar: _Polar) -> Floats:
    """Fill between parameters ``rim`` in the plane of polar coordinates."""
    axis, pole, sign, turn, middle = polar

    def plane(uv: Floats) -> Floats:
        angle, away = turn * (uv[:, axis] - middle), np.abs(uv[:, 1 - axis] - pole)
        return np.stack([away * np.cos(angle), away * np.sin(angle)], axis=1)

    xy = between(u, v, Rim(*(plane(part) for part in rim)))
    found = np.empty(xy.shape)
    found[..., axis] = middle + np.arctan2(xy[..., 1], xy[..., 0]) / turn
    found[..., 1 - axis] = pole + sign * np.hypot(xy[..., 0], xy[..., 1])
    return found


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

"""Creases under sides: where a guide breaks between the nodes of a side or an edge that lies on it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface

#: A surface that turns by more than this between two places as near to each other as can be has a crease.
LEAST = 30.0
#: Halvings of the way between two nodes: a smooth wall turns by a thousandth of what it did between these.
_HALVINGS = 10
#: A crease nearer to a node of the rim than this share of the way to the next runs along the rim.
_ALONG_RIM = 0.02
#: So many pairs of nodes are looked at; where more of them turn by much, some of them tell.
_MOST = 200
#: A corner this near to a node, of the way to the next, has it; a curve is looked at so far beside one, of
#: its whole length.
_AT_NODE, _BESIDE = 1e-3, 1e-7


@dataclass(frozen=True)
class Crease:
    """A break of a guide under a side: by how many degrees it turns there, and where."""

    degrees: float
    at: Place


def crease_under(surface: Surface, nodes: Floats, normals: Floats) -> Crease | None:
    """Find the worst crease that runs between nodes (ni, nj, 3) of a side, whose ``normals`` are there.

    A crease along the rim is none: edges follow it, and on it normals are those of either side. Between
    nodes whose normals differ the way is halved, on the side where they differ more, until the surface must
    be smooth if it is at all.
    """
    pairs = _turning(normals)[:_MOST]
    if not len(pairs):
        return None
    ends, sides = nodes.reshape(-1, 3)[pairs], normals.reshape(-1, 3)[pairs]  # (p, 2, 3) each
    low, width = np.zeros(len(pairs)), 1.0
    for _ in range(_HALVINGS):
        where = surface.nearest(ends.mean(axis=1))
        middle, normal = surface.at(where), surface.normal(where)
        first, second = (_angle(sides[:, n], normal) for n in (0, 1))
        later = second > first  # the break is in the second half
        width /= 2
        low += width * later
        keep = np.arange(len(pairs)), (~later).astype(int)  # the end that the middle takes the place of
        ends[keep], sides[keep] = middle, normal
    angles = _angle(sides[:, 0], sides[:, 1])
    shape = nodes.shape[:2]
    on_rim = np.ones(shape, dtype=bool)
    on_rim[1:-1, 1:-1] = False
    rim = on_rim.ravel()[pairs]
    along = (rim[:, 0] & (low < _ALONG_RIM)) | (rim[:, 1] & (low + width > 1 - _ALONG_RIM))
    angles = np.where(along, 0.0, angles)
    worst = int(np.argmax(angles))
    if angles[worst] < LEAST:
        return None
    return Crease(float(angles[worst]), place(ends[worst].mean(axis=0)))


def corner_under(curve: Curve, where: Floats) -> Crease | None:
    """Find the sharpest corner of a curve between the nodes of an edge, at fractions ``where`` (n,) of it."""
    steps = np.diff(where)
    if curve.closed:
        steps -= np.round(steps)
    corners = curve.corners if curve.closed else curve.corners[1:-1]
    ahead = (corners[:, None] - where[:-1]) * np.sign(steps)
    if curve.closed:
        ahead %= 1.0
    length = np.abs(steps)
    slack = _AT_NODE * length
    within = np.any((ahead > slack) & (ahead < length - slack), axis=1)
    if not np.any(within):
        return None
    passed = corners[within]
    both = (curve.tangent((passed + side) % 1.0) for side in (-_BESIDE, _BESIDE))
    turns = np.degrees(np.arccos(np.clip(np.einsum("nk,nk->n", *both), -1.0, 1.0)))
    worst = int(np.argmax(turns))
    return Crease(float(turns[worst]), place(curve.at(passed[worst : worst + 1])[0]))


def _turning(normals: Floats) -> np.ndarray[tuple[int, int], np.dtype[np.int64]]:
    """Give the pairs of neighbouring nodes (p, 2), flat, whose normals differ, those that do most first."""
    number = np.arange(normals.shape[0] * normals.shape[1]).reshape(normals.shape[:2])
    inner = number[:, 1:-1], number[1:-1]  # ways along the rim say nothing
    pairs = np.concatenate([
        np.stack([inner[0][:-1].ravel(), inner[0][1:].ravel()], axis=1),
        np.stack([inner[1][:, :-1].ravel(), inner[1][:, 1:].ravel()], axis=1),
    ])  # fmt: skip
    flat = normals.reshape(-1, 3)
    angles = _angle(flat[pairs[:, 0]], flat[pairs[:, 1]])
    order = np.argsort(-angles, kind="stable")
    return np.asarray(pairs[order[: int(np.count_nonzero(angles > LEAST))]])


def _angle(one: Floats, other: Floats) -> Floats:
    """Give the angles (n,) in degrees between normals (n, 3), whichever way these look."""
    cosine = np.clip(np.abs(np.einsum("nk,nk->n", one, other)), 0.0, 1.0)
    return np.asarray(np.where(_has(one) & _has(other), np.degrees(np.arccos(cosine)), 0.0))


def _has(normals: Floats) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """Tell the normals that are there: at a pole there is none."""
    return np.asarray(np.any(normals != 0, axis=1))

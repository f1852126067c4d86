"""Carrying a plane grid along its lift."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.grid.fill import Sheets, fill_side, shared
from plodek.core.model.model import Lift, Model

#: A whole block, and its six sides, as indices of its nodes.
_WHOLE = ((slice(None), slice(None), slice(None)),)
_SIDES = tuple(
    tuple((slice(-1, None) if end else slice(1)) if ax == axis else slice(None) for ax in range(3))
    for axis in range(3)
    for end in (0, 1)
)


def carried(
    model: Model,
    lift: Lift,
    plane: Mapping[str, Floats] | None,
    *,
    shell: bool = False,
    layer: Sheets | None = None,
) -> dict[str, Floats]:
    """Carry the plane along the lift: nodes (ni, nj, nk, 3) of every block.

    That is the smoothed ``plane``, blocks (ni, nj, 1, 3), where there is one; else it is filled at both
    ends of each block with the spacing there, and goes over from one to the other. On the edges along
    the lift nodes lie as their spacing says; between them the lift's parameter is linear over indices.
    Of a ``shell`` only the sides are there, of a ``layer`` only its own nodes.
    """
    layout, below = model.layout, lift.plane.layout
    found = {}
    for name in layout.filled if layer is None else layer:
        corners = layout.blocks[name].corners
        if plane is not None:
            low = high = plane[lift.base[name]]
        else:
            low, high = (_end_filled(model, lift, name, end)[:, :, None, :] for end in (0, 1))
        moving = [n for n in range(4) if corners[n] != corners[n | 4]]
        known = {
            n: _times(
                model, lift, np.array(below.corners[lift.foot[corners[n]]].xyz), corners[n], corners[n | 4]
            )
            for n in moving
        }
        times = [known.get(n, known[moving[0]]) for n in range(4)]  # a corner on the axis has none of its own
        ni, nj = low.shape[:2]
        u = np.linspace(0.0, 1.0, ni)[:, None, None]
        v = np.linspace(0.0, 1.0, nj)[None, :, None]
        way = ((times[0] - times[0][0]) / (times[0][-1] - times[0][0]))[None, None, :, None]
        nodes = np.empty((ni, nj, len(times[0]), 3))
        sheet = None if layer is None else layer[name]
        pieces = _SIDES if shell else _WHOLE if sheet is None else (_sheet(*sheet),)
        for i, j, k in pieces:
            a, b, (t0, t1, t2, t3) = u[i], v[:, j], [t[k] for t in times]
            t = (1 - b) * ((1 - a) * t0 + a * t1) + b * ((1 - a) * t2 + a * t3)
            xyz = (low[i, j] + way[:, :, k] * (high - low)[i, j]).reshape(-1, 3)
            nodes[i, j, k] = lift.motion.places(xyz, t.ravel()).reshape(*t.shape, 3)
        found[name] = nodes
    return found if layer is not None else shared(layout, found)


def _sheet(axis: int, at: int) -> tuple[slice, slice, slice]:
    i, j, k = (slice(at, at + 1) if ax == axis else slice(None) for ax in range(3))
    return i, j, k


def _end_filled(model: Model, lift: Lift, name: str, end: int) -> Floats:
    """Fill the plane block below a lifted one (ni, nj, 3), with the spacing at one of its ends."""
    corners = model.layout.blocks[name].corners
    feet = lift.plane.layout.blocks[lift.base[name]].corners
    own = corners[4:] if end else corners[:4]
    nodes: dict[Edge, Floats] = {}
    for a, b in ((0, 1), (2, 3), (0, 2), (1, 3)):
        if own[a] == own[b] or feet[a] == feet[b]:
            continue
        s = model.laid.nodes[edge_of(own[a], own[b])]
        same = (own[a] < own[b]) == (feet[a] < feet[b])
        nodes[edge_of(feet[a], feet[b])] = s if same else 1.0 - s[::-1]
    laid = replace(lift.plane.laid, nodes=nodes)
    xyz = {edge: laid.paths[edge].at(s) for edge, s in nodes.items()}
    ni, nj, _ = model.counts_of(name)
    return fill_side(feet, laid, xyz, (ni + 1, nj + 1), lift.plane.layout.moulds.get(lift.base[name]))


def _times(model: Model, lift: Lift, foot: Floats, low: str, high: str) -> Floats:
    """Give the lift's parameter (nk,) at the nodes between two corners that stand above ``foot``."""
    edge = edge_of(low, high)
    path = edge_path(model.layout, model.guides, edge)
    t = lift.motion.parameter(foot, path.at(model.laid.nodes[edge]))
    return t if edge[0] == low else t[::-1]

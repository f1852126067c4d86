"""Filling blocks: transfinite interpolation from the nodes of their edges and sides.

Gordon & Hall 1973 (Int. J. Numer. Meth. Eng. 7, 461) with blending functions from the arc-length
parameters of the four edges, intersected as in Soni 1985 (AIAA 85-1526); in space those of the twelve
edges, intersected by fixed-point steps.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Edge, Layout, Side, edge_of, side_of
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.blocks.orientation import Orientation
from plodek.core.blocks.tiers import Tier
from plodek.core.grid.inside import at_side, fill_inside
from plodek.core.grid.moulded import fill_in_mould, side_between
from plodek.core.grid.side import Rim, between, crossed, on_surface
from plodek.core.shape.guide import Guide, surface_named
from plodek.core.spacing.spread import LaidOut

#: The nodes (na, nb, 3) of a side, with the corners that they run between: along the first axis first.
_Face: TypeAlias = tuple[tuple[str, ...], Floats]
#: The sheet of each block that a layer runs through: an axis, and the index of the nodes along it.
Layer: TypeAlias = Mapping[str, tuple[int, int]]
#: The same of blocks to fill, None for those to fill whole.
Sheets: TypeAlias = Mapping[str, tuple[int, int] | None]


def layer_of(layout: Layout, laid: LaidOut, tier: Tier, share: float) -> dict[str, tuple[int, int]]:
    """Give the layer of nodes at a share, 0 to 1, of a tier in space, counted the tier's way."""
    found = {}
    for name in layout.filled:
        corners = layout.blocks[name].corners
        for axis in range(3):
            ways = ((corners[a], corners[b]) for a, b in tables.parallel(3, axis))
            low, high = next(((a, b) for a, b in ways if a != b), (corners[0], corners[0]))
            if low == high or edge_of(low, high) not in tier.edges:
                continue
            count = laid.counts[tier.first]
            along = tier.edges[edge_of(low, high)] == (low < high)
            found[name] = axis, round((share if along else 1 - share) * count)
            break
    return found


def fill_plane(layout: Layout, laid: LaidOut) -> dict[str, Floats]:
    """Fill every filled block of a plane layout: its nodes (ni, nj, 1, 3).

    Edge nodes are worked out once per edge, so that blocks share them to the bit.
    """
    xyz = {edge: laid.paths[edge].at(laid.nodes[edge]) for edge in laid.nodes}
    found = {}
    for name in layout.filled:
        corners = layout.blocks[name].corners
        shape = _count(laid, corners, 0) + 1, _count(laid, corners, 1) + 1
        found[name] = fill_side(corners, laid, xyz, shape, layout.moulds.get(name))[:, :, None, :]
    return found


def fill_space(
    layout: Layout,
    laid: LaidOut,
    guides: Mapping[str, Guide],
    *,
    shell: bool = False,
    layer: Sheets | None = None,
) -> dict[str, Floats]:
    """Fill every filled block of a layout in space: its nodes (ni, nj, nk, 3).

    Edges and sides are worked out once each, so that blocks share them to the bit; sides that lie on a
    surface are put onto it. Of a ``shell`` only the sides are filled, of a ``layer`` the sides of its
    blocks and its own nodes; the rest means nothing.
    """
    xyz = {edge: laid.paths[edge].at(laid.nodes[edge]) for edge in laid.nodes}
    faces: dict[Side, _Face] = {}
    blocks = {}
    for name in layout.filled if layer is None else layer:
        corners = layout.blocks[name].corners
        shape = [_count(laid, corners, axis) + 1 for axis in range(3)]
        nodes = np.empty((*shape, 3))
        for axis, end, ns in tables.sides(3):
            ids = tuple(corners[n] for n in ns)
            if len(set(ids)) < 3:  # shrunk to a line, which blocks with other counts may share
                nodes[at_side(axis, end)] = _shrunk(ids, laid, xyz, _shape(shape, axis))
                continue
            side = side_of(*ids)
            if side not in faces:
                faces[side] = ids, _face(layout, laid, guides, xyz, ids, side, _shape(shape, axis))
            nodes[at_side(axis, end)] = _turned(faces[side], ids)
        if not shell:
            sheet, mould = None if layer is None else layer[name], layout.moulds.get(name)
            if mould is None:
                lines = [_lines(laid, corners, axis, shape[axis]) for axis in range(3)]
                fill_inside(nodes, lines, sheet)
            else:
                fill_in_mould(mould, laid, nodes, sheet)
        blocks[name] = nodes
    return blocks


def shared(layout: Layout, blocks: Mapping[str, Floats]) -> dict[str, Floats]:
    """Make nodes (ni, nj, nk, 3) that blocks share equal to the bit: each edge and side counts once."""
    edges: dict[Edge, Floats] = {}
    faces: dict[Side, _Face] = {}
    found = {}
    for name, before in blocks.items():
        corners, nodes = layout.blocks[name].corners, before.copy()
        for axis, low, high in tables.edges(3):
            a, b = corners[low], corners[high]
            line = tuple(slice(None) if ax == axis else -(low >> ax & 1) for ax in range(3))
            if a != b:
                kept = edges.setdefault(edge_of(a, b), nodes[line] if a < b else nodes[line][::-1])
                nodes[line] = kept if a < b else kept[::-1]
        for axis, end, ns in tables.sides(3):
            ids = tuple(corners[n] for n in ns)
            if len(set(ids)) > 2:
                face = faces.setdefault(side_of(*ids), (ids, nodes[at_side(axis, end)]))
                nodes[at_side(axis, end)] = _turned(face, ids)
        found[name] = nodes
    return found


def _count(laid: LaidOut, corners: tuple[str, ...], axis: int) -> int:
    for a, b in tables.parallel(2 if len(corners) == 4 else 3, axis):
        if corners[a] != corners[b]:
            return laid.counts[edge_of(corners[a], corners[b])]
    return 1


def _shape(shape: list[int], axis: int) -> tuple[int, int]:
    na, nb = (n for ax, n in enumerate(shape) if ax != axis)
    return na, nb


def _turned(face: _Face, ids: tuple[str, ...]) -> Floats:
    """Give the nodes of a face in the order of corners that a block has."""
    own, nodes = face
    return Orientation.of_corners(ids, own).apply(nodes)


def _face(
    layout: Layout,
    laid: LaidOut,
    guides: Mapping[str, Guide],
    xyz: Mapping[Edge, Floats],
    ids: tuple[str, ...],
    side: Side,
    shape: tuple[int, int],
) -> Floats:
    u, v, rim = _rim(ids, laid, xyz, shape)
    guide, mould = layout.lies.get(side), layout.moulds.get(side)
    surface = None if guide is None else surface_named(guides, guide)
    if mould is not None:
        return side_between(mould.ordered(ids), laid, rim, surface)
    return between(u, v, rim) if surface is None else on_surface(surface, u, v, rim)


def fill_side(
    corners: tuple[str, ...],
    laid: LaidOut,
    xyz: Mapping[Edge, Floats],
    shape: tuple[int, int],
    mould: Mould | None = None,
) -> Floats:
    """Fill between the four edges of a plane block or side (na, nb, 3), in its mould where it has one."""
    u, v, rim = _rim(corners, laid, xyz, shape)
    return between(u, v, rim) if mould is None else side_between(mould, laid, rim)


def _shrunk(
    corners: tuple[str, ...],
    laid: LaidOut,
    xyz: Mapping[Edge, Floats],
    shape: tuple[int, int],
) -> Floats:
    """Give the nodes (na, nb, 3) of a side that has shrunk to an edge or a point: one place to the bit."""
    c0, c1, c2, c3 = corners
    if (c0, c2) == (c1, c3):
        return np.broadcast_to(_along(laid, xyz, c0, c2, shape[1])[1], (*shape, 3))
    if (c0, c1) == (c2, c3):
        return np.broadcast_to(_along(laid, xyz, c0, c1, shape[0])[1][:, None], (*shape, 3))
    return fill_side(corners, laid, xyz, shape)


def _rim(
    corners: tuple[str, ...],
    laid: LaidOut,
    xyz: Mapping[Edge, Floats],
    shape: tuple[int, int],
) -> tuple[Floats, Floats, Rim]:
    """Give the blending functions u and v (na, nb) of a side, and the nodes of its four edges."""
    c0, c1, c2, c3 = corners
    na, nb = shape
    (s1, south), (s2, north) = _along(laid, xyz, c0, c1, na), _along(laid, xyz, c2, c3, na)
    (t1, west), (t2, east) = _along(laid, xyz, c0, c2, nb), _along(laid, xyz, c1, c3, nb)
    return *crossed(s1, s2, t1, t2), Rim(south, north, west, east)


def _along(laid: LaidOut, xyz: Mapping[Edge, Floats], a: str, b: str, count: int) -> tuple[Floats, Floats]:
    """Give the node fractions and places of an edge from a to b; one place where it has shrunk."""
    if a == b:
        there = laid.places[a]
        return np.linspace(0.0, 1.0, count), np.tile(there, (count, 1))
    edge = edge_of(a, b)
    if edge[0] == a:
        return laid.nodes[edge], xyz[edge]
    return 1.0 - laid.nodes[edge][::-1], xyz[edge][::-1]


def _lines(laid: LaidOut, corners: tuple[str, ...], axis: int, count: int) -> list[Floats]:
    """Give the node fractions (n,) of the four edges along an axis, in the order of their low corners."""
    found = []
    for low, high in tables.parallel(3, axis):
        a, b = corners[low], corners[high]
        if a == b:
            found.append(np.linspace(0.0, 1.0, count))
            continue
        s = laid.nodes[edge_of(a, b)]
        found.append(s if a < b else 1.0 - s[::-1])
    return found

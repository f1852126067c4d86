"""Sections: the polygons that a plane, a cylinder or a sphere cuts out of the cells of a grid.

A cell is cut along its edges where the signed distance changes sign, and these places are joined face by
face (Lorensen & Cline, Marching Cubes, Computer Graphics 21, 1987). Where a face is crossed at all four of
its edges the corners on the positive side are kept apart, in both cells that it belongs to.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.budget import need
from plodek.core.check.look.bricks import BRICK, Bricks
from plodek.core.check.look.cutter import Cutter, crossing, distance
from plodek.core.check.look.pieces import Pieces
from plodek.core.errors import NothingFound
from plodek.core.grid.grid import Grid

#: Distances below this share of the grid's size are none: nodes on the surface lie on it.
_ON = 1e-12
#: Faces of a cell, their corners once round.
_FACES = ((0, 2, 6, 4), (1, 3, 7, 5), (0, 1, 5, 4), (2, 3, 7, 6), (0, 1, 3, 2), (4, 5, 7, 6))
#: Edges of a cell, their ends; each runs along an axis.
_EDGES = np.array([(n, n | 1 << axis) for axis in range(3) for n in range(8) if not n >> axis & 1])


def _loops(case: int) -> list[list[int]]:
    """Give the loops of edges that the surface runs through, where bit n tells that corner n is positive."""
    number = {frozenset(map(int, ends)): n for n, ends in enumerate(_EDGES)}
    linked: dict[int, list[int]] = {}
    for face in _FACES:
        sides = [number[frozenset((face[n], face[(n + 1) % 4]))] for n in range(4)]
        on = [case >> corner & 1 for corner in face]
        crossed = [n for n in range(4) if on[n] != on[(n + 1) % 4]]
        if len(crossed) == 4:  # side n - 1 and side n meet at corner n
            pairs = [(sides[n - 1], sides[n]) for n in range(4) if on[n]]
        else:
            pairs = [(sides[crossed[0]], sides[crossed[1]])] if crossed else []
        for a, b in pairs:
            linked.setdefault(a, []).append(b)
            linked.setdefault(b, []).append(a)
    loops = []
    while linked:
        first = next(iter(linked))
        loop, at = [first], linked.pop(first)[0]
        while at != first:
            loop.append(at)
            one, other = linked.pop(at)
            at = other if one == loop[-2] else one
        loops.append(loop)
    return loops


def _table() -> tuple[Ints, Ints]:
    """List for each case the lengths of its loops (256, 4), 0 for none, and their edges (256, 12)."""
    lengths, edges = np.zeros((256, 4), dtype=np.int64), np.zeros((256, 12), dtype=np.int64)
    for case in range(1, 255):
        loops = _loops(case)
        lengths[case, : len(loops)] = [len(loop) for loop in loops]
        every = [edge for loop in loops for edge in loop]
        edges[case, : len(every)] = every
    return lengths, edges


_LENGTHS, _AT = _table()
_LOOPS = np.count_nonzero(_LENGTHS, axis=1)


def section(grid: Grid, bricks: Bricks, cutter: Cutter) -> Pieces:
    """Cut a grid in space.

    A surface that only touches the grid's outside cuts out of it what it touches. Raises NothingFound for
    one that does not meet the grid, telling where that is.
    """
    size = float(np.linalg.norm(np.ptp(bricks.centre, axis=0))) + float(bricks.radius.max())
    off = cutter.distances(bricks.centre)
    near = np.abs(off) <= bricks.radius + _ON * size
    for sign in (
        1.0,
        -1.0,
    ):  # the other way round where all there is lies on the surface or on its positive side
        found = _cut(grid, bricks, cutter, near, sign, _ON * size)
        if len(found):
            return found
    low, high = (f"({', '.join(f'{v:.4g}' for v in end)})" for end in _box(grid))
    raise NothingFound(
        "the section does not meet the grid", remedy=f"the grid lies between {low} and {high}: move it there"
    )


def _box(grid: Grid) -> tuple[Floats, Floats]:
    lows, highs = zip(*((b.min(axis=(0, 1, 2)), b.max(axis=(0, 1, 2))) for b in grid.xyz), strict=True)
    return np.min(lows, axis=0), np.max(highs, axis=0)


def _cut(grid: Grid, bricks: Bricks, cutter: Cutter, near: Bools, sign: float, on: float) -> Pieces:
    places, sizes, cells = [np.empty((0, 3))], [np.empty(0, dtype=np.int64)], [np.empty(0, dtype=np.int64)]
    surface, total = (cutter.kind, cutter.point, cutter.axis, cutter.radius), 0
    for b, xyz in enumerate(grid.xyz):
        part = slice(bricks.starts[b], bricks.starts[b + 1])
        low = bricks.low[part][near[part]]
        if not len(low):
            continue
        counts = np.zeros((len(low) + 1, 2), dtype=np.int64)
        nothing = np.empty((0, 3)), np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64)
        _bricks_cut(xyz, low, *surface, sign, on, counts, *nothing)
        ends = np.cumsum(counts, axis=0)
        total += int(ends[-1, 0])
        need("faces", total, where="the section")
        own = (
            np.empty((ends[-1, 1], 3)),
            np.empty(ends[-1, 0], dtype=np.int64),
            np.empty(ends[-1, 0], dtype=np.int64),
        )
        _bricks_cut(xyz, low, *surface, sign, on, ends, *own)
        places.append(own[0])
        sizes.append(own[1])
        cells.append(own[2] + grid.starts[b])
    start = np.concatenate([[0], np.cumsum(np.concatenate(sizes))])
    return Pieces(np.concatenate(places), start, np.concatenate(cells))


@nb.njit(cache=True, parallel=True, nogil=True)
def _bricks_cut(
    xyz: Floats, low: Ints, kind: int, point: Floats, axis: Floats, radius: float, sign: float, on: float,
    counts: Ints, places: Floats, sizes: Ints, cells: Ints,
) -> None:  # fmt: skip
    """Cut the bricks of a block.

    The first time, with no room in ``places``, polygons and places are counted into ``counts``
    (bricks + 1, 2), for each brick behind the one before; the second time these say where each's begin.
    """
    fill = len(places) > 0
    for n in nb.prange(len(low)):
        off = np.empty((BRICK + 1, BRICK + 1, BRICK + 1))
        polygon, value = np.empty((12, 3)), np.empty(8)
        i0, j0, k0 = low[n]
        ci, cj, ck = _distances(xyz, i0, j0, k0, kind, point, axis, radius, sign, on, off)
        polygons, vertices = (counts[n, 0], counts[n, 1]) if fill else (0, 0)
        for i in range(ci):
            for j in range(cj):
                for k in range(ck):
                    case, first = _case(off, i, j, k, value), 0
                    for loop in range(_LOOPS[case]):
                        length = _LENGTHS[case, loop]
                        edges = _AT[case, first : first + length]
                        count = _polygon(
                            xyz,
                            i0 + i,
                            j0 + j,
                            k0 + k,
                            value,
                            edges,
                            kind,
                            point,
                            axis,
                            radius,
                            sign,
                            polygon,
                        )
                        first += length
                        if count < 3:
                            continue
                        if fill:
                            places[vertices : vertices + count] = polygon[:count]
                            sizes[polygons] = count
                            cells[polygons] = ((i0 + i) * (xyz.shape[1] - 1) + j0 + j) * (
                                xyz.shape[2] - 1
                            ) + (k0 + k)
                        polygons, vertices = polygons + 1, vertices + count
        if not fill:
            counts[n + 1, 0], counts[n + 1, 1] = polygons, vertices


@nb.njit(cache=True, nogil=True)
def _distances(
    xyz: Floats, i0: int, j0: int, k0: int, kind: int, point: Floats, axis: Floats, radius: float,
    sign: float, on: float, off: Floats,
) -> tuple[int, int, int]:  # fmt: skip
    """Fill the signed distances of the nodes of a brick; give how many cells it has along each axis."""
    ci = min(BRICK, xyz.shape[0] - 1 - i0)
    cj = min(BRICK, xyz.shape[1] - 1 - j0)
    ck = min(BRICK, xyz.shape[2] - 1 - k0)
    for i in range(ci + 1):
        for j in range(cj + 1):
            for k in range(ck + 1):
                p = xyz[i0 + i, j0 + j, k0 + k]
                found = sign * distance(kind, point, axis, radius, p[0], p[1], p[2])
                off[i, j, k] = 0.0 if abs(found) <= on else found
    return ci, cj, ck


@nb.njit(cache=True, nogil=True)
def _case(off: Floats, i: int, j: int, k: int, value: Floats) -> int:
    """Give which corners of a cell are on the positive side, as bits, and fill their distances (8,)."""
    case = 0
    for c in range(8):
        value[c] = off[i + (c & 1), j + (c >> 1 & 1), k + (c >> 2)]
        if value[c] >= 0.0:
            case |= 1 << c
    return case


@nb.njit(cache=True, nogil=True)
def _polygon(
    xyz: Floats, i: int, j: int, k: int, value: Floats, edges: Ints,
    kind: int, point: Floats, axis: Floats, radius: float, sign: float, polygon: Floats,
) -> int:  # fmt: skip
    """Fill the polygon of a loop of edges of a cell, without places that come twice; count its places."""
    count = 0
    for edge in edges:
        a, b = _EDGES[edge]
        p = xyz[i + (a & 1), j + (a >> 1 & 1), k + (a >> 2)]
        q = xyz[i + (b & 1), j + (b >> 1 & 1), k + (b >> 2)]
        t = crossing(kind, point, axis, radius, p, q, sign * value[a], sign * value[b])
        for x in range(3):
            polygon[count, x] = p[x] + t * (q[x] - p[x]) if t < 1.0 else q[x]
        count += count == 0 or not _same(polygon[count], polygon[count - 1])
    return count - 1 if count > 1 and _same(polygon[0], polygon[count - 1]) else count


@nb.njit(cache=True, inline="always")
def _same(a: Floats, b: Floats) -> bool:
    return bool(a[0] == b[0] and a[1] == b[1] and a[2] == b[2])

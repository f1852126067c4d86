"""Triangulated surfaces: closest places by a tree of boxes, free boundaries, and edges by angle.

The closest place on a triangle as in Ericson, Real-Time Collision Detection (2005), ch. 5.1.5.
"""

from __future__ import annotations

import numba
import numpy as np
import scipy
from propcache.api import cached_property

from plodek.core.arrays import Bools, Floats, Ints, dot
from plodek.core.errors import BadValue, NothingFound
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.surfaces.surface import Border, Facets, Surface
from plodek.core.tolerances import SAME_PLACE

_LEAF = 4


class Triangulated(Surface):
    """Triangles (m, 3) over places (n, 3); parameters are the triangle's number and two weights.

    Raises BadValue where there is no triangle, or one names a place that is not there.
    """

    kind = "triangulated"

    def __init__(self, xyz: Floats, triangles: Ints) -> None:
        if not len(triangles):
            raise BadValue("the surface has no triangle", remedy="look at it in the program it came from")
        if triangles.min() < 0 or triangles.max() >= len(xyz):
            raise BadValue("a triangle names a place that is not there", remedy="export the surface anew")
        self.xyz = np.ascontiguousarray(xyz, dtype=np.float64)
        self.triangles = np.ascontiguousarray(triangles, dtype=np.int64)

    def at(self, uv: Floats) -> Floats:
        """Give the places (n, 3) at the parameters ``uv`` (n, 3)."""
        a, b, c = (self.xyz[self.triangles[uv[:, 0].astype(np.int64), k]] for k in range(3))
        return np.asarray(a + uv[:, 1:2] * (b - a) + uv[:, 2:] * (c - a))

    def normal(self, uv: Floats) -> Floats:
        """Give the unit normals (n, 3) of the triangles at the parameters ``uv`` (n, 3)."""
        return self.normals[uv[:, 0].astype(np.int64)]

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 3) of the nearest places."""
        out = np.empty((len(xyz), 3))
        _closest(*self._tree, np.ascontiguousarray(xyz, dtype=np.float64), out)
        return out

    @cached_property
    def _corners(self) -> Floats:
        return np.ascontiguousarray(self.xyz[self.triangles])

    @cached_property
    def _tree(self) -> tuple[Floats, Floats, Ints, Ints]:
        """The corners in the order of the tree, its boxes and nodes, and the order."""
        boxes = np.empty((2 * len(self.triangles) + 1, 6))
        nodes = np.full((2 * len(self.triangles) + 1, 3), -1, dtype=np.int64)
        order = np.arange(len(self.triangles), dtype=np.int64)
        used = _build(self._corners, boxes, nodes, order)
        return self._corners[order], boxes[:used].copy(), nodes[:used].copy(), order

    @cached_property
    def _across(self) -> Floats:
        a, b, c = (self._corners[:, k] for k in range(3))
        return np.cross(b - a, c - a)

    @cached_property
    def normals(self) -> Floats:
        """Unit normals (m, 3); 0 where a triangle has no area."""
        size = np.linalg.norm(self._across, axis=1)[:, None]
        return np.asarray(self._across / np.where(size > 0, size, 1.0))

    @cached_property
    def area(self) -> float:
        """Area, in the square of the project's unit."""
        return 0.5 * float(np.sum(np.linalg.norm(self._across, axis=1)))

    @cached_property
    def swept_volume(self) -> float:
        """A third of the integral of place · normal."""
        return float(np.sum(dot(self._corners[:, 0], self._across))) / 6

    @cached_property
    def _edges(self) -> tuple[Ints, Ints, Bools]:
        """Each edge (e, 2), the two triangles at it (e, 2; -1 for none), and whether it has just one."""
        ends = self.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
        owner = np.repeat(np.arange(len(self.triangles)), 3)
        edges, inverse, uses = np.unique(
            np.sort(ends, axis=1), axis=0, return_inverse=True, return_counts=True
        )
        order = np.argsort(inverse.ravel(), kind="stable")
        first = np.concatenate([[0], np.cumsum(uses)[:-1]])
        sides = np.full((len(edges), 2), -1, dtype=np.int64)
        sides[:, 0] = owner[order[first]]
        twice = uses > 1
        sides[twice, 1] = owner[order[first[twice] + 1]]
        return edges, sides, uses == 1

    @cached_property
    def borders(self) -> tuple[Border, ...]:
        """The free boundaries as closed or open lines."""
        edges, _, free = self._edges
        return tuple(Border("", line) for line in _lines(self.xyz, edges[free]))

    def feature_lines(self, angle: float) -> list[Polyline]:
        """Give the lines where neighbouring triangles meet at more than ``angle`` degrees, and boundaries."""
        edges, sides, free = self._edges
        cosine = dot(self.normals[sides[:, 0]], self.normals[sides[:, 1]])
        return _lines(self.xyz, edges[free | (cosine < np.cos(np.radians(angle)))])

    def section(self, at: Floats, normal: Floats) -> list[Polyline]:
        """Give the lines in which the plane through ``at`` across ``normal`` cuts the triangles.

        Raises NothingFound where it misses them.
        """
        import trimesh  # only where a plane cuts: it takes long to import

        mesh = trimesh.Trimesh(self.xyz, self.triangles, process=False)
        pieces = np.asarray(trimesh.intersections.mesh_plane(mesh, normal, at))  # type: ignore[no-untyped-call]
        size = float(np.max(np.ptp(self.xyz, axis=0)))
        if not len(pieces):
            raise NothingFound("the plane does not cut the surface", remedy="move the plane")
        places, number = merged(pieces.reshape(-1, 3), SAME_PLACE * size)
        edges = np.unique(np.sort(number.reshape(-1, 2), axis=1), axis=0)
        found = _lines(places, edges[edges[:, 0] != edges[:, 1]])
        return sorted(found, key=lambda curve: -curve.length)

    def welded(self, tolerance: float) -> Triangulated:
        """Give the surface with places within ``tolerance`` made one, and triangles without area left out."""
        xyz, triangles = weld(self.xyz, self.triangles, tolerance)
        return Triangulated(xyz, triangles)

    def _facets(self) -> Facets:
        """Give the triangles themselves, each with its own places, so that it is shaded flat."""
        count = len(self.triangles)
        index = np.arange(3 * count).reshape(-1, 3)
        return Facets(self._corners.reshape(-1, 3), index, np.repeat(self.normals, 3, axis=0))


def weld(xyz: Floats, triangles: Ints, tolerance: float) -> tuple[Floats, Ints]:
    """Make places within ``tolerance`` one; triangles that lose a side are left out."""
    same, number = merged(xyz, tolerance)
    joined = number[triangles]
    a, b, c = joined.T
    kept = joined[(a != b) & (b != c) & (c != a)]
    used, local = np.unique(kept, return_inverse=True)
    return same[used], local.reshape(-1, 3)


def merged(xyz: Floats, tolerance: float) -> tuple[Floats, Ints]:
    """Give places (m, 3) without those within ``tolerance`` of another, and the number of each old one."""
    same, number = np.unique(xyz, axis=0, return_inverse=True)
    number = number.ravel()
    if tolerance > 0:
        pairs = scipy.spatial.cKDTree(same).query_pairs(tolerance, output_type="ndarray")
        graph = scipy.sparse.coo_array(
            (np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(same), len(same))
        )
        _, group = scipy.sparse.csgraph.connected_components(graph, directed=False)
        first = np.unique(group, return_index=True)[1]
        same, number = same[first], np.asarray(group, dtype=np.int64)[number]
    return same, number


def _lines(xyz: Floats, edges: Ints) -> list[Polyline]:
    """Chain edges (e, 2) between places into lines, closed where they come back."""
    if not len(edges):
        return []
    nodes, local = np.unique(edges, return_inverse=True)
    walk, starts = _chains(local.reshape(-1, 2), len(nodes))
    lines = []
    for chain in np.split(nodes[walk], starts[1:]):
        closed = len(chain) > 3 and chain[0] == chain[-1]
        lines.append(Polyline(xyz[chain[:-1] if closed else chain], closed=closed))
    return lines


@numba.njit(cache=True, nogil=True)
def _chains(edges: Ints, count: int) -> tuple[Ints, Ints]:
    """Walk edges into chains: nodes one after the other, and where each chain starts."""
    degree = np.zeros(count, dtype=np.int64)
    for e in range(len(edges)):
        degree[edges[e, 0]] += 1
        degree[edges[e, 1]] += 1
    first = np.zeros(count + 1, dtype=np.int64)
    first[1:] = np.cumsum(degree)
    fill = first[:-1].copy()
    at = np.empty(2 * len(edges), dtype=np.int64)
    for e in range(len(edges)):
        for k in range(2):
            at[fill[edges[e, k]]] = e
            fill[edges[e, k]] += 1
    taken = np.zeros(len(edges), dtype=np.bool_)
    walk = np.empty(2 * len(edges), dtype=np.int64)
    starts = np.empty(len(edges), dtype=np.int64)
    length, chains = 0, 0
    for rounds in range(2):  # first from forks and ends, then the loops that are left
        for start in range(count):
            if rounds == 0 and degree[start] == 2:
                continue
            for slot in range(first[start], first[start + 1]):
                edge = at[slot]
                if taken[edge]:
                    continue
                starts[chains] = length
                chains += 1
                node = start
                walk[length] = node
                length += 1
                while edge >= 0:
                    taken[edge] = True
                    node = edges[edge, 0] + edges[edge, 1] - node
                    walk[length] = node
                    length += 1
                    edge = -1
                    if degree[node] == 2 and node != start:
                        for other in range(first[node], first[node + 1]):
                            if not taken[at[other]]:
                                edge = at[other]
    return walk[:length], starts[:chains]


@numba.njit(cache=True, nogil=True)
def _build(corners: Floats, boxes: Floats, nodes: Ints, order: Ints) -> int:
    """Build the tree of boxes by halving at the median of the longest side; gives the number of boxes.

    A node is (first, count, -1) for a leaf, (left, right, 0) otherwise.
    """
    middle = np.empty((len(corners), 3))
    for n in range(len(corners)):
        for k in range(3):
            low = min(corners[n, 0, k], corners[n, 1, k], corners[n, 2, k])
            high = max(corners[n, 0, k], corners[n, 1, k], corners[n, 2, k])
            middle[n, k] = 0.5 * (low + high)
    stack = np.empty((128, 3), dtype=np.int64)
    stack[0] = 0, 0, len(corners)
    depth, used = 1, 1
    while depth:
        depth -= 1
        node, low, high = stack[depth]
        for k in range(3):
            boxes[node, k], boxes[node, 3 + k] = np.inf, -np.inf
            for n in range(low, high):
                for corner in range(3):
                    value = corners[order[n], corner, k]
                    boxes[node, k] = min(boxes[node, k], value)
                    boxes[node, 3 + k] = max(boxes[node, 3 + k], value)
        if high - low <= _LEAF:
            nodes[node] = low, high - low, -1
            continue
        axis, size = 0, -1.0
        for k in range(3):
            if boxes[node, 3 + k] - boxes[node, k] > size:
                axis, size = k, boxes[node, 3 + k] - boxes[node, k]
        part = order[low:high]
        half = (high - low) // 2
        order[low:high] = part[np.argsort(middle[part, axis])]
        nodes[node] = used, used + 1, 0
        stack[depth] = used, low, low + half
        stack[depth + 1] = used + 1, low + half, high
        depth += 2
        used += 2
    return used


@numba.njit(cache=True, nogil=True, inline="always")
def _box_gap(boxes: Floats, node: int, x: float, y: float, z: float) -> float:
    dx = max(boxes[node, 0] - x, 0.0, x - boxes[node, 3])
    dy = max(boxes[node, 1] - y, 0.0, y - boxes[node, 4])
    dz = max(boxes[node, 2] - z, 0.0, z - boxes[node, 5])
    return float(dx * dx + dy * dy + dz * dz)


@numba.njit(cache=True, nogil=True, inline="always")
def _on_triangle(c: Floats, m: int, x: float, y: float, z: float) -> tuple[float, float, float]:
    """Give the squared distance to triangle ``m`` of ``c``, and the weights of its last two corners."""
    abx, aby, abz = c[m, 1, 0] - c[m, 0, 0], c[m, 1, 1] - c[m, 0, 1], c[m, 1, 2] - c[m, 0, 2]
    acx, acy, acz = c[m, 2, 0] - c[m, 0, 0], c[m, 2, 1] - c[m, 0, 1], c[m, 2, 2] - c[m, 0, 2]
    px, py, pz = x - c[m, 0, 0], y - c[m, 0, 1], z - c[m, 0, 2]
    aa, ab, bb = (
        abx * abx + aby * aby + abz * abz,
        abx * acx + aby * acy + abz * acz,
        acx * acx + acy * acy + acz * acz,
    )
    d, e = abx * px + aby * py + abz * pz, acx * px + acy * py + acz * pz
    whole = aa * bb - ab * ab
    v = w = 0.0
    inside = False
    if whole > 1e-30 * aa * bb:
        v, w = (bb * d - ab * e) / whole, (aa * e - ab * d) / whole
        inside = v >= 0 and w >= 0 and v + w <= 1
    if not inside:
        best = np.inf
        sides = ((0.0, 0.0, 1.0, 0.0), (0.0, 0.0, 0.0, 1.0), (1.0, 0.0, 0.0, 1.0))
        for v0, w0, v1, w1 in sides:
            dv, dw = v1 - v0, w1 - w0
            sx, sy, sz = dv * abx + dw * acx, dv * aby + dw * acy, dv * abz + dw * acz
            qx, qy, qz = px - v0 * abx - w0 * acx, py - v0 * aby - w0 * acy, pz - v0 * abz - w0 * acz
            square = sx * sx + sy * sy + sz * sz
            part = 0.0
            if square > 0:
                part = min(max((sx * qx + sy * qy + sz * qz) / square, 0.0), 1.0)
            rx, ry, rz = qx - part * sx, qy - part * sy, qz - part * sz
            gap = rx * rx + ry * ry + rz * rz
            if gap < best:
                best, v, w = gap, v0 + part * (v1 - v0), w0 + part * (w1 - w0)
    rx, ry, rz = px - v * abx - w * acx, py - v * aby - w * acy, pz - v * abz - w * acz
    return rx * rx + ry * ry + rz * rz, v, w


@numba.njit(cache=True, nogil=True, parallel=True)
def _closest(corners: Floats, boxes: Floats, nodes: Ints, order: Ints, xyz: Floats, out: Floats) -> None:
    """Go down the nearer box first, passing over boxes that are farther than what has been found.

    ``corners`` are those of the triangles in the tree's ``order``.
    """
    for n in numba.prange(len(xyz)):
        x, y, z = xyz[n, 0], xyz[n, 1], xyz[n, 2]
        stack = np.empty(128, dtype=np.int64)
        gaps = np.empty(128)
        stack[0], gaps[0] = 0, _box_gap(boxes, 0, x, y, z)
        depth, best = 1, np.inf
        while depth:
            depth -= 1
            node = stack[depth]
            if gaps[depth] >= best:
                continue
            if nodes[node, 2] < 0:
                for m in range(nodes[node, 0], nodes[node, 0] + nodes[node, 1]):
                    gap, v, w = _on_triangle(corners, m, x, y, z)
                    if gap < best:
                        best = gap
                        out[n, 0], out[n, 1], out[n, 2] = order[m], v, w
                continue
            left, right = nodes[node, 0], nodes[node, 1]
            gap_l, gap_r = _box_gap(boxes, left, x, y, z), _box_gap(boxes, right, x, y, z)
            if gap_l < gap_r:
                left, right, gap_l, gap_r = right, left, gap_r, gap_l
            stack[depth], gaps[depth] = left, gap_l
            stack[depth + 1], gaps[depth + 1] = right, gap_r
            depth += 2

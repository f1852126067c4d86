"""Gliding sides: nodes that slide along a guide or a straight side until the lines leave it squarely."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.errors import BadValue
from plodek.core.shape.curves.curve import Curve
from plodek.core.smooth.graph import Indices, NodeGraph
from plodek.core.spacing.spread import LaidOut

#: Share of the way to its foot point that a node glides at a time.
STEP = 0.5
#: A node stays at least this share of the gap away from its neighbour on the side.
APART = 0.2


@dataclass
class Track:
    """One side that glides.

    ``nodes`` along it, its two ends among them, which stay; ``inward`` the first nodes inward of the
    others; ``s`` where the nodes are along ``path``.
    """

    nodes: Indices
    inward: Indices
    path: EdgePath
    s: Floats

    def glide(self, xy: Floats, softness: float) -> float:
        """Move the inner nodes towards the feet of their lines, in place; give the largest move."""
        inner = self.nodes[1:-1]
        if not len(inner):
            return 0.0
        places = np.zeros((len(inner), 3))
        places[:, :2] = xy[self.inward]
        places[:, 2] = self.path.start[2]
        feet = feet_on(self.path, places)
        old = self.s
        wanted = old[1:-1] + STEP * softness * (feet - old[1:-1])
        room = 0.5 * (1 - APART)
        wanted = np.maximum(wanted, old[1:-1] - room * (old[1:-1] - old[:-2]))
        wanted = np.minimum(wanted, old[1:-1] + room * (old[2:] - old[1:-1]))
        self.s = np.concatenate([old[:1], wanted, old[-1:]])
        before = xy[inner]
        xy[inner] = self.path.at(wanted)[:, :2]
        return float(np.max(np.linalg.norm(xy[inner] - before, axis=1)))


def feet_on(path: EdgePath, xyz: Floats) -> Floats:
    """Give the fractions of the path (n,) nearest to places (n, 3)."""
    if path.curve is None:
        step = path.end - path.start
        return np.asarray(np.clip((xyz - path.start) @ step / np.dot(step, step), 0.0, 1.0))
    away = path.curve.nearest(xyz) - path.from_fraction
    if path.curve.closed:
        away = away - np.round(away - 0.5 * path.span)
    return np.asarray(np.clip(away / path.span, 0.0, 1.0))


def tracks_of(
    layout: Layout, laid: LaidOut, graph: NodeGraph, edges: Iterable[Edge], fixed: Bools
) -> list[Track]:
    """Make a track for each run of gliding edges that share one guide or one straight line.

    Runs are joined through corners that are not pinned off the run. Raises BadValue for an edge
    inside the domain that follows no guide.
    """
    left = list(dict.fromkeys(edges))
    for edge in left:
        inside = not graph.boundary[graph.edges[edge][1:-1]].all()
        if inside and laid.paths[edge].curve is None:
            names = " to ".join(layout.labels[c] for c in edge)
            raise BadValue(
                f"the edge {names} lies inside and follows no guide, so there is nothing to glide along",
                remedy="let it follow a guide, or leave it free",
            )
        fixed[graph.edges[edge]] = True
    tracks = []
    while left:
        run = [left.pop(0)]
        grown = True
        while grown:
            grown = False
            for edge in list(left):
                if _goes_on(laid, run[0], run[-1], edge):
                    left.remove(edge)
                    at_end = bool(set(edge) & set(run[-1]))
                    run.insert(len(run) if at_end else 0, edge)
                    grown = True
        tracks.append(_track(laid, graph, run))
    return tracks


def _goes_on(laid: LaidOut, first: Edge, last: Edge, edge: Edge) -> bool:
    """Whether an edge continues a run at either end on the same guide or straight line."""
    for end in (last, first):
        shared = set(edge) & set(end)
        if len(shared) != 1:
            continue
        a, b = laid.paths[end], laid.paths[edge]
        if a.curve is not None or b.curve is not None:
            if a.curve is b.curve:
                return True
            continue
        u, v = a.end - a.start, b.end - b.start
        if np.linalg.norm(np.cross(u, v)) <= 1e-9 * np.linalg.norm(u) * np.linalg.norm(v):
            return True
    return False


def _track(laid: LaidOut, graph: NodeGraph, run: list[Edge]) -> Track:
    ends = _walk(run)
    pieces = []
    for a, b in ends:
        line = graph.edges[edge_of(a, b)]
        pieces.append(line if a < b else line[::-1])
    nodes = np.concatenate([pieces[0][:1], *(p[1:] for p in pieces)])
    paths = [laid.paths[edge_of(a, b)] for a, b in ends]
    path = _whole(paths, ends)
    inward = _inward(graph, nodes)
    places = np.zeros((len(nodes), 3))
    places[:, :2] = graph.xy[nodes]
    places[:, 2] = path.start[2]
    s = feet_on(path, places)
    s[0], s[-1] = 0.0, 1.0
    return Track(nodes, inward, path, s)


def _walk(run: list[Edge]) -> list[tuple[str, str]]:
    """Direct the edges of a run head to tail."""
    if len(run) == 1:
        return [run[0]]
    at = next(iter(set(run[0]) - set(run[1])), run[0][0])
    steps = []
    for a, b in run:
        far = b if a == at else a
        steps.append((at, far))
        at = far
    return steps


def _whole(paths: list[EdgePath], ends: list[tuple[str, str]]) -> EdgePath:
    turned = [a > b for a, b in ends]
    first, last = paths[0], paths[-1]
    start = first.end if turned[0] else first.start
    end = last.start if turned[-1] else last.end
    curve: Curve | None = first.curve
    if curve is None:
        return EdgePath(start, end)
    at = first.from_fraction + (first.span if turned[0] else 0.0)
    span = sum(-p.span if t else p.span for p, t in zip(paths, turned, strict=True))
    return EdgePath(start, end, curve, at, span)


def _inward(graph: NodeGraph, nodes: Indices) -> Indices:
    """Find the edge neighbour of each inner node of a side that is not on the side itself."""
    on_side = np.zeros(len(graph.xy), dtype=bool)
    on_side[nodes] = True
    near = np.full(len(graph.xy), -1, dtype=np.int32)
    for c in range(4):
        for step in (1, 3):
            a, b = graph.cells[:, c], graph.cells[:, (c + step) % 4]
            leaves = on_side[a] & ~on_side[b]
            near[a[leaves]] = b[leaves]
    return near[nodes[1:-1]]

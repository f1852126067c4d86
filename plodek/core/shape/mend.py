"""Gaps between surfaces: free boundaries found, listed and sewn; tiny edges and doubled surfaces.

Two pieces of boundary are sewn by making them one: both surfaces then have the same edge, with the
curve of the first. The surfaces themselves stay as they are.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.errors import BadValue
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Border, Surface
from plodek.core.shape.surfaces.triangulated import Triangulated

_SAMPLES = np.linspace(0.0, 1.0, 25)
#: A gap wider than this share of its edge's length is a hole, and no crack to be sewn.
_CRACK = 0.1
#: Edges below this share of the size are tiny; surfaces this near to each other are doubled.
_TINY = 1e-4


@dataclass(frozen=True)
class FreeEdge:
    """A piece of boundary that one surface has alone; ``gap`` is how far from others it runs at most."""

    surface: str
    curve: Curve
    gap: float
    beside: str

    @property
    def crack(self) -> bool:
        """Whether another free edge runs along all of it."""
        return self.gap <= _CRACK * self.curve.length


@dataclass(frozen=True)
class Findings:
    """What is found between surfaces; lengths in the project's unit.

    ``tolerance`` is the smallest that closes all cracks, 0 where there is none; ``volume`` is told for
    a closed shell.
    """

    free: tuple[FreeEdge, ...]
    tolerance: float
    tiny: tuple[tuple[str, float], ...]
    doubled: tuple[tuple[str, str], ...]
    volume: float | None


@dataclass(frozen=True)
class _Piece:
    surface: str
    number: int
    key: str
    curve: Curve


def examine(surfaces: Mapping[str, Surface]) -> Findings:
    """Find free boundaries, tiny edges and doubled surfaces among named surfaces."""
    size = _size(surfaces)
    pieces = _pieces(surfaces)
    free = _free_edges(_free(pieces))
    cracks = [edge.gap for edge in free if edge.crack]
    tiny = {(p.surface, p.curve.length) for p in pieces if p.curve.length < _TINY * size}
    return Findings(
        tuple(sorted(free, key=lambda edge: -edge.curve.length)),
        1.001 * max(cracks, default=0.0),
        tuple(sorted(tiny)),
        tuple(_doubled(surfaces, _TINY * size)),
        None if free or not surfaces else _volume(surfaces, pieces),
    )


@dataclass(frozen=True)
class Sewn:
    """What sewing has changed: counts, and how far apart the edges were that it made one.

    ``rims`` are the edges that surfaces have in common now.
    """

    surfaces: dict[str, Surface]
    rims: tuple[Curve, ...]
    divided: int
    pairs: int
    widest: float
    welded: int
    left: int


def sew(surfaces: Mapping[str, Surface], tolerance: float) -> Sewn:
    """Sew free boundaries within ``tolerance``.

    Triangulated surfaces have places within the tolerance made one. Raises BadValue for a tolerance so
    large that it would swallow whole edges.
    """
    found = dict(surfaces)
    welded = 0
    for name, surface in surfaces.items():
        if isinstance(surface, Triangulated):
            found[name] = surface.welded(tolerance)
            welded += len(surface.xyz) - len(found[name].xyz)  # type: ignore[attr-defined]
    smooth = {n: s for n, s in found.items() if not isinstance(s, Triangulated)}
    pieces = _pieces(smooth)
    free = _free(pieces)
    short = [p for p in free if p.curve.length <= 2 * tolerance]
    if short and tolerance > _TINY * _size(surfaces):
        raise BadValue(
            f"an edge of “{short[0].surface}” is only {short[0].curve.length:.4g} long",
            where=f"sewing within {tolerance:.4g}",
            remedy=f"sew within less than {0.5 * short[0].curve.length:.4g}",
        )
    divided = _divided(free, tolerance)
    joined, widest = _pairs([part for parts in divided.values() for part in parts], tolerance)
    for name, surface in smooth.items():
        own = [
            part
            for piece in pieces
            if piece.surface == name
            for part in divided.get((piece.surface, piece.number), [piece])
        ]
        ones = [joined.get(_id(part), part) for part in own]
        borders = tuple(Border(one.key, one.curve) for one in ones)
        is_sewn = any(_id(part) in joined for part in own)
        found[name] = surface.with_borders(borders, tolerance if is_sewn else 0.0)
    after = _pieces(found)
    by_key: dict[str, list[_Piece]] = {}
    for piece in after:
        by_key.setdefault(piece.key, []).append(piece)
    # A seam of one surface is no rim.
    rims = tuple(own[0].curve for own in by_key.values() if len({piece.surface for piece in own}) > 1)
    cuts = sum(len(parts) - 1 for parts in divided.values())
    return Sewn(found, rims, cuts, len(joined) // 2, widest, welded, len(_free(after)))


def _size(surfaces: Mapping[str, Surface]) -> float:
    places = [surface.facets.xyz for surface in surfaces.values()]
    return float(np.linalg.norm(np.ptp(np.concatenate(places), axis=0))) if places else 0.0


def _pieces(surfaces: Mapping[str, Surface]) -> list[_Piece]:
    return [
        _Piece(name, number, border.key or f"{name}/{number}", border.curve)
        for name, surface in surfaces.items()
        for number, border in enumerate(surface.borders)
    ]


def _free(pieces: list[_Piece]) -> list[_Piece]:
    uses = Counter(piece.key for piece in pieces)
    return [piece for piece in pieces if uses[piece.key] == 1]


def _id(piece: _Piece) -> tuple[str, int, str]:
    return piece.surface, piece.number, piece.key


def _free_edges(free: list[_Piece]) -> list[FreeEdge]:
    """Give each free edge with its largest distance to the others, and which surface is beside it."""
    samples = [piece.curve.at(_SAMPLES) for piece in free]
    boxes = _boxes(samples)
    found = []
    for n, piece in enumerate(free):
        best = np.full(len(_SAMPLES), np.inf)
        owner = np.full(len(_SAMPLES), -1)
        reach = _CRACK * piece.curve.length
        for m in _near(boxes, n, reach):
            curve = free[m].curve
            gap = np.linalg.norm(curve.at(curve.nearest(samples[n])) - samples[n], axis=1)
            owner = np.where(gap < best, m, owner)
            best = np.minimum(best, gap)
        worst = int(np.argmax(best))
        beside = free[owner[len(owner) // 2]].surface if owner[len(owner) // 2] >= 0 else ""
        found.append(FreeEdge(piece.surface, piece.curve, float(best[worst]), beside))
    return found


def _boxes(samples: list[Floats]) -> Floats:
    """Give the boxes of curves: low and high corner (n, 2, 3)."""
    return np.array([[s.min(axis=0), s.max(axis=0)] for s in samples]).reshape(-1, 2, 3)


def _near(boxes: Floats, n: int, reach: float) -> list[int]:
    """Give the curves whose boxes come within reach of that of curve ``n``."""
    low, high = boxes[n, 0] - reach, boxes[n, 1] + reach
    near = np.all((boxes[:, 0] <= high) & (boxes[:, 1] >= low), axis=1)
    near[n] = False
    return [int(m) for m in np.flatnonzero(near)]


def _divided(free: list[_Piece], tolerance: float) -> dict[tuple[str, int], list[_Piece]]:
    """Divide free edges where others end on them."""
    ends = np.array([end for p in free if not p.curve.closed for end in (p.curve.start(), p.curve.end())])
    found = {}
    for piece in free:
        own = (piece.surface, piece.number)
        found[own] = [piece]
        if not len(ends):
            continue
        curve = piece.curve
        s = curve.nearest(ends)
        away = np.linalg.norm(curve.at(s) - ends, axis=1)
        margin = 2 * tolerance / curve.length
        inner = away <= tolerance
        if not curve.closed:
            inner &= (s > margin) & (s < 1 - margin)
        cuts = _apart(np.sort(s[inner]), margin)
        if curve.closed and len(cuts) < 2:
            continue
        if len(cuts):
            bounds = np.append(cuts, cuts[0] + 1) if curve.closed else np.concatenate([[0.0], cuts, [1.0]])
            found[own] = [
                _Piece(piece.surface, piece.number, f"{piece.key}.{k}", Part(curve, a, b))
                for k, (a, b) in enumerate(pairwise(bounds))
            ]
    return found


def _apart(values: Floats, margin: float) -> Floats:
    """Leave out values that follow another within a margin."""
    return values[np.append(True, np.diff(values) > margin)] if len(values) else values


def _pairs(free: list[_Piece], tolerance: float) -> tuple[dict[tuple[str, int, str], _Piece], float]:
    """Pair pieces that run within ``tolerance`` of each other all along, the nearest first."""
    samples = [piece.curve.at(_SAMPLES) for piece in free]
    boxes = _boxes(samples)
    candidates = []
    for n, piece in enumerate(free):
        for m in _near(boxes, n, tolerance):
            if m > n:
                both = [
                    np.max(np.linalg.norm(c.at(c.nearest(xyz)) - xyz, axis=1))
                    for c, xyz in ((free[m].curve, samples[n]), (piece.curve, samples[m]))
                ]
                if max(both) <= tolerance:
                    candidates.append((float(max(both)), n, m))
    joined: dict[tuple[str, int, str], _Piece] = {}
    largest = 0.0
    for gap, n, m in sorted(candidates):
        first, second = free[n], free[m]
        if _id(first) not in joined and _id(second) not in joined:
            one = _Piece(first.surface, first.number, f"{first.key}={second.key}", first.curve)
            joined[_id(first)] = joined[_id(second)] = one
            largest = max(largest, gap)
    return joined, largest


def _doubled(surfaces: Mapping[str, Surface], near: float) -> list[tuple[str, str]]:
    """Find pairs of surfaces that lie on each other."""
    names = list(surfaces)
    places = {n: surfaces[n].facets.xyz for n in names}
    boxes = np.array([[*p.min(axis=0), *p.max(axis=0)] for p in places.values()]).reshape(-1, 6)
    if len(names) < 2:
        return []
    found = []
    for n, m in scipy.spatial.cKDTree(boxes).query_pairs(2 * near):
        a, b = names[n], names[m]
        away = [
            np.max(np.linalg.norm(surfaces[y].onto(some) - some, axis=1))
            for x, y in ((a, b), (b, a))
            for some in [places[x][:: max(1, len(places[x]) // 200)]]
        ]
        if max(away) <= near:
            found.append((a, b))
    return found


def _volume(surfaces: Mapping[str, Surface], pieces: list[_Piece]) -> float:
    """Give the volume inside a closed shell, its surfaces turned alike over their shared edges."""
    sides: dict[str, list[tuple[str, float]]] = {}
    for piece in pieces:
        sides.setdefault(piece.key, []).append((piece.surface, _side(surfaces[piece.surface], piece.curve)))
    turned: dict[str, float] = {}
    total = 0.0
    for start in surfaces:
        if start in turned:
            continue
        turned[start] = 1.0
        queue, part = [start], 0.0
        while queue:
            name = queue.pop()
            part += turned[name] * surfaces[name].swept_volume
            for both in sides.values():
                mine = [side for owner, side in both if owner == name]
                for owner, side in both:
                    if mine and owner != name and owner not in turned:
                        turned[owner] = -turned[name] * mine[0] * side
                        queue.append(owner)
        total += abs(part)
    return total


def _side(surface: Surface, curve: Curve) -> float:
    """Say on which side of an edge a surface lies, seen along the edge with its normal up: left is 1."""
    s = np.array([0.37])
    at, along = curve.at(s), curve.tangent(s)
    uv = surface.nearest(at)
    left = np.cross(surface.normal(uv), along)
    step = 1e-3 * curve.length
    away = [
        np.linalg.norm(surface.onto(at + way * step * left) - (at + way * step * left)) for way in (1, -1)
    ]
    return 1.0 if away[0] <= away[1] else -1.0

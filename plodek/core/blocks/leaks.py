"""What leaks in a layout: sides and corners that nearly meet, blocks that overlap, sides that meet in part.

All is looked at with straight edges, which is enough to tell what meets what; for overlaps see `overlaps`.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import scipy

from plodek.core.arrays import Bools, Floats
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, Side, edge_of
from plodek.core.blocks.overlaps import overlaps
from plodek.core.blocks.reports import Finding
from plodek.core.tolerances import SAME_PLACE

#: Corners this near to each other, in shares of the shortest edge at them, were most likely meant to be one.
_NEARLY = 0.01
#: A corner off a side by less than this share of its size lies on it; by the second, off its rim.
_ON_SIDE, _OFF_RIM = 1e-3, 0.02
#: Places along an edge by which its rim is known.
_ALONG = 17
#: Findings of a kind at most; more say nothing more.
_MOST = 20


def leaks(layout: Layout, broken: frozenset[str], paths: Mapping[Edge, EdgePath]) -> list[Finding]:
    """Find what leaks; ``broken`` blocks are inside out, and told already; edges run along ``paths``."""
    if len(layout.filled) < 2:
        return []
    near = _near_corners(layout)
    slits, joined = _slits(layout, near)
    return [
        *slits,
        *_close(layout, near, joined),
        *_partly(layout, near, paths),
        *_overlapping(layout, broken, paths),
    ]


def _near_corners(layout: Layout) -> dict[tuple[str, str], float]:
    """Find pairs of corners that are nearly one place, and no edge between them, with their distances."""
    names = list(dict.fromkeys(c for block in layout.filled for c in layout.blocks[block].corners))
    number = {name: n for n, name in enumerate(names)}
    xyz = layout.places(names)
    ends = np.array([[number[a], number[b]] for a, b in layout.edges if a in number and b in number])
    lengths = np.linalg.norm(xyz[ends[:, 0]] - xyz[ends[:, 1]], axis=1)
    shortest = np.full(len(names), np.inf)
    for end in (0, 1):
        np.minimum.at(shortest, ends[:, end], lengths)
    pairs = scipy.spatial.cKDTree(xyz).query_pairs(_NEARLY * float(shortest.max()), output_type="ndarray")
    if not len(pairs):
        return {}
    away = np.linalg.norm(xyz[pairs[:, 0]] - xyz[pairs[:, 1]], axis=1)
    close = away <= _NEARLY * np.min(shortest[pairs], axis=1)
    found = {}
    for (a, b), distance in zip(pairs[close].tolist(), away[close].tolist(), strict=True):
        if edge_of(names[a], names[b]) not in layout.edges:
            found[names[a], names[b]] = distance
    return found


def _slits(
    layout: Layout, near: Mapping[tuple[str, str], float]
) -> tuple[list[Finding], set[tuple[str, str]]]:
    """Find outer sides all of whose corners nearly meet, and the pairs of corners that this tells."""
    if not near:
        return [], set()
    beside: dict[str, list[str]] = {}
    for a, b in near:
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    spot = {corner: min(corner, *others) for corner, others in beside.items()}
    by_spot: dict[Side, list[Side]] = {}
    for side in layout.outer:
        if all(corner in spot for corner in side):
            by_spot.setdefault(tuple(sorted(spot[c] for c in side)), []).append(side)
    found, told = [], set()
    for sides in by_spot.values():
        if len(sides) < 2:
            continue
        first, second = sides[:2]
        pairs = [(a, b) for a, b in near if {a, b} & set(first) and {a, b} & set(second)]
        far = max(near[pair] for pair in pairs)
        told |= set(pairs)
        if far <= SAME_PLACE * layout.size():
            continue  # their edges are told as lying on each other
        found.append(
            Finding(
                f"the sides {layout.label(first)} and {layout.label(second)} lie on each other but are not "
                f"joined, they are up to {far:.3g} apart: place one of the blocks where it is, joining "
                "corners within a little more",
                tuple(layout.outer[side].block for side in (first, second)),
                tuple(dict.fromkeys((*first, *second))),
                gap=far,
            )
        )
    return found[:_MOST], told


def _close(
    layout: Layout, near: Mapping[tuple[str, str], float], told: set[tuple[str, str]]
) -> list[Finding]:
    """Tell corners that are nearly one place, but for those of sides that lie on each other."""
    least = SAME_PLACE * layout.size()
    return [
        Finding(
            f"the corners {layout.labels[a]} and {layout.labels[b]} are only {distance:.3g} apart: "
            "join them, or move one away",
            corners=(a, b),
        )
        for (a, b), distance in near.items()
        if (a, b) not in told and distance > least
    ][:_MOST]


def _partly(
    layout: Layout, near: Mapping[tuple[str, str], float], paths: Mapping[Edge, EdgePath]
) -> list[Finding]:
    """Find corners in the middle of an outer side, or of a straight edge of one: blocks that meet in part."""
    outer = {side: use.block for side, use in layout.outer.items()}
    beside: dict[str, set[str]] = {}
    for a, b in near:
        beside.setdefault(a, set()).add(b)
        beside.setdefault(b, set()).add(a)
    found = {
        (corner, block)
        for corner, block, side in _in_middles(layout, beside, outer)
        if _inside_rim(layout, side, paths, corner)
    }
    if layout.dim == 3:
        edges = {edge: block for side, block in outer.items() for edge in layout.rim_of(side)}
        bent = layout.follows.keys() | layout.bends.keys()
        straight: dict[Side, str] = {e: block for e, block in edges.items() if e not in bent}
        found |= {(corner, block) for corner, block, _ in _in_middles(layout, beside, straight)}
    return [
        Finding(
            f"corner {layout.labels[corner]} lies in the middle of a side of block "
            f"{layout.labels[block]}, so that blocks meet there only in part: cut that block there",
            (block,),
            (corner,),
        )
        for corner, block in sorted(found)
    ][:_MOST]


def _in_middles(
    layout: Layout, beside: Mapping[str, set[str]], parts: Mapping[tuple[str, ...], str]
) -> set[tuple[str, str, Side]]:
    """Find outer corners in the middles of sides, or of edges; with these and the blocks they belong to."""
    if not parts:
        return set()
    corners = list(dict.fromkeys(c for side in layout.outer for c in side))
    xyz = layout.places(corners)
    tree = scipy.spatial.cKDTree(xyz)
    orders = [layout.ordered(part) if len(part) == 4 else part for part in parts]
    places = layout.places(c for order in orders for c in order).reshape(len(parts), -1, 3)
    middles = places.mean(axis=1)
    reach = np.linalg.norm(places - middles[:, None], axis=2).max(axis=1)
    found = set()
    around = tree.query_ball_point(middles, reach * (1 - _OFF_RIM))
    for (part, block), place, hits in zip(parts.items(), places, around, strict=True):
        own = set(part).union(*(beside.get(c, ()) for c in part))
        others = [n for n in hits if corners[n] not in own]
        if others:
            found |= {(corners[n], block, part) for n in np.array(others)[_lies_in(place, xyz[others])]}
    return found


def _inside_rim(layout: Layout, side: Side, paths: Mapping[Edge, EdgePath], corner: str) -> bool:
    """Say whether a corner lies within a side's rim as its edges run, bent ones too."""
    order = layout.ordered(side) if len(side) == 4 else side
    if len(order) != 4 or len(set(order)) != 4:
        return True
    a, b, c, d = order
    rim = []
    for start, end in ((a, b), (b, d), (d, c), (c, a)):
        path = paths.get(edge_of(start, end))
        if path is None:
            return True
        places = path.at(np.linspace(0.0, 1.0, _ALONG))
        rim.append((places if start < end else places[::-1])[:-1])
    way = np.concatenate(rim) - np.array(layout.corners[corner].xyz)
    _, _, axes = np.linalg.svd(way - way.mean(axis=0), full_matrices=False)
    angle = np.arctan2(way @ axes[1], way @ axes[0])
    turns = np.diff(angle, append=angle[0])
    turns -= 2 * np.pi * np.round(turns / (2 * np.pi))
    return bool(abs(turns.sum()) > np.pi)


def _lies_in(side: Floats, xyz: Floats) -> Bools:
    """Say which places (n, 3) lie on a side, of corners (2, 3) or (4, 3), and off its rim."""
    if len(side) == 2:
        way = side[1] - side[0]
        share = (xyz - side[0]) @ way / (way @ way)
        off = np.linalg.norm(xyz - side[0] - share[:, None] * way, axis=1)
        on = off <= _ON_SIDE * np.linalg.norm(way)
        return np.asarray(on & (share > _OFF_RIM) & (share < 1 - _OFF_RIM))
    first, second = side[1] - side[0], side[2] - side[0]
    normal = np.cross(side[3] - side[0], side[2] - side[1])
    area = float(np.linalg.norm(normal))
    if not area > 0:
        return np.zeros(len(xyz), dtype=bool)
    near = np.abs((xyz - side.mean(axis=0)) @ normal) / area <= _ON_SIDE * np.sqrt(area)
    # Bilinear coordinates, by Newton steps from the middle; the side is nearly plane where it matters.
    u = np.full((len(xyz), 2), 0.5)
    bend = side[3] - side[1] - side[2] + side[0]
    for _ in range(8):
        at = side[0] + u[:, :1] * first + u[:, 1:] * second + u[:, :1] * u[:, 1:] * bend
        du, dv = first + u[:, 1:] * bend, second + u[:, :1] * bend
        miss = xyz - at
        aa, bb, ab = (np.einsum("nk,nk->n", p, q) for p, q in ((du, du), (dv, dv), (du, dv)))
        ra, rb = (np.einsum("nk,nk->n", miss, p) for p in (du, dv))
        det = np.where(np.abs(aa * bb - ab * ab) > 0, aa * bb - ab * ab, np.inf)
        u = np.clip(u + np.stack([bb * ra - ab * rb, aa * rb - ab * ra], axis=1) / det[:, None], -1.0, 2.0)
    return np.asarray(near & np.all((u > _OFF_RIM) & (u < 1 - _OFF_RIM), axis=1))


def _overlapping(layout: Layout, broken: frozenset[str], paths: Mapping[Edge, EdgePath]) -> list[Finding]:
    """Tell blocks that lie in each other."""
    names = [name for name in layout.filled if name not in broken]
    return [
        Finding(
            f"the blocks {layout.labels[a]} and {layout.labels[b]} overlap: move their corners apart, or "
            "take one of them out",
            (a, b),
        )
        for a, b in overlaps(layout, names, paths)
    ][:_MOST]

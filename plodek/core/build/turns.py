"""Which outer sides go on smoothly into each other, and which meet in a sharp edge."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import scipy

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Side, Use, edge_of
from plodek.core.blocks.sides import side_corners
from plodek.core.build.build import coarse, shell
from plodek.core.grid.inside import at_side
from plodek.core.model.model import Model

#: Cells along a side whose directions are compared where it meets others.
_CELLS = 16


def smooth_parts(model: Model, sides: Sequence[Side], degrees: float) -> list[list[Side]]:
    """Sort outer sides into parts within which no two meet at more than an angle."""
    grid = shell(coarse(model, _CELLS))
    blocks = dict(zip(grid.names, grid.xyz, strict=True))
    at: dict[tuple[str, ...], list[tuple[int, Floats]]] = {}
    for number, side in enumerate(sides):
        use = model.layout.outer[side]
        for rim, normals in _rims(model, use, blocks[use.block]):
            at.setdefault(rim, []).append((number, normals))
    pairs = [
        (one[0], other[0])
        for meeting in at.values()
        if len(meeting) == 2
        for one, other in (meeting,)
        if _angle(one[1], other[1]) <= degrees
    ]
    first, second = np.array(pairs, dtype=int).reshape(-1, 2).T
    joints = scipy.sparse.coo_array((np.ones(len(first)), (first, second)), shape=(len(sides), len(sides)))
    labels = scipy.sparse.csgraph.connected_components(joints, directed=False)[1]
    return [
        [side for side, own in zip(sides, labels, strict=True) if own == part]
        for part in dict.fromkeys(labels.tolist())
    ]


def _rims(model: Model, use: Use, nodes: Floats) -> Iterator[tuple[tuple[str, ...], Floats]]:
    """Give the edges around an outer side, in the plane its ends, with the ways (n, 3) it looks there."""
    corners = side_corners(model.layout, use)
    out = 1.0 if use.end else -1.0
    side = nodes[at_side(use.axis, use.end)]
    if model.layout.dim == 2:
        along = np.diff(side[:, 0], axis=0)
        normal = np.stack([along[:, 1], -along[:, 0], 0.0 * along[:, 0]], axis=1)
        normal = _unit(normal * (out if use.axis == 0 else -out))
        yield (corners[0],), normal[:1]
        yield (corners[1],), normal[-1:]
        return
    across = side[1:, 1:] - side[:-1, :-1], side[:-1, 1:] - side[1:, :-1]
    normals = _unit(np.cross(*across) * (-out if use.axis == 1 else out))
    a, b, c, d = corners
    ends = ((a, b), normals[:, 0]), ((c, d), normals[:, -1]), ((a, c), normals[0]), ((b, d), normals[-1])
    for (first, second), own in ends:
        if first != second:
            yield edge_of(first, second), own if first < second else own[::-1]


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    return np.asarray(vectors / np.maximum(length, 1e-300))


def _angle(one: Floats, other: Floats) -> float:
    """Give the angle between directions (n, 3), in degrees: as a rule, along the edge."""
    cosine = np.clip(np.sum(one * other, axis=1), -1.0, 1.0)
    return float(np.degrees(np.median(np.arccos(cosine))))

"""Blending the laws of a tier's edges between some that stay, across the blocks between them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
import scipy

from plodek.core.blocks import tables
from plodek.core.blocks.edge_path import EdgePath
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue
from plodek.core.spacing.edge_law import EdgeLaw

_SIZES = ("first", "last", "ratio", "expansion", "far")


def blended(
    layout: Layout,
    tier: Tier,
    paths: Mapping[Edge, EdgePath],
    laws: Mapping[Edge, EdgeLaw],
    stay: Sequence[Edge],
) -> dict[Edge, EdgeLaw]:
    """Give the laws of a tier's other edges between those that ``stay``.

    Logarithms of sizes solve Laplace's equation over the net of the tier's edges, each pair in a block
    held together by one over the distance between them; along a chain that is linear in the distance.
    Raises BadValue for edges of other tiers, or with laws of different kinds.
    """
    if len(stay) < 2 or any(e not in tier.edges for e in stay):
        raise BadValue("blending needs two edges of one tier or more", remedy="choose edges across one ring")
    given = {e: laws.get(e, EdgeLaw()) if tier.edges[e] else laws.get(e, EdgeLaw()).turned() for e in stay}
    first = given[stay[0]]
    fields = [f for f in _SIZES if getattr(first, f) is not None]
    alike = {(law.law, law.layers, law.matched, law.table, law.places) for law in given.values()}
    if len(alike) > 1 or any(
        (getattr(law, f) is not None) != (f in fields) for law in given.values() for f in _SIZES
    ):
        raise BadValue(
            "the edges to blend between have laws of different kinds", remedy="give them the same law first"
        )
    edges = [e for e in tier.edges if e in paths]
    number = {e: n for n, e in enumerate(edges)}
    rows, columns, weights = [], [], []
    for name in layout.filled:
        corners = layout.blocks[name].corners
        for axis in range(layout.dim):
            ways = [
                edge_of(corners[a], corners[b])
                for a, b in tables.parallel(layout.dim, axis)
                if corners[a] != corners[b]
            ]
            for one, other in combinations(dict.fromkeys(e for e in ways if e in number), 2):
                apart = float(np.linalg.norm(layout.places(one).mean(0) - layout.places(other).mean(0)))
                rows += [number[one], number[other]]
                columns += [number[other], number[one]]
                weights += [1 / max(apart, 1e-300)] * 2
    net = scipy.sparse.coo_array((weights, (rows, columns)), shape=(len(edges), len(edges))).tocsr()
    held = np.array([e in given for e in edges])
    values = np.zeros((len(edges), len(fields)))
    for e, law in given.items():
        values[number[e]] = [np.log(getattr(law, f)) for f in fields]
    free = np.flatnonzero(~held)
    if len(free) and fields:
        total = np.asarray(net.sum(axis=1)).ravel()
        system = scipy.sparse.coo_array((total, (np.arange(len(edges)),) * 2), shape=net.shape).tocsr() - net
        right = -system[free][:, np.flatnonzero(held)] @ values[held]
        values[free] = scipy.sparse.linalg.spsolve(system[free][:, free].tocsc(), right).reshape(
            len(free), -1
        )
    found = {}
    for n in free:
        law = replace(first, **dict(zip(fields, np.exp(values[n]).tolist(), strict=True)))
        found[edges[n]] = law if tier.edges[edges[n]] else law.turned()
    return found

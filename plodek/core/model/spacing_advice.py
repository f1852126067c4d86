"""Advice on spacing: jumps, clustering at the wrong end, counts that do not fit, stretched cells."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from plodek.core.blocks import tables
from plodek.core.blocks.continuing import leaving
from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.model.block_advice import MOST_OF_A_KIND, Advice
from plodek.core.model.model import Model

#: A tier whose cells are so many times finer or coarser than those of most others is told.
FAR_OFF = 8.0
#: Cells that are longer than this times their height are told, where no limit is set at the gate.
STRETCHED = 1000.0


def advise_spacing(model: Model) -> list[Advice]:
    """Look at the spacing of a model and suggest what would make it better. Steps have no ids yet.

    The last edge of each suggestion is the one that it changes. Of a smoothed plane that has been lifted
    only the way of the lift can change.
    """
    if not model.layout.filled or model.smoothing:
        return []
    rules = (_jumps, _wrong_end, _counts, _stretched)
    return [
        advice
        for rule in rules
        for advice in [a for a in rule(model) if _is_open(model, a.edges[-1])][:MOST_OF_A_KIND]
    ]


def _is_open(model: Model, edge: Edge) -> bool:
    if model.lift is None or not model.plane.smoothing:
        return True
    a, b = (model.lift.foot.get(corner, corner) for corner in edge)
    return a == b


def _jumps(model: Model) -> list[Advice]:
    """Match the coarser side of a jump to the finer one, at the end where it is."""
    found: dict[str, Advice] = {}
    for jump in model.jumps:
        tier = model.tier_by_edge[jump.coarse]
        law = model.spacing.laws.get(jump.coarse)
        if tier.label in found or (law is not None and law.layers):
            continue
        start = jump.there
        named = [start, *(c for c in jump.coarse if c != start)]
        other = law.last if law and jump.coarse[0] == start else (law.first if law else None)
        step: dict[str, Any] = {"kind": "space", "tier": {"edges": [named]}, "match": "first"}
        step |= {"law": "geometric"} if other is None else {"law": "tanh", "last": other}
        text = f"the cells jump by {jump.ratio:.2g} from {_of(model, jump.fine)} to {_of(model, jump.coarse)}"
        found[tier.label] = Advice(
            "jump", f"{text}: match tier {tier.label} to them", (step,), edges=(jump.fine, jump.coarse)
        )
    return list(found.values())


def _wrong_end(model: Model) -> list[Advice]:
    """Turn round what clusters away from the only wall it touches."""
    walls = [side for side, patch in model.patch_of.items() if patch.type == "wall"]
    if not walls:  # not named yet: what follows a guide is most likely a wall
        layout = model.layout
        walls = [s for s in layout.outer if s in layout.lies or s in layout.follows or s in model.stood_on]
    found: dict[str, Advice] = {}
    for edge, at in leaving(model.layout, walls).items():
        if len(at) != 1 or edge not in model.spacing.laws:
            continue
        d = model.laid.sizes(edge)
        wall, away = (d[0], d[-1]) if edge[0] in at else (d[-1], d[0])
        tier = model.tier_by_edge[edge]
        if wall > 1.5 * away and model.spacing.laws[edge].law != "table":
            text = f"tier {tier.label} clusters at the end away from the wall: turn it round"
            step = {"kind": "turn", "tier": {"edges": [list(edge)]}}
            found.setdefault(tier.label, Advice("wrong-end", text, (step,), edges=(edge,)))
    return list(found.values())


def _counts(model: Model) -> list[Advice]:
    """Tell tiers with far too few or too many cells for their lengths, against the median."""
    laid = model.laid
    means = {}
    for tier in model.tiers:
        lengths = [laid.paths[e].length for e in tier.edges if e in laid.paths]
        if lengths and not any(e in model.spacing.laws for e in tier.edges):
            means[tier.label] = float(np.mean(lengths)) / laid.counts[tier.first]
    if len(means) < 3:
        return []
    usual = float(np.median(list(means.values())))
    found = []
    for tier in model.tiers:
        size = means.get(tier.label, usual)
        if not usual / FAR_OFF <= size <= usual * FAR_OFF:
            count = max(2, round(laid.counts[tier.first] * size / usual))
            word = "few" if size > usual else "many"
            text = (
                f"tier {tier.label} has {word} cells for its length: {laid.counts[tier.first]} of "
                f"{size:.2g} {model.unit}, most others are of {usual:.2g} {model.unit}"
            )
            step = {"kind": "count", "tier": {"edges": [list(tier.first)]}, "cells": count}
            found.append(Advice("count", text, (step,), edges=(tier.first,)))
    return found


def _stretched(model: Model) -> list[Advice]:
    """Tell blocks whose cells are too long for their height, and give the longer way more cells."""
    limit = model.limits.get("aspect_ratio", STRETCHED)
    found: dict[str, Advice] = {}
    for name in model.layout.filled:
        corners = model.layout.blocks[name].corners
        low, high, longest = [], [], []
        for axis in range(model.layout.dim):
            ways = ((corners[a], corners[b]) for a, b in tables.parallel(model.layout.dim, axis))
            edges = [edge_of(a, b) for a, b in ways if a != b]
            cells = model.laid.edge_cells
            low.append(min((cells[e].smallest for e in edges), default=math.inf))
            high.append(max((cells[e].largest for e in edges), default=0.0))
            longest.append(max(edges, key=lambda e: cells[e].largest, default=None))
        others = [min(size for n, size in enumerate(low) if n != axis) for axis in range(len(low))]
        axis = int(np.argmax(np.array(high) / others))
        ratio = high[axis] / others[axis]
        edge: Edge | None = longest[axis]
        if ratio <= limit or edge is None:
            continue
        tier = model.tier_by_edge[edge]
        count = math.ceil(model.laid.counts[edge] * ratio / limit)
        text = (
            f"block {model.layout.labels[name]} has cells {ratio:.0f} times as long as high, the limit is "
            f"{limit:g}: {count} cells on tier {tier.label}"
        )
        step = {"kind": "count", "tier": {"edges": [list(edge)]}, "cells": count}
        found.setdefault(tier.label, Advice("stretched", text, (step,), (name,), edges=(edge,)))
    return list(found.values())


def _of(model: Model, edge: Edge) -> str:
    return "–".join(model.layout.labels[c] for c in edge)

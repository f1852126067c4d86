"""Cutting the blocks behind sides wherever the rims of these pass something: a box, a ball, a guide's end."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np

from plodek.core.arrays import Bools, Floats
from plodek.core.blocks.edge_path import EdgePath, edge_path
from plodek.core.blocks.layout import Edge, Side
from plodek.core.blocks.operations.cut import fractions_along
from plodek.core.model.model import Model
from plodek.core.recipe.steps.blocks.cut import divided

#: Where each of some edges is to be cut, as rising fractions from its first corner; others are left out.
Crossings = Callable[[Model, Iterable[Edge]], Mapping[Edge, Sequence[float]]]
#: Places of an edge that are looked at; what it passes in less than the way between two is missed.
_LOOKED = np.linspace(0.0, 1.0, 65)
#: Halvings of that way: down to round-off.
_HALVINGS = 46


def parted(
    model: Model,
    step: str,
    chosen: Sequence[Side],
    crossings: Crossings,
    reached: Callable[[Model, Side], bool] = lambda model, side: True,
) -> Model:
    """Cut the tiers of edges around chosen sides as often as these cross something.

    Only sides that are ``reached`` are looked at. Edges of the tier that cross nothing themselves are cut
    at the fraction of one that does.
    """
    looked: set[Edge] = set()
    while True:
        sides = (side for named in chosen for side in model.sides_named(named) if reached(model, side))
        edges = dict.fromkeys(edge for side in sides for edge in model.layout.rim_of(side))
        for edge in [one for one in edges if one not in looked]:
            looked.add(edge)
            if crossings(model, [edge]):
                model = _parted_at(model, step, edge, crossings)
                break
        else:
            return model


def _parted_at(model: Model, step: str, edge: Edge, crossings: Crossings) -> Model:
    """Cut the tier of an edge where this first crosses something, and the others that do so at theirs."""
    tier = model.tier_by_edge[edge]
    own = crossings(model, tier.edges)
    first = {e: at[0 if tier.edges[e] == tier.edges[edge] else -1] for e, at in own.items()}
    return divided(model, f"{step}.0", model.layout, tier, fractions_along(tier, first[edge], edge) | first)


def changes(model: Model, edge: Edge, holds: Callable[[Floats], Bools]) -> tuple[EdgePath, list[float]]:
    """Give the path of an edge, and the fractions where what ``holds`` of places (n, 3) along it changes."""
    path = edge_path(model.layout, model.guides, edge)
    found = holds(path.at(_LOOKED))
    at = []
    for n in np.flatnonzero(found[1:] != found[:-1]).tolist():
        low, high = _LOOKED[n : n + 2].tolist()
        for _ in range(_HALVINGS):
            middle = 0.5 * (low + high)
            same = holds(path.at(np.array([middle])))[0] == found[n]
            low, high = (middle, high) if same else (low, middle)
        at.append(0.5 * (low + high))
    return path, at


def all_along(model: Model, side: Side, holds: Callable[[Floats], Bools]) -> bool:
    """Whether something holds of places (n, 3) all along the rim of a side."""
    paths = (edge_path(model.layout, model.guides, edge) for edge in model.layout.rim_of(side))
    return all(bool(np.all(holds(path.at(_LOOKED)))) for path in paths)

"""Places that steps give, as coordinates with their units or on a guide, and what is nearest to them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, edge_of
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import fields
from plodek.core.recipe.fields import At, Each
from plodek.core.shape.guide import Point
from plodek.core.tolerances import SAME_PLACE
from plodek.core.units import length


def coordinates(values: Sequence[float | str], unit: str) -> Place:
    """Read x, y and perhaps z as a place in the project's unit."""
    numbers = [length(v, unit) for v in values]
    return numbers[0], numbers[1], numbers[2] if len(numbers) > 2 else 0.0


def radius_of(value: float | str, unit: str) -> float:
    """Read the radius of a ball in the project's unit. Raises BadValue for one that is not above 0."""
    radius = length(value, unit)
    if not radius > 0:
        raise BadValue(f"the radius of the ball is {value}", remedy="give a radius above 0")
    return radius


def place_of(model: Model, where: Sequence[float | str] | fields.OnGuide) -> Place:
    """Find the place that coordinates or a guide give."""
    if not isinstance(where, fields.OnGuide):
        return coordinates(where, model.unit)
    guide = model.guides.get(where.guide)
    if isinstance(guide, Point):
        return guide.xyz
    return place(model.curve(where.guide).at(np.array([where.fraction]))[0])


def candidates(model: Model, what: fields.Finds, *, filled: bool = False) -> tuple[list[Any], Floats]:
    """Give what may be found near a place, and where each is (n, 3); of ``filled`` blocks alone if wished."""
    layout = model.layout
    if what == "corners":
        return list(layout.corners), layout.places(layout.corners)
    if what == "blocks":
        return list(layout.blocks), layout.centres
    names: list[Any]
    if what == "edges" or layout.dim == 2:  # in the plane sides are edges
        names, xyz = list(layout.edges), model.facts.middles
        solid: set[Any] = set(layout.filled_edges) if filled else set()
    else:
        names, xyz = list(layout.sides), np.array([layout.places(side).mean(axis=0) for side in layout.sides])
        solid = {side for block in layout.filled for side in layout.sides_of(block)} if filled else set()
    if not filled:
        return names, xyz
    kept = [n for n, name in enumerate(names) if name in solid]
    return [names[n] for n in kept], xyz[kept]


def middle_of(model: Model, entity: Any) -> Floats:
    """Give the place (3,) by which a corner, edge, side or block is found nearest to a place."""
    layout = model.layout
    if isinstance(entity, str):
        return layout.centre(entity) if entity in layout.blocks else layout.places([entity])[0]
    if len(entity) == 2:
        edge = edge_of(*entity)
        return np.asarray(edge_path(layout, model.guides, edge).at(np.array([0.5]))[0])
    return np.asarray(layout.places(entity).mean(axis=0))


def nearest(
    model: Model, where: Sequence[float | str] | fields.OnGuide, what: fields.Finds, *, filled: bool = False
) -> Any:
    """Find what is nearest to a place, no farther than the largest block there is across."""
    names, xyz = candidates(model, what, filled=filled)
    at = np.array(place_of(model, where))
    far = np.linalg.norm(xyz - at, axis=1)
    first = int(np.argmin(far))
    found = names[first]
    reach = _reach(model, what, found)
    if far[first] > reach:
        raise NothingFound(
            f"no {what[:-1]} is near {shown(at)}: {model.layout.label(found)} is nearest, "
            f"{far[first]:.4g} {model.unit} away",
            remedy=f"give a place within {reach:.4g} {model.unit} of what is meant",
        )
    return found


def _reach(model: Model, what: fields.Finds, name: Any) -> float:
    """Give how far something may be from the place that names it: as far as its largest block is across."""
    layout = model.layout
    corner = name if what == "corners" else name[0]
    at = [name] if what == "blocks" else layout.at_corner[corner]
    corners = (layout.places(layout.blocks[block].corners) for block in at)
    return max(float(np.linalg.norm(np.ptp(xyz, axis=0))) for xyz in corners)


def shown(at: Floats) -> str:
    """Write a place for a sentence."""
    return "(" + ", ".join(f"{v:.6g}" for v in at) + ")"


def directed(model: Model, edge: Edge, selector: At) -> tuple[str, str]:
    """Give an edge the way that its start says, or towards the first axis along which it leads."""
    ends = model.layout.places(edge)
    if selector.start is not None:
        start = np.array(place_of(model, selector.start))
        turned = bool(np.argmin(np.linalg.norm(ends - start, axis=1)) == 1)
    else:
        step = ends[1] - ends[0]
        lead = int(np.argmax(np.abs(step) > SAME_PLACE * model.layout.size()))
        turned = bool(step[lead] < 0)
    return (edge[1], edge[0]) if turned else edge


def places_in(selector: At | Each) -> Sequence[Any]:
    """Give each place that a selector names."""
    return [selector.at] if isinstance(selector, At) else selector.each

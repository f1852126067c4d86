"""Rules that find sides of blocks by what they are: on a guide, looking some way, in a box, or of a patch."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks.layout import Side, edge_of
from plodek.core.blocks.sides import block_normal
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import fields
from plodek.core.recipe.fields import EndName, Ends, Everything, On
from plodek.core.recipe.places import coordinates, radius_of
from plodek.core.shape.frame import unit
from plodek.core.shape.joined import names_in
from plodek.core.tolerances import NEARLY_THERE, SAME_PLACE


def _looking(model: Model, selector: fields.Looking) -> list[Side]:
    """Find the outer sides whose normal, out of the flow, is within an angle of a direction."""
    way = unit(np.array(selector.looks), "direction")
    least = math.cos(math.radians(selector.within)) - 1e-9
    outer = model.layout.outer
    off = {side: float(block_normal(model.layout, use) @ way) for side, use in outer.items()}
    found = [side for side, cosine in off.items() if cosine >= least]
    if not found:
        nearest = math.degrees(math.acos(min(max(off.values()), 1.0)))
        raise NothingFound(
            f"no outer side looks that way within {selector.within:g}°",
            remedy=f"allow more; the nearest looks {nearest:.1f}° off",
        )
    return found


def _inside(model: Model, selector: fields.Inside) -> list[Side]:
    """Find the outer sides all of whose corners lie in a box."""
    ends = np.array([coordinates(place, model.unit) for place in selector.inside])
    low, high = ends.min(axis=0), ends.max(axis=0)
    return _outer_within(model, "box", lambda xyz: np.maximum(low - xyz, xyz - high).max(axis=1))


def _in_ball(model: Model, selector: fields.InBall) -> list[Side]:
    """Find the outer sides all of whose corners lie in a ball."""
    centre, radius = coordinates(selector.ball, model.unit), radius_of(selector.radius, model.unit)
    return _outer_within(model, "ball", lambda xyz: np.linalg.norm(xyz - centre, axis=1) - radius)


def _outer_within(model: Model, body: str, off: Callable[[Floats], Floats]) -> list[Side]:
    """Find the outer sides whose corners are all in a body: places (n, 3) that are ``off`` it by none."""
    layout, slack = model.layout, SAME_PLACE * model.layout.size()
    found = [side for side in layout.outer if np.all(off(layout.places(side)) <= slack)]
    if not found:
        raise NothingFound(
            f"no outer side lies in the {body}", remedy="enlarge it; all corners must be in it"
        )
    return found


def on_side(model: Model, side: EndName) -> list[Side]:
    """Find the outer sides that lie on an extreme side of the layout."""
    layout = model.layout
    axis = "xyz".index(side[0])
    if axis == 2 and layout.dim == 2:
        raise NothingFound(
            f"{side} has no edges in the plane", remedy="name it as a patch after the extrusion"
        )
    places = layout.places(layout.corners)[:, axis]
    extreme = places.max() if side[1] == "+" else places.min()
    near = NEARLY_THERE * layout.size()
    found = [s for s in layout.outer if np.all(np.abs(layout.places(s)[:, axis] - extreme) <= near)]
    if not found:
        raise NothingFound(f"no outer side lies on {side}", remedy="choose the sides themselves")
    return found


def _in_plane(model: Model, selector: fields.InPlane) -> list[Side]:
    """Find the outer sides all of whose corners lie in a plane."""
    at, normal = np.array(coordinates(selector.plane, model.unit)), unit(np.array(selector.normal), "normal")
    layout = model.layout
    off = {side: float(np.abs((layout.places(side) - at) @ normal).max()) for side in layout.outer}
    found = [side for side, far in off.items() if far <= NEARLY_THERE * layout.size()]
    if not found:
        raise NothingFound(
            "no outer side lies in the plane",
            remedy=f"the corners of the nearest are {min(off.values()):.4g} {model.unit} off it at most",
        )
    return found


def _of_patch(model: Model, name: str) -> list[Side]:
    found = [side for side, patch in model.patch_of.items() if patch.name == name]
    if not found:
        had = ", ".join(p.name for p in model.patches) or "none"
        raise NothingFound(f"no patch is called “{name}”", remedy=f"patches so far: {had}")
    return found


def _between(model: Model, one: str, other: str) -> list[Side]:
    found = [side for side, regions in model.layout.borders.items() if set(regions) == {one, other}]
    if not found:
        had = ", ".join(model.layout.regions)
        raise NothingFound(
            f"no side lies between the regions “{one}” and “{other}”", remedy=f"regions: {had}"
        )
    return found


def _ends(model: Model, selector: Ends) -> list[Side]:
    if model.layout.dim == 2:
        raise NothingFound("the plane has no ends in z yet", remedy="lift it first")
    end = 0 if selector.ends == "z-" else 1
    uses = {(use.block, use.axis, use.end): side for side, use in model.layout.outer.items()}
    parts = [str(part) for name in selector.ids for part in model.parts(name)]
    return [uses[name, 2, end] for name in parts if (name, 2, end) in uses]


def _of_guide(model: Model, selector: On) -> list[Side]:
    found = [side for side in model.layout.sides if _lies_on(model, side, selector.on)]
    if not found:
        raise nothing_on(model, selector.on, "side lies on")
    return found


def _lies_on(model: Model, side: Side, name: str) -> bool:
    """Whether a side lies on a guide or on the surface that a lift made of it; in the plane, along it."""
    layout = model.layout
    if side in layout.lies:
        return model.is_on(layout.lies[side], name)
    follow = layout.follows.get(edge_of(*side)) if layout.dim == 2 else None
    return follow is not None and model.is_on(follow.guide, name)


def around(model: Model, chosen: set[str]) -> list[Side]:
    """Find the sides between chosen blocks and all else."""
    return [
        side for side, uses in model.layout.sides.items() if sum(use.block in chosen for use in uses) == 1
    ]


def nothing_on(model: Model, name: str, does: str) -> NothingFound:
    """Make the error that nothing is on a guide, with the guides that something is on."""
    layout = model.layout
    had: set[str] = set()
    for guide in {f.guide for f in layout.follows.values()} | set(layout.lies.values()):
        had |= {guide} if guide in model.own_guides else set(names_in(model.guides[guide]))
    return NothingFound(
        f"no {does} “{name}”", remedy=f"guides that something follows: {', '.join(sorted(had)) or 'none'}"
    )


#: By the kind of rule; rules that are made of others are in `selectors`.
SIDE_RULES: Mapping[type, Callable[[Model, Any], Iterable[Side]]] = {
    Everything: lambda model, _: model.layout.sides,
    On: _of_guide,
    fields.OnSide: lambda model, s: on_side(model, s.side),
    fields.OfPatch: lambda model, s: _of_patch(model, s.patch),
    fields.Between: lambda model, s: _between(model, *s.between),
    fields.Looking: _looking,
    fields.Inside: _inside,
    fields.InBall: _in_ball,
    fields.InPlane: _in_plane,
    Ends: _ends,
    fields.Rest: lambda model, _: model.unnamed,
}

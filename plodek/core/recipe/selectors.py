"""Selectors: finding the corners, edges, sides and blocks that steps name, by id or by rule."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.blocks.layout import Edge, Side, edge_of, side_of
from plodek.core.blocks.sides import block_normal
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import BadValue, NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import fields
from plodek.core.recipe.fields import At, Each, EdgeIds, EndName, Ends, Everything, Ids, On, SideIds
from plodek.core.shape.frame import unit
from plodek.core.shape.guide import Point, unknown_guide
from plodek.core.shape.joined import names_in
from plodek.core.tolerances import SAME_PLACE
from plodek.core.units import length

#: A second candidate at most so much farther away than the nearest is told.
_NEARLY_AS_NEAR = 1.05


def coordinates(values: Sequence[float | str], unit: str) -> Place:
    """Read x, y and perhaps z as a place in the project's unit."""
    numbers = [length(v, unit) for v in values]
    return numbers[0], numbers[1], numbers[2] if len(numbers) > 2 else 0.0


def place_of(model: Model, where: Sequence[float | str] | fields.OnGuide) -> Place:
    """Find the place that coordinates or a guide give."""
    if not isinstance(where, fields.OnGuide):
        return coordinates(where, model.unit)
    guide = model.guides.get(where.guide)
    if isinstance(guide, Point):
        return guide.xyz
    return place(model.curve(where.guide).at(np.array([where.fraction]))[0])


def guides(model: Model, names: Sequence[str]) -> list[str]:
    """Find guides by name, by the name of a group, or by a beginning with a star: ``cone.*``."""
    found: list[str] = []
    for name in names:
        if name in model.guides:
            found.append(name)
        elif name in model.groups:
            found += [member for member in model.groups[name].members if member in model.guides]
        elif name.endswith("*") and any(guide.startswith(name[:-1]) for guide in model.own_guides):
            found += [guide for guide in model.own_guides if guide.startswith(name[:-1])]
        else:
            raise unknown_guide(model.own_guides, name)
    return list(dict.fromkeys(found))


def corner(model: Model, selector: Ids | At) -> str:
    """Find one corner. Raises NothingFound, also where several are named."""
    found = corners(model, selector)
    if len(found) > 1:
        raise NothingFound(f"{len(found)} corners are named where one is meant", remedy="name one")
    return found[0]


def corners(model: Model, selector: Ids | At | Each) -> list[str]:
    """Find corners, by their ids or their places."""
    model.need_blocks()
    if isinstance(selector, Ids):
        return _known(model, selector.ids, list(model.layout.corners), "corner")
    return _once(_nearest(model, where, "corners") for where in _places(selector))


def blocks(model: Model, selector: Any) -> list[str]:
    """Find blocks; hollow ones by id, by place, or where they are asked for."""
    model.need_blocks()
    every = model.layout.blocks
    if isinstance(selector, fields.AnyOfBlocks):
        found = _once(name for rule in selector.any for name in blocks(model, rule))
    elif isinstance(selector, Ids):
        whole = [str(piece) for name in selector.ids for piece in model.parts(name)]
        found = _known(model, whole, list(every), "block")
    elif isinstance(selector, At | Each):
        found = _once(_nearest(model, where, "blocks") for where in _places(selector))
    elif isinstance(selector, fields.Hollows):
        found = [name for name, block in every.items() if block.hollow]
        if not found:
            raise NothingFound("no block is hollow", remedy="hollow what is solid first")
    elif isinstance(selector, fields.OfRegion):
        found = model.layout.regions.get(selector.region, [])
        if not found:
            had = ", ".join(model.layout.regions)
            raise NothingFound(f"no block belongs to region “{selector.region}”", remedy=f"regions: {had}")
    else:
        found = list(every) if selector.all == "hollow too" else model.layout.filled
        if not found:
            raise NothingFound("all blocks are hollow", remedy="name them, or bring one back")
    return list(found)


def edges(model: Model, selector: Any) -> list[tuple[str, str]]:
    """Find edges; those named by ids or by a place keep that way, others run in sorted order."""
    model.need_blocks()
    layout = model.layout
    if isinstance(selector, EdgeIds):
        found = [way for named in selector.edges for way in _edge_pieces(model, named)]
    elif isinstance(selector, fields.AnyOfEdges | fields.AnyOfSides):
        found = _once(way for rule in selector.any for way in edges(model, rule))
    elif isinstance(selector, At):
        found = [_directed(model, _nearest(model, selector.at, "edges"), selector)]
    elif isinstance(selector, Each):
        found = _once(edges(model, At(at=at))[0] for at in selector.each)
    elif isinstance(selector, On):
        found = [edge for edge, follow in layout.follows.items() if model.is_on(follow.guide, selector.on)]
        if not found:
            raise _nothing_on(model, selector.on, "edge follows")
    elif isinstance(selector, Everything):
        found = list(layout.edges)
    else:
        found = _once(edge for side in sides(model, selector) for edge in layout.rim_of(side))
    return found


def sides(model: Model, selector: Any) -> list[Side]:
    """Find sides of blocks; edges, in the plane."""
    model.need_blocks()
    return _once(_SIDES[type(selector)](model, selector))


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
    centre, radius = coordinates(selector.ball, model.unit), length(selector.radius, model.unit)
    if not radius > 0:
        raise BadValue(f"the radius of the ball is {selector.radius}", remedy="give a radius above 0")
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


def _but(model: Model, selector: fields.SidesBut) -> list[Side]:
    """Take the sides of some rules out of those of another."""
    out = {side for rule in selector.but for side in sides(model, rule)}
    found = [side for side in sides(model, selector.of) if side not in out]
    if not found:
        raise NothingFound("no side is left", remedy="take fewer out")
    return found


def _every(model: Model, selector: fields.EveryOfSides) -> list[Side]:
    """Find the sides that each of several rules finds."""
    first, *others = (sides(model, rule) for rule in selector.every)
    kept = set(first).intersection(*others)
    if not kept:
        raise NothingFound("no side is found by every one of these rules", remedy="take one of them out")
    return [side for side in first if side in kept]


def _of_guide(model: Model, selector: On) -> list[Side]:
    found = [side for side in model.layout.sides if _lies_on(model, side, selector.on)]
    if not found:
        raise _nothing_on(model, selector.on, "side lies on")
    return found


def _sides_of_edges(model: Model, selector: EdgeIds) -> list[Side]:
    """Give plane edges as sides; in space those that stand on edges named in the plane."""
    if model.layout.dim == 2:
        return [edge_of(*e) for e in edges(model, selector)]
    return [s for e in selector.edges for s in _side_pieces(model, edge_of(*e))]


def outer_sides(model: Model, selector: Any) -> list[Side]:
    """Find sides that bound the flow domain. Raises NothingFound where none of them does."""
    found = [side for side in sides(model, selector) if side in model.layout.outer]
    if not found:
        raise NothingFound("no outer side is among them", remedy="choose sides of the domain's boundary")
    return found


def tiers(model: Model, selector: Any) -> list[tuple[Tier, tuple[str, str]]]:
    """Find tiers by edges of them, each once, with the edge as it was named: the tier runs its way."""
    found: dict[str, tuple[Tier, tuple[str, str]]] = {}
    for named in edges(model, selector):
        tier = model.tier_by_edge[edge_of(*named)]
        found.setdefault(tier.label, (tier, named))
    return list(found.values())


def tier(model: Model, selector: Any) -> tuple[Tier, tuple[str, str]]:
    """Find one tier; see `tiers`. Raises NothingFound where edges of several are named."""
    found = tiers(model, selector)
    if len(found) > 1:
        labels = ", ".join(tier.label for tier, _ in found[:6]) + (" …" if len(found) > 6 else "")
        raise NothingFound(
            f"edges of {len(found)} tiers are named ({labels}) where one is meant",
            remedy="name an edge of one tier, and give the others a step of their own",
        )
    return found[0]


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
    near = SAME_PLACE * layout.size()
    found = [s for s in layout.outer if np.all(np.abs(layout.places(s)[:, axis] - extreme) <= near)]
    if not found:
        raise NothingFound(f"no outer side lies on {side}", remedy="choose the sides themselves")
    return found


def find(model: Model, what: fields.Finds, selector: Any) -> list[Any]:
    """Find whatever a field's selector finds: ids of corners or blocks, edges, or sides."""
    if isinstance(selector, fields.Rest):
        return list(model.unnamed)
    finders: dict[str, Callable[[Model, Any], list[Any]]] = {
        "corners": corners, "blocks": blocks, "edges": edges, "sides": sides
    }  # fmt: skip
    return finders[what](model, selector)


def doubts(model: Model, what: fields.Finds, selector: Any) -> list[str]:
    """Tell where a place that a selector gives has a second candidate nearly as near as the first."""
    if isinstance(selector, fields.Around):
        return doubts(model, "blocks", selector.around)
    if not isinstance(selector, At | Each):
        return [d for rule in getattr(selector, "any", ()) for d in doubts(model, what, rule)]
    if not model.layout.blocks:
        return []
    found = []
    for where in _places(selector):
        at = np.array(place_of(model, where))
        names, places = _candidates(model, what)
        far = np.linalg.norm(places - at, axis=1)
        order = np.argsort(far, kind="stable")[:2]
        if len(order) < 2 or far[order[0]] <= SAME_PLACE * model.layout.size():
            continue
        if far[order[1]] <= _NEARLY_AS_NEAR * far[order[0]]:
            one, other = (model.layout.label(names[n]) for n in order)
            found.append(
                f"{_shown(at)} is nearest to {one}, {far[order[0]]:.3g} {model.unit} away, and {other} is "
                f"nearly as near ({far[order[1]]:.3g} {model.unit})"
            )
    return found


def _places(selector: At | Each) -> Sequence[Any]:
    return [selector.at] if isinstance(selector, At) else selector.each


def _once(found: Iterable[Any]) -> list[Any]:
    return list(dict.fromkeys(found))


def _candidates(model: Model, what: fields.Finds) -> tuple[list[Any], Floats]:
    """Give what may be found near a place, and where each is (n, 3)."""
    layout = model.layout
    if what == "corners":
        return list(layout.corners), layout.places(layout.corners)
    if what == "blocks":
        return list(layout.blocks), layout.centres
    if what == "edges" or layout.dim == 2:
        return list(layout.edges), model.facts.middles  # in the plane sides are edges
    return list(layout.sides), np.array([layout.places(side).mean(axis=0) for side in layout.sides])


def _nearest(model: Model, where: Sequence[float | str] | fields.OnGuide, what: fields.Finds) -> Any:
    """Find what is nearest to a place, no farther than the largest block there is across."""
    names, places = _candidates(model, what)
    at = np.array(place_of(model, where))
    far = np.linalg.norm(places - at, axis=1)
    nearest = int(np.argmin(far))
    found = names[nearest]
    reach = _reach(model, what, found)
    if far[nearest] > reach:
        raise NothingFound(
            f"no {what[:-1]} is near {_shown(at)}: {model.layout.label(found)} is nearest, "
            f"{far[nearest]:.4g} {model.unit} away",
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


def _shown(at: Floats) -> str:
    return "(" + ", ".join(f"{v:.6g}" for v in at) + ")"


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


def _lies_on(model: Model, side: Side, name: str) -> bool:
    """Whether a side lies on a guide or on the surface that a lift made of it; in the plane, along it."""
    layout = model.layout
    if side in layout.lies:
        return model.is_on(layout.lies[side], name)
    follow = layout.follows.get(edge_of(*side)) if layout.dim == 2 else None
    return follow is not None and model.is_on(follow.guide, name)


def _nothing_on(model: Model, name: str, does: str) -> NothingFound:
    layout = model.layout
    had: set[str] = set()
    for guide in {f.guide for f in layout.follows.values()} | set(layout.lies.values()):
        had |= {guide} if guide in model.own_guides else set(names_in(model.guides[guide]))
    return NothingFound(
        f"no {does} “{name}”", remedy=f"guides that something follows: {', '.join(sorted(had)) or 'none'}"
    )


def _directed(model: Model, edge: Edge, selector: At) -> tuple[str, str]:
    ends = model.layout.places(edge)
    if selector.start is not None:
        start = np.array(place_of(model, selector.start))
        turned = bool(np.argmin(np.linalg.norm(ends - start, axis=1)) == 1)
    else:
        step = ends[1] - ends[0]
        lead = int(np.argmax(np.abs(step) > SAME_PLACE * model.layout.size()))
        turned = bool(step[lead] < 0)
    return (edge[1], edge[0]) if turned else edge


def _around(model: Model, chosen: set[str]) -> list[Side]:
    return [
        side for side, uses in model.layout.sides.items() if sum(use.block in chosen for use in uses) == 1
    ]


def _edge_pieces(model: Model, named: tuple[str, str]) -> list[tuple[str, str]]:
    edge = edge_of(*named)
    if edge not in model.layout.edges and model.lift is not None:  # named in the plane, before the lift
        standing = tuple(model.lift.above[c][0] if c in model.lift.above else c for c in named)
        if edge_of(standing[0], standing[1]) in model.layout.edges:
            return [(standing[0], standing[1])]
    whole = [p for p in model.parts(edge) if isinstance(p, tuple) and len(p) == 2]
    if whole == [edge]:
        _known(model, [f"{edge[0]}–{edge[1]}"], [f"{a}–{b}" for a, b in model.layout.edges], "edge")
        return [named]
    return [edge_of(*piece) for piece in whole if piece in model.layout.edges]


def _side_pieces(model: Model, side: Side) -> list[Side]:
    found = model.sides_named(side)
    if not found:
        raise NothingFound(
            f"the side “{'–'.join(side)}” is not there", remedy=f"there are {len(model.layout.sides)} sides"
        )
    return found


def _near_sides(model: Model, selector: At | Each) -> list[Side]:
    return [_nearest(model, where, "sides") for where in _places(selector)]


_SIDES: Mapping[type, Callable[[Model, Any], Iterable[Side]]] = {
    Everything: lambda model, _: model.layout.sides,
    fields.AnyOfSides: lambda model, s: (side for rule in s.any for side in sides(model, rule)),
    SideIds: lambda model, s: (p for named in s.sides for p in _side_pieces(model, side_of(*named))),
    EdgeIds: _sides_of_edges,
    At: _near_sides,
    Each: _near_sides,
    On: _of_guide,
    fields.OnSide: lambda model, s: on_side(model, s.side),
    fields.OfPatch: lambda model, s: _of_patch(model, s.patch),
    fields.Between: lambda model, s: _between(model, *s.between),
    fields.Looking: _looking,
    fields.Inside: _inside,
    fields.InBall: _in_ball,
    fields.EveryOfSides: _every,
    fields.SidesBut: _but,
    Ends: _ends,
    fields.Around: lambda model, s: _around(model, set(blocks(model, s.around))),
}


def _known(model: Model, wanted: Sequence[str], known: Sequence[str], noun: str) -> list[str]:
    there = set(known)
    lost = next((name for name in wanted if name not in there), None)
    if lost is not None:
        labels = [model.layout.labels.get(name, name) for name in known]
        shown = ", ".join(labels[:6]) + (" …" if len(labels) > 6 else "")
        raise NothingFound(
            f"the {noun} “{lost}” is not there", remedy=f"there are {len(known)} {noun}s: {shown}"
        )
    return list(dict.fromkeys(wanted))

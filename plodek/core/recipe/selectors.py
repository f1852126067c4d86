"""Selectors: finding the corners, edges, sides and blocks that steps name, by id or by rule."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from plodek.core.blocks.layout import Side, edge_of, side_of
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe import fields
from plodek.core.recipe.fields import At, Each, EdgeIds, Everything, Ids, On, SideIds
from plodek.core.recipe.places import directed, nearest, places_in
from plodek.core.recipe.side_rules import SIDE_RULES, around, nothing_on
from plodek.core.shape.guide import unknown_guide


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


def corners(model: Model, selector: Any) -> list[str]:
    """Find corners, by their ids, their places, or as those of what a rule finds."""
    model.need_blocks()
    layout = model.layout
    if isinstance(selector, fields.AnyOfCorners):
        return _once(corner for rule in selector.any for corner in corners(model, rule))
    if isinstance(selector, Ids):
        return _known(model, selector.ids, list(layout.corners), "corner")
    if isinstance(selector, At | Each):
        return _once(nearest(model, where, "corners") for where in places_in(selector))
    if isinstance(selector, Everything):
        return list(layout.corners)
    sliding = [
        name
        for name, one in layout.corners.items()
        if isinstance(selector, On) and one.guide is not None and model.is_on(one.guide, selector.on)
    ]
    try:
        return _once([*sliding, *(corner for edge in edges(model, selector) for corner in edge)])
    except NothingFound:
        if not sliding:
            raise
        return sliding


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
        found = _once(nearest(model, where, "blocks") for where in places_in(selector))
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


def edges(model: Model, selector: Any, *, filled: bool = False) -> list[tuple[str, str]]:
    """Find edges; those named by ids or by a place keep that way, others run in sorted order.

    With ``filled`` rules pass over those of hollow blocks alone, unless they find no others.
    """
    model.need_blocks()
    found = _edges(model, selector, filled)
    if filled and not isinstance(selector, EdgeIds):
        there = set(model.layout.filled_edges)
        return [way for way in found if edge_of(*way) in there] or found
    return found


def _edges(model: Model, selector: Any, filled: bool) -> list[tuple[str, str]]:
    layout = model.layout
    if isinstance(selector, EdgeIds):
        found = [way for named in selector.edges for way in _edge_pieces(model, named)]
    elif isinstance(selector, fields.AnyOfEdges | fields.AnyOfSides):
        found = _once(way for rule in selector.any for way in edges(model, rule, filled=filled))
    elif isinstance(selector, At):
        found = [directed(model, nearest(model, selector.at, "edges", filled=filled), selector)]
    elif isinstance(selector, Each):
        found = _once(edges(model, At(at=at), filled=filled)[0] for at in selector.each)
    elif isinstance(selector, On):
        found = [edge for edge, follow in layout.follows.items() if model.is_on(follow.guide, selector.on)]
        if not found:
            raise nothing_on(model, selector.on, "edge follows")
    elif isinstance(selector, Everything):
        found = list(layout.edges)
    else:
        sides_found = sides(model, selector, filled=filled)
        found = _once(edge for side in sides_found for edge in layout.rim_of(side))
    return found


def sides(model: Model, selector: Any, *, filled: bool = False) -> list[Side]:
    """Find sides of blocks; edges, in the plane. With ``filled`` places pass over those in hollow blocks."""
    model.need_blocks()
    rule = SIDE_RULES.get(type(selector))
    return _once(rule(model, selector) if rule else _SIDES[type(selector)](model, selector, filled))


def _but(model: Model, selector: fields.SidesBut, filled: bool) -> list[Side]:
    """Take the sides of some rules out of those of another."""
    out = {side for rule in selector.but for side in sides(model, rule, filled=filled)}
    found = [side for side in sides(model, selector.of, filled=filled) if side not in out]
    if not found:
        raise NothingFound("no side is left", remedy="take fewer out")
    return found


def _every(model: Model, selector: fields.EveryOfSides, filled: bool) -> list[Side]:
    """Find the sides that each of several rules finds."""
    first, *others = (sides(model, rule, filled=filled) for rule in selector.every)
    kept = set(first).intersection(*others)
    if not kept:
        raise NothingFound("no side is found by every one of these rules", remedy="take one of them out")
    return [side for side in first if side in kept]


def _sides_of_edges(model: Model, selector: EdgeIds, _: bool) -> list[Side]:
    """Give plane edges as sides; in space those that stand on edges named in the plane."""
    if model.layout.dim == 2:
        return [edge_of(*e) for e in edges(model, selector)]
    return [s for e in selector.edges for s in _side_pieces(model, edge_of(*e))]


def outer_sides(model: Model, selector: Any, *, filled: bool = False) -> list[Side]:
    """Find sides that bound the flow domain. Raises NothingFound where none of them does."""
    found = [side for side in sides(model, selector, filled=filled) if side in model.layout.outer]
    if not found:
        raise NothingFound("no outer side is among them", remedy="choose sides of the domain's boundary")
    return found


def tiers(model: Model, selector: Any, *, filled: bool = False) -> list[tuple[Tier, tuple[str, str]]]:
    """Find tiers by edges of them, each once, with the edge as it was named: the tier runs its way."""
    found: dict[str, tuple[Tier, tuple[str, str]]] = {}
    for named in edges(model, selector, filled=filled):
        tier = model.tier_by_edge[edge_of(*named)]
        found.setdefault(tier.label, (tier, named))
    return list(found.values())


def tier(model: Model, selector: Any, *, filled: bool = False) -> tuple[Tier, tuple[str, str]]:
    """Find one tier; see `tiers`. Raises NothingFound where edges of several are named."""
    found = tiers(model, selector, filled=filled)
    if len(found) > 1:
        labels = ", ".join(tier.label for tier, _ in found[:6]) + (" …" if len(found) > 6 else "")
        raise NothingFound(
            f"edges of {len(found)} tiers are named ({labels}) where one is meant",
            remedy="name an edge of one tier, and give the others a step of their own",
        )
    return found[0]


def find(model: Model, what: fields.Finds, selector: Any, *, filled: bool = False) -> list[Any]:
    """Find whatever a field's selector finds: ids of corners or blocks, edges, or sides."""
    if what == "edges":
        return edges(model, selector, filled=filled)
    if what == "sides":
        return sides(model, selector, filled=filled)
    return corners(model, selector) if what == "corners" else blocks(model, selector)


def _once(found: Iterable[Any]) -> list[Any]:
    return list(dict.fromkeys(found))


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


def _near_sides(model: Model, selector: At | Each, filled: bool) -> list[Side]:
    return [nearest(model, where, "sides", filled=filled) for where in places_in(selector)]


_SIDES: Mapping[type, Callable[[Model, Any, bool], Iterable[Side]]] = {
    fields.AnyOfSides: lambda model, s, filled: (
        side for rule in s.any for side in sides(model, rule, filled=filled)
    ),
    SideIds: lambda model, s, _: (p for named in s.sides for p in _side_pieces(model, side_of(*named))),
    EdgeIds: _sides_of_edges,
    At: _near_sides,
    Each: _near_sides,
    fields.EveryOfSides: _every,
    fields.SidesBut: _but,
    fields.Around: lambda model, s, _: around(model, set(blocks(model, s.around))),
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

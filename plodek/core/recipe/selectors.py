"""Selectors: how steps name corners, edges and blocks, by id (what the screen writes) or by rule."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, TypeAlias

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from plodek.core.arrays import Floats, Place, place
from plodek.core.blocks.edge_path import edge_path
from plodek.core.blocks.layout import Edge, Side, edge_of, side_of
from plodek.core.blocks.tiers import Tier
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.shape.guide import Point, unknown_guide
from plodek.core.tolerances import SAME_PLACE
from plodek.core.units import length

Length: TypeAlias = Annotated[
    float | str, Field(description="a number in the project's unit, or text with a unit: “6 mm”")
]
Coordinates: TypeAlias = Annotated[
    list[Length], Field(min_length=2, max_length=3, description="x, y and z; z is 0 where left out")
]
Direction: TypeAlias = Annotated[
    list[float], Field(min_length=3, max_length=3, description="x, y and z of a direction of any length")
]
EndName = Literal["x-", "x+", "y-", "y+", "z-", "z+"]


class Strict(BaseModel):
    """A part of a recipe: unknown fields are errors, and nothing changes after reading."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class OnGuide(Strict):
    """A place on a guide: a guide point by name, or a fraction of a guide curve's length."""

    guide: str
    fraction: float = Field(default=0.0, ge=0, le=1)


PlaceOf: TypeAlias = Coordinates | OnGuide


class Ids(Strict):
    """Corners or blocks by id."""

    ids: list[str] = Field(min_length=1)


class EdgeIds(Strict):
    """Edges by the ids of their two corners; the order gives the edge its way."""

    edges: list[tuple[str, str]] = Field(min_length=1)


class SideIds(Strict):
    """Sides of blocks by the ids of their corners; edges, in the plane."""

    sides: list[list[str]] = Field(min_length=1)


class At(Strict):
    """What lies nearest to a place: a corner, an edge or side (by its middle), a block (by its centre).

    The edge runs from its end nearest to ``start``; without it, from the end with the lower x (or y).
    """

    at: Coordinates
    start: Coordinates | None = None


class Each(Strict):
    """What lies nearest to each of several places, found as `At` finds one."""

    each: list[Coordinates] = Field(min_length=1, max_length=1000)


class On(Strict):
    """What follows a guide, or sits on it."""

    on: str


class OnSide(Strict):
    """Outer sides (edges, in the plane) on the extreme side of the layout."""

    side: EndName


class Hollows(Strict):
    """All blocks that are hollow."""

    hollow: Literal[True]


class Everything(Strict):
    """All there is."""

    all: Literal[True]


class Around(Strict):
    """The sides (edges, in the plane) around blocks, those between them left out."""

    around: Ids | At | Hollows | Everything


class OfPatch(Strict):
    """The sides that a patch has."""

    patch: str


class Rest(Strict):
    """All outer faces that no patch before has taken."""

    rest: Literal[True]


class Ends(Strict):
    """The ends of chosen blocks of a lifted plane: at the plane (z-) or at the end of the lift (z+)."""

    ends: Literal["z-", "z+"]
    ids: list[str] = Field(min_length=1)


CornerSelector: TypeAlias = Ids | At
CornersSelector: TypeAlias = Ids | Each
BlockSelector: TypeAlias = Ids | At | Each | Hollows | Everything
EdgeSelector: TypeAlias = EdgeIds | At | Each | On | OnSide | Around | Everything
SideSelector: TypeAlias = SideIds | EdgeIds | At | Each | On | OnSide | Around | OfPatch | Everything


def coordinates(values: Sequence[float | str], unit: str) -> Place:
    """Read x, y and perhaps z as a place in the project's unit."""
    numbers = [length(v, unit) for v in values]
    return numbers[0], numbers[1], numbers[2] if len(numbers) > 2 else 0.0


def place_of(model: Model, where: list[float | str] | OnGuide) -> Place:
    """Find the place that coordinates or a guide give."""
    if not isinstance(where, OnGuide):
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
        elif name.endswith("*") and any(guide.startswith(name[:-1]) for guide in model.guides):
            found += [guide for guide in model.guides if guide.startswith(name[:-1])]
        else:
            raise unknown_guide(model.guides, name)
    return list(dict.fromkeys(found))


def corner(model: Model, selector: CornerSelector) -> str:
    """Find one corner."""
    model.need_blocks()
    if isinstance(selector, Ids):
        (found,) = _known(model, selector.ids[:1], list(model.layout.corners), "corner")
        return found
    names = list(model.layout.corners)
    return names[_nearest(model.layout.places(names), coordinates(selector.at, model.unit))]


def corners(model: Model, selector: CornersSelector) -> list[str]:
    """Find corners, by their ids or their places."""
    model.need_blocks()
    if isinstance(selector, Each):
        return list(dict.fromkeys(corner(model, At(at=at)) for at in selector.each))
    return _known(model, selector.ids, list(model.layout.corners), "corner")


def blocks(model: Model, selector: BlockSelector) -> list[str]:
    """Find blocks, hollow ones too."""
    model.need_blocks()
    names = list(model.layout.blocks)
    if isinstance(selector, Everything):
        return names
    if isinstance(selector, Hollows):
        found = [name for name in names if model.layout.blocks[name].hollow]
        if not found:
            raise NothingFound("no block is hollow", remedy="hollow what is solid first")
        return found
    if isinstance(selector, Each):
        return list(dict.fromkeys(b for at in selector.each for b in blocks(model, At(at=at))))
    if isinstance(selector, Ids):
        whole = [piece for name in selector.ids for piece in model.parts(name)]
        return _known(model, [str(n) for n in whole], names, "block")
    centres = np.array([model.layout.centre(b) for b in names])
    return [names[_nearest(centres, coordinates(selector.at, model.unit))]]


def edges(model: Model, selector: SideSelector) -> list[tuple[str, str]]:
    """Find edges; those named by ids or by a place keep that way, others run in sorted order."""
    model.need_blocks()
    layout = model.layout
    if isinstance(selector, Each):
        return list(dict.fromkeys(e for at in selector.each for e in edges(model, At(at=at))))
    if isinstance(selector, EdgeIds):
        found = [way for named in selector.edges for way in _edge_pieces(model, named)]
    elif isinstance(selector, SideIds):
        found = list(dict.fromkeys(edge for side in sides(model, selector) for edge in layout.rim_of(side)))
    elif isinstance(selector, At):
        names = list(layout.edges)
        nearest = _nearest(model.facts.middles, coordinates(selector.at, model.unit))
        found = [_directed(model, names[nearest], selector)]
    elif isinstance(selector, On):
        found = [edge for edge, follow in layout.follows.items() if _is_on(follow.guide, selector.on)]
        if not found:
            raise _nothing_on(model, selector.on, "edge follows")
    elif isinstance(selector, OnSide | Around | OfPatch):
        found = list(dict.fromkeys(edge for side in sides(model, selector) for edge in layout.rim_of(side)))
    else:
        found = list(layout.edges)
    return found


def sides(model: Model, selector: SideSelector) -> list[Side]:
    """Find sides of blocks; edges, in the plane."""
    model.need_blocks()
    if isinstance(selector, Each):
        found = [s for at in selector.each for s in sides(model, At(at=at))]
    elif isinstance(selector, SideIds):
        found = [piece for named in selector.sides for piece in _side_pieces(model, side_of(*named))]
    elif isinstance(selector, EdgeIds):
        found = _sides_of_edges(model, selector)
    elif isinstance(selector, At):
        found = [_nearest_side(model, coordinates(selector.at, model.unit))]
    elif isinstance(selector, On):
        found = [s for s in model.layout.sides if _lies_on(model, s, selector.on)]
        if not found:
            raise _nothing_on(model, selector.on, "side lies on")
    elif isinstance(selector, OnSide):
        found = on_side(model, selector.side)
    elif isinstance(selector, OfPatch):
        found = _of_patch(model, selector.patch)
    elif isinstance(selector, Around):
        found = _around(model, set(blocks(model, selector.around)))
    else:
        found = list(model.layout.sides)
    return list(dict.fromkeys(found))


def _sides_of_edges(model: Model, selector: EdgeIds) -> list[Side]:
    """Give plane edges as sides; in space those that stand on edges named in the plane."""
    if model.layout.dim == 2:
        return [edge_of(*e) for e in edges(model, selector)]
    return [s for e in selector.edges for s in _side_pieces(model, edge_of(*e))]


def _nearest_side(model: Model, to: Place) -> Side:
    layout = model.layout
    names = list(layout.sides)
    if layout.dim == 2:
        half = np.array([0.5])
        middles = np.array([edge_path(layout, model.guides, edge_of(*s)).at(half)[0] for s in names])
    else:
        middles = np.array([layout.places(side).mean(axis=0) for side in names])
    return names[_nearest(middles, to)]


def outer_sides(model: Model, selector: SideSelector) -> list[Side]:
    """Find sides that bound the flow domain. Raises NothingFound where none of them does."""
    found = [side for side in sides(model, selector) if side in model.layout.outer]
    if not found:
        raise NothingFound("no outer side is among them", remedy="choose sides of the domain's boundary")
    return found


def _of_patch(model: Model, name: str) -> list[Side]:
    found = [side for side, patch in model.patch_of.items() if patch.name == name]
    if not found:
        had = ", ".join(p.name for p in model.patches) or "none"
        raise NothingFound(f"no patch is called “{name}”", remedy=f"patches so far: {had}")
    return found


def _is_on(guide: str, name: str) -> bool:
    """Whether a guide is the one named, or one of several joined ones with it."""
    return guide == name or name in guide.split("+")


def _lies_on(model: Model, side: Side, name: str) -> bool:
    """Whether a side lies on a guide: on a surface, or in the plane (or above it) along a curve."""
    layout = model.layout
    if side in layout.lies:
        return _is_on(layout.lies[side], name)
    if layout.dim == 2:
        follow = layout.follows.get(edge_of(*side))
        return follow is not None and _is_on(follow.guide, name)
    return any(_is_on(p.guide, name) for p in model.stood_on.get(side, ()))


def _nothing_on(model: Model, name: str, does: str) -> NothingFound:
    layout = model.layout
    had = {f.guide for f in layout.follows.values()} | set(layout.lies.values())
    return NothingFound(
        f"no {does} “{name}”", remedy=f"guides that something follows: {', '.join(sorted(had)) or 'none'}"
    )


def tier(model: Model, selector: EdgeSelector) -> tuple[Tier, tuple[str, str]]:
    """Find a tier by an edge of it, and that edge as it was named: the tier runs its way."""
    named = edges(model, selector)[0]
    return model.tier_by_edge[edge_of(*named)], named


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


def _directed(model: Model, edge: Edge, selector: At) -> tuple[str, str]:
    ends = model.layout.places(edge)
    if selector.start is not None:
        turned = _nearest(ends, coordinates(selector.start, model.unit)) == 1
    else:
        step = ends[1] - ends[0]
        lead = int(np.argmax(np.abs(step) > SAME_PLACE * model.layout.size()))
        turned = bool(step[lead] < 0)
    return (edge[1], edge[0]) if turned else edge


def _around(model: Model, chosen: set[str]) -> list[Side]:
    return [
        side for side, uses in model.layout.sides.items() if sum(use.block in chosen for use in uses) == 1
    ]


def _nearest(places: Floats, to: Place) -> int:
    return int(np.argmin(np.linalg.norm(places - np.array(to), axis=1)))


def _edge_pieces(model: Model, named: tuple[str, str]) -> list[tuple[str, str]]:
    if edge_of(*named) not in model.layout.edges:
        plain = _in_plane(model, named[0]), _in_plane(model, named[1])
        named = plain if plain[0] != plain[1] else named
    edge = edge_of(*named)
    standing = f"{named[0]}.0", f"{named[1]}.0"
    if edge_of(*standing) in model.layout.edges:  # named in the plane, before the lift
        return [standing]
    whole = [p for p in model.parts(edge) if isinstance(p, tuple) and len(p) == 2]
    if whole == [edge]:
        _known(model, [f"{edge[0]}–{edge[1]}"], [f"{a}–{b}" for a, b in model.layout.edges], "edge")
        return [named]
    return [edge_of(*piece) for piece in whole if piece in model.layout.edges]


def _in_plane(model: Model, name: str) -> str:
    """Give the plane's name of what was named in the layout that stands on it: ``c.0.5`` is ``c`` there."""
    plain = name.partition(".")[0]
    layout = model.layout
    return plain if layout.dim == 2 and (plain in layout.corners or plain in layout.blocks) else name


def _side_pieces(model: Model, side: Side) -> list[Side]:
    found = model.sides_named(side)
    if not found and model.layout.dim == 2:
        found = model.sides_named(side_of(*{_in_plane(model, c) for c in side}))
    if not found:
        raise NothingFound(
            f"the side “{'–'.join(side)}” is not there", remedy=f"there are {len(model.layout.sides)} sides"
        )
    return found


def _known(model: Model, wanted: list[str], known: list[str], noun: str) -> list[str]:
    there = set(known)
    wanted = list(dict.fromkeys(w if w in there else _in_plane(model, w) for w in wanted))
    lost = [name for name in wanted if name not in there]
    if lost:
        labels = [model.layout.labels.get(name, name) for name in known]
        shown = ", ".join(labels[:6]) + (" …" if len(labels) > 6 else "")
        raise NothingFound(
            f"the {noun} “{lost[0]}” is not there",
            remedy=f"there are {len(known)} {noun}s: {shown}",
        )
    return wanted

"""Guides followed as one: which they are, by name, and the one curve or surface that they are together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeAlias

from plodek.core.errors import BadValue
from plodek.core.shape.curves.compound import Joined
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide, unknown_guide
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.together import Together

#: Ends of curves this close to each other, in shares of their length, can be followed as one.
_MEETING = 1e-4
#: What stands between the names of guides that are joined.
_PLUS = "+"


class JoinedCurves(Joined):
    """Guide curves end to end, with their ``names``."""

    def __init__(self, names: tuple[str, ...], curves: Sequence[Curve]) -> None:
        super().__init__(curves, _MEETING * sum(curve.length for curve in curves))
        self.names = names


class JoinedSurfaces(Together):
    """Guide surfaces taken as one, with their ``names``."""

    def __init__(self, names: tuple[str, ...], surfaces: Sequence[Surface]) -> None:
        super().__init__(surfaces)
        self.names = names


JoinedGuide: TypeAlias = JoinedCurves | JoinedSurfaces


def joined(guides: Mapping[str, Guide], names: Sequence[str]) -> JoinedGuide:
    """Join guides by their names. Raises BadValue for curves beside surfaces, or curves that do not meet."""
    parts = []
    for name in names:
        part = guides.get(name)
        if not isinstance(part, Curve | Surface):
            raise unknown_guide(guides, name)
        parts.append(part)
    curves = [part for part in parts if isinstance(part, Curve)]
    surfaces = [part for part in parts if isinstance(part, Surface)]
    if curves and surfaces:
        raise BadValue(
            "some of these guides are curves and some surfaces", remedy="follow one kind at a time"
        )
    return JoinedCurves(tuple(names), curves) if curves else JoinedSurfaces(tuple(names), surfaces)


def joined_name(names: Sequence[str]) -> str:
    """Give the name of guides that are joined: names have no + in them."""
    return _PLUS.join(names)


def renamed_in(name: str, old: str, new: str) -> str:
    """Give the name of a guide, or of guides that are joined, with another name in the place of one."""
    return joined_name([new if part == old else part for part in name.split(_PLUS)])


def names_in(guide: Guide | None) -> tuple[str, ...]:
    """Give the names of the guides that one is joined or made of; none for a guide of its own."""
    if isinstance(guide, JoinedCurves | JoinedSurfaces):
        return guide.names
    return guide.made_of or () if isinstance(guide, Surface) else ()


def is_own(guide: Guide) -> bool:
    """Whether a guide is one by itself, neither joined of others nor made by an operation on blocks."""
    made = isinstance(guide, Surface) and guide.made_of is not None
    return not made and not isinstance(guide, JoinedCurves | JoinedSurfaces)

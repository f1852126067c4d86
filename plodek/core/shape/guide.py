"""A guide: a reference point, curve or surface that blocks are fitted to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from typing import TypeAlias

from plodek.core.arrays import Place
from plodek.core.errors import NothingFound
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface


@dataclass(frozen=True)
class Point:
    """A guide point."""

    xyz: Place


Guide: TypeAlias = Curve | Surface | Point


def unknown_guide(guides: Mapping[str, Guide], name: str, what: str = "guide") -> NothingFound:
    """Make the error for a name that no guide has, or none of the kind that is asked for."""
    kinds: dict[str, type] = {"guide": object, "guide curve": Curve, "surface": Surface, "guide point": Point}
    there = [n for n, guide in guides.items() if isinstance(guide, kinds[what])]
    shown = ", ".join(there[:8]) + (" …" if len(there) > 8 else "")
    near = get_close_matches(name, there, 1)
    hint = f"did you mean “{near[0]}”? The" if near else "the"
    return NothingFound(
        f"no {what} is called “{name}”",
        remedy=f"{hint} {what}s are {shown}" if there else f"there is no {what} yet",
    )


def curve_named(guides: Mapping[str, Guide], name: str) -> Curve:
    """Find a guide curve by name. Raises NothingFound for an unknown name, a point or a surface."""
    guide = guides.get(name)
    if not isinstance(guide, Curve):
        raise unknown_guide(guides, name, "guide curve")
    return guide


def surface_named(guides: Mapping[str, Guide], name: str) -> Surface:
    """Find a surface by name. Raises NothingFound for an unknown name, a point or a curve."""
    guide = guides.get(name)
    if not isinstance(guide, Surface):
        raise unknown_guide(guides, name, "surface")
    return guide

"""What each side does while its grid is smoothed, untangled or polished: in a word, before it is run."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeAlias

from plodek.core.blocks.layout import Side, edge_of
from plodek.core.model.model import Model
from plodek.core.smooth.settings import Parts

Role: TypeAlias = Literal["hold", "wall", "wake", "glide", "move", "free"]


@dataclass(frozen=True)
class SideRole:
    """What a side (an edge, in the plane) does, and the guide on which it stays meanwhile ("" for none).

    Its nodes hold; hold as a *wall* or a *wake* with the heights beside them; glide on what they lie on;
    *move* within it by themselves, before the inside does; or are free as inner nodes are.
    """

    side: Side
    role: Role
    guide: str


def roles(model: Model, parts: Parts) -> list[SideRole]:
    """Say what the sides of filled blocks do, in the order of the layout."""
    layout = model.layout
    chosen = set(layout.filled if parts.blocks is None else parts.blocks)
    given: dict[Side, Role] = {
        **dict.fromkeys(parts.held, "hold"),
        **dict.fromkeys(parts.glide, "glide"),
        **dict.fromkeys(parts.spread, "move"),
        **dict.fromkeys(parts.wakes, "wake"),
        **dict.fromkeys(parts.walls, "wall"),
    }
    paired = layout.paired if parts.free_twins else set()
    found = []
    for side, uses in layout.sides.items():
        filled = {use.block for use in uses if not layout.blocks[use.block].hollow}
        guide = _guide(model, side)
        if side in layout.outer and side not in paired:
            role = given.get(side, "hold")
        else:
            role = given.get(side, "glide" if guide else "free")
        if filled:
            found.append(SideRole(side, role if filled <= chosen else "hold", guide))
    return found


def _guide(model: Model, side: Side) -> str:
    """Give the name of the guide that a side lies on; none where it lies on none."""
    if model.layout.dim == 2:
        follow = model.layout.follows.get(edge_of(*side))
        return "" if follow is None else model.shown_guide(follow.guide)
    name = model.layout.lies.get(side)
    return "" if name is None else model.shown_guide(name)

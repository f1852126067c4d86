"""What has a name in a model: patches, and groups of guides."""

from __future__ import annotations

from dataclasses import dataclass

from plodek.core.blocks.layout import Side
from plodek.core.grid.window import PatchType


@dataclass(frozen=True)
class Patch:
    """A named patch: its type, and the sides it takes (edges, in the plane), outer or between two regions."""

    name: str
    type: PatchType
    sides: tuple[Side, ...] = ()


@dataclass(frozen=True)
class Group:
    """Guides under one name, with the name of a colour."""

    members: tuple[str, ...]
    colour: str = "teal"

"""What steps and checks have to say of a layout: notes, findings with a place, and what is proposed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

from plodek.core.blocks.layout import Edge


@dataclass(frozen=True)
class Note:
    """A sentence about what a step did."""

    text: str


@dataclass(frozen=True)
class Finding:
    """Something to tell of a layout, as that something is wrong with it: a sentence, and where to look.

    ``gap`` is how far apart the sides of its two blocks are that should be one.
    """

    text: str
    blocks: tuple[str, ...] = ()
    corners: tuple[str, ...] = ()
    edges: tuple[Edge, ...] = ()
    gap: float | None = None


@dataclass(frozen=True)
class Proposal:
    """A corner, edge or side (its ``corners``) that can be fitted to a guide.

    ``key`` is the name by which a step leaves it out. ``why`` it was not taken; empty where it was.
    """

    text: str
    key: str
    corners: tuple[str, ...]
    why: str = ""


#: What a step has to say.
Report: TypeAlias = Note | Finding | Proposal

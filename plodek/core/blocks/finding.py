"""What is found in a layout, and where."""

from __future__ import annotations

from dataclasses import dataclass

from plodek.core.blocks.layout import Edge


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

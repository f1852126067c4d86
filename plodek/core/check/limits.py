"""Limits of the gate that hold on a part of the grid only."""

from __future__ import annotations

from dataclasses import dataclass

from plodek.core.check.groups import Part


@dataclass(frozen=True)
class OwnLimit:
    """A metric's ``limit`` on a part: at a patch, in a region, or in blocks by their ``names`` in the grid.

    ``words`` say where, after the metric's name.
    """

    metric: str
    limit: float
    part: Part
    names: tuple[str, ...]
    words: str

"""A guide: a reference point, curve or surface that blocks are fitted to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

from plodek.core.arrays import Place
from plodek.core.shape.curve import Curve
from plodek.core.shape.surface import Surface


@dataclass(frozen=True)
class Point:
    """A guide point."""

    xyz: Place


Guide: TypeAlias = Curve | Surface | Point

"""Operations on a grid: filling its blocks, and runs over the grid that is there. `build` runs them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from plodek.core.check.limits import OwnLimit
from plodek.core.smooth.settings import RunSettings


@dataclass(frozen=True)
class Fill:
    """Fill the blocks between their edges."""


@dataclass(frozen=True)
class Run:
    """Smooth, untangle or polish the grid that is there; what meets the ``limits`` goes on meeting them.

    These are those of the gate at that step, with the ``own`` ones of parts.
    """

    settings: RunSettings
    limits: Mapping[str, float] = field(default_factory=dict)
    own: tuple[OwnLimit, ...] = ()

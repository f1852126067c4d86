"""Operations: how a grid comes about, in order. Small values; `build` runs them.

A model begins with `Fill`, or with the `Lift` of a plane model; what follows works on the grid that is there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, TypeAlias

from plodek.core.blocks.change import Change
from plodek.core.blocks.layout import Layout
from plodek.core.blocks.motion import Motion
from plodek.core.check.limits import OwnLimit
from plodek.core.smooth.settings import RunSettings

if TYPE_CHECKING:
    from plodek.core.model.model import Model


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


@dataclass(frozen=True)
class Lift:
    """Carry the grid of a ``plane`` model along a motion.

    ``foot`` gives the plane corner of each corner, ``base`` the plane block of each block, ``above`` the
    corners that stand on each plane corner, that at the plane first. It is ``whole`` as long as the blocks
    are those of the plane, perhaps cut along the way: the blocks of one that is not are filled between
    their edges.
    """

    plane: Model
    motion: Motion
    foot: Mapping[str, str]
    base: Mapping[str, str]
    above: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    whole: bool = True

    def after(self, change: Change, layout: Layout, *, along: bool) -> Lift:
        """Give the lift after an operation on its layout; a cut ``along`` its way leaves it whole."""
        if not (self.whole and along):
            return replace(self, whole=False)
        base = dict(self.base)
        for name, parts in change.pieces.items():
            if isinstance(name, str) and name in base:
                base |= {str(part): base[name] for part in parts}
        base = {name: base[name] for name in layout.blocks}
        foot = {
            corner: self.plane.layout.blocks[base[name]].corners[n & 3]
            for name, block in layout.blocks.items()
            for n, corner in enumerate(block.corners)
        }
        return replace(self, base=base, foot=foot)

    def stands(self, a: str, b: str) -> bool:
        """Whether an edge between two corners runs along the way: both stand on one corner of the plane."""
        return self.foot.get(a, a) == self.foot.get(b, b)


Operation: TypeAlias = Fill | Run | Lift

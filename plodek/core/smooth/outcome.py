"""Where a smoothing run stands, and what it has reached."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Place

#: The note of a run that is still on a coarser grid.
COARSER = "on a coarser grid"
#: The note of a run whose sides are still moving by themselves.
ASIDE = "on its sides"
#: The note of a run whose grid is untangled before it begins, and of one that is tried without its pins.
UNTANGLING, TRYING = "untangling first", "trying without pins"
#: With these notes there is no picture of the run's own.
WITHOUT_PICTURE = (COARSER, ASIDE, UNTANGLING, TRYING)
#: The note of a run whose nodes are pulled back where limits would be missed; that is not stopped within.
BACK = "pulling back"
#: Where nodes are pulled back, those that do not move within the run, on sides say, go wholly from here.
WHOLLY = 0.25


@dataclass(frozen=True)
class Progress:
    """Where a run stands.

    ``move`` is the largest move of a node in the last sweep, in the project's unit; ``share`` the largest
    that a node would make at full strength, of its smallest cell edge. ``worst`` is the least scaled
    Jacobian.
    """

    sweeps: int
    move: float
    folded: int
    heights_off: float = 0.0
    note: str = ""
    share: float = 0.0
    worst: float = 1.0


#: Where a run stands that has not begun.
NOT_BEGUN = Progress(0, 0.0, 0)


@dataclass(frozen=True)
class WallHeld:
    """What a run keeps on the nodes of its walls: first heights, those wished, and angles in degrees."""

    heights: Floats = field(default_factory=lambda: np.empty(0))
    wished: Floats = field(default_factory=lambda: np.empty(0))
    angles: Floats = field(default_factory=lambda: np.empty(0))

    def off(self) -> float:
        """Give the worst share by which a first height is off."""
        return float(np.abs(self.heights / self.wished - 1).max(initial=0.0))


@dataclass(frozen=True)
class Smoothed:
    """The result: nodes per block, the progress at the start and at the end, and what walls hold.

    ``rough`` is the place (3,) of a cell that stays folded, if there is any. Sides that should
    have moved by themselves have ``stayed`` where the inside would have got worse by that. So many nodes have
    ``yielded``, most of them around ``yielded_at``, where limits would be missed that were met before;
    ``angles`` are the smallest and the largest included one, in degrees. ``back`` is what `pulled` asks.
    ``pins`` are pinned corners, with their labels, without which fewer cells would stay folded.
    """

    blocks: Mapping[str, Floats]
    began: Progress
    progress: Progress
    wall: WallHeld = field(default_factory=WallHeld)
    rough: Floats | None = None
    stayed: bool = False
    yielded: int = 0
    yielded_at: Place | None = None
    angles_before: tuple[float, float] = (0.0, 180.0)
    angles: tuple[float, float] = (0.0, 180.0)
    pins: Mapping[str, str] = field(default_factory=dict)
    back: Back | None = field(default=None, repr=False, compare=False)

    def pulled(self, shares: tuple[Floats, ...], to: tuple[Floats, ...]) -> Smoothed:
        """Pull nodes back by shares (ni, nj, nk) to where they were, ``to`` (ni, nj, nk, 3), by block."""
        if self.back is None:
            return self
        return replace(self.back(shares, to), began=self.began, stayed=self.stayed)

    def reached(self) -> Reached:
        """Sum up what the run has reached."""
        wall, ended = self.wall, self.progress
        off = np.abs(wall.heights / wall.wished - 1) if len(wall.wished) else np.empty(0)
        return Reached(
            sweeps=ended.sweeps,
            move=ended.move,
            share=ended.share,
            folded=ended.folded,
            folded_before=self.began.folded,
            worst=ended.worst,
            worst_before=self.began.worst,
            rough=None if self.rough is None else [float(c) for c in self.rough],
            note=ended.note,
            heights_off=float(off.max(initial=0.0)),
            heights_within=float(np.mean(off <= 0.01)) if len(off) else 1.0,
            angles_within=float(np.mean(np.abs(wall.angles - 90) <= 3)) if len(off) else 1.0,
            held=len(off),
            stayed=self.stayed,
            yielded=self.yielded,
            yielded_at=None if self.yielded_at is None else list(self.yielded_at),
            angles_before=list(self.angles_before),
            angles=list(self.angles),
            pins=dict(self.pins),
        )


@dataclass(frozen=True)
class Reached:
    """What a run reached: its last progress, and how well it held first heights and wall angles.

    ``heights_off`` is the worst share that a first height is off; ``heights_within`` the share of wall
    nodes within 1 %, ``angles_within`` of those within 3°, of the ``held`` ones. ``folded_before`` and
    ``worst_before`` are of the grid that it began with. Sides that should have moved by themselves have
    ``stayed`` where the inside would have got worse by that. ``yielded`` nodes went back, around
    ``yielded_at``, where limits would be missed that were met before; ``angles`` are the smallest and the
    largest included one, in degrees. ``pins`` are pinned corners, with their labels, without which fewer
    cells would stay folded.
    """

    sweeps: int
    move: float
    share: float
    folded: int
    folded_before: int
    worst: float
    worst_before: float
    rough: list[float] | None
    note: str
    heights_off: float
    heights_within: float
    angles_within: float
    held: int
    stayed: bool
    yielded: int = 0
    yielded_at: list[float] | None = None
    angles_before: list[float] = field(default_factory=lambda: [0.0, 180.0])
    angles: list[float] = field(default_factory=lambda: [0.0, 180.0])
    pins: dict[str, str] = field(default_factory=dict)

    @property
    def sentence(self) -> str:
        """Say what it came to, in one line."""
        (low, high), (least, most) = self.angles_before, self.angles
        ended = f", {self.note}" if self.note else ""
        back = ""
        if self.yielded and self.yielded_at is not None:
            where = ", ".join(f"{v:.4g}" for v in self.yielded_at)
            back = f"; {self.yielded} nodes went back around ({where}), where limits would be missed"
        if self.pins:
            back += f"; pinned corners keep cells folded: {', '.join(self.pins.values())}"
        return (
            f"{self.sweeps} sweeps{ended}: angles {low:.1f}° to {high:.1f}° before, "
            f"{least:.1f}° to {most:.1f}° now{back}"
        )


#: Gives a run pulled back by shares of its nodes to where these were, both by block.
Back: TypeAlias = Callable[[tuple[Floats, ...], tuple[Floats, ...]], Smoothed]
#: Called after every portion of sweeps with the progress and a maker of the picture; False stops the run.
Watch = Callable[[Progress, Callable[[], Mapping[str, Floats]]], bool]
#: Gives the watch of a run by its number, from 0.
Watched = Callable[[int], Watch]


def quiet(
    watch: Watch | None, began: Progress, blocks: Callable[[], Mapping[str, Floats]], note: str = COARSER
) -> Watch | None:
    """Let a run on a coarser grid, or on sides, ask whether to stop, without a picture of its own."""
    if watch is None:
        return None
    ask = watch
    return lambda progress, _: ask(replace(began, share=progress.share, note=note), blocks)

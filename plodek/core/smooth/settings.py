"""What a run over the grid is asked for: what its parts do, and how it smooths, untangles or polishes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

from plodek.core.blocks.layout import Side


@dataclass(frozen=True, kw_only=True)
class Parts:
    """What the parts of a layout do during a run.

    ``walls`` keep their first heights, ``held`` inner sides (edges, in the plane) and all outer ones keep
    their nodes but for those that ``glide``, and in space those that ``spread``: these are smoothed within
    what they lie on beforehand. ``wakes`` are inner sides that hold, with their heights on both sides.
    ``first`` is the height that walls shall have (None: as filled), ``blocks`` are those that may change
    (None: all), ``loose`` corners go free though they are pinned, and twin sides do with ``free_twins``.
    """

    walls: tuple[Side, ...] = ()
    glide: tuple[Side, ...] = ()
    spread: tuple[Side, ...] = ()
    held: tuple[Side, ...] = ()
    wakes: tuple[Side, ...] = ()
    first: float | None = None
    blocks: tuple[str, ...] | None = None
    loose: tuple[str, ...] = ()
    free_twins: bool = False


@dataclass(frozen=True)
class SmoothSettings:
    """How to smooth: at most so many ``sweeps``, with ``control`` of the spacing and of the walls or none.

    ``tolerance`` is the largest move of a node in a sweep at which smoothing ends, in the project's unit
    (None: a share of the node's smallest cell edge). ``strict`` scales how far the wall control reaches.
    With ``coarse_first`` coarser grids are smoothed before, so that few sweeps go far. A grid with folded
    cells is refused, or with ``untangle`` untangled before.
    """

    sweeps: int
    parts: Parts = Parts()
    control: bool = False
    tolerance: float | None = None
    strict: float = 1.0
    coarse_first: bool = True
    untangle: bool = False


@dataclass(frozen=True)
class ShapeSettings:
    """How to shape cells by their energy, in at most so many ``sweeps`` over them.

    With ``polish``, only what is at or around cells whose scaled Jacobian is below that, or where sizes along
    a line jump by more than the factor ``jumps``, until the worst gets no better; else all, until no cell is
    folded.
    """

    sweeps: int
    parts: Parts = Parts()
    polish: float | None = None
    jumps: float = 2.0


RunSettings: TypeAlias = SmoothSettings | ShapeSettings

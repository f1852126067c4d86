"""How to smooth: what a smoothing run is asked for."""

from __future__ import annotations

from dataclasses import dataclass

from plodek.core.blocks.layout import Side


@dataclass(frozen=True)
class SmoothSettings:
    """How to smooth.

    ``walls`` get wall control, ``held`` inner sides (edges, in the plane) and all outer ones keep their
    nodes but for those that ``glide``, and in space those that ``spread``: these are smoothed within what
    they lie on beforehand. ``tolerance`` is the largest move of a node in a sweep at which smoothing ends,
    in the project's unit (None: a share of the node's smallest cell edge). ``strict`` scales how far the
    wall control reaches. ``first`` is the height that walls shall have (None: as filled), ``blocks`` are
    those that may change (None: all), ``loose`` corners go free though they are pinned, and twin sides
    do with ``free_twins``. ``wakes`` are inner sides that hold, with wall control from both sides.
    With ``coarse_first`` coarser grids are smoothed before, so that few sweeps go far.
    """

    sweeps: int
    control: bool = False
    walls: tuple[Side, ...] = ()
    glide: tuple[Side, ...] = ()
    spread: tuple[Side, ...] = ()
    held: tuple[Side, ...] = ()
    wakes: tuple[Side, ...] = ()
    tolerance: float | None = None
    strict: float = 1.0
    first: float | None = None
    blocks: tuple[str, ...] | None = None
    loose: tuple[str, ...] = ()
    free_twins: bool = False
    coarse_first: bool = True

"""How to smooth: what a smoothing run is asked for."""

from __future__ import annotations

from dataclasses import dataclass

from plodek.core.blocks.layout import Edge


@dataclass(frozen=True)
class SmoothSettings:
    """How to smooth.

    ``walls`` get wall control, ``held`` inner edges and all outer edges keep their
    nodes but for those that ``glide``. ``tolerance`` is the largest move of a node in a sweep at which
    smoothing ends, in the project's unit (None: 1e-7 of the layout's diagonal). ``strict`` scales the
    wall control.
    """

    sweeps: int
    control: bool = False
    walls: tuple[Edge, ...] = ()
    glide: tuple[Edge, ...] = ()
    held: tuple[Edge, ...] = ()
    tolerance: float | None = None
    strict: float = 1.0

"""Frames: the first blocks, around the domain, by exact coordinates."""

from __future__ import annotations

import math

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.blocks.layout import Block, Corner, Edge, Layout, edge_of, stable_id
from plodek.core.errors import BadValue
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.frame import frame_of


def box(step: str, corner: Place, sizes: tuple[float, ...]) -> Layout:
    """Make one rectangular block of the plane (two sizes), its corners pinned, or of space (three).

    Raises BadValue for no size.
    """
    names = ("width", "height", "depth")
    for name, value in zip(names, sizes, strict=False):
        if not value > 0:
            raise BadValue(f"the {name} is {value:g}", remedy=f"give a {name} above 0")
    dim = len(sizes)
    low = np.array(corner)
    corners = {}
    for n in range(1 << dim):
        step_up = [size if n >> axis & 1 else 0.0 for axis, size in enumerate(sizes)]
        xyz = low + np.array(step_up + [0.0] * (3 - dim))
        corners[stable_id(step, str(n))] = Corner(place(xyz), "pinned" if dim == 2 else "free")
    return Layout(dim, corners, {stable_id(step, "block"): Block(tuple(corners))})


def round_frame(
    step: str,
    centre: Place,
    radii: tuple[float, float],
    angles: tuple[float, float],
    sectors: int,
    *,
    axis: Floats | None = None,
    height: float | None = None,
) -> Layout:
    """Make a frame of ``sectors`` between two radii, from one angle (in radians) to the other.

    A plane one, or with ``height`` one in space that stands along ``axis``. An inner radius of 0 gives
    a disk (or half or quarter of one) of one block without a pole, to be ringed inside: its corners lie
    on the circle. Raises BadValue for radii or angles that make none.
    """
    inner, outer = radii
    turn = angles[1] - angles[0]
    if not 0 <= inner < outer:
        raise BadValue(
            f"the radii are {inner:g} and {outer:g}", remedy="give an outer radius above the inner one"
        )
    if not 1e-6 < turn <= math.tau * (1 + 1e-9):
        raise BadValue(
            f"the frame turns by {math.degrees(turn):g}°", remedy="turn by more than 0° and up to 360°"
        )
    full = turn > math.tau * (1 - 1e-9)
    if inner > 0 and sectors < (3 if full else 1):
        raise BadValue(f"{sectors} sectors", remedy="use 3 or more for a full turn; 4 suit most")
    frame = frame_of(np.array([0.0, 0.0, 1.0]) if axis is None else axis)
    maker = _RoundFrame(step, np.array(centre), frame, height)
    if inner > 0:
        maker.sectors(inner, outer, angles[0], turn, sectors, full)
    else:
        maker.disk(outer, angles[0], turn)
    return maker.layout()


class _RoundFrame:
    def __init__(self, step: str, centre: Floats, frame: Floats, height: float | None) -> None:
        self.step, self.centre, self.frame, self.height = step, centre, frame, height
        self.corners: dict[str, Corner] = {}
        self.blocks: dict[str, Block] = {}
        self.bends: dict[Edge, Curve] = {}
        self.levels = (0.0,) if height is None else (0.0, height)

    def layout(self) -> Layout:
        return Layout(2 if self.height is None else 3, self.corners, self.blocks, {}, self.bends)

    def corner(self, name: str, radius: float, angle: float) -> list[str]:
        """Add a corner on every level, and give their ids."""
        ids = []
        for n, level in enumerate(self.levels):
            out = radius * (math.cos(angle) * self.frame[0] + math.sin(angle) * self.frame[1])
            ids.append(stable_id(self.step, name, str(n)))
            self.corners[ids[-1]] = Corner(place(self.centre + out + level * self.frame[2]))
        return ids

    def arc(self, a: list[str], b: list[str], radius: float, start: float, end: float) -> None:
        """Bend the edges between two corners along an arc, on every level."""
        for n, level in enumerate(self.levels):
            ends = (start, end) if a[n] < b[n] else (end, start)
            centre = self.centre + level * self.frame[2]
            self.bends[edge_of(a[n], b[n])] = Arc(centre, radius, *ends, self.frame)

    def block(self, name: str, corners: list[list[str]]) -> None:
        ids = [c[n] for n in range(len(self.levels)) for c in corners]
        self.blocks[stable_id(self.step, name)] = Block(tuple(ids))

    def sectors(
        self, inner: float, outer: float, start: float, turn: float, sectors: int, full: bool
    ) -> None:
        angles = [start + turn * n / sectors for n in range(sectors + 1)]
        rows = [
            [self.corner(f"{name}{n}", radius, angle) for name, radius in (("in", inner), ("out", outer))]
            for n, angle in enumerate(angles[:sectors] if full else angles)
        ]
        for n in range(sectors):
            first, second = rows[n], rows[(n + 1) % len(rows)]
            for end, radius in ((0, inner), (1, outer)):
                self.arc(first[end], second[end], radius, angles[n], angles[n + 1])
            self.block(f"sector{n}", [first[0], first[1], second[0], second[1]])

    def disk(self, outer: float, start: float, turn: float) -> None:
        """One block: its four corners on the circle, or where it is a part, two or one at the middle."""
        if turn > math.tau * (1 - 1e-9):
            angles = [start + math.pi * (0.25 + 0.5 * n) for n in range(4)]
            rim = [self.corner(f"rim{n}", outer, angle) for n, angle in enumerate(angles)]
            order = (2, 3, 1, 0)
            links = [(0, 1), (1, 2), (2, 3), (3, 0)]
        elif turn > math.radians(120):
            angles = [start + turn * n / 3 for n in range(4)]
            rim = [self.corner(f"rim{n}", outer, angle) for n, angle in enumerate(angles)]
            order = (3, 0, 2, 1)
            links = [(0, 1), (1, 2), (2, 3)]
        else:
            angles = [start + turn * n / 2 for n in range(3)]
            rim = [self.corner(f"rim{n}", outer, angle) for n, angle in enumerate(angles)]
            rim.append(self.corner("middle", 0.0, 0.0))
            order = (3, 0, 2, 1)
            links = [(0, 1), (1, 2)]
        for a, b in links:
            end = angles[b] if angles[b] > angles[a] else angles[b] + math.tau
            self.arc(rim[a], rim[b], outer, angles[a], end)
        self.block("disk", [rim[n] for n in order])

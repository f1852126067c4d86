"""Elliptic smoothing of a multi-block plane grid, with wall control and guarded against folding."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from plodek.core.arrays import Floats, Ints
from plodek.core.blocks.layout import Edge, Layout, edge_of
from plodek.core.blocks.normals import slants
from plodek.core.errors import BadValue, CannotSmooth
from plodek.core.smooth import kernels
from plodek.core.smooth.glide import Track, tracks_of
from plodek.core.smooth.graph import Indices, NodeGraph, blocks_of, graph_of
from plodek.core.smooth.settings import SmoothSettings
from plodek.core.smooth.wall_control import Wall, control_wall, held, interior_control, wall_of
from plodek.core.spacing.spread import LaidOut
from plodek.core.tolerances import SAME_PLACE

#: Sweeps between two looks at folding, gliding sides, progress and stop.
PORTION = 10
#: Over-relaxation without control; with control the feedback wants plain relaxation.
OMEGA = 1.6
#: A portion that folds cells is repeated at half the relaxation, this many times.
HALVINGS = 6


@dataclass(frozen=True)
class Progress:
    """Where a run stands: ``move`` is the largest move of the last sweep, in the project's unit."""

    sweeps: int
    move: float
    folded: int
    heights_off: float = 0.0
    note: str = ""


@dataclass(frozen=True)
class Smoothed:
    """The result: nodes per block, the last progress, and first heights and wall angles of held walls."""

    blocks: Mapping[str, Floats]
    progress: Progress
    heights: Floats = field(default_factory=lambda: np.empty(0))
    angles: Floats = field(default_factory=lambda: np.empty(0))
    wished: Floats = field(default_factory=lambda: np.empty(0))

    def reached(self) -> Reached:
        """Sum up what the run has reached."""
        off = np.abs(self.heights / self.wished - 1) if len(self.wished) else np.empty(0)
        return Reached(
            sweeps=self.progress.sweeps,
            move=self.progress.move,
            folded=self.progress.folded,
            note=self.progress.note,
            heights_off=float(off.max(initial=0.0)),
            heights_within=float(np.mean(off <= 0.01)) if len(off) else 1.0,
            angles_within=float(np.mean(np.abs(self.angles - 90) <= 3)) if len(off) else 1.0,
            held=len(off),
        )


@dataclass(frozen=True)
class Reached:
    """What a run reached: its last progress, and how well it held first heights and wall angles.

    ``heights_off`` is the worst share that a first height is off; ``heights_within`` the share of wall
    nodes within 1 %, ``angles_within`` of those within 3°, of the ``held`` ones.
    """

    sweeps: int
    move: float
    folded: int
    note: str
    heights_off: float
    heights_within: float
    angles_within: float
    held: int


#: Called after every portion of sweeps with the progress and a maker of the picture; False stops the run.
Watch = Callable[[Progress, Callable[[], Mapping[str, Floats]]], bool]


def smooth(
    layout: Layout,
    laid: LaidOut,
    blocks: Mapping[str, Floats],
    settings: SmoothSettings,
    watch: Watch | None = None,
) -> Smoothed:
    """Smooth plane blocks (ni, nj, 1, 3); the input stays as it is.

    Never makes it worse: a portion of sweeps after which more cells are folded than before is taken
    back and repeated more softly; where even the softest fold cells the run ends with what it has reached,
    and says so. Raises CannotSmooth where that is nothing, or where the layout is not plane.
    """
    if settings.sweeps < 0:
        raise BadValue(f"{settings.sweeps} sweeps", remedy="give 0 or more")
    z = _height(layout, blocks)
    graph = graph_of(layout, blocks)
    run = _Run(layout, laid, graph, settings)
    progress = run.go(watch, lambda: blocks_of(graph, graph.xy, z))
    heights, angles = (
        [np.concatenate(parts) for parts in zip(*(held(graph, w) for w in run.walls), strict=True)]
        if run.walls
        else (np.empty(0), np.empty(0))
    )
    wished = np.concatenate([w.height for w in run.walls]) if run.walls else np.empty(0)
    return Smoothed(blocks_of(graph, graph.xy, z), progress, heights, angles, wished)


def _height(layout: Layout, blocks: Mapping[str, Floats]) -> float:
    """Give the z of plane blocks. Raises CannotSmooth, naming a corner, where they have more than one."""
    heights = {name: layout.corners[name].xyz[2] for block in blocks for name in layout.blocks[block].corners}
    z = float(np.median(list(heights.values())))
    far = max(heights, key=lambda name: abs(heights[name] - z))
    low = min(float(nodes[..., 2].min()) for nodes in blocks.values())
    high = max(float(nodes[..., 2].max()) for nodes in blocks.values())
    if high - low > SAME_PLACE * layout.size():
        raise CannotSmooth(
            f"the nodes do not lie in one plane of constant z: they reach from {low:.6g} to {high:.6g}, and "
            f"corner {layout.labels[far]} is at {heights[far]:.6g}",
            remedy="pin all corners at one z, and let edges follow curves that lie there",
        )
    return z


class _Run:
    def __init__(self, layout: Layout, laid: LaidOut, graph: NodeGraph, settings: SmoothSettings) -> None:
        self.graph, self.settings = graph, settings
        fixed = graph.boundary.copy()
        for edge in settings.held:
            fixed[graph.edges[edge]] = True
        self.tracks: list[Track] = tracks_of(layout, laid, graph, settings.glide, fixed)
        self.order, self.bounds = _coloured(graph, np.flatnonzero(~fixed).astype(np.int32))
        count = len(graph.xy)
        self.phi, self.psi = interior_control(graph) if settings.control else (np.zeros(count),) * 2
        self.walls = walls_of(layout, laid, graph, settings.walls) if settings.control else []
        self.strengths = [np.zeros((len(w.node), 2)) for w in self.walls]
        self.omega = 1.0 if settings.control else OMEGA
        diagonal = float(np.linalg.norm(np.ptp(graph.xy, axis=0)))
        self.tolerance = settings.tolerance if settings.tolerance is not None else 1e-7 * diagonal

    def go(self, watch: Watch | None, picture: Callable[[], Mapping[str, Floats]]) -> Progress:
        xy, cells = self.graph.xy, self.graph.cells
        progress = Progress(0, 0.0, kernels.folded(xy, cells))
        softness, halvings = 1.0, 0
        while progress.sweeps < self.settings.sweeps:
            before = xy.copy(), [s.copy() for s in self.strengths], [track.s for track in self.tracks]
            portion = min(PORTION, self.settings.sweeps - progress.sweeps)
            move, off = self._sweeps(portion, softness)
            folded = kernels.folded(xy, cells)
            if folded > progress.folded or not np.isfinite(move):
                xy[:], self.strengths, gliding = before
                for track, s in zip(self.tracks, gliding, strict=True):
                    track.s = s
                softness, halvings = softness / 2, halvings + 1
                if halvings > HALVINGS:
                    if progress.sweeps == 0:
                        raise CannotSmooth(
                            "cells fold from the first sweeps on",
                            remedy="loosen the wall control, let sides glide, or change the blocks there",
                        )
                    return replace(progress, note="folding begins")
                continue
            halvings, softness = 0, min(1.0, softness * 1.2)
            progress = Progress(progress.sweeps + portion, move, folded, off)
            if watch is not None and not watch(progress, picture):
                return replace(progress, note="stopped")
            if move <= self.tolerance:
                return replace(progress, note="settled")
        return progress

    def _sweeps(self, count: int, softness: float) -> tuple[float, float]:
        graph, xy = self.graph, self.graph.xy
        shift = np.zeros((len(xy), 2))
        move = off = 0.0
        for _ in range(count):
            if self.walls:
                shift[:] = 0.0
                off = 0.0
                strict = self.settings.strict * softness
                for w, strength in zip(self.walls, self.strengths, strict=True):
                    off = max(
                        off,
                        control_wall(
                            xy, w.node, w.first, w.before, w.after, w.height, w.line, w.axes,
                            strength, shift, strict,
                        ),
                    )  # fmt: skip
            move = kernels.sweep(
                xy, graph.stencil, graph.start, graph.near, self.order, self.bounds,
                self.phi, self.psi, shift, self.omega * softness,
            )  # fmt: skip
        for track in self.tracks:
            move = max(move, track.glide(xy, softness))
        return move, off


def walls_of(layout: Layout, laid: LaidOut, graph: NodeGraph, edges: Iterable[Edge]) -> list[Wall]:
    """Collect the walls along outer edges: runs of nodes with the flow domain on their left.

    The wished first height at a node is that of the filled grid's edges at both ends of its run, as far as
    they stand off the wall, shared out along the run. Raises BadValue for an edge inside the domain.
    """
    walls = []
    for edge in edges:
        uses = [(b, axis) for b, axis in layout.edges[edge] if not layout.blocks[b].hollow]
        if len(uses) != 1:
            names = " to ".join(layout.labels[c] for c in edge)
            raise BadValue(
                f"the edge {names} is not a wall: it lies inside the flow domain",
                remedy="choose outer edges as walls",
            )
        walls.append(_run_inward(layout, laid, graph, edge, *uses[0]))
    joined = _joined(graph, walls)
    for wall in joined:
        _need_room(graph.xy, wall)
    return joined


def _need_room(xy: Floats, wall: Wall) -> None:
    """Raise CannotSmooth where nodes of a wall lie on each other, or the first cells have no height."""
    gaps = np.linalg.norm(xy[wall.after] - xy[wall.node], axis=1)
    gaps = np.minimum(gaps, np.linalg.norm(xy[wall.node] - xy[wall.before], axis=1))
    for values, what in (
        (gaps, "nodes of the wall lie on each other"),
        (wall.height, "cells have no height"),
    ):
        least = int(np.argmin(values))
        if not values[least] > 1e-12 * float(np.ptp(xy)):
            x, y = xy[wall.node[least]]
            raise CannotSmooth(
                f"{what} near ({x:.6g}, {y:.6g})",
                remedy="look at the blocks there: an edge may run along the wall, or a corner lie on another",
            )


def _run_inward(
    layout: Layout, laid: LaidOut, graph: NodeGraph, edge: Edge, block: str, axis: int
) -> tuple[Indices, Indices, Floats]:
    """Give the nodes of an edge with the domain on the left, the first nodes inward, the wished heights."""
    corners = layout.blocks[block].corners
    ids = graph.ids[block]
    across = 1 - axis
    end = 0 if edge_of(corners[0], corners[1 << axis]) == edge else 1
    lines = np.moveaxis(ids, across, 0)
    rows = lines if end == 0 else lines[::-1]
    bit = 1 << across
    ends = [(n | bit) if end else n for n in (0, 1 << axis)]
    slant = slants(layout, {}, laid.paths, [edge])
    wished = []
    for n in ends:
        leaving = edge_of(corners[n & ~bit], corners[n | bit])
        wished.append(laid.size_at(leaving, corners[n]) * slant[leaving][corners[n]])
    height = np.linspace(wished[0], wished[1], rows.shape[1])
    # The low side of axis j has the domain on its left when walked along rising i; each flip turns it.
    if (axis == 0) != (end == 0):
        return rows[0][::-1], rows[1][::-1], height[::-1]
    return rows[0], rows[1], height


def _joined(graph: NodeGraph, runs: list[tuple[Indices, Indices, Floats]]) -> list[Wall]:
    """Join runs end to end, so that the nodes between two runs are controlled too."""
    left = {int(run[0][0]): run for run in runs}
    ends = {int(run[0][-1]) for run in runs}
    starts = [k for k in left if k not in ends] or list(left)[:1]
    walls = []
    while left:
        at = next((k for k in starts if k in left), next(iter(left)))
        opening = at
        node, first, height = [], [], []
        while at in left:
            run = left.pop(at)
            # One node stands at the join of two runs: the later run brings it.
            node.append(run[0][:-1])
            first.append(run[1][:-1])
            height.append(run[2][:-1])
            at, last = int(run[0][-1]), run
        chain = np.concatenate([*node, last[0][-1:]])
        inward, wished = np.concatenate(first), np.concatenate(height)
        if at == opening:  # the wall closes on itself
            around = np.concatenate([chain[-2:-1], chain])
            walls.append(wall_of(graph, around.astype(np.int32), inward, wished))
        elif len(chain) > 2:
            walls.append(wall_of(graph, chain.astype(np.int32), inward[1:], wished[1:]))
    return walls


def _coloured(graph: NodeGraph, moving: Indices) -> tuple[Indices, Ints]:
    colours = kernels.colour(graph.stencil, graph.start, graph.near, moving)
    order = np.argsort(colours, kind="stable")
    bounds = np.concatenate([[0], np.cumsum(np.bincount(colours))])
    return moving[order], bounds.astype(np.int64)

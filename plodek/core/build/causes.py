"""What made cells as they are: the corner, edge, side or block of the layout that they stand at."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Literal, TypeAlias

import numpy as np

from plodek.core.arrays import Ints
from plodek.core.blocks.layout import Edge, edge_of, side_of
from plodek.core.build.heights import guide_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Window
from plodek.core.model.model import Model

Kind = Literal["corner", "edge", "side", "block"]
#: A part of the layout: what it is, and its ids.
_Feature: TypeAlias = tuple[Kind, tuple[str, ...]]
#: Cells from the end of a block that stand at what is there.
_REACH = 3
#: Causes that are told at most.
_MOST = 5
#: Metrics that spacing makes; all others come of shapes.
_SPACED = {
    "aspect_ratio", "volume_ratio", "joint_ratio", "edge_growth", "smallest_edge", "smallest_height",
    "cell_size", "first_height", "y_plus", "wall_growth", "boundary_cells",
}  # fmt: skip
#: Angles at a corner beyond which the corner itself is at fault, in degrees.
_SHARP, _WIDE = 40.0, 140.0


@dataclass(frozen=True)
class Cause:
    """A part of the layout that cells stand at: its ids, how many cells, what is wrong there, what helps."""

    kind: Kind
    cells: int
    text: str
    cure: str
    blocks: tuple[str, ...] = ()
    corners: tuple[str, ...] = ()
    edges: tuple[Edge, ...] = ()


def causes(model: Model, grid: Grid, chosen: Ints, metrics: Collection[str]) -> list[Cause]:
    """Tell what chosen cells (n,) of a model's grid stand at, most of them first.

    ``metrics`` say whether spacing or shapes are looked at. None where the grid has other blocks.
    """
    if set(grid.names) != set(model.layout.filled):
        return []
    counts: Counter[_Feature] = Counter()
    for feature, cells in _features(model, grid, chosen):
        counts[feature] += cells
    spaced = bool(metrics) and all(key in _SPACED for key in metrics)
    look = _Look(model, spaced)
    return [look.told(feature, cells) for feature, cells in counts.most_common(_MOST)]


def _features(model: Model, grid: Grid, chosen: Ints) -> Iterator[tuple[_Feature, int]]:
    """Give what cells stand at, and how many of each block do."""
    dim, starts = model.layout.dim, np.asarray(grid.starts)
    for block in np.unique(np.searchsorted(starts, chosen, side="right") - 1).tolist():
        ours = chosen[(chosen >= starts[block]) & (chosen < starts[block + 1])] - starts[block]
        shape = grid.shape_of(block)
        index = np.stack(np.unravel_index(ours, shape), axis=1)[:, :dim]
        last = np.array(shape)[:dim] - 1 - index
        # −1 in the middle, else the end of the axis that is near.
        near = np.where(np.minimum(index, last) < _REACH, (last < index).astype(int), -1)
        kinds, cells = np.unique(near, axis=0, return_counts=True)
        for ends, count in zip(kinds.tolist(), cells.tolist(), strict=True):
            yield _feature(model, grid.names[block], ends), count


def _feature(model: Model, block: str, ends: list[int]) -> _Feature:
    """Give the part of a block that is at some ends of its axes, by the ids of its corners."""
    corners = model.layout.blocks[block].corners
    at = tuple(
        corner
        for n, corner in enumerate(corners)
        if all(end < 0 or n >> axis & 1 == end for axis, end in enumerate(ends))
    )
    free = sum(end < 0 for end in ends)
    if free == model.layout.dim:
        return "block", (block,)
    if free == 0 or len(set(at)) == 1:
        return "corner", at[:1]
    return ("edge", edge_of(*sorted(set(at)))) if len(set(at)) == 2 else ("side", side_of(*at))


@dataclass(frozen=True)
class _Look:
    """Looks at parts of a model's layout: at their spacing where ``spaced``, else at their shapes."""

    model: Model
    spaced: bool

    def told(self, feature: _Feature, cells: int) -> Cause:
        kind, ids = feature
        count = f"{cells} cell" if cells == 1 else f"{cells} cells"
        where, cure = {
            "corner": self._corner, "edge": self._edge, "side": self._side, "block": self._block
        }[kind](ids)  # fmt: skip
        return Cause(
            kind, cells, f"{count} {where}", cure,
            blocks=ids if kind == "block" else self._beside(ids) if kind == "side" else (),
            corners=ids if kind == "corner" else (),
            edges=(edge_of(*ids),) if kind == "edge" else (),
        )  # fmt: skip

    def _label(self, *ids: str) -> str:
        return "–".join(self.model.layout.labels[one] for one in ids)

    def _beside(self, side: tuple[str, ...]) -> tuple[str, ...]:
        layout = self.model.layout
        return tuple(use.block for use in layout.sides.get(side, ()) if not layout.blocks[use.block].hollow)

    def _corner(self, ids: tuple[str, ...]) -> tuple[str, str]:
        (corner,) = ids
        layout = self.model.layout
        meet = sum(not layout.blocks[block].hollow for block in layout.at_corner[corner])
        angles = self.model.facts.angles
        there = [
            (number, layout.blocks[name].corners.index(corner))
            for number, name in enumerate(layout.filled)
            if corner in layout.blocks[name].corners
        ]
        found = [angles.degrees[(angles.at[:, 0] == b) & (angles.at[:, 1] == n)] for b, n in there]
        here = np.concatenate([*found, []]) if found else np.array([90.0])
        low, high = (float(here.min()), float(here.max())) if len(here) else (90.0, 90.0)
        angled = f"{low:.0f}°" if f"{low:.0f}" == f"{high:.0f}" else f"{low:.0f}° to {high:.0f}°"
        met = f"where {meet} blocks meet at" if meet > 1 else "of one block, with"
        where = f"at corner {self._label(corner)}, {met} {angled}"
        if self.spaced:
            jump, cure = self._jump([e for e in layout.edges if corner in e])
            return where + jump, cure
        if high > _WIDE or low < _SHARP:
            return where, "move the corner, or take the angle apart by a cut or a ring"
        return where, "smoothing and polishing spread what the blocks bend there"

    def _edge(self, ids: tuple[str, ...]) -> tuple[str, str]:
        edge = edge_of(ids[0], ids[1])
        layout = self.model.layout
        meet = sum(set(ids) <= set(layout.blocks[block].corners) for block in layout.filled)
        met = f"round which {meet} blocks meet" if meet > 1 else "of one block"
        where = f"along edge {self._label(*ids)}, {met}"
        if not self.spaced:
            return where, "smoothing and polishing spread what the blocks bend there; or move its corners"
        leaving = [e for e in layout.edges if len(set(e) & set(edge)) == 1]
        jump, cure = self._jump(leaving)
        return where + jump, cure

    def _side(self, ids: tuple[str, ...]) -> tuple[str, str]:
        blocks = self._beside(ids)
        if len(blocks) > 1:
            where = f"at the side between {' and '.join(self._label(block) for block in blocks)}"
        else:
            where = f"at an outer side of {self._label(*blocks)}"
        if not self.spaced:
            return where, "smoothing and polishing square cells at sides"
        corners = set(ids)
        leaving = [e for e in self.model.layout.edges if len(set(e) & corners) == 1]
        jump, cure = self._jump(leaving)
        return where + jump, cure

    def _block(self, ids: tuple[str, ...]) -> tuple[str, str]:
        (block,) = ids
        layout, laid = self.model.layout, self.model.laid
        where = f"inside block {self._label(block)}"
        if not self.spaced:
            return where, "smoothing evens the fill; what it leaves, polishing betters"
        edges = [e for e in layout.edges_of(block) if e in laid.edge_cells]
        grown = max(edges, key=lambda e: laid.edge_cells[e].growth)
        tier, growth = self.model.tier_by_edge[grown].label, laid.edge_cells[grown].growth
        return (
            f"{where}; along tier {tier} cells grow by up to {growth:.3g}",
            f"more cells on tier {tier}, or a slower growth",
        )

    def _jump(self, edges: list[Edge]) -> tuple[str, str]:
        """Tell the worst jump of spacing among edges, and what helps."""
        ours = set(edges)
        jump = next((j for j in self.model.jumps if j.fine in ours or j.coarse in ours), None)
        if jump is not None:
            tier = self.model.tier_by_edge[jump.coarse].label
            return (
                f"; cells jump there by {jump.ratio:.3g}",
                f"match tier {tier} to its neighbour (Space)",
            )
        cells = self.model.laid.edge_cells
        grown = max((e for e in edges if e in cells), key=lambda e: cells[e].growth, default=None)
        if grown is None:
            return "", "look at the spacing there"
        tier = self.model.tier_by_edge[grown].label
        growth = f"; along tier {tier} cells grow by up to {cells[grown].growth:.3g}"
        return growth, f"more cells on tier {tier}, or a slower growth"


def guide_windows(model: Model, grid: Grid) -> dict[str, list[Window]]:
    """Give the outer sides of a model's grid that lie on guides, by the guides' names."""
    number = {name: n for n, name in enumerate(grid.names)}
    found: dict[str, list[Window]] = {}
    for side, use in model.layout.outer.items():
        guide = guide_of(model.layout, side)
        if guide is not None and use.block in number:
            window = Window(number[use.block], use.axis, use.end)
            found.setdefault(model.shown_guide(guide), []).append(window)
    return found

"""A layout taken up from a received grid: its blocks, divided where that lets them meet on whole sides."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numba
import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.layout import (
    FLUID,
    Block,
    Corner,
    Edge,
    Layout,
    Name,
    Side,
    Twin,
    stable_id,
)
from plodek.core.blocks.moulds.edges import edges_through
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.blocks.reports import Finding
from plodek.core.blocks.soundness import check
from plodek.core.errors import BadFile, PlodekError
from plodek.core.grid.divisions import Divisions
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import SHARE
from plodek.core.grid.pieces import Pieces
from plodek.core.grid.touching import seams_in
from plodek.core.grid.window import Interface, PatchType, Window
from plodek.core.shape.lattice import Lattice
from plodek.core.shape.move import Move
from plodek.core.tolerances import SAME_PLACE

#: So often blocks are divided further, where two of their edges or sides would be one.
_ROUNDS = 12
#: So many blocks are named where something is said of them.
_NAMED = 8
_UP = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True)
class TakenUp:
    """The layout, the nodes of its edges as fractions (n,), its patches, and what there is to say.

    ``made`` are the blocks that each block of the grid has become.
    """

    layout: Layout
    nodes: Mapping[Edge, Floats]
    patches: Sequence[tuple[str, PatchType, tuple[Side, ...]]]
    said: tuple[Finding, ...]
    made: Sequence[tuple[str, ...]]


def take_up(step: str, grid: Grid, unit: str, within: float = 0.0) -> TakenUp:
    """Make a layout of a grid; ``step`` makes its ids, and lengths are told in ``unit``.

    Nodes of blocks that meet are made those of the first, to the bit, where they are ``within`` a length,
    half of the shortest cell edge there or a thousandth of the longest. Raises BadFile where they are farther
    apart, where blocks have an edge of no length within, or meet in a way that no layout has; OverBudget for
    too many blocks.
    """
    for joint in (*grid.interfaces, *grid.periodic):
        _need_near(grid, joint, unit, within)
    xyz, apart, beside = _closed(grid)
    grid = replace(grid, xyz=xyz)
    grid = replace(grid, seams=seams_in(grid))
    gap = f"nodes of blocks that meet were up to {apart:.3g} {unit} apart, and are one now" if beside else ""
    return _TakingUp(step, grid, gap, beside).taken_up()


def _need_near(grid: Grid, joint: Interface, unit: str, within: float) -> None:
    """Raise BadFile where the nodes of an interface, or of twins after their move, are not the same."""
    first, second = grid.nodes(joint.first), joint.orientation.apply(grid.nodes(joint.second))
    moved = first if joint.move is None else joint.move.places(first.reshape(-1, 3)).reshape(first.shape)
    apart = np.linalg.norm(moved - second, axis=-1)
    steps = [np.linalg.norm(np.diff(first, axis=axis), axis=-1) for axis in range(3)]
    shortest = min((float(own[own > 0].min()) for own in steps if np.any(own > 0)), default=0.0)
    longest = max((float(own.max()) for own in steps if own.size), default=0.0)
    if float(apart.max()) > max(within, 0.5 * shortest, SHARE * longest):
        node = [int(n) + 1 for n in np.unravel_index(int(apart.argmax()), apart.shape)]
        blocks = " and ".join(grid.names[window.block] for window in (joint.first, joint.second))
        far = f"up to {float(apart.max()):.3g} {unit}"
        raise BadFile(
            f"the nodes of an interface are {far} apart"
            if joint.move is None
            else f"the nodes of periodic sides are {far} from where their move brings them",
            where=f"blocks {blocks}, node {node} of the first's range",
            remedy=f"close gaps up to {1.01 * float(apart.max()):.2g} {unit}, if that is what it should be",
        )


def _closed(grid: Grid) -> tuple[tuple[Floats, ...], float, list[int]]:
    """Make nodes that blocks share equal to the bit; gives how far they were apart, and which blocks."""
    xyz, own = list(grid.xyz), [False] * len(grid.xyz)
    apart, beside = 0.0, set[int]()
    joints = [joint.turned() if _is_after(joint.first, joint.second) else joint for joint in grid.interfaces]
    for _ in range(len(joints) + 1):
        changed = False
        for joint in joints:
            first, second = (
                xyz[w.block][w.slices(xyz[w.block].shape[:3])] for w in (joint.first, joint.second)
            )
            flat = joint.orientation.apply(second)
            if np.array_equal(first, flat):
                continue
            apart = max(apart, float(np.abs(first - flat).max()))
            block = joint.second.block
            beside |= {joint.first.block, block}
            if not own[block]:
                xyz[block], own[block] = xyz[block].copy(), True
                second = xyz[block][joint.second.slices(xyz[block].shape[:3])]
            joint.orientation.apply(second)[...] = xyz[joint.first.block][
                joint.first.slices(xyz[joint.first.block].shape[:3])
            ]
            changed = True
        if not changed:
            break
    return tuple(xyz), apart, sorted(beside)


def _is_after(one: Window, other: Window) -> bool:
    return (one.block, one.axis, one.end) > (other.block, other.axis, other.end)


class _TakingUp:
    def __init__(self, step: str, grid: Grid, gap: str, beside: Sequence[int]) -> None:
        self.step, self.grid, self.gap, self.beside = step, grid, gap, beside
        corners = np.concatenate([nodes[:: max(len(nodes) - 1, 1)].reshape(-1, 3) for nodes in grid.xyz])
        self.near = SAME_PLACE * float(np.linalg.norm(np.ptp(corners, axis=0)))
        self.divisions = Divisions(grid)
        for _ in range(_ROUNDS):
            pieces = Pieces(grid, self.divisions, self.near)
            wished = [*pieces.too_few()]
            if not wished:
                break
            self.divisions.divide(wished)
        else:
            raise BadFile(
                "its blocks meet themselves and each other in a way that is no layout",
                remedy="divide them further where the grid comes from",
            )
        self.pieces = pieces

    def taken_up(self) -> TakenUp:
        grid, pieces = self.grid, self.pieces
        names = pieces.names(self.step)
        region = {block: name for name, blocks in grid.regions.items() for block in blocks}
        turned, folded = list[int](), dict[int, int]()
        made: list[tuple[str, ...]] = []
        blocks: dict[str, Block] = {}
        moulds: dict[Name, Mould] = {}
        for block, nodes in enumerate(grid.xyz):
            plus, minus = _handed(nodes, grid.dim)
            if min(plus, minus):
                folded[block] = min(plus, minus)
            if minus > plus:
                turned.append(block)
            lattice, own = Lattice(nodes), list[str]()
            for at in pieces.of(block):
                corners = tuple(names[c] for c in pieces.corners(at))
                mould = Mould(lattice, corners, pieces.index(at))
                if minus > plus:
                    mould = mould.turned_round()
                low = ",".join(str(int(n)) for n in pieces.index(at)[0])
                name = stable_id(self.step, grid.names[block], "block", low)
                own.append(name)
                blocks[name] = Block(mould.corners, region=region.get(block, FLUID))
                moulds[name] = mould
                if grid.dim == 3:
                    moulds |= {side: part for side, part in mould.sides() if side not in moulds}
            made.append(tuple(own))
        bends, nodes_of = edges_through(moulds.values())
        places = {name: Corner(place(xyz)) for name, xyz in pieces.places(names)}
        layout = Layout(grid.dim, places, blocks, bends=bends, moulds=moulds, twins=tuple(self._twins(names)))
        try:
            check(layout)
        except PlodekError as error:
            raise BadFile(
                f"its blocks make no layout: {error.what}", remedy="divide them where the grid comes from"
            ) from error
        said = tuple(self._said(turned, folded, made))
        return TakenUp(layout, nodes_of, self._patches(names), said, made)

    def _twins(self, names: Mapping[int, str]) -> Iterator[Twin]:
        """Give the twins, one for all that have the same move."""
        found: list[tuple[Move, dict[Side, tuple[str, ...]]]] = []
        for joint in self.grid.periodic:
            move = joint.move
            assert move is not None
            pairs = {names[a]: names[b] for a, b in self.pieces.met(joint)}
            sides = {side: tuple(pairs[c] for c in side) for side in self.pieces.sides(joint.first, names)}
            same = next((own for one, own in found if _alike(one, move, self.near)), None)
            if same is None:
                found.append((move, sides))
            else:
                same |= sides
        for number, (move, sides) in enumerate(found, 1):
            yield Twin(f"{self.step}-{number}", move, sides)

    def _patches(self, names: Mapping[int, str]) -> list[tuple[str, PatchType, tuple[Side, ...]]]:
        found = []
        for patch in self.grid.patches:
            sides = [s for window in patch.windows for s in self.pieces.sides(window, names)]
            found.append((patch.name, patch.type, tuple(dict.fromkeys(sides))))
        return found

    def _said(
        self, turned: Sequence[int], folded: Mapping[int, int], made: Sequence[tuple[str, ...]]
    ) -> Iterator[Finding]:
        there, count = len(made), sum(len(own) for own in made)
        if count != there:
            parts = [name for own in made if len(own) > 1 for name in own]
            text = f"{there} received blocks were divided into {count}, so that they meet on whole sides"
            yield Finding(text, tuple(parts))
        if turned:
            named = ", ".join(self.grid.names[block] for block in turned[:_NAMED])
            more = f" and {len(turned) - _NAMED} more" if len(turned) > _NAMED else ""
            text = f"left-handed, and turned round: {named}{more}"
            yield Finding(text, tuple(name for block in turned for name in made[block]))
        if self.gap:
            yield Finding(self.gap, tuple(name for block in self.beside for name in made[block]))
        if folded:
            text = f"{sum(folded.values())} cells are folded: Check shows them, and Untangle unfolds them"
            yield Finding(text, tuple(name for block in folded for name in made[block]))


def _alike(one: Move, other: Move, near: float) -> bool:
    return (
        np.allclose(one.matrix, other.matrix, atol=1e-9)
        and bool(np.abs(one.shift - other.shift).max() <= 1e3 * near)
        and one.scale == other.scale
    )


def _handed(nodes: Floats, dim: int) -> tuple[int, int]:
    """Count the cells of a block (ni, nj, nk, 3) that are right-handed in their middle, and the others."""
    plus = _right_handed(nodes if dim == 3 else np.concatenate([nodes, nodes + _UP], axis=2))
    count = int(np.prod([max(n - 1, 1) for n in nodes.shape[:3]]))
    return plus, count - plus


@numba.njit(cache=True, nogil=True)
def _right_handed(nodes: Floats) -> int:
    ni, nj, nk = nodes.shape[:3]
    count = 0
    a, b, c = np.empty(3), np.empty(3), np.empty(3)
    for i in range(ni - 1):
        for j in range(nj - 1):
            for k in range(nk - 1):
                for d in range(3):
                    p0 = nodes[i, j, k, d] + nodes[i, j + 1, k + 1, d]
                    p1 = nodes[i, j + 1, k, d] + nodes[i, j, k + 1, d]
                    q0 = nodes[i + 1, j, k, d] + nodes[i + 1, j + 1, k + 1, d]
                    q1 = nodes[i + 1, j + 1, k, d] + nodes[i + 1, j, k + 1, d]
                    a[d] = q0 + q1 - p0 - p1
                    b[d] = (
                        nodes[i, j + 1, k, d] + nodes[i, j + 1, k + 1, d] + nodes[i + 1, j + 1, k, d]
                        + nodes[i + 1, j + 1, k + 1, d] - nodes[i, j, k, d] - nodes[i, j, k + 1, d]
                        - nodes[i + 1, j, k, d] - nodes[i + 1, j, k + 1, d]
                    )  # fmt: skip
                    c[d] = (
                        nodes[i, j, k + 1, d] + nodes[i, j + 1, k + 1, d] + nodes[i + 1, j, k + 1, d]
                        + nodes[i + 1, j + 1, k + 1, d] - nodes[i, j, k, d] - nodes[i, j + 1, k, d]
                        - nodes[i + 1, j, k, d] - nodes[i + 1, j + 1, k, d]
                    )  # fmt: skip
                volume = (
                    a[0] * (b[1] * c[2] - b[2] * c[1])
                    + a[1] * (b[2] * c[0] - b[0] * c[2])
                    + a[2] * (b[0] * c[1] - b[1] * c[0])
                )
                if volume > 0.0:
                    count += 1
    return count

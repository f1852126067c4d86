"""Blocks with a ghost layer around each, in one flat array: interfaces vanish, and twin sides with them.

Every node has a slot in each block that holds it, and one of these moves it: the others, and the ghosts
(the next nodes beyond a side, from the block there), are copies, made anew after every sweep.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
import numpy.typing as npt

from plodek.core.arrays import Bools, Floats
from plodek.core.grid.grid import Grid
from plodek.core.grid.numbering import Numbering
from plodek.core.grid.window import Interface, Window, part_of
from plodek.core.shape.move import Move
from plodek.core.smooth import kernels

Slots: TypeAlias = npt.NDArray[np.int32]


@dataclass(frozen=True)
class Copies:
    """Slots that get what others hold, moved where they are twins."""

    to: Slots
    of: Slots
    move: Move | None = None


@dataclass(frozen=True)
class Ghosted:
    """Nodes of blocks in slots, n of them with the ghosts; in the plane there are none along k.

    ``own`` (ni, nj, nk) are the slots of each block's nodes, ``strides`` the steps of slots along its axes.
    ``node`` (n,) numbers the nodes, twins as one where they are free; -1 at ghosts beyond which nothing is.
    ``mover`` (n,) is the slot that moves the node at the place of each one, -1 at ghosts and driven twins.
    Of the movers ``outer`` are on outer sides, and ``regular`` are inner ones with eight cells ``around``
    them (four in the plane), which are counted by node. ``copies`` are made in this order.
    """

    dim: int
    own: tuple[Slots, ...]
    strides: tuple[tuple[int, int, int], ...]
    node: Slots
    mover: Slots
    outer: Bools
    around: Slots
    regular: Bools
    copies: tuple[Copies, ...]

    @staticmethod
    def of(grid: Grid, *, free_twins: bool) -> Ghosted:
        """Lay out the slots of a grid; twin sides are joined as interfaces where they are free."""
        wide, own, strides = _laid_out([block.shape[:3] for block in grid.xyz], grid.dim)
        count = int(wide[-1].ravel()[-1]) + 1
        twins = grid.periodic if free_twins else ()
        alone = Numbering.of(grid)
        plain = _spread(alone, own, count)
        node = _spread(Numbering.of(grid, twins=True), own, count) if twins else plain.copy()
        driven = np.zeros(alone.count + 1, dtype=bool)  # the last one is that of ghosts, numbered -1
        for twin in twins:
            driven[plain[own[twin.second.block][twin.second.slices(own[twin.second.block].shape)]]] = True
        copies = [*_duplicates(plain, driven), *(_moved(own, twin) for twin in twins)]
        copies += _driven_elsewhere(plain, driven, own, twins)
        joints = [*grid.interfaces, *twins]
        joints += [joint.turned() for joint in joints]
        copies += _merged([_beyond(wide, joint, grid.dim) for joint in joints])
        known = node >= 0
        for one in copies:
            node[one.to], known[one.to] = node[one.of], known[one.of]
        copies += _merged(_across_edges(wide, joints, grid.dim, known, node))
        mover = _movers(node, plain, driven)
        moves = mover == np.arange(count)
        outer = np.zeros(int(node.max()) + 1, dtype=bool)
        for window in outer_windows(grid, free_twins=free_twins):
            outer[node[own[window.block][window.slices(own[window.block].shape)]]] = True
        around = _cells_around(own, node, grid.dim)
        regular = around == 2**grid.dim
        for pole in grid.poles:
            regular[node[own[pole.block][part_of(pole.ends)]]] = False
        return Ghosted(
            grid.dim,
            own,
            strides,
            node,
            mover,
            moves & outer[node],
            around,
            moves & (regular & ~outer)[node],
            tuple(copies),
        )

    @property
    def count(self) -> int:
        """Number of slots."""
        return len(self.node)

    def taken(self, blocks: tuple[Floats, ...]) -> Floats:
        """Put the nodes (ni, nj, nk, 3) of blocks into slots (n, 3), copies and all."""
        xyz = np.zeros((self.count, 3))
        for slots, block in zip(self.own, blocks, strict=True):
            xyz[slots] = block
        self.renew(xyz)
        return xyz

    def at_nodes(self, values: tuple[Floats, ...]) -> Floats:
        """Put values at the nodes (ni, nj, nk) of blocks into slots (n,), 0 at ghosts."""
        found = np.zeros(self.count)
        for slots, one in zip(self.own, values, strict=True):
            found[slots] = one
        return found

    def given(self, xyz: Floats) -> tuple[Floats, ...]:
        """Give the nodes (ni, nj, nk, 3) of each block."""
        return tuple(xyz[slots] for slots in self.own)

    def renew(self, xyz: Floats) -> None:
        """Make the copies anew, in place."""
        for one in self.copies:
            if one.move is None:
                kernels.copy(xyz, one.to, one.of)
            else:
                xyz[one.to] = one.move.places(xyz[one.of])

    def renew_moves(self, moves: Floats) -> None:
        """Make the copies of moves (n, 3) anew, in place."""
        for one in self.copies:
            moves[one.to] = moves[one.of] if one.move is None else one.move.vectors(moves[one.of])

    def take_back(self, gradient: Floats) -> None:
        """Bring a gradient (n, 3) by all slots to those that `renew` copies from, in place."""
        for one in reversed(self.copies):
            if one.move is None:
                kernels.copy_back(gradient, one.to, one.of)
            else:
                np.add.at(gradient, one.of, one.move.scale * gradient[one.to] @ one.move.matrix)
                gradient[one.to] = 0.0

    def alike(self, marked: Bools) -> Bools:
        """Give the slots (n,) of all nodes that have a marked one; none of those beyond which nothing is."""
        flags = np.zeros(int(self.node.max()) + 2, dtype=bool)  # the last one is that of no node
        flags[self.node[marked]] = True
        flags[-1] = False
        return flags[self.node]

    def spread(self, values: npt.NDArray[np.generic]) -> None:
        """Make the copies of values (n, ...) that do not turn with a move, in place."""
        for one in self.copies:
            values[one.to] = values[one.of]


def _laid_out(
    shapes: list[tuple[int, ...]], dim: int
) -> tuple[list[Slots], tuple[Slots, ...], tuple[tuple[int, int, int], ...]]:
    """Give the slots of each block with its ghosts, without them, and its strides."""
    wide, own, strides, start = [], [], [], 0
    for ni, nj, nk in shapes:
        shape = (ni + 2, nj + 2, nk + 2 if dim == 3 else nk)
        size = int(np.prod(shape))
        block = np.arange(start, start + size, dtype=np.int32).reshape(shape)
        wide.append(block)
        own.append(block[(slice(1, -1),) * dim])
        strides.append((shape[1] * shape[2], shape[2], 1))
        start += size
    return wide, tuple(own), tuple(strides)


def _spread(numbering: Numbering, own: tuple[Slots, ...], count: int) -> Slots:
    found = np.full(count, -1, dtype=np.int32)
    for slots, ids in zip(own, numbering.ids, strict=True):
        found[slots] = ids
    return found


def _merged(copies: list[Copies]) -> list[Copies]:
    """Make one of all copies that are moved alike, of some that need no other's outcome."""
    groups: list[list[Copies]] = []
    for one in copies:
        alike = next((group for group in groups if _is_alike(group[0].move, one.move)), None)
        if alike is None:
            groups.append([one])
        else:
            alike.append(one)
    return [
        Copies(np.concatenate([c.to for c in group]), np.concatenate([c.of for c in group]), group[0].move)
        for group in groups
    ]


def _is_alike(one: Move | None, other: Move | None) -> bool:
    if one is None or other is None:
        return one is other
    same = np.array_equal(one.matrix, other.matrix) and np.array_equal(one.shift, other.shift)
    return same and one.scale == other.scale


def _duplicates(plain: Slots, driven: Bools) -> list[Copies]:
    """Let all slots of a node be copies of its first one, but for driven nodes."""
    (slots,) = np.nonzero((plain >= 0) & ~driven[plain])
    first = np.zeros(len(driven), dtype=np.int32)
    first[plain[slots[::-1]]] = slots[::-1]
    of = first[plain[slots]]
    apart = of != slots
    return [Copies(slots[apart].astype(np.int32), of[apart])]


def _moved(own: tuple[Slots, ...], twin: Interface) -> Copies:
    ours, theirs = _facing(own, twin)
    return Copies(theirs.ravel(), ours.ravel(), twin.move)


def _driven_elsewhere(
    plain: Slots, driven: Bools, own: tuple[Slots, ...], twins: tuple[Interface, ...]
) -> list[Copies]:
    """Give driven nodes to blocks that hold them but have no driven side there."""
    if not twins:
        return []
    at_side = np.zeros(len(plain), dtype=bool)
    source = np.zeros(len(driven), dtype=np.int32)
    for twin in twins:
        slots = own[twin.second.block][twin.second.slices(own[twin.second.block].shape)].ravel()
        at_side[slots] = True
        source[plain[slots]] = slots
    (rest,) = np.nonzero((plain >= 0) & driven[plain] & ~at_side)
    return [Copies(rest.astype(np.int32), source[plain[rest]])]


def _facing(own: tuple[Slots, ...], joint: Interface) -> tuple[Slots, Slots]:
    """Give the slots of both sides of a joint, in the order of the first's."""
    one, other = own[joint.first.block], own[joint.second.block]
    theirs = joint.orientation.apply(other[joint.second.slices(other.shape)])
    return one[joint.first.slices(one.shape)], theirs


def _layer(wide: Slots, window: Window, inward: int, dim: int, *, rim: bool) -> Slots:
    """Give a layer of a block's slots ``inward`` of a side: -1 are its ghosts; with the ``rim`` of ghosts."""
    at = 1 + inward
    part = [slice(None) if rim else slice(1, -1)] * dim
    n = wide.shape[window.axis]
    part[window.axis] = slice(n - 1 - at, n - at) if window.end else slice(at, at + 1)
    return wide[tuple(part)]


def _beyond(wide: list[Slots], joint: Interface, dim: int, *, rim: bool = False) -> Copies:
    """Let the ghosts beyond the first side of a joint be what lies behind its second."""
    ghosts = _layer(wide[joint.first.block], joint.first, -1, dim, rim=rim)
    behind = joint.orientation.apply(_layer(wide[joint.second.block], joint.second, 1, dim, rim=rim))
    back = None if joint.move is None else joint.move.inverse()
    return Copies(ghosts.ravel(), behind.ravel(), back)


def _across_edges(
    wide: list[Slots], joints: list[Interface], dim: int, known: Bools, node: Slots
) -> list[Copies]:
    """Let ghosts beyond the edges of blocks be the ghosts of the blocks beside them, where these have any."""
    found = []
    for joint in joints:
        whole = _beyond(wide, joint, dim, rim=True)
        new = ~known[whole.to] & known[whole.of]
        to, of = whole.to[new], whole.of[new]
        found.append(Copies(to, of, whole.move))
        node[to] = node[of]
    # What is known through one joint is no source for another: only blocks around one edge are asked.
    return found


def _movers(node: Slots, plain: Slots, driven: Bools) -> Slots:
    """Choose the first slot of every node that is not a driven one of it, for all slots at that place."""
    (slots,) = np.nonzero((plain >= 0) & ~driven[plain])
    first = np.full(int(node.max()) + 1, -1, dtype=np.int32)
    first[node[slots[::-1]]] = slots[::-1]
    found = np.full(len(node), -1, dtype=np.int32)
    ahead = first[node[slots]]
    found[slots] = np.where(plain[ahead] == plain[slots], ahead, -1)
    return found


def outer_windows(grid: Grid, *, free_twins: bool) -> list[Window]:
    """Give the sides where the grid ends; twin sides among them unless they are free."""
    free = {w for twin in grid.periodic for w in (twin.first, twin.second)} if free_twins else set()
    windows = (*(w for patch in grid.patches for w in patch.windows), *grid.unnamed)
    return [window for window in windows if window not in free]


def _cells_around(own: tuple[Slots, ...], node: Slots, dim: int) -> Slots:
    """Count the cells that have each node as a corner."""
    found = np.zeros(int(node.max()) + 1, dtype=np.int32)
    for slots in own:
        around = np.full(slots.shape, 2**dim, dtype=np.int64)
        for axis in range(dim):
            for end in (0, -1):
                np.moveaxis(around, axis, 0)[end] //= 2
        found += np.bincount(node[slots].ravel(), around.ravel(), minlength=len(found)).astype(np.int32)
    return found

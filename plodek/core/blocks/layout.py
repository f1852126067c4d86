"""The layout: corners and blocks. Edges and sides are derived, so every operation rewrites corner tuples."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal, TypeAlias

import numpy as np

from plodek.core.arrays import Floats, Place
from plodek.core.blocks import tables
from plodek.core.errors import Refused

#: An edge is the sorted pair of its corners' ids; a side the sorted ids of its corners.
Edge: TypeAlias = tuple[str, str]
Side: TypeAlias = tuple[str, ...]


def edge_of(a: str, b: str) -> Edge:
    """Give the edge between two corners, in either order."""
    return (a, b) if a < b else (b, a)


def stable_id(*origin: str) -> str:
    """Make an id from what an entity was made of: never a running number, so other steps leave it alone."""
    return hashlib.blake2s("/".join(origin).encode(), digest_size=5).hexdigest()


@dataclass(frozen=True)
class Corner:
    """A block vertex; ``xyz`` is its place now.

    ``sign`` tells what holds it there: nothing, a pin, or a ``guide`` curve at ``fraction``.
    """

    xyz: Place
    sign: Literal["free", "pinned", "guide"] = "free"
    guide: str | None = None
    fraction: float | None = None


@dataclass(frozen=True)
class Block:
    """A block: 4 or 8 corner ids in logical order (`tables`), and whether it is hollow."""

    corners: tuple[str, ...]
    hollow: bool = False


@dataclass(frozen=True)
class Follow:
    """An edge runs along ``guide``; ``forward`` where fractions rise from its first corner to its second."""

    guide: str
    forward: bool


@dataclass(frozen=True)
class Use:
    """One block's use of a side: which block, and as which of its sides."""

    block: str
    axis: int
    end: int


@dataclass(frozen=True)
class Layout:
    """Corners, blocks and what their edges follow. Immutable: operations return a new layout."""

    dim: int
    corners: Mapping[str, Corner] = field(default_factory=dict)
    blocks: Mapping[str, Block] = field(default_factory=dict)
    follows: Mapping[Edge, Follow] = field(default_factory=dict)

    @cached_property
    def edges(self) -> dict[Edge, list[tuple[str, int]]]:
        """All edges, each with the (block, axis) pairs that use it."""
        found: dict[Edge, list[tuple[str, int]]] = {}
        for name, block in self.blocks.items():
            for axis, low, high in tables.edges(self.dim):
                edge = edge_of(block.corners[low], block.corners[high])
                found.setdefault(edge, []).append((name, axis))
        return found

    @cached_property
    def sides(self) -> dict[Side, list[Use]]:
        """All sides, each with the one or two blocks that use it, hollow ones included."""
        found: dict[Side, list[Use]] = {}
        for name, block in self.blocks.items():
            for axis, end, corners in tables.sides(self.dim):
                side = tuple(sorted(block.corners[n] for n in corners))
                found.setdefault(side, []).append(Use(name, axis, end))
        return found

    @cached_property
    def outer(self) -> dict[Side, Use]:
        """The sides that bound the flow domain, each with the one filled block behind it."""
        bound = {}
        for side, uses in self.sides.items():
            filled = [use for use in uses if not self.blocks[use.block].hollow]
            if len(filled) == 1:
                bound[side] = filled[0]
        return bound

    @cached_property
    def filled(self) -> list[str]:
        """Ids of the blocks that are not hollow, in order."""
        return [name for name, block in self.blocks.items() if not block.hollow]

    @cached_property
    def filled_edges(self) -> list[Edge]:
        """The edges that filled blocks use, in order."""
        return [e for e, uses in self.edges.items() if any(not self.blocks[b].hollow for b, _ in uses)]

    @cached_property
    def labels(self) -> dict[str, str]:
        """Friendly labels for the screen: blocks B1, B2 …, corners c1, c2 …; never used in a recipe."""
        blocks = {name: f"B{n}" for n, name in enumerate(self.blocks, 1)}
        return blocks | {name: f"c{n}" for n, name in enumerate(self.corners, 1)}

    def places(self, ids: Iterable[str]) -> Floats:
        """Give the places (n, 3) of corners."""
        return np.array([self.corners[c].xyz for c in ids], dtype=float)

    def centre(self, block: str) -> Floats:
        """Give the mean place (3,) of a block's corners."""
        return np.asarray(self.places(self.blocks[block].corners).mean(axis=0))

    def size(self) -> float:
        """Give the length of the diagonal of the layout's extent."""
        if not self.corners:
            return 0.0
        places = self.places(self.corners)
        return float(np.linalg.norm(np.ptp(places, axis=0)))

    def with_hollow(self, names: Iterable[str], hollow: bool) -> Layout:
        """Take blocks out of the flow domain, or bring them back.

        Raises Refused where no filled block would be left.
        """
        chosen = set(names)
        blocks = {
            name: replace(block, hollow=hollow) if name in chosen else block
            for name, block in self.blocks.items()
        }
        if all(block.hollow for block in blocks.values()):
            raise Refused("no block would be left", remedy="leave at least one block filled")
        return replace(self, blocks=blocks)

    def tidied(self) -> Layout:
        """Drop corners and follows that no block uses any more."""
        used = {c for block in self.blocks.values() for c in block.corners}
        corners = {c: corner for c, corner in self.corners.items() if c in used}
        slim = replace(self, corners=corners)
        return replace(slim, follows={e: f for e, f in self.follows.items() if e in slim.edges})

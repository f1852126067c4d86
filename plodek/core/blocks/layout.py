"""The layout: corners and blocks. Edges and sides are derived, so every operation rewrites corner tuples."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal, TypeAlias, TypeVar

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats, Place
from plodek.core.blocks import tables
from plodek.core.blocks.moulds.mould import Mould
from plodek.core.errors import Refused
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.move import Move

#: The region that blocks belong to where no other is named.
FLUID = "fluid"
#: An edge is the sorted pair of its corners' ids; a side the sorted ids of its corners.
Edge: TypeAlias = tuple[str, str]
Side: TypeAlias = tuple[str, ...]
#: What a name that was divided stands for afterwards: an edge, a side or a block.
Name: TypeAlias = Edge | Side | str
T = TypeVar("T", str, Edge)


def side_of(*corners: str) -> Side:
    """Give the side of corners in any order; a collapsed edge's corner stands in it twice."""
    return tuple(sorted(corners))


def edge_of(a: str, b: str) -> Edge:
    """Give the edge between two corners, in either order."""
    return (a, b) if a < b else (b, a)


def stable_id(*origin: str) -> str:
    """Make an id from what an entity was made of: never a running number, so other steps leave it alone."""
    return hashlib.blake2s("/".join(origin).encode(), digest_size=5).hexdigest()


def _in_the_end(driven: Iterable[tuple[T, T, Move]]) -> dict[T, tuple[T, Move]]:
    """Follow what is driven, by what and with which move, up to what nothing drives."""
    first: dict[T, tuple[T, Move]] = {}
    for name, source, move in driven:
        if name != source:
            first.setdefault(name, (source, move))
    found = {}
    for name, (source, move) in first.items():
        passed = {name}
        while source in first and source not in passed:
            passed.add(source)
            source, before = first[source]
            move = before.then(move)
        found[name] = source, move
    return found


@dataclass(frozen=True)
class Corner:
    """A block vertex; ``xyz`` is its place now.

    ``sign`` tells what holds it there: nothing, a pin, or a ``guide``: a curve at ``fraction``, or a
    surface.
    """

    xyz: Place
    sign: Literal["free", "pinned", "guide"] = "free"
    guide: str | None = None
    fraction: float | None = None


@dataclass(frozen=True)
class Block:
    """A block: 4 or 8 corner ids in logical order (`tables`), whether it is hollow, and its region.

    Where an edge has shrunk to a point (a pole, a wedge), its corner stands twice. Hollow is no region:
    the name only counts while the block is filled.
    """

    corners: tuple[str, ...]
    hollow: bool = False
    region: str = FLUID


@dataclass(frozen=True)
class Follow:
    """An edge runs along ``guide``; ``forward`` where fractions rise from its first corner to its second.

    On a guide surface the edge is its bend, or the straight line, put onto it; ``forward`` says nothing.
    """

    guide: str
    forward: bool


@dataclass(frozen=True)
class Twin:
    """Point-matched parts of the boundary: driving ``sides``, each with the corners of the one it drives.

    They stand in the order of the driving side's own: the first drives the first. A driven side is the
    driving one after ``move``. Which corners and edges drive others follows from the sides alone.
    """

    name: str
    move: Move
    sides: Mapping[Side, tuple[str, ...]]

    @cached_property
    def corners(self) -> dict[str, str]:
        """The corners of driving sides, each with the one that it drives."""
        return {a: b for side, image in self.sides.items() for a, b in zip(side, image, strict=True)}

    def renamed(self, names: Mapping[str, str]) -> Twin:
        """Let corners become others."""
        pairs = {names.get(a, a): names.get(b, b) for a, b in self.corners.items()}
        sides = (side_of(*(names.get(c, c) for c in side)) for side in self.sides)
        return replace(self, sides={side: tuple(pairs[c] for c in side) for side in sides})


@dataclass(frozen=True)
class Use:
    """One block's use of a side: which block, and as which of its sides."""

    block: str
    axis: int
    end: int


#: What is derived from the blocks of a layout alone.
_OF_BLOCKS = ("edges", "sides", "outer", "borders", "filled", "filled_edges", "regions")


@dataclass(frozen=True)
class Layout:
    """Corners, blocks and what their edges and sides follow. Immutable: operations return a new layout.

    ``bends`` are curves of edges of their own, from the first corner to the second; ``lies`` names the
    guide surface that a side lies on; ``twins`` are the point-matched sides; ``moulds`` the received nodes
    that sides in space and blocks have their shape from.
    """

    dim: int
    corners: Mapping[str, Corner] = field(default_factory=dict)
    blocks: Mapping[str, Block] = field(default_factory=dict)
    follows: Mapping[Edge, Follow] = field(default_factory=dict)
    bends: Mapping[Edge, Curve] = field(default_factory=dict)
    lies: Mapping[Side, str] = field(default_factory=dict)
    twins: tuple[Twin, ...] = ()
    moulds: Mapping[Name, Mould] = field(default_factory=dict)

    @cached_property
    def edges(self) -> dict[Edge, list[tuple[str, int]]]:
        """All edges, each with the (block, axis) pairs that use it; those shrunk to a point are none."""
        found: dict[Edge, list[tuple[str, int]]] = {}
        for name, block in self.blocks.items():
            corners = block.corners
            for axis, low, high in tables.edges(self.dim):
                a, b = corners[low], corners[high]
                if a != b:
                    found.setdefault((a, b) if a < b else (b, a), []).append((name, axis))
        return found

    @cached_property
    def sides(self) -> dict[Side, list[Use]]:
        """All sides, each with the one or two blocks that use it, hollow ones included.

        Sides that have shrunk to an edge or a point are none.
        """
        found: dict[Side, list[Use]] = {}
        for name, block in self.blocks.items():
            for axis, end, corners in tables.sides(self.dim):
                side = tuple(sorted([block.corners[n] for n in corners]))
                if len(set(side)) >= self.dim:
                    found.setdefault(side, []).append(Use(name, axis, end))
        return found

    def ordered(self, side: Side) -> tuple[str, ...]:
        """Give the corners of a side in its first block's order: along its lower axis first."""
        use = self.sides[side][0]
        corners = self.blocks[use.block].corners
        return tuple(corners[n] for n in tables.side_corners(self.dim, use.axis, use.end))

    def sides_of(self, block: str) -> list[Side]:
        """Give the sides of a block, those that have shrunk left out."""
        corners = self.blocks[block].corners
        found = [tuple(sorted([corners[n] for n in ns])) for _, _, ns in tables.sides(self.dim)]
        return [side for side in found if len(set(side)) >= self.dim]

    def edges_of(self, block: str) -> list[Edge]:
        """Give the edges of a block, those that have shrunk left out."""
        corners = self.blocks[block].corners
        ways = ((corners[a], corners[b]) for _, a, b in tables.edges(self.dim))
        return [edge_of(a, b) for a, b in ways if a != b]

    def rim_of(self, side: Side) -> list[Edge]:
        """Give the edges around a side in space; the side itself in the plane."""
        if self.dim == 2:
            return [edge_of(*side)]
        a, b, c, d = self.ordered(side)
        return [edge_of(p, q) for p, q in ((a, b), (b, d), (d, c), (c, a)) if p != q]

    @cached_property
    def surfaces_of(self) -> dict[Edge | str, tuple[str, ...]]:
        """The guide surfaces that the sides at each edge and corner lie on, where there are any."""
        found: dict[Edge | str, dict[str, None]] = {}
        for side, guide in self.lies.items():
            parts: list[Edge | str] = [*side, *self.rim_of(side)] if side in self.sides else []
            for part in parts:
                found.setdefault(part, {})[guide] = None
        return {part: tuple(guides) for part, guides in found.items()}

    @cached_property
    def at_corner(self) -> dict[str, list[str]]:
        """The blocks that meet in each corner."""
        found: dict[str, list[str]] = {c: [] for c in self.corners}
        for name, block in self.blocks.items():
            for corner in dict.fromkeys(block.corners):
                found[corner].append(name)
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
    def paired(self) -> set[Side]:
        """The outer sides that are matched with twins."""
        return {side for _, *both in self.twin_sides for side in both}

    @cached_property
    def twin_sides(self) -> list[tuple[Twin, Side, Side]]:
        """The outer sides that drive others, with their twins and the sides driven."""
        pairs = ((twin, side, side_of(*image)) for twin in self.twins for side, image in twin.sides.items())
        return [(twin, a, b) for twin, a, b in pairs if a in self.outer and b in self.outer]

    @cached_property
    def twin_edges(self) -> list[tuple[Twin, Edge, Edge]]:
        """The edges around driving sides that others are driven by, with their twins and the edges driven."""
        found: dict[tuple[str, Edge], tuple[Twin, Edge, Edge]] = {}
        for twin, side, _ in self.twin_sides:
            for a, b in self.rim_of(side):
                found[twin.name, (a, b)] = twin, (a, b), edge_of(twin.corners[a], twin.corners[b])
        return list(found.values())

    @cached_property
    def driven_corners(self) -> dict[str, tuple[str, Move]]:
        """The corners that twins drive, with what drives each in the end, and the move from there."""
        return _in_the_end((b, a, twin.move) for twin in self.twins for a, b in twin.corners.items())

    @cached_property
    def driven_edges(self) -> dict[Edge, tuple[Edge, Move]]:
        """The edges that twins drive, with what drives each in the end, and the move from there."""
        return _in_the_end((b, a, twin.move) for twin, a, b in self.twin_edges)

    @cached_property
    def borders(self) -> dict[Side, tuple[str, str]]:
        """The sides between blocks of two regions, with the names of both."""
        found = {}
        for side, uses in self.sides.items():
            if len(uses) == 2:
                one, other = (self.blocks[use.block] for use in uses)
                if not one.hollow and not other.hollow and one.region != other.region:
                    found[side] = one.region, other.region
        return found

    @cached_property
    def regions(self) -> dict[str, list[str]]:
        """The filled blocks of each region, in order."""
        found: dict[str, list[str]] = {}
        for name in self.filled:
            found.setdefault(self.blocks[name].region, []).append(name)
        return found

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

    def label(self, entity: Name) -> str:
        """Give the friendly label of a block, corner, edge or side."""
        if isinstance(entity, str):
            return self.labels.get(entity, entity)
        return "–".join(self.labels.get(corner, corner) for corner in entity)

    def places(self, ids: Iterable[str]) -> Floats:
        """Give the places (n, 3) of corners."""
        return np.array([self.corners[c].xyz for c in ids], dtype=float)

    @cached_property
    def centres(self) -> Floats:
        """The mean places (n, 3) of the corners of all blocks, in order."""
        if not self.blocks:
            return np.empty((0, 3))
        xyz = self.places(c for block in self.blocks.values() for c in block.corners)
        return np.asarray(xyz.reshape(len(self.blocks), -1, 3).mean(axis=1))

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
        """Drop corners, and shapes of edges and sides, that no block uses any more."""
        used = {c for block in self.blocks.values() for c in block.corners}
        slim = replace(
            self,
            corners={c: corner for c, corner in self.corners.items() if c in used},
            follows={e: f for e, f in self.follows.items() if e in self.edges},
            bends={e: b for e, b in self.bends.items() if e in self.edges},
            lies={s: name for s, name in self.lies.items() if s in self.sides},
            moulds={name: mould for name, mould in self.moulds.items() if self._still(name, mould)},
        )
        # What was derived from the blocks, which are the same, need not be derived again.
        slim.__dict__.update({name: self.__dict__[name] for name in _OF_BLOCKS if name in self.__dict__})
        return slim

    def _still(self, name: Name, mould: Mould) -> bool:
        """Whether a side, or a block with the same corners, is still there."""
        if isinstance(name, str):
            return name in self.blocks and self.blocks[name].corners == mould.corners
        return name in self.sides

    def renamed(self, names: Mapping[str, str]) -> Layout:
        """Let corners become others; edges keep their shapes, and turn round where their order does."""

        def there(corner: str) -> str:
            return names.get(corner, corner)

        follows: dict[Edge, Follow] = {}
        for (a, b), follow in self.follows.items():
            if there(a) != there(b):
                same = there(a) < there(b)
                shape = follow if same else replace(follow, forward=not follow.forward)
                follows.setdefault(edge_of(there(a), there(b)), shape)
        bends: dict[Edge, Curve] = {}
        for (a, b), bend in self.bends.items():
            if there(a) != there(b):
                bends.setdefault(
                    edge_of(there(a), there(b)), bend if there(a) < there(b) else Part(bend, 1.0, 0.0)
                )
        return replace(
            self,
            corners={there(c): self.corners[there(c)] for c in self.corners},
            blocks={
                n: replace(b, corners=tuple(there(c) for c in b.corners)) for n, b in self.blocks.items()
            },
            follows=follows,
            bends=bends,
            lies={side_of(*(there(c) for c in s)): name for s, name in self.lies.items()},
            twins=tuple(twin.renamed(names) for twin in self.twins),
            moulds={
                name if isinstance(name, str) else side_of(*(there(c) for c in name)): mould.renamed(names)
                for name, mould in self.moulds.items()
            },
        )

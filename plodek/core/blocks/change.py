"""What an operation did to a layout, so that names and spacing can be carried over."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field

from plodek.core.blocks.layout import Edge, Layout, Name, Side
from plodek.core.shape.surfaces.surface import Surface


@dataclass(frozen=True)
class Share:
    """A new edge carries on the spacing of ``edge``: of its cells those from ``low`` to ``high``, 0 to 1.

    ``same`` where its sorted order runs the way of the old edge's; ``plus`` where it goes on another
    edge's cells too; ``beside`` where it lies beside the old one, which is still there.
    """

    edge: Edge
    low: float = 0.0
    high: float = 1.0
    same: bool = True
    plus: Edge | None = None
    beside: bool = False


@dataclass(frozen=True)
class Change:
    """The new ``layout``; the ``pieces`` that names of before stand for; and where spacing comes from."""

    layout: Layout
    pieces: Mapping[Name, tuple[Name, ...]] = field(default_factory=dict)
    shares: Mapping[Edge, Share] = field(default_factory=dict)
    #: Surfaces that the operation made for sides to lie on, by names that no user gives.
    surfaces: Mapping[str, Surface] = field(default_factory=dict)
    #: Old corners that the operation gave other places: they are put back onto the surfaces of their sides.
    moved: Collection[str] = ()
    #: New corners, each with the old corner or the edge that it came of; in the order they were made.
    origins: Mapping[str, Name] = field(default_factory=dict)


def parts_of(pieces: Mapping[Name, tuple[Name, ...]], name: Name) -> list[Name]:
    """Follow an edge, side or block that was divided down to its pieces; itself where it was not."""
    if name not in pieces:
        return [name]
    return [deep for piece in pieces[name] for deep in (parts_of(pieces, piece) if piece != name else [name])]


def renamed_pieces(before: Layout, names: Mapping[str, str]) -> dict[Name, tuple[Name, ...]]:
    """Give the pieces where corners became others: each edge and side stands for one of the new corners."""

    def there(entity: Edge | Side) -> tuple[str, ...]:
        return tuple(sorted(names.get(c, c) for c in entity))

    entities: Iterable[Edge | Side] = [*before.edges, *before.sides]
    return {e: (there(e),) for e in entities if any(c in names for c in e)}

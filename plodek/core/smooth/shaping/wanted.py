"""The sizes that cells want: those that they have, where these do not jump along their lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Bools, Floats, Ints
from plodek.core.smooth.ghosted import Ghosted, Slots
from plodek.core.smooth.rows import Scheme

#: A cell wants to be at least this share of the mean of those beside it: folded fills have tiny ones.
LEAST = 0.25
#: Sizes are evened out so many times, which reaches about as far as the root of it.
EVENED = 40
#: All but the last, all but the first.
_BOTH = (slice(-1), slice(1, None))


@dataclass(frozen=True)
class Lines:
    """The edges of cells, e of them with their ``lengths`` (e,), and how they follow each other along lines.

    ``edges`` are their numbers by piece and axis, as the nodes lie but one less along it. Edge ``one`` (p,)
    is followed by ``other`` (p,), at either end; at one of the ``ends`` (e,) nothing follows.
    """

    scheme: Scheme
    edges: Sequence[Sequence[Ints]]
    lengths: Floats
    one: Ints
    other: Ints
    ends: Bools

    @staticmethod
    def of(ghosted: Ghosted, scheme: Scheme, xyz: Floats) -> Lines:
        """Take the edges between nodes in slots (n, 3); those of twins are one where these are free."""
        node = ghosted.node.astype(np.int64)
        count = int(node.max()) + 1

        def key(a: Slots, b: Slots) -> Ints:
            """Tell edges apart by their nodes; -1 where there is none."""
            low, high = np.minimum(node[a], node[b]), np.maximum(node[a], node[b])
            return np.where((low >= 0) & (low != high), low * count + high, -1)

        keys, beyond, lengths = [], [], []
        for slots, strides in scheme.pieces:
            for axis, stride in enumerate(strides):
                low, high = (np.moveaxis(slots, axis, 0)[part] for part in _BOTH)
                keys.append(np.moveaxis(key(low, high), 0, axis))
                lengths.append(np.moveaxis(np.linalg.norm(xyz[high] - xyz[low], axis=-1), 0, axis))
                both = key(low - np.int32(stride), low), key(high, high + np.int32(stride))
                beyond.append([np.moveaxis(each, 0, axis) for each in both])
        known, number = np.unique(np.concatenate([each.ravel() for each in keys]), return_inverse=True)
        cuts = np.cumsum([each.size for each in keys])[:-1]
        edges = [own.reshape(each.shape) for own, each in zip(np.split(number, cuts), keys, strict=True)]
        length, ends = np.zeros(len(known)), known < 0
        ones, others = [], []
        for own, sides, sizes in zip(edges, beyond, lengths, strict=True):
            length[own] = sizes
            for follows in sides:
                at = np.minimum(np.searchsorted(known, follows), len(known) - 1)
                there = (known[at] == follows) & (follows >= 0) & (known[own] >= 0)
                ends[own[~there]] = True
                ones.append(own[there])
                others.append(at[there])
        axes = scheme.axes
        by_piece = [edges[n : n + axes] for n in range(0, len(edges), axes)]
        return Lines(scheme, by_piece, length, np.concatenate(ones), np.concatenate(others), ends)

    def evened(self) -> Floats:
        """Give the lengths (e,) without jumps: steady growth stays, and so do first and last edges."""
        found = np.log(np.maximum(self.lengths, 1e-300))
        follow = np.maximum(np.bincount(self.one, minlength=len(found)), 1)
        for _ in range(EVENED):
            beside = np.bincount(self.one, found[self.other], minlength=len(found)) / follow
            found = np.where(self.ends, found, 0.5 * (found + beside))
        return np.exp(found)

    def jumps(self) -> Floats:
        """Give, by edge (e,), how many times longer or shorter the next one is, at most."""
        ratio = self.lengths[self.one] / np.maximum(self.lengths[self.other], 1e-300)
        found = np.ones(len(self.lengths))
        np.maximum.at(found, self.one, np.maximum(ratio, 1.0 / np.maximum(ratio, 1e-300)))
        return found

    def at_edges(self, chosen: Bools, slots: int) -> Bools:
        """Say which of so many slots are ends of chosen edges (e,)."""
        found = np.zeros(slots, dtype=bool)
        for (own, _), edges in zip(self.scheme.pieces, self.edges, strict=True):
            for axis, numbers in enumerate(edges):
                here = chosen[numbers]
                for part in _BOTH:
                    ends = np.moveaxis(np.moveaxis(own, axis, 0)[part], 0, axis)
                    found[ends[here]] = True
        return found

    def sizes(self, lengths: Floats, slots: int) -> Floats:
        """Give the sizes (slots, 3) of cells at their first slots: the means of their edges' lengths (e,).

        They are in the order of the steps that `Scheme.cells_at` gives.
        """
        found = np.ones((slots, 3))
        for (own, _), edges in zip(self.scheme.pieces, self.edges, strict=True):
            for axis, numbers in enumerate(edges):
                size, others = lengths[numbers], tuple(a for a in range(len(edges)) if a != axis)
                for other in others:
                    low, high = (np.moveaxis(size, other, 0)[part] for part in _BOTH)
                    size = np.moveaxis(0.5 * (low + high), 0, other)
                size = np.maximum(size, LEAST * size.mean(axis=others, keepdims=True))
                column = axis if len(edges) == 3 else 1 - axis
                found[own[(slice(-1),) * len(edges)], column] = np.where(size > 0, size, 1.0)
        return found

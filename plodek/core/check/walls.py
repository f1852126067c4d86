"""What is told of the walls of a grid: how well they lie on their guides, and their first heights.

A misfit is the distance of a node from its guide. What the middle of a face is further off than its nodes
is the sag of a chord: it falls with the square of the cell size, and finer cells cure it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.check.creases import Crease, corner_under, crease_under
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface

#: A first height this near to the wanted one, as a share of it, counts as held.
HELD = 0.05


#: Nodes within this share of the domain's size of a guide lie on it.
_ON = 1e-9


@dataclass(frozen=True)
class GuideFit:
    """The distances of sides from one guide, in the project's unit, and the node that is furthest off it.

    ``size`` is that of the domain; ``crease`` the worst break of the guide under a side; ``sag_share`` the
    largest sag over the length of its face or edge. A misfit within the tolerance that the
    guide was ``sewn`` with is none.
    """

    guide: str
    sides: int
    misfit: float
    mean_misfit: float
    sag: float
    mean_sag: float
    at: Place
    size: float
    crease: Crease | None = None
    sag_share: float = 0.0
    sewn: float = 0.0

    @property
    def share(self) -> float:
        """The misfit, beyond what sewing leaves, as a share of the size of the domain."""
        return max(self.misfit - self.sewn, 0.0) / self.size if self.size > 0 else 0.0


@dataclass(frozen=True)
class WallHeights:
    """The first heights over a wall, normal to it, in the project's unit.

    ``wanted`` is what its edges have, None where no layers were laid; ``held`` the share of nodes near to it.
    """

    wall: str
    nodes: int
    wanted: float | None
    smallest: float
    median: float
    largest: float
    held: float | None


def wall_heights(wall: str, heights: Floats, wanted: float | None) -> WallHeights:
    """Sum up the first heights (n,) over a wall."""
    near = None if wanted is None else float(np.mean(np.abs(heights - wanted) <= HELD * wanted))
    low, middle, high = (float(v) for v in np.quantile(heights, (0.0, 0.5, 1.0)))
    return WallHeights(wall, len(heights), wanted, low, middle, high, near)


@dataclass(frozen=True)
class Walls:
    """What is told of all walls of a grid."""

    fits: tuple[GuideFit, ...] = ()
    heights: tuple[WallHeights, ...] = ()


def guide_fit(
    name: str, sides: Sequence[tuple[Curve | Surface, Floats]], size: float, *, creased: bool = True
) -> GuideFit:
    """Measure sides against guides of one name; nodes are (ni, nj, nk, 3), one of these counts being 1.

    ``size`` is that of the domain, in the project's unit. Creases are looked for where ``creased``.
    """
    off, sag, shares, worst, at = [], [], [0.0], -1.0, np.zeros(3)
    guides = {id(guide): guide for guide, _ in sides}
    creases: list[Crease] = []
    for guide, nodes in sides:
        xyz = nodes.reshape(-1, 3)
        where = guide.nearest(xyz)
        misfit = np.linalg.norm(guide.at(where) - xyz, axis=1)
        # A lift makes a surface of each piece of a curve; smoothing moves nodes from one to the next.
        far = np.nonzero(misfit > _ON * size)[0]
        for other in guides.values() if len(far) else ():
            misfit[far] = np.minimum(misfit[far], _off(other, xyz[far]))
        off.append(misfit)
        if misfit.max() > worst:
            worst, at = float(misfit.max()), xyz[int(misfit.argmax())]
        across = _across(guide, where)
        sag.append(_sags(across, nodes))
        shares.append(float((sag[-1] / _lengths(nodes)).max(initial=0.0)))
        flat = [n for n in nodes.shape[:-1] if n > 1]
        if creased and isinstance(guide, Surface) and len(flat) == 2:
            found = crease_under(guide, xyz.reshape(*flat, 3), across.reshape(*flat, 3))
            creases += [found] if found else []
        elif creased and isinstance(guide, Curve):
            corner = corner_under(guide, where)
            creases += [corner] if corner else []
    all_off, all_sag = np.concatenate(off), np.concatenate(sag)
    return GuideFit(
        name,
        len(sides),
        worst,
        float(all_off.mean()),
        float(all_sag.max(initial=0.0)),
        float(all_sag.mean()) if len(all_sag) else 0.0,
        place(at),
        size,
        max(creases, key=lambda crease: crease.degrees, default=None),
        max(shares),
        max((guide.sewn for guide, _ in sides if isinstance(guide, Surface)), default=0.0),
    )


def _lengths(nodes: Floats) -> Floats:
    """Give the longest diagonal (n,) of each face of a side, or the length of each piece of an edge."""
    parts = np.squeeze(nodes, axis=tuple(axis for axis, n in enumerate(nodes.shape[:-1]) if n == 1))
    if parts.ndim == 2:
        return np.asarray(np.maximum(np.linalg.norm(np.diff(parts, axis=0), axis=1), 1e-300))
    ways = parts[1:, 1:] - parts[:-1, :-1], parts[1:, :-1] - parts[:-1, 1:]
    longest = np.max([np.linalg.norm(way, axis=-1) for way in ways], axis=0)
    return np.asarray(np.maximum(longest.ravel(), 1e-300))


def _off(guide: Curve | Surface, xyz: Floats) -> Floats:
    """Give how far places (n, 3) are off a guide."""
    return np.asarray(np.linalg.norm(guide.at(guide.nearest(xyz)) - xyz, axis=1))


def _across(guide: Curve | Surface, where: Floats) -> Floats:
    """Give the unit normals (n, 3) of a guide at its parameters; of a curve, in the plane."""
    if isinstance(guide, Surface):
        return guide.normal(where)
    along = guide.tangent(where)
    return np.stack([along[:, 1], -along[:, 0], np.zeros(len(along))], axis=1)


def _sags(across: Floats, nodes: Floats) -> Floats:
    """Give how far the middles of faces (n,), or of the pieces of an edge, are off a guide.

    ``across`` are its normals at the nodes.

    At a corner of a face the middle stands off the tangent plane by twice the sag, to second order: with the
    corners at ±a and ±b along the principal directions it is (κ₁a² + κ₂b²)/2 and twice that (elementary
    differential geometry). The least over the corners counts: on a sharp line some normals are those of the
    other side. So no closest places of the middles are sought, which takes long far off a surface.
    """
    level = np.einsum("nk,nk->n", across, nodes.reshape(-1, 3)).reshape(nodes.shape[:-1])
    normals = across.reshape(nodes.shape)
    middle = nodes
    corners: list[tuple[slice, ...]] = [()]
    for axis in range(nodes.ndim - 1):
        ends = [slice(None)]
        if nodes.shape[axis] > 1:
            low, high = (np.take(middle, np.arange(middle.shape[axis] - 1) + n, axis) for n in (0, 1))
            middle, ends = 0.5 * (low + high), [slice(None, -1), slice(1, None)]
        corners = [(*before, end) for before in corners for end in ends]
    off = [np.abs(np.einsum("...k,...k->...", middle, normals[at]) - level[at]) for at in corners]
    return np.asarray(np.min(off, axis=0).ravel() / 2)

"""How well the sides of a grid lie on their guides: misfit of nodes, and sag of the faces between them.

A misfit is the distance of a node from its guide. What the middle of a face is further off than its nodes
is the sag of a chord: it falls with the square of the cell size, and finer cells cure it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from plodek.core.arrays import Floats, Place, place
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface


@dataclass(frozen=True)
class GuideFit:
    """The distances of sides from one guide, in the project's unit, and the node that is furthest off it.

    ``size`` is that of the domain.
    """

    guide: str
    sides: int
    misfit: float
    mean_misfit: float
    sag: float
    mean_sag: float
    at: Place
    size: float

    @property
    def share(self) -> float:
        """The misfit as a share of the size of the domain."""
        return self.misfit / self.size if self.size > 0 else 0.0


def guide_fit(name: str, sides: Sequence[tuple[Curve | Surface, Floats]], size: float) -> GuideFit:
    """Measure sides against guides of one name; nodes are (na, nb, 3), of an edge in the plane (n, 1, 3).

    ``size`` is that of the domain, in the project's unit.
    """
    off, sag, worst, at = [], [], -1.0, np.zeros(3)
    for guide, nodes in sides:
        misfit = _away(guide, nodes.reshape(-1, 3)).reshape(nodes.shape[:-1])
        off.append(misfit.ravel())
        if misfit.max() > worst:
            worst, at = float(misfit.max()), nodes.reshape(-1, 3)[int(misfit.argmax())]
        middles, held = _middles(nodes), _middles(misfit)
        sag.append(np.maximum(_away(guide, middles.reshape(-1, 3)) - held.ravel(), 0.0))
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
    )


def _middles(values: Floats) -> Floats:
    """Give the means of what stands at the corners of faces, or at the ends of the pieces of an edge."""
    for axis in (0, 1):
        if values.shape[axis] > 1:
            low, high = (np.take(values, np.arange(values.shape[axis] - 1) + n, axis) for n in (0, 1))
            values = 0.5 * (low + high)
    return values


def _away(guide: Curve | Surface, xyz: Floats) -> Floats:
    there = guide.onto(xyz) if isinstance(guide, Surface) else guide.at(guide.nearest(xyz))
    return np.asarray(np.linalg.norm(there - xyz, axis=1))

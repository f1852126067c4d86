"""Places that lie on several surfaces at once: where these meet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plodek.core.arrays import Floats, dot
from plodek.core.shape.surfaces.surface import Surface

_STEPS = 24
_STILL = 4e-16
#: Normals closer to each other than this sine count as one: surfaces that go on from each other smoothly.
_ALIKE = 1e-4
#: A place counts as on all surfaces that is nearer to them than it was by this factor, or is so but for
#: round-off, in shares of its coordinates.
_NEARER, _ROUND_OFF = 1e-6, 1e-13


def onto_all(surfaces: Sequence[Surface], xyz: Floats) -> Floats:
    """Put places (n, 3) onto one surface, to the nearest places, or onto several, near by where they meet.

    The shortest Newton steps onto the tangent planes at the nearest places of all. Places from where these
    lead to no common place go to the nearest one on the first surface.
    """
    first = surfaces[0].onto(xyz)
    if len(surfaces) == 1:
        return first
    place = first.copy()
    scale = float(np.abs(xyz).max(initial=0.0)) + 1e-300
    before = np.full(len(xyz), np.nan)
    for _ in range(_STEPS):
        planes, gaps = [], []
        for surface in surfaces:
            uv = surface.nearest(place)
            planes.append(surface.normal(uv))
            gaps.append(surface.at(uv) - place)
        away = np.max([np.linalg.norm(gap, axis=1) for gap in gaps], axis=0)
        before = np.where(np.isnan(before), away, before)
        towards = np.stack([dot(gap, plane) for gap, plane in zip(gaps, planes, strict=True)], axis=1)
        inverse = np.linalg.pinv(np.stack(planes, axis=1), rcond=_ALIKE)
        step = np.einsum("nij,nj->ni", inverse, towards)
        if np.abs(step).max(initial=0.0) <= _STILL * scale:
            break
        place = place + step
    met = away <= np.maximum(_NEARER * before, _ROUND_OFF * scale)
    return np.asarray(np.where(met[:, None], place, first))

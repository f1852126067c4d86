"""Several surfaces taken together: what lies on them lies on the nearest of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from propcache.api import cached_property

from plodek.core.arrays import Floats
from plodek.core.shape.surfaces.carrier import carrier_of
from plodek.core.shape.surfaces.surface import Border, Facets, Surface
from plodek.core.shape.surfaces.trimmed_face import TrimmedFace

#: Parameters of a triangulated surface are three; others leave the last one 0.
_PARAMETERS = 3


class Together(Surface):
    """Surfaces as one; parameters (n, 4) are which surface, and those on it."""

    kind = "several"

    def __init__(self, surfaces: Sequence[Surface]) -> None:
        self.surfaces = tuple(surfaces)

    def at(self, uv: Floats) -> Floats:
        """Give the places (n, 3) at the parameters ``uv`` (n, 4)."""
        return self._gathered(uv, "at")

    def normal(self, uv: Floats) -> Floats:
        """Give the unit normals (n, 3) at the parameters ``uv`` (n, 4)."""
        return self._gathered(uv, "normal")

    def _gathered(self, uv: Floats, what: str) -> Floats:
        found = np.empty((len(uv), 3))
        for n, surface in enumerate(self.surfaces):
            here = uv[:, 0] == n
            if np.any(here):
                own = uv[here, 1:4] if surface.kind == "triangulated" else uv[here, 1:3]
                found[here] = getattr(surface, what)(np.ascontiguousarray(own))
        return found

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 4) of the nearest places, over all surfaces."""
        best = np.full(len(xyz), np.inf)
        found = np.zeros((len(xyz), 1 + _PARAMETERS))
        for n, surface in enumerate(self.surfaces):
            own = surface.nearest(xyz)
            gaps = np.linalg.norm(surface.at(own) - xyz, axis=1)
            closer = gaps < best
            best[closer] = gaps[closer]
            found[closer, 0] = n
            found[closer, 1:] = 0.0
            found[np.ix_(closer, range(1, 1 + own.shape[1]))] = own[closer]
        return found

    @cached_property
    def carrier(self) -> Surface | None:
        """The surface of revolution that all of them are parts of; None where they are of several."""
        faces = [surface for surface in self.surfaces if isinstance(surface, TrimmedFace)]
        if len(faces) < len(self.surfaces):
            return None
        return carrier_of([face.patch for face in faces], [face.facets for face in faces])

    @property
    def area(self) -> float:
        """The sum of their areas."""
        return sum(surface.area for surface in self.surfaces)

    @property
    def swept_volume(self) -> float:
        """The sum of theirs."""
        return sum(surface.swept_volume for surface in self.surfaces)

    @property
    def borders(self) -> tuple[Border, ...]:
        """The pieces of the boundary that only one of them has."""
        pieces = [border for surface in self.surfaces for border in surface.borders]
        keys = [border.key for border in pieces]
        return tuple(border for border in pieces if keys.count(border.key) == 1)

    def _facets(self) -> Facets:
        parts = [surface.facets for surface in self.surfaces]
        starts = np.cumsum([0, *(len(part.xyz) for part in parts)])
        return Facets(
            np.concatenate([part.xyz for part in parts]),
            np.concatenate([part.triangles + start for part, start in zip(parts, starts, strict=False)]),
            np.concatenate([part.normals for part in parts]),
        )

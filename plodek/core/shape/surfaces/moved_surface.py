"""A surface after a move that keeps its shape."""

from __future__ import annotations

from plodek.core.arrays import Floats
from plodek.core.shape.closest import SurfaceJet
from plodek.core.shape.curves.compound import MovedCurve
from plodek.core.shape.move import Move
from plodek.core.shape.surfaces.generated import GeneratedSurface
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.shape.surfaces.together import Together
from plodek.core.shape.surfaces.triangulated import Triangulated
from plodek.core.shape.surfaces.trimmed_face import TrimEdge, TrimmedFace


def moved_surface(surface: Surface, move: Move, key: str) -> Surface:
    """Move a surface; ``key`` tells the edges of the moved one from those of the one before."""
    if isinstance(surface, Triangulated):
        turned = surface.triangles[:, ::-1] if move.mirrors else surface.triangles
        return Triangulated(move.places(surface.xyz), turned)
    if isinstance(surface, TrimmedFace):
        loops = [
            [
                TrimEdge(
                    f"{key}:{e.key}",
                    e.trace,
                    e.forward,
                    MovedCurve(e.curve, move) if e.curve is not None else None,
                    e.seam,
                )
                for e in loop
            ]
            for loop in surface.loops
        ]
        patch = _MovedPatch(surface, move)
        mirrored = surface.reversed != move.mirrors
        return TrimmedFace(patch, loops, reversed_=mirrored, facets=surface.drawn)
    if isinstance(surface, Together):
        return Together([moved_surface(part, move, f"{key}:{n}") for n, part in enumerate(surface.surfaces)])
    assert isinstance(surface, GeneratedSurface)
    return MovedSurface(surface, move)


class _MovedPatch:
    """The patch of a face after a move."""

    tree = None

    def __init__(self, face: TrimmedFace, move: Move) -> None:
        self._patch, self._move = face.patch, move
        self.breaks, self.sharp = face.patch.breaks, face.patch.sharp

    def jet(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at parameters (n, 2)."""
        return moved_jet(self._patch.jet(uv), self._move)


def moved_jet(jet: SurfaceJet, move: Move) -> SurfaceJet:
    """Move a place and its derivatives."""
    place, *rest = jet
    return (move.places(place), *(move.vectors(part) for part in rest))  # type: ignore[return-value]


class MovedSurface(GeneratedSurface):
    """A generated surface after a move."""

    def __init__(self, before: GeneratedSurface, move: Move) -> None:
        self._before, self._move = before, move
        self.kind = before.kind
        self.breaks, self.wraps, self.samples = before.breaks, before.wraps, before.samples

    def derivatives(self, uv: Floats) -> SurfaceJet:
        """Give place and derivatives at the parameters ``uv`` (n, 2)."""
        return moved_jet(self._before.derivatives(uv), self._move)

    def nearest(self, xyz: Floats) -> Floats:
        """Give the parameters (n, 2) of the nearest places."""
        return self._before.nearest(self._move.back(xyz))

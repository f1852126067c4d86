"""Where the copies of corners stand that a ring makes: how thick it is at each side, and how far off."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from plodek.core.arrays import Floats, place
from plodek.core.blocks.layout import Corner, Layout, Side, Use
from plodek.core.blocks.normals import corner_normal
from plodek.core.blocks.sides import block_normal, opposite
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.guide import Guide
from plodek.core.shape.surfaces.surface import Surface

#: Sides at a corner whose normals differ by less than about 17° count as one when a corner is offset.
_ONE_PLANE = 0.15
#: The cosine between the normals of a side at a corner and as a whole, below which the corner's says little.
_BENT = 0.5


def thicknesses(
    layout: Layout,
    takers: set[str],
    closed: dict[Side, Use],
    where: str,
    thickness: float | None,
    share: float | None,
) -> dict[Side, float]:
    """Give the thickness of the ring at each closed side."""
    if thickness is not None or share is None:
        return dict.fromkeys(closed, thickness or 0.0)
    found: dict[Side, float] = {}
    between: set[Side] = set()
    for side, use in closed.items():
        first = layout.places(side).mean(axis=0)
        far, _ = opposite(layout, use)
        seen = {use.block}
        while where == "inside" and far not in closed:
            ahead = [u for u in layout.sides.get(far, []) if u.block in takers and u.block not in seen]
            if not ahead:
                break
            seen.add(ahead[0].block)
            far, _ = opposite(layout, ahead[0])
        depth = float(np.linalg.norm(layout.places(far).mean(axis=0) - first))
        found[side] = share * depth * (0.5 if far in closed else 1.0)
        between |= {side} if far in closed else set()
    # Where the ring closes over an end, it is no thicker there than at the walls beside it.
    most = max((found[side] for side in between), default=np.inf)
    return {side: t if side in between else min(t, float(most)) for side, t in found.items()}


class Placing:
    """Places the copies: the wanted thickness off every closed side at the corner, along the open ones.

    The offset o solves n·o = thickness for the closed sides' normals and n·o = 0 for the open ones',
    with the smallest length; inside, the sides between the chosen blocks count as open ones.
    """

    def __init__(
        self,
        layout: Layout,
        guides: Mapping[str, Guide],
        takers: set[str],
        closed: dict[Side, Use],
        wanted: dict[Side, float],
        where: str,
        *,
        straight: bool,
    ) -> None:
        self.layout, self.guides, self.takers, self.closed = layout, guides, takers, closed
        self.wanted, self.where, self.straight = wanted, where, straight
        self.normals: dict[Side, Floats] = {}

    def copied(self, corner: str) -> Corner:
        layout = self.layout
        sides = sorted({s for b in layout.at_corner[corner] for s in layout.sides_of(b) if corner in s})
        normals, wanted, surfaces = self._wishes(corner, sides)
        offset = np.linalg.pinv(np.array(normals), rcond=_ONE_PLANE) @ np.array(wanted)
        xyz = np.array(layout.corners[corner].xyz) + offset
        curve = self._curve_at(corner)
        if curve is not None:
            guide = self.guides[curve]
            if isinstance(guide, Curve):
                fraction = guide.nearest(xyz[None, :])
                return Corner(place(guide.at(fraction)[0]), "guide", curve, float(fraction[0]))
        for name in surfaces:
            surface = self.guides[name]
            if isinstance(surface, Surface):
                return Corner(place(surface.onto(xyz[None, :])[0]), "guide", name)
        return Corner(place(xyz))

    def _wishes(self, corner: str, sides: list[Side]) -> tuple[list[Floats], list[float], list[str]]:
        """Collect the normals at a corner with the offset wanted along each, and the surfaces of open sides.

        Where the ring runs on inside hollow blocks, what is filled decides.
        """
        layout = self.layout
        closed = [s for s in sides if s in self.closed]
        filled = [s for s in closed if not layout.blocks[self.closed[s].block].hollow]
        normals = [-self._off(s, self.closed[s], corner) for s in filled or closed]
        wanted = [self.wanted[s] for s in filled or closed]
        surfaces: list[str] = []
        between: list[Floats] = []
        for side in sides:
            uses = layout.sides[side]
            if side in self.closed or not all(use.block in self.takers for use in uses):
                continue
            if len(uses) == 1:
                normals.append(self._outward(side, uses[0]))
                wanted.append(0.0)
                surfaces += [layout.lies[side]] if side in layout.lies else []
            elif self.where == "inside":
                between.append(self._outward(side, uses[0]))
        for normal in between:
            if all(abs(float(normal @ n)) < 0.5 for n in normals):
                normals.append(normal)
                wanted.append(0.0)
        return normals, wanted, surfaces

    def _curve_at(self, corner: str) -> str | None:
        """Find the guide of an edge that leaves the closed sides at a corner along the boundary."""
        layout = self.layout
        closed = [s for s in self.closed if corner in s]
        for name in layout.at_corner[corner]:
            if name not in self.takers:
                continue
            for edge in layout.edges_of(name):
                if corner in edge and edge in layout.follows and not any(set(edge) <= set(s) for s in closed):
                    outer = any(s in layout.outer for s in layout.sides_of(name) if set(edge) <= set(s))
                    if outer:
                        return layout.follows[edge].guide
        return None

    def _off(self, side: Side, use: Use, corner: str) -> Floats:
        """Give the unit normal (3,) of a closed side at one of its corners, away from the block behind it.

        A side that bends by more than _BENT there, as round a sharp tail, is taken as straight.
        """
        whole = self._outward(side, use)
        if self.straight:
            return whole
        normal = corner_normal(self.layout, self.guides, use, corner)
        return normal if float(normal @ whole) >= _BENT else whole

    def _outward(self, side: Side, use: Use) -> Floats:
        """Give the unit normal (3,) of a side, away from the block behind it."""
        if side not in self.normals:
            self.normals[side] = block_normal(self.layout, use)
        return self.normals[side]

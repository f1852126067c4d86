"""What the sides of a model do while its grid is smoothed: from its layout, guides and spacing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.blocks import tables
from plodek.core.blocks.layout import Side, Use, edge_of
from plodek.core.build.heights import at_corners, heights_between, heights_over, heights_wanted, lines_from
from plodek.core.errors import BadValue, CannotSmooth
from plodek.core.grid.window import Window
from plodek.core.model.model import Model
from plodek.core.shape.curves.curve import Curve
from plodek.core.shape.surfaces.surface import Surface
from plodek.core.smooth.settings import RunSettings, ShapeSettings, SmoothSettings
from plodek.core.smooth.sides import Gliding, HeldWall, Kept, Part, Plane, Sides
from plodek.core.tolerances import SAME_PLACE

#: A side is flat where its nodes are within this share of its size of a plane; planes so near are one.
_FLAT = 1e-9


def sides_of(model: Model, blocks: Mapping[str, Floats], settings: RunSettings) -> Sides:
    """Say what the parts of the filled ``blocks`` do, nodes (ni, nj, nk, 3) by name.

    Raises BadValue for a wall or a gliding side inside the domain, and for one that is neither flat nor on
    a guide but shall glide; CannotSmooth where plane blocks are not in one plane of constant z.
    """
    return _Reader(model, blocks, settings).sides()


class _Reader:
    def __init__(self, model: Model, blocks: Mapping[str, Floats], settings: RunSettings) -> None:
        self.model, self.layout, self.blocks = model, model.layout, blocks
        self.settings, self.parts = settings, settings.parts
        self.number = {name: n for n, name in enumerate(model.layout.filled)}
        self.planes: list[Plane] = []

    def sides(self) -> Sides:
        parts = self.parts
        if self.layout.dim == 2:
            self._need_flat()
        return Sides(
            fixed=(*self._parts([*parts.held, *parts.wakes]), *self._not_chosen(), *self._pinned()),
            walls=(
                *(self._wall(side, self._outer(side)) for side in parts.walls),
                *(self._wall(side, use) for side in parts.wakes for use in self._inner(side)),
            ),
            gliding=tuple(self._sliding(parts.glide, "glide")),
            spread=tuple(self._sliding(parts.spread, "move by itself")),
            kept=(*self._on_surfaces(), *self._on_curves()),
            free_twins=parts.free_twins,
        )

    def _need_flat(self) -> None:
        """Raise CannotSmooth, naming a corner, where plane blocks have more than one z."""
        heights = {
            name: self.layout.corners[name].xyz[2]
            for block in self.blocks
            for name in self.layout.blocks[block].corners
        }
        z = float(np.median(list(heights.values())))
        far = max(heights, key=lambda name: abs(heights[name] - z))
        low = min(float(nodes[..., 2].min()) for nodes in self.blocks.values())
        high = max(float(nodes[..., 2].max()) for nodes in self.blocks.values())
        if high - low > SAME_PLACE * self.layout.size():
            raise CannotSmooth(
                f"the nodes do not lie in one plane of constant z: they reach from {low:.6g} to {high:.6g}, "
                f"and corner {self.layout.labels[far]} is at {heights[far]:.6g}",
                remedy="pin all corners at one z, and let edges follow curves that lie there",
            )

    def _named(self, side: Side) -> str:
        what = "edge" if self.layout.dim == 2 else "side"
        between = " to " if self.layout.dim == 2 else ", "
        return f"the {what} {between.join(self.layout.labels[c] for c in side)}"

    def _window(self, use: Use) -> Window:
        return Window(self.number[use.block], use.axis, use.end)

    def _outer(self, side: Side) -> Use:
        use = self.layout.outer.get(side)
        if use is None:
            raise BadValue(
                f"{self._named(side)} is not a wall: it lies inside the flow domain",
                remedy="choose outer sides as walls",
            )
        return use

    def _inner(self, side: Side) -> list[Use]:
        uses = [use for use in self.layout.sides.get(side, ()) if use.block in self.number]
        if len(uses) != 2:
            raise BadValue(
                f"{self._named(side)} is no wake: it does not lie inside the flow domain",
                remedy="choose inner sides, which go on from a sharp tail",
            )
        return uses

    def _wall(self, side: Side, use: Use) -> HeldWall:
        """Take the heights of a wall as filled: over wall layers, and in the plane, as its ends have them.

        Where cells are only shaped they are those that are there.
        """
        lines = lines_from(self.blocks[use.block], use)
        seen = np.ones(lines.shape[:2], dtype=bool)
        steps = np.linalg.norm(np.diff(lines, axis=2), axis=-1)
        if isinstance(self.settings, ShapeSettings):
            heights = steps[:, :, 0]
        else:
            heights = heights_over(self.model, side, lines, seen).reshape(seen.shape)
        if self.parts.first is not None and side in self.layout.outer:
            heights = np.full(seen.shape, self.parts.first)
        elif isinstance(self.settings, SmoothSettings):
            if side in self.model.layered:
                heights = heights_wanted(self.model, use, heights)
            elif self.layout.dim == 2:
                heights = heights_between(at_corners(heights), heights.shape)
        size = self.layout.size()
        flat = ~((steps[:, :, 0] > 1e-12 * size) & (heights > 1e-12 * size))
        if np.any(flat):
            at = lines[:, :, 0][flat][0]
            raise CannotSmooth(
                f"cells have no height near ({', '.join(f'{c:.6g}' for c in at)})",
                remedy="look at the blocks there: an edge may run along the wall, or a corner lie on another",
            )
        away = np.concatenate([np.zeros((*seen.shape, 1)), np.cumsum(steps, axis=2)], axis=2)
        return HeldWall(self._window(use), away * (heights / steps[:, :, 0])[..., None])

    def _sliding(self, sides: Sequence[Side], what: str) -> list[Gliding]:
        found = []
        for side in sides:
            guide = self._guide(side)
            if side in self.layout.outer:
                window = self._window(self.layout.outer[side])
                found.append(Gliding(window, guide or self._plane(side, what)))
            elif guide is None:
                raise BadValue(
                    f"{self._named(side)} lies inside and is on no guide, so there is nothing to glide along",
                    remedy="let it follow a guide, or leave it free",
                )
        return found

    def _guide(self, side: Side) -> Surface | Curve | None:
        if self.layout.dim == 2:
            path = self.model.laid.paths[edge_of(*side)]
            return path.along or path.curve
        guide = self.model.guides.get(self.layout.lies.get(side, ""))
        return guide if isinstance(guide, Surface) else None

    def _plane(self, side: Side, what: str) -> Plane:
        """Give the plane of a flat side, one for all sides that lie in it."""
        use = self.layout.outer[side]
        nodes = lines_from(self.blocks[use.block], use)[:, :, 0].reshape(-1, 3)
        middle = nodes.mean(axis=0)
        if self.layout.dim == 2:
            along = nodes[-1] - nodes[0]
            normal = np.array([along[1], -along[0], 0.0]) / np.linalg.norm(along)
        else:
            normal = np.linalg.svd(nodes - middle, full_matrices=False)[2][2]
        near = _FLAT * self.layout.size()
        if np.abs((nodes - middle) @ normal).max() > near:
            raise BadValue(
                f"{self._named(side)} is neither flat nor on a guide, and cannot {what}",
                remedy="let it lie on a guide, or hold it",
            )
        for plane in self.planes:
            if np.abs((nodes - plane.at) @ plane.normal).max() <= near:
                return plane
        self.planes.append(Plane(middle, normal))
        return self.planes[-1]

    def _parts(self, sides: Sequence[Side]) -> list[Part]:
        dim = self.layout.dim
        return [
            Part(self.number[use.block], tuple(use.end if axis == use.axis else None for axis in range(dim)))
            for side in sides
            for use in self.layout.sides.get(side, ())
            if use.block in self.number
        ]

    def _not_chosen(self) -> list[Part]:
        if self.parts.blocks is None:
            return []
        chosen, whole = set(self.parts.blocks), (None,) * self.layout.dim
        return [Part(n, whole) for name, n in self.number.items() if name not in chosen]

    def _pinned(self) -> list[Part]:
        return [
            Part(n, tuple(at >> axis & 1 for axis in range(self.layout.dim)))
            for name, n in self.number.items()
            for at, corner in enumerate(self.layout.blocks[name].corners)
            if self.layout.corners[corner].sign == "pinned" and corner not in self.parts.loose
        ]

    def _on_surfaces(self) -> list[Kept]:
        """Give the inner sides that lie on surfaces."""
        inner = {side: self._guide(side) for side in self.layout.lies if side not in self.layout.outer}
        return [Kept(part, guide) for side, guide in inner.items() if guide for part in self._parts([side])]

    def _on_curves(self) -> list[Kept]:
        """Give the edges that follow guides, once in each block."""
        found, dim = [], self.layout.dim
        for name, n in self.number.items():
            corners = self.layout.blocks[name].corners
            for along, low, high in tables.edges(dim):
                follow = self.layout.follows.get(edge_of(corners[low], corners[high]))
                guide = None if follow is None else self.model.guides.get(follow.guide)
                if isinstance(guide, Curve | Surface):
                    ends = tuple(None if axis == along else low >> axis & 1 for axis in range(dim))
                    found.append(Kept(Part(n, ends), guide))
        return found

"""Wall control: near a wall nodes stand along its normal, as far from it as they shall.

The aim is that of Steger & Sorenson 1979 (J. Comput. Phys. 33, 405): first height and right angle at the
wall, fading inward. As the wall's nodes stay, the places that meet both are known beforehand, so that each
sweep goes a share of the way to them instead of adding a source that has to be found by iteration.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import scipy

from plodek.core.arrays import Bools, Floats
from plodek.core.smooth.ghosted import Ghosted, Slots
from plodek.core.smooth.outcome import WallHeld
from plodek.core.smooth.sides import HeldWall

#: The control has faded over this many cell sizes along the wall.
REACH = 1.5
#: It falls no faster than by this factor from one node to the next, so that the first one is held firmly.
FADE = 0.6
#: Over a sharp edge nodes stand off by at most 1/0.5 of their distance.
_SHARPEST = 0.5
#: A line leans by more than this tangent.
_LEANS = 0.1
#: Normals may go on to this share of the way to a line that leans towards them.
_ROOM = 0.5
#: Shares below this are none.
_LEAST = 0.01


class Walls:
    """The walls of a grid that hold their heights; their nodes stay, so what they want is known at once.

    What is told of a line from a wall is kept by the number of its first node inside: a line may leave from
    an edge between two walls, and from a sharp tail several do.
    """

    def __init__(
        self, ghosted: Ghosted, xyz: Floats, walls: Sequence[HeldWall], movable: Bools | None = None
    ) -> None:
        """Take walls whose lines may leave squarely where their first nodes are ``movable`` slots (n,)."""
        self.ghosted, self.xyz, self.walls = ghosted, xyz, walls
        self.movable = ~ghosted.outer if movable is None else movable
        if walls:
            self.lines = [_lines(ghosted, wall) for wall in walls]
            normal, cosine, self.size = _normals(ghosted, xyz, self.lines, 1)
            # Longer than one over edges: distances count from the faces beside.
            self.way = normal / np.maximum(cosine, _SHARPEST)[:, None]
            _, at_edge, _ = _normals(ghosted, xyz, self.lines, 0)
            # One cell more at each right angle that the wall turns away: else lines leave it leaning.
            turn = 2.0 * np.arccos(np.clip(at_edge, -1.0, 1.0)) / (0.5 * np.pi)
            self.leaning = ghosted.around > (2.0 + np.round(turn)) * 2 ** (ghosted.dim - 2)
            self.room = self._room()

    def __bool__(self) -> bool:
        return bool(self.walls)

    def _squarely(self, lines: Slots) -> Bools:
        """Say which lines (na, nb) may leave squarely: their first node may move."""
        to = self.ghosted.mover[lines[:, :, 1]]
        inside = (to >= 0) & self.movable[to]
        return np.asarray(inside & ~self.leaning[self.ghosted.node[lines[:, :, 0]]])

    def held(self, xyz: Floats) -> WallHeld:
        """Measure first heights and wall angles as the grid stands."""
        if not self.walls:
            return WallHeld()
        found = []
        for wall, lines in zip(self.walls, self.lines, strict=True):
            chosen = self._squarely(lines)
            way = xyz[lines[:, :, 1][chosen]] - xyz[lines[:, :, 0][chosen]]
            away = self.way[self.ghosted.node[lines[:, :, 1][chosen]]]
            stretch = np.linalg.norm(away, axis=1)
            up = np.einsum("nk,nk->n", way, away) / stretch
            sine = np.clip(up / np.linalg.norm(way, axis=1), -1.0, 1.0)
            found.append((up / stretch, wall.away[:, :, 1][chosen], np.degrees(np.arcsin(sine))))
        return WallHeld(*(np.concatenate(part) for part in zip(*found, strict=True)))

    def heights_off(self, xyz: Floats) -> float:
        """Give the worst share by which a first height is off."""
        return self.held(xyz).off()

    def pulls(self, strict: float) -> tuple[npt.NDArray[np.float32], Floats]:
        """Give the share (n,) by which walls hold each node, and the place (n, 3) where they want it.

        ``strict`` scales how far the control reaches.
        """
        ghosted = self.ghosted
        share = np.zeros(ghosted.count)
        weight, target = np.zeros(ghosted.count), np.zeros((ghosted.count, 3))
        for wall, lines in zip(self.walls, self.lines, strict=True):
            number = ghosted.node[lines[:, :, 1]]
            at, way = self.xyz[lines[:, :, 0]], self.way[number]
            reach = strict * np.minimum(REACH * self.size[number], self.room[number])
            squarely = self._squarely(lines)
            for m in range(1, lines.shape[2]):
                away = wall.away[:, :, m]
                fading = np.clip(1.0 - away / np.maximum(reach, 1e-300), 0.0, 1.0)
                held = np.maximum(fading, FADE ** (m - 1) * np.clip(reach / away, 0.0, 1.0))
                to = ghosted.mover[lines[:, :, m]]
                chosen = squarely & (to >= 0) & (held > _LEAST)
                if not np.any(chosen):
                    break
                p, h = to[chosen], held[chosen]
                np.maximum.at(share, p, h)
                np.add.at(weight, p, h)
                np.add.at(target, p, h[:, None] * (at[chosen] + way[chosen] * away[chosen][:, None]))
        held_at = weight > 0
        target[held_at] /= weight[held_at][:, None]
        return share.astype(np.float32), target

    def at_walls(self) -> list[tuple[Floats, Floats]]:
        """Give, by wall, the normals at its nodes (na, nb, 3), and their cosines to the faces (na, nb)."""
        if not self.walls:
            return []
        normal, cosine, _ = _normals(self.ghosted, self.xyz, self.lines, 0)
        bases = [self.ghosted.node[lines[:, :, 0]] for lines in self.lines]
        return [(normal[base], cosine[base]) for base in bases]

    def _room(self) -> Floats:
        """Give, by line, how far normals may go until lines from corners of the walls lean into their way.

        In a corner that closes the line halves the angle; along a rim it is where the side beside has it.
        """
        ghosted, xyz = self.ghosted, self.xyz
        place, lean = np.full((len(self.size), 3), np.nan), np.zeros(len(self.size))
        for lines in self.lines:
            number = ghosted.node[lines[:, :, 1]]
            at, first = xyz[lines[:, :, 0]], xyz[lines[:, :, 1]]
            place[number] = at
            line = np.where(self._squarely(lines)[..., None], self.way[number], first - at)
            for axis in (0, 1) if at.shape[1] > 1 else (0,):
                for step in (1, -1):
                    beside = np.roll(at, -step, axis=axis) - at
                    size = np.linalg.norm(beside, axis=-1)
                    beside /= np.maximum(size, 1e-300)[..., None]
                    along = np.einsum("abk,abk->ab", beside, line)
                    up = np.sqrt(np.maximum(np.einsum("abk,abk->ab", line, line) - along**2, 0.0))
                    leaning = along / np.maximum(up, 1e-3 * np.abs(along) + 1e-300)
                    edge = np.moveaxis(leaning, axis, 0)
                    edge[-1 if step == 1 else 0] = 0.0
                    np.maximum.at(lean, number, leaning)
        known = np.isfinite(place[:, 0])
        sources = known & (lean > _LEANS)
        room = np.full(len(place), np.inf)
        if np.any(sources):
            tree = scipy.spatial.cKDTree(place[sources])
            apart, nearest = tree.query(place[known], k=min(4, int(np.count_nonzero(sources))))
            limit = _ROOM * apart / lean[sources][nearest]
            room[known] = limit.reshape(int(np.count_nonzero(known)), -1).min(axis=1)
            room[sources] = np.inf
        return room


def _lines(ghosted: Ghosted, wall: HeldWall) -> Slots:
    """Give the slots of the lines from a wall (na, nb, n)."""
    lines = np.moveaxis(ghosted.own[wall.window.block], wall.window.axis, 2)
    return lines[:, :, ::-1] if wall.window.end else lines


def _normals(
    ghosted: Ghosted, xyz: Floats, walls: Sequence[Slots], layer: int
) -> tuple[Floats, Floats, Floats]:
    """Give unit normals into the flow (m, 3), by the numbers of the nodes of a ``layer`` of the lines.

    Further the least cosine (m,) between a normal and the faces that it is the mean of: 1 where the wall is
    smooth; and the cell size along the wall (m,).
    """
    count = int(ghosted.node.max()) + 1
    total, cosine = np.zeros((count, 3)), np.ones(count)
    size = np.full(count, np.inf)
    each = []
    for lines in walls:
        at = xyz[lines[:, :, 0]]
        faces = _faces(at)
        area = np.linalg.norm(faces, axis=-1)
        faces /= np.maximum(area, 1e-300)[..., None]
        node = ghosted.node[lines[:, :, layer]]
        ends = (0, 1) if at.shape[1] > 1 else (0,)
        shift = [(a, b) for a in (0, 1) for b in ends]
        inward = xyz[lines[:, :, 1]] - at
        middle = sum(inward[a : a + faces.shape[0], b : b + faces.shape[1]] for a, b in shift)
        if np.sum(np.einsum("abk,abk->ab", faces, middle)) < 0:
            faces = -faces
        corners = [node[a : a + faces.shape[0], b : b + faces.shape[1]] for a, b in shift]
        # Of unequal faces the smaller one says more: its middle is nearer.
        for corner in corners:
            np.add.at(total, corner, faces / np.maximum(area, 1e-300)[..., None])
        np.minimum.at(size, node, _spacing(at))
        each.append((corners, faces))
    total /= np.maximum(np.linalg.norm(total, axis=1), 1e-300)[:, None]
    for corners, faces in each:
        for corner in corners:
            np.minimum.at(cosine, corner, np.einsum("abk,abk->ab", total[corner], faces))
    return total, cosine, size


def _faces(at: Floats) -> Floats:
    """Give the normals of a wall's faces, or of the pieces of its line in the plane, by their size."""
    if at.shape[1] > 1:
        return np.asarray(np.cross(at[1:, 1:] - at[:-1, :-1], at[:-1, 1:] - at[1:, :-1]))
    along = np.diff(at, axis=0)
    return np.stack([along[..., 1], -along[..., 0], np.zeros_like(along[..., 0])], axis=-1)


def _spacing(at: Floats) -> Floats:
    """Give the smaller of both mean distances to the neighbours on a wall (na, nb)."""
    found = np.full(at.shape[:2], np.inf)
    for axis in (0, 1) if at.shape[1] > 1 else (0,):
        steps = np.linalg.norm(np.diff(at, axis=axis), axis=-1)
        pad = [(1, 1) if a == axis else (0, 0) for a in (0, 1)]
        both = np.pad(steps, pad, mode="edge")
        low, high = (np.take(both, range(s, s + at.shape[axis]), axis=axis) for s in (0, 1))
        found = np.minimum(found, 0.5 * (low + high))
    return found

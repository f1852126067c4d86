"""Control functions: the spacing that the filled grid has, and the wall's first height and right angle.

Interior control as in Thomas & Middlecoff 1980 (AIAA J. 18, 652): φ and ψ are chosen so that each
grid line keeps its own spacing. Wall control has the aim of Steger & Sorenson 1979 (J. Comput. Phys.
33, 405), but finds its strength by integral feedback on the actual first cell instead of one-sided
differences: these prescribe the slope x_η at the wall, which differs from the first cell by the
growth. Strengths fade inward along the grid line, as there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.smooth.graph import Indices, NodeGraph

#: φ and ψ beyond this would make the equation lose its maximum principle (|φ| < 2).
MOST_CONTROL = 1.2
#: Gains of the feedback per sweep, for the logarithm of the height and for the slip over x_ξ.
GAIN_HEIGHT = 0.02
GAIN_SLIP = 0.05
#: The wall's strength falls by this factor over each line of nodes inward.
FADE = 0.75
#: Lines inward that the wall's control reaches.
REACH = 24
#: A wall strength stays within this share of the local cell.
MOST_SHIFT = 0.6


@dataclass(frozen=True)
class Wall:
    """Wall nodes to hold, aligned arrays over w nodes.

    ``node`` the wall node, ``first`` the first node inward; ``before``/``after`` its neighbours on the
    wall, with the flow domain to the left of the way from before to after; ``height`` the wished
    first height; ``line`` (w, REACH) the nodes inward, -1 past the end; ``axes`` (w, REACH) the
    stencil direction (0 E, 1 N, 2 W, 3 S) that points inward at each of them.
    """

    node: Indices
    first: Indices
    before: Indices
    after: Indices
    height: Floats
    line: Indices
    axes: Indices


def interior_control(graph: NodeGraph, passes: int = 2) -> tuple[Floats, Floats]:
    """Give φ and ψ (n,) that keep the spacing of the present grid along its lines (Thomas & Middlecoff)."""
    return _interior(graph.xy, graph.stencil, passes)


@nb.njit(cache=True)
def _interior(xy: Floats, stencil: Indices, passes: int) -> tuple[Floats, Floats]:
    count = len(xy)
    controls = np.zeros((2, count))
    for p in range(count):
        if stencil[p, 0] < 0:
            continue
        for axis in range(2):
            ahead, behind = stencil[p, 2 * axis], stencil[p, 2 * axis + 4]
            forth = np.hypot(xy[ahead, 0] - xy[p, 0], xy[ahead, 1] - xy[p, 1])
            back = np.hypot(xy[p, 0] - xy[behind, 0], xy[p, 1] - xy[behind, 1])
            control = -2 * (forth - back) / (forth + back)
            controls[axis, p] = min(max(control, -MOST_CONTROL), MOST_CONTROL)
    # Averaging along the other axis' line evens out kinks between blocks without touching the growth.
    for _ in range(passes):
        before = controls.copy()
        for p in range(count):
            for axis in range(2):
                a, b = stencil[p, 2 - 2 * axis], stencil[p, 6 - 2 * axis]
                if a >= 0 and b >= 0 and stencil[a, 0] >= 0 and stencil[b, 0] >= 0:
                    va = before[axis, a] if _same(stencil, p, a) else before[axis, p]
                    vb = before[axis, b] if _same(stencil, p, b) else before[axis, p]
                    controls[axis, p] = 0.5 * before[axis, p] + 0.25 * (va + vb)
    return controls[0], controls[1]


@nb.njit(cache=True)
def _same(stencil: Indices, p: int, q: int) -> bool:
    """Whether two neighbouring nodes have their stencils turned the same way."""
    for direction in (0, 2, 4, 6):
        if stencil[p, direction] == q:
            return bool(stencil[q, (direction + 4) % 8] == p)
    return False


def wall_of(graph: NodeGraph, chain: Indices, first: Indices, height: Floats) -> Wall:
    """Collect what the control needs at the wall nodes ``chain[1:-1]``.

    ``chain`` (w + 2,) runs with the domain on its left; ``first`` (w,) are the first nodes inward.
    """
    node, before, after = chain[1:-1], chain[:-2], chain[2:]
    line, axes = _walk(graph.stencil, node, first)
    return Wall(node, first, before, after, height, line, axes)


@nb.njit(cache=True)
def _walk(stencil: Indices, node: Indices, first: Indices) -> tuple[Indices, Indices]:
    line = np.full((len(node), REACH), -1, dtype=np.int32)
    axes = np.zeros((len(node), REACH), dtype=np.int32)
    for w in range(len(node)):
        behind, at = node[w], first[w]
        for m in range(REACH):
            if stencil[at, 0] < 0:
                break
            direction = -1
            for d in range(4):
                if stencil[at, (2 * d + 4) % 8] == behind:
                    direction = d
            if direction < 0:
                break
            line[w, m], axes[w, m] = at, direction
            behind, at = at, stencil[at, 2 * direction]
    return line, axes


@nb.njit(cache=True)
def control_wall(
    xy: Floats,
    node: Indices,
    first: Indices,
    before: Indices,
    after: Indices,
    height: Floats,
    line: Indices,
    axes: Indices,
    strength: Floats,
    shift: Floats,
    strict: float,
) -> float:
    """Correct the wall strengths (w, 2) once, add them to ``shift``, and give the worst height error.

    ``strict`` scales the gains: less is looser and more stable.
    """
    worst = 0.0
    for w in range(len(node)):
        tx, ty = xy[after[w], 0] - xy[before[w], 0], xy[after[w], 1] - xy[before[w], 1]
        size = np.hypot(tx, ty)
        # The tangent of unequal steps, exact to second order.
        ax, ay = xy[after[w], 0] - xy[node[w], 0], xy[after[w], 1] - xy[node[w], 1]
        bx, by = xy[node[w], 0] - xy[before[w], 0], xy[node[w], 1] - xy[before[w], 1]
        la, lb = np.hypot(ax, ay), np.hypot(bx, by)
        tx, ty = ax / la * lb + bx / lb * la, ay / la * lb + by / lb * la
        unit = np.hypot(tx, ty)
        tx, ty = tx / unit, ty / unit
        vx, vy = xy[first[w], 0] - xy[node[w], 0], xy[first[w], 1] - xy[node[w], 1]
        slip = vx * tx + vy * ty
        up = max(-vx * ty + vy * tx, 0.05 * height[w])
        worst = max(worst, abs(up / height[w] - 1))
        low = strength[w, 0] - strict * GAIN_SLIP * slip / (0.5 * size)
        high = strength[w, 1] - strict * GAIN_HEIGHT * np.log(up / height[w])
        strength[w, 0] = min(max(low, -MOST_SHIFT), MOST_SHIFT)
        strength[w, 1] = min(max(high, -MOST_SHIFT), MOST_SHIFT)
        fade = 1.0
        for m in range(line.shape[1]):
            p = line[w, m]
            if p < 0:
                break
            # Inward is the N of the wall's own frame; its E is the direction clockwise of that.
            direction = axes[w, m]
            along, out = fade * strength[w, 0], fade * strength[w, 1]
            if direction == 1:
                shift[p, 0] += along
                shift[p, 1] += out
            elif direction == 3:
                shift[p, 0] -= along
                shift[p, 1] -= out
            elif direction == 0:
                shift[p, 0] += out
                shift[p, 1] -= along
            else:
                shift[p, 0] -= out
                shift[p, 1] += along
            fade *= FADE
    return worst


def held(graph: NodeGraph, wall: Wall) -> tuple[Floats, Floats]:
    """Measure first heights (w,) and wall angles in degrees (w,) of a wall as the grid stands."""
    xy = graph.xy
    forth, back = xy[wall.after] - xy[wall.node], xy[wall.node] - xy[wall.before]
    la, lb = (np.linalg.norm(v, axis=1)[:, None] for v in (forth, back))
    tangent = forth / la * lb + back / lb * la
    tangent /= np.linalg.norm(tangent, axis=1)[:, None]
    inward = xy[wall.first] - xy[wall.node]
    slip = np.einsum("wk,wk->w", inward, tangent)
    up = tangent[:, 0] * inward[:, 1] - tangent[:, 1] * inward[:, 0]
    return up, np.degrees(np.arctan2(up, slip))

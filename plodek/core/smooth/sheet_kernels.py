"""Compiled kernels of smoothing on sheets: planes and the sides of blocks, on slots with ghosts.

Rows (r, 4) are the first slot, how many nodes, the step from one to the next, and the step across. Those of
one colour do not touch each other.
"""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.smooth.kernels import (
    Singles,
    Slots,
    Three,
    cross,
    dot,
    evened_out,
    is_marked,
    lacking,
    mark_cell,
    spacing_kept,
)


@nb.njit(cache=True, nogil=True)
def _way(xyz: Floats, a: int, b: int) -> Three:
    return xyz[b, 0] - xyz[a, 0], xyz[b, 1] - xyz[a, 1], xyz[b, 2] - xyz[a, 2]


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _within(move: Three, normal: Three) -> Three:
    """Take back the part of a move along the normal of its sheet: off it there is nothing to move."""
    size = dot(normal, normal)
    off = dot(move, normal) / size if size > 0.0 else 0.0
    return move[0] - off * normal[0], move[1] - off * normal[1], move[2] - off * normal[2]


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy", fastmath={"contract"})
def sweep(
    xyz: Floats,
    rows: Any,
    bounds: Any,
    soft: Singles,
    phi: Singles,
    hold: Singles,
    target: Floats,
    tie: Slots,
    way: Floats,
    along: Any,
    omega: float,
    source: Any,
    told: Any,
) -> tuple[float, float]:
    """Move the nodes of all rows once, colour by colour (``bounds``), in place, within their sheet.

    Thompson, Thames & Mastin 1974 (J. Comput. Phys. 15, 299): α(x_ξξ + φ x_ξ) − 2β x_ξη +
    γ(x_ηη + ψ x_η) = 0 by central differences; on a curved sheet the part of it along x_ξ and x_η. All else
    as `space_kernels.sweep` has it.
    """
    largest = longest = 0.0
    controlled, held = len(phi) > 1, len(hold) > 1
    for colour in range(len(bounds) - 1):
        most = most_of_all = 0.0
        for r in nb.prange(bounds[colour], bounds[colour + 1]):
            first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
            row_longest, most_far, its_size = 0.0, 0.0, 1.0
            for m in range(count):
                p = first + m * sa
                share = soft[p]
                if share == 0.0:
                    continue
                a0, a1, b0, b1 = p - sa, p + sa, p - sb, p + sb
                ax, ay, az = xyz[a1, 0] - xyz[a0, 0], xyz[a1, 1] - xyz[a0, 1], xyz[a1, 2] - xyz[a0, 2]
                bx, by, bz = xyz[b1, 0] - xyz[b0, 0], xyz[b1, 1] - xyz[b0, 1], xyz[b1, 2] - xyz[b0, 2]
                aa, bb = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz
                ab = ax * bx + ay * by + az * bz
                h = -0.5 * ab
                scale = 0.5 / (aa + bb)
                if controlled:
                    pa, pb = 0.5 * bb * phi[p, 0], 0.5 * aa * phi[p, 1]
                else:
                    pa = pb = 0.0
                e0, e1, e2, e3 = a1 + sb, a0 + sb, a1 - sb, a0 - sb
                dx = scale * (
                    bb * (xyz[a1, 0] + xyz[a0, 0]) + aa * (xyz[b1, 0] + xyz[b0, 0]) + pa * ax + pb * bx
                    + h * (xyz[e0, 0] - xyz[e1, 0] - xyz[e2, 0] + xyz[e3, 0])
                ) - xyz[p, 0]  # fmt: skip
                dy = scale * (
                    bb * (xyz[a1, 1] + xyz[a0, 1]) + aa * (xyz[b1, 1] + xyz[b0, 1]) + pa * ay + pb * by
                    + h * (xyz[e0, 1] - xyz[e1, 1] - xyz[e2, 1] + xyz[e3, 1])
                ) - xyz[p, 1]  # fmt: skip
                dz = 0.0
                if az != 0.0 or bz != 0.0:  # on a sheet that is not level here
                    dz = scale * (
                        bb * (xyz[a1, 2] + xyz[a0, 2]) + aa * (xyz[b1, 2] + xyz[b0, 2]) + pa * az + pb * bz
                        + h * (xyz[e0, 2] - xyz[e1, 2] - xyz[e2, 2] + xyz[e3, 2])
                    ) - xyz[p, 2]  # fmt: skip
                    dx, dy, dz = _within((dx, dy, dz), cross((ax, ay, az), (bx, by, bz)))
                if held and hold[p] > 0.0:
                    h = hold[p]
                    dx = (1 - h) * dx + h * (target[p, 0] - xyz[p, 0])
                    dy = (1 - h) * dy + h * (target[p, 1] - xyz[p, 1])
                    dz = (1 - h) * dz + h * (target[p, 2] - xyz[p, 2])
                dx, dy, dz = lacking((dx, dy, dz), p, tie, way, along, source, told)
                far = dx * dx + dy * dy + dz * dz
                row_longest, size = max(row_longest, far), min(aa, bb)
                if far * its_size > most_far * size:  # without a division at every node
                    most_far, its_size = far, size
                step = share * omega
                xyz[p, 0] += step * dx
                xyz[p, 1] += step * dy
                xyz[p, 2] += step * dz
            most = max(most, 4.0 * most_far / its_size)
            most_of_all = max(most_of_all, row_longest)
        largest, longest = max(largest, most), max(longest, most_of_all)
    return np.sqrt(longest), np.sqrt(largest)


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def squareness(xyz: Floats, rows: Any, normals: Floats, found: Singles) -> None:
    """Give each quadrangle's least scaled Jacobian, at its first slot, in place.

    ``rows`` are rows of quadrangles. Each corner is held against the normal of its quadrangle, and is folded
    where that has turned from what ``normals`` (n, 3) has it, or one row for all.
    """
    for r in nb.prange(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for m in range(count):
            p = first + m * sa
            q, s, t = p + sa, p + sb, p + sa + sb
            normal = cross(_way(xyz, p, t), _way(xyz, q, s))
            size, at = np.sqrt(dot(normal, normal)), p if len(normals) > 1 else 0
            if dot(normal, (normals[at, 0], normals[at, 1], normals[at, 2])) < 0.0:
                size = -size
            # The least det · |det| over the squared lengths, as a fraction: one root and one division a cell.
            least, of = (size * size, 1.0) if size > 0.0 else (0.0, 1.0)
            for u in (_way(xyz, p, q), _way(xyz, s, t)):
                for v in (_way(xyz, p, s), _way(xyz, q, t)):
                    both = dot(u, u) * dot(v, v)
                    if both == 0.0 or size == 0.0:
                        continue
                    det = dot(normal, cross(u, v))
                    squared = det * abs(det) if size > 0.0 else -det * abs(det)
                    if squared * of < least * both:
                        least, of = squared, both
            found[p] = np.sign(least) * np.sqrt(abs(least) / of) / max(abs(size), 1e-300)


@nb.njit(cache=True, nogil=True)
def keep_spacing(xyz: Floats, rows: Any, chosen: Any, most: float, phi: Singles) -> None:
    """Give the control (n, 2) that keeps the present spacing at chosen nodes; see `spacing_kept`."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for m in range(count):
            p = first + m * sa
            if chosen[p]:
                spacing_kept(xyz, p, (sa, sb), most, phi)


@nb.njit(cache=True, nogil=True)
def even_out(rows: Any, chosen: Any, before: Singles, phi: Singles) -> None:
    """Average each direction's control over the neighbours along the other; see `evened_out`."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for m in range(count):
            p = first + m * sa
            if chosen[p]:
                evened_out(p, (sa, sb), chosen, before, phi)


@nb.njit(cache=True, nogil=True)
def mark_corners(rows: Any, bad: Any, marked: Any) -> None:
    """Mark the nodes of the ``bad`` quadrangles, in place."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for m in range(count):
            p = first + m * sa
            if bad[p]:
                mark_cell(p, (sa, sb), marked)


@nb.njit(cache=True, nogil=True)
def cells_at(rows: Any, marked: Any, bad: Any) -> None:
    """Mark the quadrangles with any marked node as ``bad``, in place."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for m in range(count):
            p = first + m * sa
            if is_marked(p, (sa, sb), marked):
                bad[p] = True

"""Compiled kernels of smoothing in space, on blocks with ghosts in one flat array of slots.

Rows of nodes of one colour do not touch each other, and ghosts change only between sweeps: the result is
the same to the bit however many threads share a sweep.
"""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np

from plodek.core.arrays import Floats
from plodek.core.smooth.kernels import (
    Singles,
    Slots,
    apart,
    evened_out,
    is_marked,
    lacking,
    mark_cell,
    spacing_kept,
)

#: A neighbour pulls as if it were no nearer than this share of the mean distance.
_NEAREST = 0.3


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
    """Move the nodes of all rows once, colour by colour (``bounds``), in place.

    Returns the largest move that a node would make at full strength, and the largest as a share of the
    node's smallest cell edge.

    Thompson, Thames & Mastin 1974 (J. Comput. Phys. 15, 299) in space: Σ gⁱʲ x_ij + Σ gᵏᵏ φₖ x_k = 0 by
    central differences, over-relaxed by ``omega``. ``rows`` (r, 4) are the first slot of a row, how many
    nodes, and the strides across; ``soft`` (n,) is the share of its move that a node makes, 0 where it
    stays; ``phi`` (n, 3) the interior control, or one row where there is none; ``hold`` (n,) the share of
    a node's place that is its ``target`` (n, 3), or one where there are none. ``tie``, ``way``
    and ``along`` are as in `allowed`. ``source`` (n, 3) is taken from full moves, and ``told`` (n, 3) gets
    what is left of them; one row where there is none, and None for both where there is neither.
    """
    largest = longest = 0.0
    controlled, held = len(phi) > 1, len(hold) > 1
    for colour in range(len(bounds) - 1):
        most = most_of_all = 0.0
        for r in nb.prange(bounds[colour], bounds[colour + 1]):
            first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
            row_longest, most_far, its_size = 0.0, 0.0, 1.0
            for p in range(first, first + count):
                share = soft[p]
                if share == 0.0:
                    continue
                a0, a1, b0, b1, c0, c1 = p - sa, p + sa, p - sb, p + sb, p - 1, p + 1
                ax, ay, az = xyz[a1, 0] - xyz[a0, 0], xyz[a1, 1] - xyz[a0, 1], xyz[a1, 2] - xyz[a0, 2]
                bx, by, bz = xyz[b1, 0] - xyz[b0, 0], xyz[b1, 1] - xyz[b0, 1], xyz[b1, 2] - xyz[b0, 2]
                cx, cy, cz = xyz[c1, 0] - xyz[c0, 0], xyz[c1, 1] - xyz[c0, 1], xyz[c1, 2] - xyz[c0, 2]
                aa, bb = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz
                cc, ab = cx * cx + cy * cy + cz * cz, ax * bx + ay * by + az * bz
                ac, bc = ax * cx + ay * cy + az * cz, bx * cx + by * cy + bz * cz
                ga, gb, gc = bb * cc - bc * bc, aa * cc - ac * ac, aa * bb - ab * ab
                hab, hac = 0.5 * (ac * bc - ab * cc), 0.5 * (ab * bc - ac * bb)
                hbc = 0.5 * (ab * ac - bc * aa)
                scale = 0.5 / (ga + gb + gc)
                if controlled:
                    pa, pb, pc = 0.5 * ga * phi[p, 0], 0.5 * gb * phi[p, 1], 0.5 * gc * phi[p, 2]
                else:
                    pa = pb = pc = 0.0
                e0, e1, e2, e3 = a1 + sb, a0 + sb, a1 - sb, a0 - sb
                f0, f1, f2, f3 = a1 + 1, a0 + 1, a1 - 1, a0 - 1
                g0, g1, g2, g3 = b1 + 1, b0 + 1, b1 - 1, b0 - 1
                dx = scale * (
                    ga * (xyz[a1, 0] + xyz[a0, 0]) + gb * (xyz[b1, 0] + xyz[b0, 0])
                    + gc * (xyz[c1, 0] + xyz[c0, 0]) + pa * ax + pb * bx + pc * cx
                    + hab * (xyz[e0, 0] - xyz[e1, 0] - xyz[e2, 0] + xyz[e3, 0])
                    + hac * (xyz[f0, 0] - xyz[f1, 0] - xyz[f2, 0] + xyz[f3, 0])
                    + hbc * (xyz[g0, 0] - xyz[g1, 0] - xyz[g2, 0] + xyz[g3, 0])
                ) - xyz[p, 0]  # fmt: skip
                dy = scale * (
                    ga * (xyz[a1, 1] + xyz[a0, 1]) + gb * (xyz[b1, 1] + xyz[b0, 1])
                    + gc * (xyz[c1, 1] + xyz[c0, 1]) + pa * ay + pb * by + pc * cy
                    + hab * (xyz[e0, 1] - xyz[e1, 1] - xyz[e2, 1] + xyz[e3, 1])
                    + hac * (xyz[f0, 1] - xyz[f1, 1] - xyz[f2, 1] + xyz[f3, 1])
                    + hbc * (xyz[g0, 1] - xyz[g1, 1] - xyz[g2, 1] + xyz[g3, 1])
                ) - xyz[p, 1]  # fmt: skip
                dz = scale * (
                    ga * (xyz[a1, 2] + xyz[a0, 2]) + gb * (xyz[b1, 2] + xyz[b0, 2])
                    + gc * (xyz[c1, 2] + xyz[c0, 2]) + pa * az + pb * bz + pc * cz
                    + hab * (xyz[e0, 2] - xyz[e1, 2] - xyz[e2, 2] + xyz[e3, 2])
                    + hac * (xyz[f0, 2] - xyz[f1, 2] - xyz[f2, 2] + xyz[f3, 2])
                    + hbc * (xyz[g0, 2] - xyz[g1, 2] - xyz[g2, 2] + xyz[g3, 2])
                ) - xyz[p, 2]  # fmt: skip
                if held and hold[p] > 0.0:
                    h = hold[p]
                    dx = (1 - h) * dx + h * (target[p, 0] - xyz[p, 0])
                    dy = (1 - h) * dy + h * (target[p, 1] - xyz[p, 1])
                    dz = (1 - h) * dz + h * (target[p, 2] - xyz[p, 2])
                dx, dy, dz = lacking((dx, dy, dz), p, tie, way, along, source, told)
                far = dx * dx + dy * dy + dz * dz
                row_longest, size = max(row_longest, far), min(aa, bb, cc)
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


@nb.njit(cache=True, nogil=True)
def towards(
    xyz: Floats,
    slots: Slots,
    start: Slots,
    near: Slots,
    weight: Floats,
    step: float,
    soft: Singles,
    hold: Singles,
    target: Floats,
    tie: Slots,
    way: Floats,
    along: Any,
    fair: bool,
    source: Any,
    told: Any,
) -> tuple[float, float]:
    """Move single nodes ``step`` of the way to the weighted means of others, in place.

    Where it is ``fair`` each weight is one over the distance, so that all pulls are alike: it comes to rest
    where they cancel, three lines at 120° whatever their spacing (Weiszfeld 1937, Tôhoku Math. J. 43, 355).
    ``near`` and ``weight`` are in compressed rows from ``start``, and the weights of a row add up to one.
    All else is as in `sweep`. Returns the largest full way, and the largest as a share of the distance to
    the nearest of the others.
    """
    largest = longest = 0.0
    for n in range(len(slots)):
        p = slots[n]
        if soft[p] == 0.0:
            continue
        x = y = z = total = mean = 0.0
        nearest = np.inf
        if fair:
            for m in range(start[n], start[n + 1]):
                mean += apart(xyz, near[m], p) / (start[n + 1] - start[n])
            for m in range(start[n], start[n + 1]):
                weight[m] = 1.0 / max(apart(xyz, near[m], p), _NEAREST * mean)
                total += weight[m]
            for m in range(start[n], start[n + 1]):
                weight[m] /= total
        for m in range(start[n], start[n + 1]):
            q, w = near[m], weight[m]
            x += w * xyz[q, 0]
            y += w * xyz[q, 1]
            z += w * xyz[q, 2]
            nearest = min(
                nearest,
                (xyz[q, 0] - xyz[p, 0]) ** 2 + (xyz[q, 1] - xyz[p, 1]) ** 2 + (xyz[q, 2] - xyz[p, 2]) ** 2,
            )
        h = hold[p] if len(hold) > 1 else 0.0
        if h > 0.0:
            x += h * (target[p, 0] - x)
            y += h * (target[p, 1] - y)
            z += h * (target[p, 2] - z)
        dx, dy, dz = x - xyz[p, 0], y - xyz[p, 1], z - xyz[p, 2]
        dx, dy, dz = lacking((dx, dy, dz), p, tie, way, along, source, told)
        far = dx * dx + dy * dy + dz * dz
        longest = max(longest, far)
        largest = max(largest, far / max(nearest, 1e-300))
        xyz[p, 0] += step * soft[p] * dx
        xyz[p, 1] += step * soft[p] * dy
        xyz[p, 2] += step * soft[p] * dz
    return np.sqrt(longest), np.sqrt(largest)


@nb.njit(cache=True, parallel=True, nogil=True, error_model="numpy")
def squareness(xyz: Floats, rows: Any, found: Singles) -> None:
    """Give each cell's least scaled Jacobian, at its first slot, in place; folded where not above 0.

    ``rows`` (r, 4) are rows of cells as those of nodes. Corners where an edge has shrunk are left out.
    """
    for r in nb.prange(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for p in range(first, first + count):
            # The least det · |det| over the squared lengths, as a fraction: one root and one division a cell.
            least, of = 4.0, 1.0
            for corner in range(8):
                i, j, k = corner & 1, corner >> 1 & 1, corner >> 2
                q = p + i * sa + j * sb + k
                a = q + (sa if i == 0 else -sa)
                b = q + (sb if j == 0 else -sb)
                c = q + (1 if k == 0 else -1)
                ax, ay, az = xyz[a, 0] - xyz[q, 0], xyz[a, 1] - xyz[q, 1], xyz[a, 2] - xyz[q, 2]
                bx, by, bz = xyz[b, 0] - xyz[q, 0], xyz[b, 1] - xyz[q, 1], xyz[b, 2] - xyz[q, 2]
                cx, cy, cz = xyz[c, 0] - xyz[q, 0], xyz[c, 1] - xyz[q, 1], xyz[c, 2] - xyz[q, 2]
                size = (
                    (ax * ax + ay * ay + az * az)
                    * (bx * bx + by * by + bz * bz)
                    * (cx * cx + cy * cy + cz * cz)
                )
                if size == 0.0:
                    continue
                det = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
                if (i + j + k) % 2 == 1:
                    det = -det
                squared = det * abs(det)
                if squared * of < least * size:
                    least, of = squared, size
            found[p] = np.sign(least) * np.sqrt(abs(least) / of)


@nb.njit(cache=True, nogil=True)
def keep_spacing(xyz: Floats, rows: Any, chosen: Any, most: float, phi: Singles) -> None:
    """Give the control (n, 3) that keeps the present spacing at chosen nodes; see `spacing_kept`."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for p in range(first, first + count):
            if chosen[p]:
                spacing_kept(xyz, p, (sa, sb, 1), most, phi)


@nb.njit(cache=True, nogil=True)
def even_out(rows: Any, chosen: Any, before: Singles, phi: Singles) -> None:
    """Average each direction's control over the neighbours along the others; see `evened_out`."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for p in range(first, first + count):
            if chosen[p]:
                evened_out(p, (sa, sb, 1), chosen, before, phi)


@nb.njit(cache=True, nogil=True)
def mark_corners(rows: Any, bad: Any, marked: Any) -> None:
    """Mark the nodes of the ``bad`` cells, in place."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for p in range(first, first + count):
            if bad[p]:
                mark_cell(p, (sa, sb, 1), marked)


@nb.njit(cache=True, nogil=True)
def cells_at(rows: Any, marked: Any, bad: Any) -> None:
    """Mark the cells with any marked node as ``bad``, in place."""
    for r in range(len(rows)):
        first, count, sa, sb = rows[r, 0], rows[r, 1], rows[r, 2], rows[r, 3]
        for p in range(first, first + count):
            if is_marked(p, (sa, sb, 1), marked):
                bad[p] = True

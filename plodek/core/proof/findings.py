"""What is found of a file: findings, and those that hold of blocks and of cells alike."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
import scipy

from plodek.core.arrays import Floats, dot
from plodek.core.formats.cargo import Cargo

#: Sums of areas and volumes agree within this share of themselves.
CLOSED = 1e-10
#: Places are the same within this share of the size of the grid, in double and in single precision.
SAME, SAME_SINGLE = 1e-13, 1e-6
#: After a move, which rounds each coordinate some times more.
SAME_MOVED = 1e-12


@dataclass(frozen=True)
class Finding:
    """Something that must hold of a file, and the figures; ``fine`` is None where it was not looked at."""

    what: str
    fine: bool | None
    said: str


def read(cells: int, where: str, unit: str) -> Finding:
    """Tell what was read."""
    said = f"{cells} cells{where}, " + (f"in {unit}" if unit else "and no length unit is said")
    return Finding("It can be read back", True, said)


def unit(found: str, wanted: Cargo) -> Finding:
    """Hold the unit of a file against the one it was written in."""
    what = "It says the right length unit"
    if not found and wanted.unit:
        return Finding(what, None, f"the format has no place for one; it is in {wanted.unit}")
    return Finding(what, found == wanted.unit, found or "none, as its numbers are in none with a name")


def places(off: float, size: float, count: int, *, single: bool) -> Finding:
    """Judge by how much nodes are ``off`` those that were sent, infinite where these are others.

    Only what is held in ``single`` precision may be off at all.
    """
    if not np.isfinite(off):
        return Finding("Every node is where it was", False, "there are other blocks, or other cells")
    said = f"{count} nodes, equal to the bit" if off == 0 else f"{count} nodes, at most {off:.3g} off"
    if off > 0 and single:
        said += ": they are held in single precision"
    return Finding("Every node is where it was", off <= (SAME_SINGLE * size if single else 0.0), said)


def held_in_single(nodes: Iterable[Floats]) -> bool:
    """Whether all numbers are such as single precision holds."""
    return all(np.array_equal(part, part.astype(np.float32)) for part in nodes)


@dataclass(frozen=True)
class Placed:
    """Of a patch: its type, "" where it is not known, how many faces, their area, and their centre (3,)."""

    type: str
    faces: int
    area: float
    centre: Floats

    @staticmethod
    def of(kind: str, vectors: Floats, centres: Floats) -> Placed:
        """Sum up the faces of a patch: their area vectors and centres (n, 3)."""
        size = np.linalg.norm(vectors, axis=1)
        area = float(size.sum())
        centre = (size[:, None] * centres).sum(axis=0) / area if area > 0 else np.zeros(3)
        return Placed(kind, len(vectors), area, centre)


def patches(found: Mapping[str, Placed], wanted: Mapping[str, Placed]) -> Finding:
    """Hold patches against those that were sent: names, types, faces, areas and where they are."""
    typed = all(one.type for one in found.values())
    what = "Every patch is where it was" + (", with its type" if typed else "")
    wrong = [f"“{name}” is missing" for name in wanted if name not in found]
    wrong += [f"“{name}” is new" for name in found if name not in wanted]
    for name, one in found.items():
        other = wanted.get(name)
        if other is None:
            continue
        near = SAME_SINGLE * (np.sqrt(other.area) + float(np.linalg.norm(other.centre)))
        if one.type and one.type != other.type:
            wrong.append(f"“{name}” is {one.type} in place of {other.type}")
        elif one.faces != other.faces:
            wrong.append(f"“{name}” has {one.faces} faces in place of {other.faces}")
        elif np.linalg.norm(one.centre - other.centre) > near:
            wrong.append(f"“{name}” is elsewhere")
        elif abs(one.area - other.area) > SAME_SINGLE * other.area:
            wrong.append(f"“{name}” has an area of {one.area:.6g} in place of {other.area:.6g}")
    said = f"{len(found)} patches, {sum(one.faces for one in found.values())} faces"
    return Finding(what, not wrong, "; ".join(wrong[:3]) or said)


def named(wrong: Mapping[str, int], faces: int, count: int, centres: Floats, near: Floats) -> Finding:
    """Judge whether each outer face is in one patch; those in none have ``centres`` (n, 3).

    ``near`` (n,) is how close two of them are to lie on each other.
    """
    told = [f"{many} faces {words}" for words, many in wrong.items() if many]
    if len(centres) > 1:
        apart = np.asarray(scipy.spatial.cKDTree(centres).query(centres, k=2)[0])[:, 1]
        twice = int((apart <= near).sum())
        if twice:
            told.append(f"{twice} of them lie on each other: an interface is missing")
    return Finding(
        "Every outer face is in exactly one patch",
        not told,
        "; ".join(told) or f"{faces} faces in {count} patches",
    )


def folded(volumes: Floats, count: int) -> Finding:
    """Judge whether cells are folded."""
    return Finding(
        "No cell is folded", count == 0, f"{count} of {len(volumes)}; the smallest has {volumes.min():.3g}"
    )


def closed(
    vectors: Floats, centres: Floats, volume: float, dim: int = 3, within: float = CLOSED
) -> tuple[Finding, Finding]:
    """Judge the outer surface: area vectors and centres (n, 3) of its faces, and the volume within it."""
    total = float(np.linalg.norm(vectors, axis=1).sum())
    rest = float(np.linalg.norm(vectors.sum(axis=0)))
    # The divergence theorem for the place itself, about a point in the middle for the sake of rounding.
    enclosed = float(dot(vectors, centres - centres.mean(axis=0)).sum()) / dim
    off = abs(enclosed - volume) / abs(volume) if volume else float("inf")
    return (
        Finding(
            "The outer surface is closed", rest <= within * total,
            f"its area vectors sum up to {rest:.1e}, of {total:.4g}",
        ),
        Finding(
            "The volume of the cells is that within the surface", off <= _VOLUMES,
            f"{volume:.9g}, and {enclosed:.9g}",
        ),
    )  # fmt: skip


#: Centres of warped faces are those of their corners' mean: volumes agree to this share.
_VOLUMES = 1e-3

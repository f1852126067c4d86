"""Proof of a grid of cells that was read back."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.formats.cargo import PIECE, Cargo
from plodek.core.formats.faces import areas, bodies, faces_of, middles
from plodek.core.formats.mesh import Mesh, mesh_of
from plodek.core.proof import findings
from plodek.core.proof.findings import Finding, Placed

#: Cells above which faces are not looked for, which takes a gigabyte for 2 million cells.
MOST = 5_000_000


def prove_cells(mesh: Mesh, wanted: Cargo | None) -> Iterator[Finding]:
    """Look at a mesh, held against the grid that was sent, where there is one."""
    yield findings.read(mesh.cells, "", mesh.unit)
    if wanted is not None:
        yield findings.unit(mesh.unit, wanted)
        grid = wanted.grid.scaled(wanted.factor)
        sent = mesh_of(grid)
        off = _off(mesh, sent)
        if off > 0 and len(grid.regions) > 1:  # cells may go region by region
            by_region = grid.only([block for blocks in grid.regions.values() for block in blocks])
            off = min(off, _off(mesh, mesh_of(by_region)))
        if off > 0:  # cells told by their faces may be turned
            off = min(off, _off(mesh, sent, turned=True))
        size, single = float(np.abs(sent.points).max()), off > 0 and findings.held_in_single([mesh.points])
        yield findings.places(off, size, len(sent.points), single=single)
        yield findings.patches(_patches(mesh), _patches(sent))
    if mesh.cells > MOST:
        yield Finding("Its faces are sound", None, f"not looked at: it has more than {MOST} cells")
        return
    faces = faces_of(mesh)
    vectors, centres = areas(mesh.points, faces.corners), middles(mesh.points, faces.corners)
    free = faces.outer & (faces.patch < 0)
    wrong = {
        "in none": int(free.sum()), "in two": faces.doubled, "at no cell": faces.loose,
        "of more than two cells": faces.crowded,
    }  # fmt: skip
    near = 1e-3 * np.sqrt(np.linalg.norm(vectors[free], axis=1))
    yield findings.named(wrong, int((~free & faces.outer).sum()), len(mesh.faces), centres[free], near)
    if faces.within:
        yield Finding("Patches lie on the outside", None, f"{faces.within} faces of them lie between cells")
    for twins in mesh.twins:
        first, second = (mesh.points[f].reshape(-1, 3) for f in (twins.ours, twins.theirs))
        apart = float(np.abs(twins.move.places(first) - second).max())
        yield Finding(
            "Periodic sides agree under their move",
            apart <= findings.SAME_MOVED * float(np.abs(second).max()),
            f"{len(twins.ours)} faces, at most {apart:.1e} apart",
        )
    volume, _ = bodies(mesh.cells, faces, vectors, centres)
    yield findings.folded(volume, int((volume <= 0).sum()))
    outer = faces.outer
    yield from findings.closed(vectors[outer], centres[outer], float(volume.sum()))


def _patches(mesh: Mesh) -> dict[str, Placed]:
    return {
        name: Placed.of(mesh.types.get(name, ""), areas(mesh.points, corners), middles(mesh.points, corners))
        for name, corners in mesh.faces.items()
    }


def _in_order(corners: Floats) -> Floats:
    """Give the corners of cells (n, corners, 3) by their x, then y, then z."""
    order = np.lexsort(np.moveaxis(corners, 2, 0)[::-1])
    return np.take_along_axis(corners, order[..., None], axis=1)


def _off(mesh: Mesh, sent: Mesh, *, turned: bool = False) -> float:
    """Give how far the corners of any cell are from those of the one sent; infinite for other cells.

    Where cells may be ``turned``, corners are taken in the order of their places.
    """
    if {k: len(c) for k, c in mesh.solids.items()} != {k: len(c) for k, c in sent.solids.items()}:
        return float("inf")
    off = 0.0
    for kind, corners in sent.solids.items():
        for low in range(0, len(corners), PIECE):
            part = slice(low, low + PIECE)
            there, was = mesh.points[mesh.solids[kind][part]], sent.points[corners[part]]
            apart = _in_order(there) - _in_order(was) if turned else there - was
            off = max(off, float(np.abs(apart).max()))
    return off

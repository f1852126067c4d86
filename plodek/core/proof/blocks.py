"""Proof of a grid of blocks that was read back."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from plodek.core.arrays import Floats
from plodek.core.check.geometry import face_centres, face_normals
from plodek.core.check.measure import measure
from plodek.core.formats.cargo import Cargo
from plodek.core.grid.grid import Grid
from plodek.core.grid.outside import doubled_faces
from plodek.core.grid.window import Interface, PatchFaces, Window
from plodek.core.proof import findings
from plodek.core.proof.findings import Finding, Placed


def prove_blocks(grid: Grid, unit: str, wanted: Cargo | None) -> Iterator[Finding]:
    """Look at a grid, held against the one that was sent, where there is one."""
    yield findings.read(grid.cells, f" in {len(grid.xyz)} blocks", unit)
    if wanted is not None:
        yield findings.unit(unit, wanted)
        yield _nodes(grid, wanted)
        yield findings.patches(_patches(grid), _patches(wanted.grid, wanted.factor))
    free = _faces(grid, grid.unnamed)
    faces = sum(grid.patch_faces(patch) for patch in grid.patches)
    wrong = {"in none": len(free[1]), "in two": sum(doubled_faces(grid).values())}
    near = 1e-3 * np.sqrt(np.linalg.norm(free[0], axis=1))
    yield findings.named(wrong, faces, len(grid.patches), free[1], near)
    yield _agree("Interfaces agree, node by node", grid, grid.interfaces)
    if grid.periodic:
        yield _agree("Periodic sides agree under their move", grid, grid.periodic)
    cells = measure(grid, either_hand=True)
    leaks = [leak for leak in cells.leaks if leak.kind != "twice"]
    told = "; ".join(leak.told(grid.names) for leak in leaks[:3])
    yield Finding("Blocks neither overlap nor lie on others unjoined", not leaks, told or "none does")
    yield findings.folded(cells.volume, int(cells.folded.sum()))
    left = [grid.names[block] for block in cells.left]
    yield Finding(
        "All blocks are right-handed", not left, f"{len(left)} are not, first {left[0]}" if left else "yes"
    )
    outer = [window for patch in grid.patches for window in patch.windows]
    named = set(outer)
    twins = [w for joint in grid.periodic for w in (joint.first, joint.second) if w not in named]
    windows = [*outer, *twins, *grid.unnamed]
    vectors, centres = _faces(grid, windows)
    if cells.left:  # their faces look the other way
        vectors *= np.repeat(cells.signs[[w.block for w in windows]], [grid.faces(w) for w in windows])[
            :, None
        ]
    yield from findings.closed(vectors, centres, float(cells.volume.sum()), grid.dim)


def _faces(grid: Grid, windows: Sequence[Window]) -> tuple[Floats, Floats]:
    """Give the area vectors, looking outward, and the centres (n, 3) of the faces of windows."""
    none = np.empty((0, 3))
    vectors = [0.5 * face_normals(grid, w) * (1.0 if w.end else -1.0) for w in windows]
    centres = np.concatenate([none, *(face_centres(grid, w) for w in windows)])
    if grid.dim == 2:
        centres[:, 2] = 0.0  # those of edges, which stand as faces of unit depth
    return np.concatenate([none, *vectors]), centres


def _patches(grid: Grid, factor: float = 1.0) -> dict[str, Placed]:
    """Sum up the patches of a grid whose lengths are multiplied by a factor."""

    def placed(patch: PatchFaces) -> Placed:
        vectors, centres = _faces(grid, patch.windows)
        return Placed.of(patch.type, factor ** (grid.dim - 1) * vectors, factor * centres)

    return {patch.name: placed(patch) for patch in grid.patches}


def _nodes(grid: Grid, wanted: Cargo) -> Finding:
    """Hold the nodes against those that were sent."""
    sent = wanted.grid.xyz
    if [nodes.shape for nodes in grid.xyz] != [nodes.shape for nodes in sent]:
        return findings.places(np.inf, 0.0, 0, single=False)
    off, size = 0.0, 0.0
    for found, nodes in zip(grid.xyz, sent, strict=True):
        for low in range(len(nodes)):  # a layer at a time: no second copy of a large block
            there = nodes[low] * wanted.factor
            off = max(off, float(np.abs(found[low] - there).max()))
            size = max(size, float(np.abs(there).max()))
    count = sum(nodes[..., 0].size for nodes in sent)
    return findings.places(off, size, count, single=off > 0 and findings.held_in_single(grid.xyz))


def _agree(what: str, grid: Grid, joints: Sequence[Interface]) -> Finding:
    """Judge whether the nodes of both sides of joints are the same, moved where they are periodic."""
    off, worst, size, single = 0.0, "", 0.0, True
    for joint in joints:
        ours, theirs = grid.nodes(joint.first), joint.orientation.apply(grid.nodes(joint.second))
        first, second = ours.reshape(-1, 3), theirs.reshape(-1, 3)
        single = single and findings.held_in_single([first])
        if joint.move is not None:
            first = joint.move.places(first)
        apart = float(np.abs(first - second).max())
        size = max(size, float(np.abs(first).max()))
        if apart > off:
            pair = (grid.names[window.block] for window in (joint.first, joint.second))
            off, worst = apart, f" between {' and '.join(pair)}"
    told = "equal to the bit" if off == 0 else f"at most {off:.3g} apart{worst}"
    moved = any(joint.move is not None for joint in joints)
    most = findings.SAME_SINGLE if single else findings.SAME_MOVED if moved else findings.SAME
    return Finding(what, off <= most * size, f"{len(joints)}: {told}" if joints else "there are none")

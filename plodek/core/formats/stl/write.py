"""Writing the faces of patches as STL: each face as the two triangles along its shorter diagonal."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh

from plodek.core.arrays import Floats, Ints
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.vtk.write import faces_of
from plodek.core.grid.window import PatchFaces
from plodek.core.shape.files.mesh_file import write_stl


def write(path: Path, cargo: Cargo, *, one: bool) -> list[Path]:
    """Write a grid's patches as text in ``one`` file, or as binary files of their own in a folder."""
    if one:
        path.write_bytes(write_stl(((p.name, *triangles_of(cargo, p)) for p in cargo.grid.patches), 1.0))
        return [path]
    folder = path.with_name(f"{path.stem}-patches")
    folder.mkdir(parents=True, exist_ok=True)
    files = []
    for patch in cargo.grid.patches:
        files.append(folder / f"{patch.name}.stl")
        mesh = trimesh.Trimesh(*triangles_of(cargo, patch), process=False)
        files[-1].write_bytes(trimesh.exchange.stl.export_stl(mesh))
    return files


def triangles_of(cargo: Cargo, patch: PatchFaces) -> tuple[Floats, Ints]:
    """Give the nodes (n, 3) of a patch and its triangles (m, 3), whose normals look outward."""
    xyz, quads = faces_of(cargo, patch)
    a, b, c, d = (xyz[quads[:, n]] for n in range(4))
    other = np.linalg.norm(b - d, axis=1) < np.linalg.norm(a - c, axis=1)
    turned = np.where(other[:, None], np.roll(quads, -1, axis=1), quads)
    triangles = np.concatenate([turned[:, [0, 1, 2]], turned[:, [0, 2, 3]]])
    p, q, r = (xyz[triangles[:, n]] for n in range(3))
    flat = np.all(p == q, axis=1) | np.all(q == r, axis=1) | np.all(r == p, axis=1)  # at poles
    return xyz, triangles[~flat]

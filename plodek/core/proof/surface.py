"""Proof of the patches of a grid that left as triangles."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
import trimesh

from plodek.core.arrays import Floats
from plodek.core.check.measure import measure
from plodek.core.errors import BadFile
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.stl.write import triangles_of
from plodek.core.proof import findings
from plodek.core.proof.findings import SAME_SINGLE, Finding, Placed


def prove_surface(files: Sequence[Path], wanted: Cargo) -> Iterator[Finding]:
    """Look at triangles in one file, or in one for each patch, held against the grid that was sent.

    They are read by trimesh. Raises BadFile for a file that holds no triangles.
    """
    found = {name: corners for file in files for name, corners in _solids(file).items()}
    count = sum(len(corners) for corners in found.values())
    yield Finding("It can be read back", True, f"{count} triangles in {len(found)} solids, without a unit")
    sent = {}
    for patch in wanted.grid.patches:
        xyz, triangles = triangles_of(wanted, patch)
        sent[patch.name] = _placed(xyz[triangles])
    yield findings.patches({name: _placed(corners) for name, corners in found.items()}, sent)
    every = np.concatenate([*found.values(), np.empty((0, 3, 3))])
    volume = float(measure(wanted.grid).volume.sum()) * wanted.factor**3
    yield from findings.closed(_vectors(every), every.mean(axis=1), volume, within=SAME_SINGLE)


def _placed(corners: Floats) -> Placed:
    return Placed.of("", _vectors(corners), corners.mean(axis=1))


def _vectors(corners: Floats) -> Floats:
    """Give the area vectors (n, 3) of triangles (n, 3, 3)."""
    a, b, c = (corners[:, n] for n in range(3))
    return np.asarray(0.5 * np.cross(b - a, c - a))


def _solids(file: Path) -> dict[str, Floats]:
    """Give the corners (n, 3, 3) of the triangles of each solid of a file, by their names."""
    try:
        scene = trimesh.load_scene(file, process=False)
    except Exception as error:  # whatever the reader of another project meets
        raise BadFile(f"it cannot be read as triangles ({error})", where=file.name) from error
    return {
        file.stem if name == file.name else name: np.asarray(mesh.vertices[mesh.faces])
        for name, mesh in scene.geometry.items()
    }

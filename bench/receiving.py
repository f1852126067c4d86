"""A received grid of many blocks: taken up and filled; and blocks found again in hexahedra without any."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from report import QUICK, say, seconds

from plodek.core.build.build import filled_grid
from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.formats.cells import HEXA
from plodek.core.formats.faces import faces_of
from plodek.core.formats.mesh import Mesh, mesh_of
from plodek.core.formats.regular import blocks_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import matched
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory


def _many(blocks: int, cells: int) -> Grid:
    """A bend of blocks³ blocks of cells³ cells."""
    nodes = blocks * cells + 1
    r, t, z = np.meshgrid(
        np.linspace(1, 2, nodes), np.linspace(0, 1.5, nodes), np.linspace(0, 1, nodes), indexing="ij"
    )
    whole = np.stack([r * np.sin(t), r * np.cos(t), z], axis=-1)[:, ::-1]
    pieces = [slice(cells * n, cells * (n + 1) + 1) for n in range(blocks)]
    xyz = tuple(whole[i, j, k].copy() for i in pieces for j in pieces for k in pieces)
    return Grid(3, tuple(f"b{n}" for n in range(len(xyz))), xyz, matched(xyz, 3))


def receiving() -> None:
    """Take a million cells up, in 64 blocks and in none."""
    grid = _many(2 if QUICK else 4, 6 if QUICK else 25)
    one = registry.formats()["cgns"]
    assert one.write is not None
    with tempfile.TemporaryDirectory() as folder:
        one.write(Path(folder, "a.cgns"), Cargo(grid, "m"), one.choices())
        data = Path(folder, "a.cgns").read_bytes()
    steps = [{"kind": "start-from-grid", "id": "s", "file": "a.cgns"}]
    recipe = document.of({"steps": steps})

    def taken_up() -> None:
        filled_grid(Evaluator().evaluate(recipe, in_memory({"a.cgns": data})).model)

    reading = seconds(lambda: registry.read_of(data, "a.cgns"), 3)
    took = seconds(taken_up, 3)
    what = f"{grid.cells} cells, {len(grid.xyz)} blocks taken up and filled; reading {reading:.2f} s"
    say(what, f"{took / reading:.1f} x", "< 4 x")
    chance = np.random.default_rng(1)
    mesh = mesh_of(grid)
    shuffled = Mesh(mesh.points, {HEXA: chance.permutation(mesh.solids[HEXA])}, {})
    faces = seconds(lambda: faces_of(shuffled), 2)
    took = seconds(lambda: blocks_of(shuffled, "a"), 2)
    say(f"blocks found again in them; their faces alone {faces:.2f} s", f"{took / faces:.1f} x", "< 6 x")

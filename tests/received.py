"""Grids as others might send them: with poles, turned over, not quite meeting; made up."""

import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from plodek.core.grid.grid import Grid
from plodek.core.grid.matching import matched, poles_in
from plodek.core.grid.outside import rest_of
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import in_memory
from plodek.core.recipe.formats import FORMAT
from tests.conftest import numbered


def pipe(radius, centre, across, up, *, around=24):
    """The nodes (r, angle, s) of a round pipe with a pole on its line: places (n, 3) and two directions there."""
    r = radius * np.tanh(1.6 * np.linspace(0, 1, 11)) / np.tanh(1.6)
    angle = np.linspace(0, 2 * np.pi, around + 1)
    angle[-1] = 0.0
    ring = np.cos(angle)[:, None, None] * across + np.sin(angle)[:, None, None] * up
    nodes = centre + r[:, None, None, None] * ring
    nodes[0] = centre
    return nodes


def dewatering_bend():
    """A bend of a pipe, left-handed, and a straight piece after it, 0.02 mm off; in mm."""
    turn = np.linspace(0, np.pi / 2, 25)
    zero, one = np.zeros_like(turn), np.ones_like(turn)
    line = np.stack([300 * (1 - np.cos(turn)), zero, 300 * np.sin(turn)], axis=1)
    out = np.stack([-np.cos(turn), zero, np.sin(turn)], axis=1)
    bend = pipe(100.0, line, out, np.stack([zero, one, zero], axis=1))
    s = np.linspace(0, 400, 17)
    zero, one = np.zeros_like(s), np.ones_like(s)
    line = np.stack([300 + s + 0.02, zero, 300 * one], axis=1)
    straight = pipe(100.0, line, np.stack([zero, zero, one], axis=1), np.stack([zero, one, zero], axis=1))
    return [bend, straight.transpose(2, 1, 0, 3)]


def bent(*, cells=(8, 6, 4), power=1.3):
    """The nodes of a bent block whose sides are all curved, its cells finer at the low ends."""
    x, y, z = np.meshgrid(*(np.linspace(0, 1, n + 1) ** power for n in cells), indexing="ij")
    r, angle = 1 + y + 0.1 * np.sin(5 * x), -1.2 * x
    return np.stack(
        [r * np.cos(angle), r * np.sin(angle), z * (1 + 0.2 * x * y) + 0.05 * np.sin(6 * x * y)], axis=-1
    )


def of_nodes(*xyz, dim=3):
    """A grid of the nodes of blocks, as it is where a file tells no more: joined where they meet."""
    grid = Grid(
        dim,
        tuple(f"block{n}" for n in range(1, len(xyz) + 1)),
        xyz,
        matched(xyz, dim),
        poles=poles_in(xyz, dim),
    )
    return replace(grid, unnamed=rest_of(grid))


def written(grid, key="cgns", unit="m", **choices):
    """The bytes of a grid in a format."""
    one = registry.written()[key]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"grid{one.endings[0]}"
        one.write(path, Cargo(grid, unit), one.choices(choices))
        return path.read_bytes()


def wedge():
    """The bytes of a quarter of a pipe with a pole, in PLOT3D."""
    s = np.linspace(0, 1, 4)
    zero, one = np.zeros_like(s), np.ones_like(s)
    line = np.stack([zero, zero, s], axis=1)
    across, up = np.stack([one, zero, zero], axis=1), np.stack([zero, one, zero], axis=1)
    return written(of_nodes(pipe(0.5, line, across, up)[::2, :7]), "plot3d")


START = {"kind": "start-from-grid", "file": "a.cgns"}


BENT = of_nodes(bent())


def evaluate(steps, **grids):
    """Evaluate steps that read grids, files by their names without the ending."""
    files = {
        f"{name}.cgns": data if isinstance(data, bytes) else written(data) for name, data in grids.items()
    }
    recipe = document.of({"plodek": FORMAT, "name": "t", "steps": numbered(steps)}, "t")
    return Evaluator().evaluate(recipe, in_memory(files))


def model_of(steps, **grids):
    found = evaluate(steps, **grids)
    assert found.error is None, str(found.error)
    return found.model


def error_of(steps, **grids):
    found = evaluate(steps, **grids)
    assert found.error is not None
    return str(found.error)


def nodes_of(grid):
    """All places of nodes, each once, in order."""
    return np.unique(np.concatenate([nodes.reshape(-1, 3) for nodes in grid.xyz]) + 0.0, axis=0)  # −0 is 0


def kept(grid, built):
    """How many of a grid's places are nodes of another, to the bit."""
    there = {row.tobytes() for row in nodes_of(built)}
    return sum(row.tobytes() in there for row in nodes_of(grid))

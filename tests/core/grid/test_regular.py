"""Blocks found again in hexahedra without any: however cells are numbered and turned, and wherever they lie."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plodek.core.blocks.orientation import Orientation
from plodek.core.build import build
from plodek.core.errors import BadFile
from plodek.core.formats.cells import HEXA
from plodek.core.formats.mesh import Mesh, mesh_of
from plodek.core.formats.regular import blocks_of
from tests.core.grid.test_formats import grids  # noqa: F401  # a fixture
from tests.received import bent, of_nodes, pipe

#: The corners of a hexahedron as files have them, and i + 2j + 4k; and the turns that leave it right-handed.
AROUND = [0, 1, 3, 2, 4, 5, 7, 6]
TURNS = [
    [one.corner(n) for n in range(8)]
    for one in Orientation.every(3)
    if np.linalg.det([[np.sign(a) * (abs(a) - 1 == axis) for axis in range(3)] for a in one.axes]) > 0
]


def places(grid):
    return np.unique(np.concatenate([nodes.reshape(-1, 3) for nodes in grid.xyz]), axis=0)


def shuffled(mesh, seed=0):
    """The mesh with its cells in any order, each turned in any way, its points numbered anew."""
    chance = np.random.default_rng(seed)
    cells = chance.permutation(mesh.solids[HEXA])[:, AROUND]
    cells = np.stack([cell[TURNS[chance.integers(24)]] for cell in cells])[:, AROUND]
    number = chance.permutation(len(mesh.points))
    points = np.empty_like(mesh.points)
    points[number] = mesh.points
    faces = {name: number[chance.permutation(own)] for name, own in mesh.faces.items()}
    twins = tuple(replace(t, ours=number[t.ours], theirs=number[t.theirs]) for t in mesh.twins)
    return replace(mesh, points=points, solids={HEXA: number[cells]}, faces=faces, twins=twins)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("name", "blocks"),
    [("gate-chamber", 17), ("draft-cone", 7), ("siphon", 5), ("turning-vanes", 12), ("outfall-fin", 3)],
)
def test_the_demo_grids_are_blocks_again(demos, name, blocks):
    grid = build.filled_grid(demos.model(name))
    mesh = mesh_of(grid)
    found = blocks_of(shuffled(mesh), name)
    assert np.array_equal(places(found), places(grid))
    assert (found.cells, len(found.xyz)) == (grid.cells, blocks)
    assert {p.name: (p.type, found.patch_faces(p)) for p in found.patches} == {
        p.name: (p.type, grid.patch_faces(p)) for p in grid.patches
    }
    assert found.unnamed == ()


@pytest.mark.parametrize("name", ["twins", "turned twins"])
def test_periodic_faces_are_twins_of_blocks_again(grids, name):  # noqa: F811
    grid = grids[name]
    found = blocks_of(shuffled(mesh_of(grid)), name)
    assert [len(found.xyz), found.cells] == [1, grid.cells]
    faces = [sum(one.faces(p.first) for p in one.periodic) for one in (found, grid)]
    assert faces[0] == faces[1] > 0
    for joint in found.periodic:
        here, there = found.nodes(joint.first), joint.orientation.apply(found.nodes(joint.second))
        assert np.abs(joint.move.places(here.reshape(-1, 3)) - there.reshape(-1, 3)).max() < 1e-12


def test_a_periodic_face_that_no_cell_has_is_told(grids):  # noqa: F811
    mesh = mesh_of(grids["twins"])
    (first, *_) = mesh.twins
    wrong = replace(first, theirs=np.roll(first.theirs, 1, axis=0)[:, [0, 1, 2, 2]])
    with pytest.raises(BadFile, match="no face of a cell"):
        blocks_of(replace(mesh, twins=(wrong,)), "a")


def test_a_ring_that_closes_without_any_corner_is_cut_somewhere():
    angle = np.linspace(0, 2 * np.pi, 13)
    angle[-1] = 0.0
    line = np.stack([3 * np.cos(angle), 3 * np.sin(angle), 0 * angle], axis=1)
    out, up = line / 3, np.array([[0.0, 0.0, 1.0]])
    r, across = np.meshgrid(np.linspace(0.2, 1, 4), np.linspace(-1, 1, 5), indexing="ij")
    nodes = line + r[..., None, None] * out + across[..., None, None] * up
    grid = of_nodes(nodes)
    assert len(grid.interfaces) == 1
    found = blocks_of(shuffled(mesh_of(grid)), "ring")
    assert np.array_equal(places(found), places(grid))
    assert len(found.xyz) == 1
    assert len(found.interfaces) == 1


@settings(deadline=None)
@given(st.sets(st.integers(0, 63), min_size=1), st.integers(0, 99))
def test_any_set_of_cells_is_covered_by_blocks(chosen, seed):
    mesh = mesh_of(of_nodes(bent(cells=(4, 4, 4))))
    cells = mesh.solids[HEXA][sorted(chosen)]
    found = blocks_of(shuffled(replace(mesh, solids={HEXA: cells}), seed), "any")
    assert found.cells == len(chosen)
    used = np.unique(mesh.points[np.unique(cells)], axis=0)
    assert np.array_equal(places(found), used)
    middles = np.concatenate([
        0.125 * sum(x[i : len(x) - 1 + i, j : x.shape[1] - 1 + j, k : x.shape[2] - 1 + k].reshape(-1, 3)
                    for i in (0, 1) for j in (0, 1) for k in (0, 1))
        for x in found.xyz
    ])  # fmt: skip
    apart = np.linalg.norm(middles[:, None] - mesh.points[cells].mean(axis=1)[None], axis=2)
    assert apart.min(axis=0).max() < 1e-12


def test_patches_end_blocks_where_they_meet_within_a_side():
    grid = of_nodes(bent())
    mesh = mesh_of(grid)
    points = mesh.points
    corner = mesh.solids[HEXA][:, [0, 3, 2, 1]]
    at = grid.xyz[0][:, :, 0].reshape(-1, 3)
    bottom = np.array([own for own in corner if all(np.any(np.all(points[n] == at, axis=1)) for n in own)])
    first = np.array([own for own in bottom if np.hypot(*points[own][:, :2].mean(axis=0)) < 1.4])
    rest = np.array([own for own in bottom if np.hypot(*points[own][:, :2].mean(axis=0)) >= 1.4])
    found = blocks_of(shuffled(replace(mesh, faces={"sill": first, "bed": rest})), "two")
    assert {p.name: found.patch_faces(p) for p in found.patches} == {"sill": len(first), "bed": len(rest)}
    assert np.array_equal(places(found), places(grid))


def test_other_cells_are_refused_with_what_was_met():
    s = np.linspace(0, 1, 3)
    zero, one = np.zeros_like(s), np.ones_like(s)
    ways = (np.stack(w, axis=1) for w in ((zero, zero, s), (one, zero, zero), (zero, one, zero)))
    round_pipe = mesh_of(of_nodes(pipe(1.0, *ways)))
    with pytest.raises(BadFile, match="48 cells of the kind PENTA_6"):
        blocks_of(round_pipe, "pipe.cgns")
    mesh = mesh_of(of_nodes(bent()))
    shrunk = mesh.solids[HEXA].copy()
    shrunk[0, 1] = shrunk[0, 0]
    with pytest.raises(BadFile, match="1 of its hexahedra hold a node twice"):
        blocks_of(replace(mesh, solids={HEXA: shrunk}), "a")
    with pytest.raises(BadFile, match="no cell"):
        blocks_of(Mesh(mesh.points, {}, {}), "a")

"""The dry run's solver against solutions that are known in closed form."""

from dataclasses import replace

import numpy as np
import pytest

from plodek.core.blocks.orientation import Orientation
from plodek.core.dryrun.coarser import coarser, kept
from plodek.core.dryrun.diffusion import Diffusion
from plodek.core.dryrun.dry_run import dry_run
from plodek.core.dryrun.manufactured import given_all_round, linear_error
from plodek.core.dryrun.outside import level_lines
from plodek.core.dryrun.volumes import Volumes
from plodek.core.formats.mesh import mesh_of
from plodek.core.grid.grid import Grid
from plodek.core.grid.window import Interface, PatchFaces, Window
from plodek.core.shape.move import turned
from tests.core.grid.test_formats import grids, turned_twins, written  # noqa: F401  # a fixture

SIDES = [Window(0, axis, end) for axis in range(3) for end in (0, 1)]


def block(nodes, **patches):
    """A grid of one block with patches of their sides; the others are symmetry planes."""
    rest = tuple(w for n, w in enumerate(SIDES) if n not in [s for sides in patches.values() for s in sides])
    named = tuple(PatchFaces(name, "wall", tuple(SIDES[n] for n in sides)) for name, sides in patches.items())
    return Grid(3, ("a",), (nodes,), patches=(*named, PatchFaces("rest", "symmetry", rest)))


def ring(nr, nt, r0, r1, turn, growth=1.0):
    """A sector of a ring, one cell deep, that reaches round by ``turn``."""
    s = np.linspace(0, 1, nr + 1)
    r = r0 + (r1 - r0) * (s if growth == 1 else (growth**s - 1) / (growth - 1))
    at = np.meshgrid(r, np.linspace(0, turn, nt + 1), [0.0, 1.0], indexing="ij")
    return np.stack([at[0] * np.cos(at[1]), at[0] * np.sin(at[1]), at[2]], axis=-1)


def orders(errors):
    return np.log2(np.array(errors[:-1]) / errors[1:])


def test_diffusion_through_a_ring_sector_has_the_exact_flux_at_second_order():
    """The flux through a sector of angle a is a / ln(r₁/r₀) for a unit difference."""
    exact, errors = (np.pi / 2) / np.log(2.0), []
    for n in (8, 16, 32):
        volumes = Volumes.of(mesh_of(block(ring(n, 2 * n, 1.0, 2.0, np.pi / 2), inner=[0], outer=[1])))
        given = (volumes.outer.patch == 1).astype(float)
        flux = Diffusion.with_values_on(volumes, [0, 1]).solve(given).flux
        through = [flux[volumes.outer.patch == n].sum() for n in (0, 1)]
        assert sum(through) == pytest.approx(0, abs=1e-9)
        errors.append(abs(through[1] - exact))
    assert np.all(orders(errors) > 1.9)
    assert errors[-1] < 1e-3 * exact


def test_potential_flow_round_a_cylinder_has_the_pressure_of_the_books():
    """c_p = 1 − 4 sin²θ on the cylinder (Lamb, Hydrodynamics; Batchelor 1967), at second order."""
    errors = []
    for n in (16, 32, 64):
        volumes = Volumes.of(
            mesh_of(block(ring(n, 2 * n, 1.0, 8.0, np.pi, growth=8.0), cylinder=[0], far=[1]))
        )
        outer = volumes.outer
        x, y = outer.middle[:, 0], outer.middle[:, 1]
        far = outer.patch == 1
        given = np.where(far, x * (1 + 1 / (x**2 + y**2)), 0.0)
        solved = Diffusion.with_values_on(volumes, [1]).solve(given)
        wall = outer.patch == 0
        cell = outer.cell[wall]
        # The speed on the wall itself: from the potential of the cells on it, along it.
        angle = np.arctan2(volumes.centre[cell, 1], volumes.centre[cell, 0])
        order = np.argsort(angle)
        middle = 0.5 * (angle[order][1:] + angle[order][:-1])
        radius = np.hypot(*volumes.centre[cell[order], :2].T)
        phi = solved.values[cell[order]]
        # On a circle of radius r the potential is (r + 1/r) cos θ; it is brought down to the wall by that.
        onto = 2.0 / (radius + 1.0 / radius)
        speed = np.diff(phi * onto) / np.diff(angle[order])
        pressure, wanted = 1 - speed**2, 1 - 4 * np.sin(middle) ** 2
        errors.append(float(np.abs(pressure - wanted).max()))
    assert np.all(orders(errors) > 1.7), errors
    assert errors[-1] < 0.01


def skewed(n, seed=0):
    """A box whose inner nodes are moved at random, by a fifth of a cell."""
    axes = [np.linspace(0, 1, n + 1)] * 3
    nodes = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    nodes[1:-1, 1:-1, 1:-1] += np.random.default_rng(seed).uniform(
        -0.2 / n, 0.2 / n, (n - 1, n - 1, n - 1, 3)
    )
    return nodes


@pytest.mark.parametrize("seed", range(3))
def test_a_linear_field_is_met_exactly_on_any_cells(seed):
    volumes = Volumes.of(mesh_of(block(skewed(6, seed))))
    assert linear_error(given_all_round(volumes)) < 1e-8
    assert volumes.volume.sum() == pytest.approx(1)


def test_driven_diffusion_in_a_box_has_its_closed_form():
    """∇²φ = 0 in a unit box, sin πx on one side and 0 on the others: sin πx sinh πy / sinh π."""
    errors = []
    for n in (8, 16, 32):
        axes = np.linspace(0, 1, n + 1), np.linspace(0, 1, n + 1), np.array([0.0, 1.0])
        nodes = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
        volumes = Volumes.of(mesh_of(block(nodes, sides=[0, 1, 2], lid=[3])))
        lid = volumes.outer.patch == 1
        given = np.where(lid, np.sin(np.pi * volumes.outer.middle[:, 0]), 0.0)
        found = Diffusion.with_values_on(volumes, [0, 1]).solve(given).values
        x, y = volumes.centre[:, 0], volumes.centre[:, 1]
        errors.append(float(np.abs(found - np.sin(np.pi * x) * np.sinh(np.pi * y) / np.sinh(np.pi)).max()))
    assert np.all(orders(errors) > 1.6), errors
    assert errors[-1] < 2e-3


def test_flow_through_twin_sides_goes_round():
    """A sector that is periodic by a turn: the field of a line source turns with it, and needs no values there."""
    for steps in (4, 8):
        nodes = ring(steps, steps, 1.0, 2.0, np.pi / 3)
        grid = block(nodes, inner=[0], outer=[1], one=[2], other=[3])
        move = turned(np.zeros(3), np.array([0.0, 0, 1]), np.pi / 3)
        twins = replace(grid, periodic=(Interface(SIDES[2], SIDES[3], Orientation.identity(3), move),))
        volumes = Volumes.of(mesh_of(twins))
        assert not np.isin(volumes.outer.patch, [2, 3]).any()
        given = (volumes.outer.patch == 1).astype(float)
        plain = Volumes.of(mesh_of(grid))
        found = Diffusion.with_values_on(volumes, [0, 1]).solve(given)
        wanted = Diffusion.with_values_on(plain, [0, 1]).solve((plain.outer.patch == 1).astype(float))
        assert np.allclose(found.values, wanted.values, atol=5e-3)
        # The same on every ray, which closed sides do not give.
        rays = found.values.reshape(steps, steps)
        assert np.ptp(rays, axis=1).max() < 1e-8


@pytest.mark.parametrize("name", ["regions", "pole", "ring", "turned twins", "plane"])
def test_every_topology_is_solved_on(name, grids, tmp_path):  # noqa: F811
    path, _ = written("cgns", grids[name], tmp_path)
    run = dry_run(path)
    what = {finding.what: finding.fine for finding in run.findings}
    assert what["A uniform stream stays uniform"]
    assert what["A linear field is met exactly"]
    assert run.order.order == pytest.approx(2, abs=0.3)


@pytest.mark.parametrize("name", ["by sides", "as one"])
def test_a_grid_one_cell_deep_has_the_order_of_the_scheme(name, tmp_path):
    """Values given in front and behind, half a cell from every centre, made it 0.6 to 1."""
    n, faces = 24, {"by sides": {"walls": [0, 1, 2, 3], "ends": [4, 5]}, "as one": {"walls": range(6)}}
    axes = np.linspace(0, 3, n + 1) ** 1.2, np.linspace(0, 2, n + 1), np.array([0.0, 0.1])
    grid = block(np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1), **faces[name])
    path, _ = written("cgns", replace(grid, patches=tuple(p for p in grid.patches if p.windows)), tmp_path)
    order = dry_run(path).order.order
    assert order == pytest.approx(2, abs=0.1)


@pytest.mark.parametrize("cells", range(1, 40))
def test_a_coarser_grid_is_the_same_from_either_end(cells):
    nodes = kept(cells)
    assert np.array_equal(cells - nodes[::-1], nodes)
    assert (nodes[0], nodes[-1]) == (0, cells)
    assert np.diff(nodes).max(initial=1) <= 3
    assert len(nodes) - 1 == pytest.approx(cells / 2, abs=1)


def test_a_coarser_grid_keeps_interfaces_and_patches(grids):  # noqa: F811
    for grid in (grids["ring"], grids["twins"], turned_twins()):
        half = coarser(grid)
        for joint in half.interfaces:
            assert np.array_equal(half.nodes(joint.first), joint.orientation.apply(half.nodes(joint.second)))
        assert half.cells <= grid.cells / 2
        assert [patch.name for patch in half.patches] == [patch.name for patch in grid.patches]


def test_a_flow_is_seen_from_outside_with_lines_of_equal_potential(tmp_path):
    """In a straight channel the speed is 1 everywhere, and the lines lie square to it, evenly."""
    axes = np.linspace(0, 4, 9), np.linspace(0, 1, 5), np.linspace(0, 1, 4)
    grid = block(np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1), inflow=[0], outflow=[1])
    kinds = {"inflow": "inlet", "outflow": "outlet"}
    grid = replace(grid, patches=tuple(replace(p, type=kinds.get(p.name, "wall")) for p in grid.patches))
    path, _ = written("cgns", grid, tmp_path)
    seen = dry_run(path).outside
    assert seen.names == ("inflow", "outflow", "rest")
    assert np.allclose(seen.speed, 1, atol=1e-8)
    assert np.allclose(seen.potential, seen.points[seen.faces].mean(axis=1)[:, 0] - 4, atol=1e-8)
    x = seen.lines[..., 0]
    assert np.ptp(x, axis=1).max() < 0.26  # near the ends values at points are means of one side
    inside = np.all((x > 0.6) & (x < 3.4), axis=1)
    assert np.ptp(x[inside], axis=1).max() < 1e-6
    assert len(np.unique(np.round(x[inside].mean(axis=1), 4))) > 20


def test_a_plane_grid_is_solved_on_one_cell_deep_and_seen_from_in_front(tmp_path):
    """A plane channel of 4 × 1 in millimetres: speed 1, and cells of 0.5 × 0.25."""
    axes = np.linspace(0, 4, 9), np.linspace(0, 1, 5), [0.0]
    nodes = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)
    sides = {"inlet": (0,), "outlet": (1,), "wall": (2, 3)}
    named = tuple(PatchFaces(kind, kind, tuple(SIDES[n] for n in of)) for kind, of in sides.items())
    path, _ = written("cgns", Grid(2, ("a",), (nodes,), patches=named), tmp_path, unit="mm")
    run = dry_run(path)
    assert run.holds
    assert run.findings[0].said.startswith("0.3536 mm deep")
    assert run.flow.balance["inlet"] == pytest.approx(-np.sqrt(0.125))
    assert np.allclose(run.flow.speed, 1, atol=1e-8)
    assert len(run.outside.faces) == 32
    assert np.unique(run.outside.patch).tolist() == [run.outside.names.index("front")]


def test_lines_of_equal_value_on_a_sphere_are_circles():
    """z on a unit sphere: every piece lies at one height, and all of one height make up its circle."""
    t, p = np.meshgrid(np.linspace(0.3, np.pi - 0.3, 61), np.linspace(0, 2 * np.pi, 121), indexing="ij")
    points = np.stack([np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t)], axis=-1)
    ids = np.arange(t.size).reshape(t.shape)
    faces = np.stack([ids[:-1, :-1], ids[1:, :-1], ids[1:, 1:], ids[:-1, 1:]], axis=-1).reshape(-1, 4)
    flat = points.reshape(-1, 3)
    lines = level_lines(flat, faces, flat[:, 2], 5)
    heights = lines[..., 2]
    assert np.allclose(heights[:, 0], heights[:, 1])
    for z in np.unique(np.round(heights[:, 0], 6)):
        own = np.isclose(heights[:, 0], z)
        length = np.linalg.norm(np.diff(lines[own], axis=1), axis=-1).sum()
        assert length == pytest.approx(2 * np.pi * np.sqrt(1 - z**2), rel=5e-3)
    assert len(level_lines(flat, faces, np.ones(len(flat)), 5)) == 0

"""Every demo recipe of blocks: its topology counted again, its cells, and its volume against closed forms."""

import json
import math
from itertools import combinations, pairwise

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.assemble import assemble
from plodek.core.build.walls import walls_of
from plodek.core.check.measure import measure
from plodek.core.check.metric import DEFAULT_LIMITS
from plodek.core.check.quality import gate
from plodek.core.grid.fill import layer_of
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files
from plodek.core.recipe.parameters import with_values
from plodek.core.shape.curves.wing_section import section
from tests.conftest import DEMO, DEMO_FILES, demo_file

pytestmark = pytest.mark.slow

#: Blocks, and the Euler characteristic of the flow domain: 1 for a ball, 0 for a ring (around a pier).
DEMOS = {
    "intake-pier": (12, 0),
    "rough-pier": (34, 0),
    "dosing-venturi": (25, 1),
    "draft-cone": (12, 1),
    "siphon": (15, 1),
    "gate-chamber": (17, 1),
    "outfall-fin": (5, 0),
    "turning-vanes": (18, 0),
    "turning-vanes-blunt": (19, 0),
}
#: The numbering of a block's corners, written down a second time: n = i + 2j + 4k.
FACES = ((0, 2, 4, 6), (1, 3, 5, 7), (0, 1, 4, 5), (2, 3, 6, 7), (0, 1, 2, 3), (4, 5, 6, 7))


@pytest.mark.parametrize("name", DEMOS)
def test_its_topology_by_an_independent_count(demos, name):
    blocks, characteristic = DEMOS[name]
    layout = demos.model(name).layout
    cells = [layout.blocks[b].corners for b in layout.filled]
    assert len(cells) == blocks
    faces: dict[frozenset[str], int] = {}
    for corners in cells:
        assert len(set(corners)) == 8
        for face in FACES:
            key = frozenset(corners[n] for n in face)
            faces[key] = faces.get(key, 0) + 1
    assert set(faces.values()) <= {1, 2}
    # Edges are where two faces of one block meet: pairs of corners that two faces of it share.
    edges = {
        frozenset(corners[n] for n in set(f) & set(g))
        for corners in cells
        for f, g in combinations(FACES, 2)
        if len(set(f) & set(g)) == 2
    }
    corners = {c for cell in cells for c in cell}
    assert len(corners) - len(edges) + len(faces) - len(cells) == characteristic
    outer = [key for key, uses in faces.items() if uses == 1]
    assert len(outer) == len(layout.outer)
    # The boundary is a closed surface: each of its edges belongs to two of its faces (or two pairs).
    on_edges = [sum(edge <= face for face in outer) for edge in edges]
    assert set(on_edges) <= {0, 2, 4}


@pytest.mark.parametrize("name", DEMOS)
def test_no_cell_is_folded_after_the_fill_and_the_gate_is_passed(demos, name):
    model = demos.model(name)
    assert not measure(build.filled_grid(model)).folded.any()
    grid = demos.built(name).grid
    assert gate(measure(grid), model.limits).passed
    assert grid.unnamed == ()


@pytest.mark.parametrize("name", DEMOS)
@pytest.mark.parametrize("share", [0.0, 0.4, 1.0])
def test_a_layer_is_that_of_the_whole_fill(demos, name, share):
    """As far as the eye can tell: neighbours of the whole grid share their sides to the bit, too."""
    model = demos.model(name)
    whole = build.filled_grid(model)
    for tier in model.tiers:
        layer = layer_of(model.layout, model.laid, tier, share)
        part = build.layer_grid(model, layer)
        for block, nodes in zip(part.names, part.xyz, strict=True):
            axis, at = layer[block]
            full = whole.xyz[whole.names.index(block)]
            seen = np.take(nodes, at, axis=axis)
            assert seen == pytest.approx(np.take(full, at, axis=axis), abs=1e-4 * model.layout.size())


@pytest.mark.parametrize("name", DEMOS)
def test_the_boundary_is_closed(demos, name):
    """The outer face vectors of a closed surface sum to zero (divergence theorem), to round-off."""
    grid = build.filled_grid(demos.model(name))
    total, area = np.zeros(3), 0.0
    for patch in grid.patches:
        for side in patch.windows:
            xyz = grid.nodes(side).squeeze(side.axis)
            vectors = 0.5 * np.cross(xyz[1:, 1:] - xyz[:-1, :-1], xyz[:-1, 1:] - xyz[1:, :-1])
            # Outward along i and k with rising axes, inward along j: the cross product of (i, k) is -j.
            sign = (1 if side.end else -1) * (-1 if side.axis == 1 else 1)
            total += sign * vectors.reshape(-1, 3).sum(axis=0)
            area += float(np.linalg.norm(vectors, axis=-1).sum())
    assert np.abs(total).max() < 1e-12 * area


def refined(model, factor):
    counts = {edge: factor * count for edge, count in model.laid.counts.items()}
    return build.replace(model, spacing=build.replace(model.spacing, counts=counts, laws={}))


def test_the_venturis_volume_converges_with_second_order():
    """Against the frusta it consists of; lengths as in ISO 5167-4's cones of 21° and 8°, in mm."""
    model = Evaluator().evaluate(document.read(demo_file("dosing-venturi.json")), DEMO_FILES).model

    def frustum(a, b, h):
        return math.pi * h / 3 * (a * a + a * b + b * b)

    exact = frustum(50, 50, 200) + frustum(50, 25, 134.8879) + frustum(25, 25, 50) + frustum(25, 50, 357.5167)
    small = build.replace(
        model, spacing=build.replace(model.spacing, counts=dict.fromkeys(model.laid.counts, 4), laws={})
    )
    errors = [exact - measure(build.filled_grid(refined(small, f))).volume.sum() for f in (1, 2, 4)]
    assert all(3.8 < a / b < 4.2 for a, b in pairwise(errors))
    assert abs(errors[-1]) < 2e-3 * exact


def test_the_draft_cones_volume_converges_with_second_order(demos):
    """Pipe and duct by elementary geometry, the ruled cone between circle and square by quadrature."""
    model = demos.model("draft-cone")
    angle = np.linspace(-math.pi / 4, math.pi / 4, 20_001)
    circle = 0.4 * np.stack([np.cos(angle), np.sin(angle)])
    t = np.linspace(0, 1, 20_001)
    # The panel from the arc to the square's side is ruled between equal shares of both.
    side = np.stack([np.full_like(t, 0.5), -0.5 + t])

    def area(z):
        ring = (1 - z) * circle + z * side
        return 4 * 0.5 * float(np.sum(ring[0, :-1] * ring[1, 1:] - ring[0, 1:] * ring[1, :-1]))

    # The area is a polynomial of second degree in z: Simpson's rule is exact.
    cone = 1.5 / 6 * (area(0) + 4 * area(0.5) + area(1))
    exact = math.pi * 0.16 * 0.4 + cone + 1.0 * 0.5
    errors = []
    for cells in (4, 8, 16):
        even = build.replace(
            model,
            spacing=build.replace(model.spacing, counts=dict.fromkeys(model.laid.counts, cells), laws={}),
        )
        errors.append(exact - measure(build.filled_grid(even)).volume.sum())
    assert all(3.0 < a / b < 5.0 for a, b in pairwise(errors))
    assert abs(errors[-1]) < 2e-3 * exact


@pytest.mark.parametrize("profile", ["4412", "6409", "own.dat"])
def test_the_vane_recipe_runs_unchanged_on_other_profiles(demos, tmp_path, profile):
    x, y, _ = section("5510", 41, sharp=True).T
    rows = [*zip(x, y, strict=True), (1.0, 0.0)]
    (tmp_path / "own.dat").write_text("made up\n" + "\n".join(f"{a:.7f} {b:.7f}" for a, b in rows))
    own = with_values(document.read(demo_file("turning-vanes.json")), {"profile": profile})
    found = Evaluator().evaluate(own, Files(lambda name: (tmp_path / name).read_bytes()))
    assert found.error is None
    assert list(found.model.layout.blocks) == list(demos.model("turning-vanes").layout.blocks)
    built = build.build(found.model)
    cells = measure(built.grid)
    assert not cells.folded.any()
    assert cells.of("smallest_angle").min() > 33
    assert cells.of("largest_angle").max() < 146
    wall = built.runs[0].wall
    assert np.mean(np.abs(wall.heights / wall.wished - 1) <= 0.05) >= 0.95
    assert np.mean(np.abs(wall.angles - 90) <= 5) >= 0.95


@pytest.mark.parametrize(("name", "walls"), [("turning-vanes", 286), ("turning-vanes-blunt", 220)])
def test_the_vanes_keep_their_layers_and_their_twins_to_the_bit(demos, name, walls):
    model, built = demos.model(name), demos.built(name)
    run, polished = built.runs
    assert gate(measure(built.grid), model.limits, walls_of(model, built.grid)).passed  # the default gate
    assert model.limits == DEFAULT_LIMITS
    assert run.progress.note == polished.progress.note == "settled"
    assert np.abs(polished.wall.heights / polished.wall.wished - 1).max() < 1e-9
    assert sum(block[..., 0].size for block in run.blocks.values()) > 12_000
    assert len(run.wall.heights) == walls
    layers = np.isclose(run.wall.wished, 1e-4, rtol=1e-3)  # the others stand on the wake
    assert np.count_nonzero(layers) > 210
    assert np.mean(np.abs(run.wall.heights[layers] / 1e-4 - 1) <= 0.05) >= 0.95
    assert np.mean(np.abs(run.wall.angles[layers] - 90) <= 5) >= 0.95
    on_vane = np.isclose(polished.wall.heights, 1e-4, rtol=0.05)
    assert np.mean(np.abs(polished.wall.angles[on_vane] - 90) <= 5) >= 0.95
    plane = assemble(model.plane, polished.blocks)
    for twin in plane.periodic:
        ours = plane.nodes(twin.first)
        theirs = twin.orientation.apply(plane.nodes(twin.second))
        assert np.array_equal(twin.move.places(ours.reshape(-1, 3))[:, :2], theirs.reshape(-1, 3)[:, :2])


def test_the_draft_cone_is_polished(demos):
    """139° at its square corners as filled; what it ends at is the pipe's cut, which holds."""
    model, built = demos.model("draft-cone"), demos.built("draft-cone")
    cells = measure(built.grid)
    assert measure(build.filled_grid(model)).of("largest_angle").max() > 137
    assert cells.of("largest_angle").max() <= 130
    assert built.runs[0].progress.note == "settled"
    assert gate(cells, DEFAULT_LIMITS, walls_of(model, built.grid)).passed


def test_the_siphon_keeps_its_heights_and_leaves_its_wall_squarely(demos):
    model, built = demos.model("siphon"), demos.built("siphon")
    smoothed, polished = built.runs
    assert smoothed.progress.note == polished.progress.note == "settled"
    for wall in (smoothed.wall, polished.wall):
        assert np.abs(wall.heights / wall.wished - 1).max() < 1e-3
        assert np.mean(np.abs(wall.angles - 90) <= 5) >= 0.95
    assert polished.progress.worst > 0.55
    assert gate(measure(built.grid), DEFAULT_LIMITS, walls_of(model, built.grid)).passed


def test_the_fin_leaves_its_wall_squarely_from_a_twentieth_of_a_millimetre(demos):
    """A C-ring out to 12 chords, layers at growth 1.15: first heights exact, the wake goes on from the tail."""
    model, built = demos.model("outfall-fin"), demos.built("outfall-fin")
    (run,) = built.runs
    assert run.progress.note == "settled"
    on_fin = np.isclose(run.wall.wished, 5e-5, rtol=1e-3)
    assert np.count_nonzero(on_fin) > 185
    assert np.abs(run.wall.heights[on_fin] / 5e-5 - 1).max() < 0.01
    assert np.mean(np.abs(run.wall.angles[on_fin] - 90) <= 3) >= 0.98
    assert gate(measure(built.grid), DEFAULT_LIMITS, walls_of(model, built.grid)).passed


def test_recipes_are_one_step_a_line():
    """Demo recipes are read by people: every step stands on a line of its own."""
    for path in DEMO.glob("*.json"):
        steps = json.loads(path.read_text())["steps"]
        assert sum(line.startswith("    {") for line in path.read_text().splitlines()) == len(steps)

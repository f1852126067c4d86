"""Sides are filled in the surfaces they lie on: by their parameters, over seams and at poles, or the nearest places."""

import numpy as np
import pytest

from plodek.core.grid.side import Rim, between, on_surface
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.ellipse import Ellipse
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.surfaces.analytic import sphere
from plodek.core.shape.surfaces.swept import Revolved
from plodek.core.shape.surfaces.together import Together
from plodek.core.shape.surfaces.triangulated import Triangulated
from tests.core.shape.test_surfaces import SURFACES

N = 9
U, V = np.meshgrid(np.linspace(0, 1, N), np.linspace(0, 1, N), indexing="ij")
BALL = sphere(np.zeros(3), np.eye(3), 1.0, (-np.pi / 2, np.pi / 2), 2 * np.pi)


def rim_of(nodes):
    return Rim(nodes[:, 0], nodes[:, -1], nodes[0], nodes[-1])


def places(surface, low, high):
    """Places (N, N, 3) on a surface, even in its parameters between two corners; over a seam too."""
    uv = np.stack([low[0] + (high[0] - low[0]) * U, low[1] + (high[1] - low[1]) * V], -1)
    return surface.at((uv - np.floor(uv) * (uv > 1)).reshape(-1, 2)).reshape(N, N, 3)


#: Those with a corner where their parameters are crowded are put to the nearest places, see below.
EVEN = [name for name in SURFACES if name not in ("two sides", "three sides")]


@pytest.mark.parametrize("name", EVEN)
def test_a_side_between_lines_of_a_surface_has_its_places(name):
    surface, _ = SURFACES[name]
    low, high = [0.3, 0.55], [0.45, 0.7]
    wanted = places(surface, low, high)
    size = np.linalg.norm(wanted[0, 0] - wanted[-1, -1])
    np.testing.assert_allclose(on_surface(surface, U, V, rim_of(wanted)), wanted, atol=1e-6 * size)


@pytest.mark.parametrize("name", SURFACES)
def test_nodes_of_any_side_are_on_the_surface(name):
    surface, _ = SURFACES[name]
    filled = on_surface(surface, U**1.3, V**0.8, rim_of(places(surface, [0.1, 0.2], [0.4, 0.6])))
    inner = filled[1:-1, 1:-1].reshape(-1, 3)
    np.testing.assert_allclose(surface.onto(inner), inner, atol=1e-7)


def test_a_side_goes_on_over_a_seam():
    wanted = places(BALL, [0.9, 0.4], [1.15, 0.6])
    np.testing.assert_allclose(on_surface(BALL, U, V, rim_of(wanted)), wanted, atol=1e-9)


def test_a_side_that_ends_in_a_pole_runs_to_it():
    wanted = places(BALL, [0.1, 0.7], [0.3, 1.0])
    np.testing.assert_allclose(on_surface(BALL, U, V, rim_of(wanted)), wanted, atol=1e-9)


@pytest.mark.parametrize("long", [0.3, 1.0, 4.0])
@pytest.mark.parametrize("end", [0.0, 1.0])
def test_a_pole_within_is_covered_in_polar_coordinates(long, end):
    """On a nose, blunt or slender: nodes even in the way from its tip are found again, the tip is one of them."""
    arc = Ellipse(np.zeros(3), (long, 1.0), np.eye(3), 0.5 * np.pi, np.pi)
    nose = Revolved(arc if end else Part(arc, 1.0, 0.0), np.zeros(3), np.array([1.0, 0, 0]), 2 * np.pi)
    x, y = 1.2 * (U - 0.5), 0.9 * (V - 0.5)
    uv = np.stack([np.arctan2(y, x) / (2 * np.pi) % 1.0, np.abs(end - np.hypot(x, y))], -1)
    wanted = nose.at(uv.reshape(-1, 2)).reshape(N, N, 3)
    found = on_surface(nose, U, V, rim_of(wanted))
    np.testing.assert_allclose(found, wanted, atol=1e-9)
    np.testing.assert_allclose(found[N // 2, N // 2], [-long, 0, 0], atol=1e-12)


def polar_side(surface, turns, reach, pole):
    """The rim of a side with a pole at a corner: out along two lines, and back through a place between them."""
    t = np.linspace(0, 1, N)
    way = 1 - 2 * pole

    def line(start, end):
        uv = np.array(start) + t[:, None] * (np.array(end) - start)
        return surface.at(np.stack([uv[:, 0] % 1.0, pole + way * uv[:, 1]], axis=1))

    low, high = turns
    middle = [(low + high) / 2, reach]
    tip = [[low, 0.0], [high, 0.0]]
    return Rim(
        line(tip[0], [low, reach]), line([high, reach], middle), line(tip[1], [high, reach]), line([low, reach], middle)
    )  # fmt: skip


CONE = Revolved(
    Polyline(np.array([[0.0, 0, 0], [0.5, 0, 1.0]]), closed=False),
    np.zeros(3),
    np.array([0.0, 0.0, 1.0]),
    2 * np.pi,
)
DOME = sphere(np.zeros(3), np.eye(3), 1.0, (0.0, np.pi / 2), np.pi / 2)


@pytest.mark.parametrize("turns", [(0.05, 0.3), (0.9, 1.1), (0.0, 0.25)])
@pytest.mark.parametrize(("surface", "pole"), [(BALL, 1), (BALL, 0), (CONE, 0), (DOME, 1)])
def test_a_pole_at_a_corner_leaves_no_gap_beside_the_edges(surface, pole, turns):
    """Steps between nodes are alike all over: with longitudes alone those beside an edge jumped by a quarter."""
    turns = (0.0, 0.9) if surface is DOME else turns
    rim = polar_side(surface, turns, 0.4, pole)
    nodes = on_surface(surface, U, V, rim)
    inner = nodes[1:-1, 1:-1].reshape(-1, 3)
    np.testing.assert_allclose(surface.onto(inner), inner, atol=1e-12)
    steps = [np.linalg.norm(np.diff(nodes, axis=axis), axis=2) for axis in (0, 1)]
    assert max(step.max() / np.median(step) for step in steps) < 1.8
    normals = np.cross(nodes[1:, :-1] - nodes[:-1, :-1], nodes[:-1, 1:] - nodes[:-1, :-1])
    at = nodes[:-1, :-1].reshape(-1, 3) - [0, 0, 3.0 * (surface is CONE)]
    assert len(np.unique(np.sign(np.einsum("nk,nk->n", normals.reshape(-1, 3), at)))) == 1


def test_a_rim_round_an_open_tube_has_no_pole_within():
    tube = Revolved(Part(Ellipse(np.zeros(3), (2.0, 1.0), np.eye(3), 0.5 * np.pi, np.pi), 0.0, 0.6), np.zeros(3), np.array([1.0, 0, 0]), 2 * np.pi)  # fmt: skip
    angle = np.arctan2(V - 0.5, U - 0.5) / (2 * np.pi) % 1.0
    ring = tube.at(np.stack([angle, np.full_like(angle, 0.5)], -1).reshape(-1, 2)).reshape(N, N, 3)
    found = on_surface(tube, U, V, rim_of(ring))
    inner = found[1:-1, 1:-1].reshape(-1, 3)
    np.testing.assert_allclose(tube.onto(inner), inner, atol=1e-9)


def test_where_parameters_say_nothing_the_nearest_places_are_taken():
    """Triangles, several surfaces, and edges off the surface."""
    cap = np.stack([U - 0.5, V - 0.5, np.ones_like(U)], -1)
    cap /= np.linalg.norm(cap, axis=-1)[..., None]
    triangles = Triangulated(BALL.facets.xyz, BALL.facets.triangles)
    for surface in (triangles, Together([BALL])):
        found = on_surface(surface, U, V, rim_of(cap))
        flat = between(U, V, rim_of(cap))[1:-1, 1:-1].reshape(-1, 3)
        np.testing.assert_allclose(found[1:-1, 1:-1].reshape(-1, 3), surface.onto(flat), atol=1e-12)
        np.testing.assert_array_equal(found[0], cap[0])
    off = on_surface(BALL, U, V, rim_of(1.2 * cap))
    np.testing.assert_allclose(np.linalg.norm(off[1:-1, 1:-1], axis=-1), 1, atol=1e-12)

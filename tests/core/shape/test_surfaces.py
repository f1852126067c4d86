"""Guide surfaces of all kinds: areas, volumes, closest places, seams and poles."""

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import ellipe

from plodek.core.errors import BadValue, NothingFound
from plodek.core.shape.curves.arc import Arc, arc_tangent
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.frame import X, Y, Z, frame_of
from plodek.core.shape.move import mirrored, turned
from plodek.core.shape.surface_crossing import plane_section, surface_crossings
from plodek.core.shape.surfaces.analytic import Plane, cone, cylinder, sphere, torus
from plodek.core.shape.surfaces.moved_surface import moved_surface
from plodek.core.shape.surfaces.spanned import Filled, Lofted
from plodek.core.shape.surfaces.swept import Extruded, PathFrame, Revolved, Swept
from plodek.core.shape.surfaces.triangulated import Triangulated, weld

TAU, HALF = math.tau, math.pi / 2
AT = np.array([0.1, 0.2, 0.3])
TILTED = frame_of(np.array([1.0, 2.0, 3.0]))
FLAT = np.eye(3)
BEND = arc_tangent(np.zeros(3), Z, 2.0, HALF, Y)
SQUARE = Polyline(
    np.array([[-0.5, -0.5, 1.5], [0.5, -0.5, 1.5], [0.5, 0.5, 1.5], [-0.5, 0.5, 1.5]]), closed=True
)


def line(*places):
    return Polyline(np.array(places, dtype=float))


SURFACES = {
    "plane": (Plane(AT, TILTED, 2, 1.0), 2.0),
    "cylinder": (cylinder(AT, TILTED, 1.0, 2.0, TAU), 2 * TAU),
    "part of a cylinder": (cylinder(AT, TILTED, 1.0, 2.0, 2.0), 4.0),
    "cone": (cone(AT, TILTED, (1.0, 0.4), 2.0, TAU), math.pi * 1.4 * math.hypot(0.6, 2)),
    "part of a cone": (cone(AT, TILTED, (1.0, 0.0), 2.0, 4.0), 2 * math.hypot(1, 2)),
    "disc": (cone(AT, TILTED, (0.5, 1.0), 0.0, TAU), math.pi * 0.75),
    "sphere": (sphere(AT, TILTED, 1.5, (-HALF, HALF), TAU), 9 * math.pi),
    "torus": (torus(AT, TILTED, 1.5, 0.5, TAU), 3 * math.pi**2),
    "bend of a tube": (torus(AT, TILTED, 1.5, 0.5, 4.0), 3 * math.pi**2 * 4 / TAU),
    "extruded": (Extruded(SQUARE, np.array([0, 0.0, 2])), 8.0),
    "revolved": (Revolved(line([1, 0, 0], [0.5, 0, 1], [1, 0, 2]), np.zeros(3), Z, TAU), 3 * math.pi * math.hypot(0.5, 1)),
    # Pappus: the area of a tube is the perimeter of its section by the length of its path.
    "swept": (Swept(Arc((0, 0, 0), 0.3), PathFrame(BEND)), TAU * 0.3 * BEND.length),
    "ruled": (Lofted([Arc((0, 0, 0), 1.0), Arc((0, 0, 2), 1.0)]), 2 * TAU),
    "lofted": (Lofted([Arc((0, 0, float(z)), 1.0) for z in range(4)]), 3 * TAU),
    "three sides": (Filled([line([0, 0, 0], [1, 0, 0]), line([1, 0, 0], [0, 1, 0]), line([0, 1, 0], [0, 0, 0])], 1e-9), 0.5),
    "four sides": (Filled([line([0, 0, 0], [2, 0, 0]), line([2, 0, 0], [2, 1, 0]), line([0, 1, 0], [2, 1, 0]), line([0, 1, 0], [0, 0, 0])], 1e-9), 2.0),
    "two sides": (Filled([Arc((0, 0, 0), 1, 0, math.pi), line([-1, 0, 0], [1, 0, 0])], 1e-9), HALF),
    "mirrored": (moved_surface(cylinder(AT, TILTED, 1.0, 2.0, 2.0), mirrored(X, X + Z), "m"), 4.0),
}  # fmt: skip


@pytest.mark.parametrize("name", SURFACES)
def test_areas_in_closed_form_and_derivatives_that_fit(name):
    surface, area = SURFACES[name]
    assert surface.area == pytest.approx(area, rel=1e-12)
    uv = np.random.default_rng(3).uniform(0.02, 0.98, (60, 2))
    away = np.min([np.abs(uv[:, k : k + 1] - surface.breaks[k]).min(axis=1) for k in (0, 1)], axis=0)
    uv = uv[away > 1e-3]
    place, du, dv, duu, duv, dvv = surface.derivatives(uv)
    step = np.array([[1e-4, 0], [0, 1e-4]])
    for k, (first, second) in enumerate(((du, duu), (dv, dvv))):
        ahead, behind = surface.at(uv + step[k]), surface.at(uv - step[k])
        np.testing.assert_allclose(first, (ahead - behind) / 2e-4, atol=1e-5)
        np.testing.assert_allclose(second, (ahead - 2 * place + behind) / 1e-8, atol=2e-2)
    crossed = (surface.derivatives(uv + step[1])[1] - surface.derivatives(uv - step[1])[1]) / 2e-4
    np.testing.assert_allclose(duv, crossed, atol=1e-4)


@pytest.mark.slow
@pytest.mark.parametrize("name", SURFACES)
@settings(max_examples=15, deadline=None)
@given(seed=st.integers(0, 2**31))
def test_no_sample_is_nearer_than_the_nearest_place(name, seed):
    surface, area = SURFACES[name]
    places = np.random.default_rng(seed).uniform(-3, 3, (40, 3))
    gap = np.linalg.norm(surface.onto(places) - places, axis=1)
    u = np.linspace(0, 1, 61)
    samples = surface.at(np.stack(np.meshgrid(u, u, indexing="ij"), -1).reshape(-1, 2))
    best = np.linalg.norm(samples[None] - places[:, None], axis=2).min(axis=1)
    # Of two places nearly as near the other may be taken, by less than a hair of the size.
    assert np.all(gap <= best + 5e-4 * math.sqrt(area))
    assert np.mean(gap <= best + 1e-12) > 0.9


def test_volumes_of_closed_surfaces():
    assert SURFACES["sphere"][0].swept_volume == pytest.approx(4 / 3 * math.pi * 1.5**3, rel=1e-12)
    assert SURFACES["torus"][0].swept_volume == pytest.approx(2 * math.pi**2 * 1.5 * 0.25, rel=1e-12)


def test_borders_leave_out_seams_and_poles():
    assert len(SURFACES["sphere"][0].borders) == 0
    assert len(SURFACES["torus"][0].borders) == 0
    assert len(SURFACES["three sides"][0].borders) == 3
    rims = SURFACES["cylinder"][0].borders
    assert [b.curve.length for b in rims] == pytest.approx([TAU, TAU], rel=1e-12)


def test_normals_stand_on_the_surface_and_curvatures_are_those_of_the_book():
    """Principal curvatures of a torus (do Carmo, Differential Geometry of Curves and Surfaces, 1976, ch. 3)."""
    ring = torus(np.zeros(3), FLAT, 1.5, 0.5, TAU)
    outer = ring.nearest(np.array([[3.0, 0, 0]]))
    np.testing.assert_allclose(np.abs(ring.curvatures(outer)), [[2.0, 1 / 2.0]], rtol=1e-12)
    np.testing.assert_allclose(np.abs(ring.normal(outer)), [[1, 0, 0]], atol=1e-12)
    ball = SURFACES["sphere"][0]
    np.testing.assert_allclose(np.abs(ball.curvatures(np.array([[0.3, 0.6]]))), 1 / 1.5, rtol=1e-9)


def test_the_section_of_a_cylinder_is_an_ellipse():
    tube = cylinder(np.zeros(3), FLAT, 1.0, 4.0, TAU)
    (cut,) = plane_section(tube, 2 * Z, np.array([0.5, 0, 1]))
    long = math.hypot(1, 0.5)
    assert cut.closed
    assert cut.length == pytest.approx(4 * long * ellipe(1 - 1 / long**2), rel=1e-13)
    with pytest.raises(NothingFound, match="lies from -9 to -5"):
        plane_section(tube, 9 * Z, Z)


def test_crossings_lie_on_both_surfaces_and_end_at_their_borders():
    tube, ball = (
        cylinder(np.zeros(3), FLAT, 1.0, 4.0, TAU),
        sphere(np.array([0.5, 0, 2]), FLAT, 1.0, (-HALF, HALF), TAU),
    )
    (loop,) = surface_crossings(tube, ball)
    places = loop.at(np.linspace(0, 1, 333))
    assert loop.closed
    np.testing.assert_allclose(np.hypot(places[:, 0], places[:, 1]), 1, atol=1e-14)
    np.testing.assert_allclose(np.linalg.norm(places - [0.5, 0, 2], axis=1), 1, atol=1e-14)
    wall = Plane(np.array([-0.2, -3, 1.0]), np.array([[0, 1.0, 0], [0, 0, 1], [1, 0, 0]]), 6.0, 1.0)
    for pair in ((tube, wall), (wall, tube)):
        both = surface_crossings(*pair)
        assert [c.length for c in both] == pytest.approx([1.0, 1.0], rel=1e-12)
    with pytest.raises(NothingFound, match="do not cross"):
        surface_crossings(ball, sphere(9 * X, FLAT, 1.0, (-HALF, HALF), TAU))


def test_a_loft_faces_its_sections():
    """Round to square: begun anywhere and run either way, the panels stay untwisted."""
    turned_round = Polyline(np.roll(SQUARE.points[::-1], 2, axis=0), closed=True)
    u = np.linspace(0, 1, 161)

    def reach(surface):
        ends = [surface.at(np.stack([u, np.full(161, v)], axis=1)) for v in (0.0, 1.0)]
        return np.linalg.norm(ends[1] - ends[0], axis=1).max()

    corner = math.hypot(1.5, math.sqrt(0.5) - 0.4)  # from the circle to the corner that faces it
    for square in (SQUARE, turned_round):
        assert reach(Lofted([Arc((0, 0, 0), 0.4), square])) == pytest.approx(corner, rel=1e-6)
    assert reach(Lofted([Arc((0, 0, 0), 0.4), turned_round], as_drawn=True)) > 1.1 * corner


def test_a_swept_frame_does_not_twist():
    """Over a bend in a plane the section keeps its angle to that plane (Wang et al. 2008)."""
    tube = Swept(line([0.3, 0, 0], [0.5, 0.1, 0]), PathFrame(BEND, 0.5))
    end = tube.at(np.array([[0.0, 1.0], [1.0, 1.0]]))
    np.testing.assert_allclose(end, [[2, 0, 2 - 0.15], [2, 0.05, 2 - 0.25]], atol=1e-9)


# --- triangles ----------------------------------------------------------------------------------------


def ball(angle=0.3):
    drawn = sphere(AT, TILTED, 1.5, (-HALF, HALF), TAU).facets
    return Triangulated(*weld(drawn.xyz, drawn.triangles, 1e-9))


def test_triangles_close_and_agree_with_trimesh():
    surface = ball()
    mesh = trimesh.Trimesh(surface.xyz, surface.triangles, process=False)
    assert mesh.is_watertight
    assert not surface.borders
    assert (surface.area, surface.swept_volume) == pytest.approx((mesh.area, mesh.volume), rel=1e-12)
    places = np.random.default_rng(5).uniform(-3, 3, (200, 3))
    gap = np.linalg.norm(surface.onto(places) - places, axis=1)
    # trimesh's distance, by its own search over all triangles.
    corners = surface.xyz[surface.triangles]
    for place, ours in zip(places[:25], gap[:25], strict=True):
        theirs = trimesh.triangles.closest_point(corners, np.tile(place, (len(corners), 1)))
        assert ours == pytest.approx(np.linalg.norm(theirs - place, axis=1).min(), rel=1e-12)


def test_feature_lines_and_sections_of_a_box():
    box = trimesh.creation.box((1.0, 2.0, 3.0))
    surface = Triangulated(np.array(box.vertices), np.array(box.faces))
    lines = surface.feature_lines(30)
    assert sum(one.length for one in lines) == pytest.approx(4 * (1 + 2 + 3))
    (cut,) = surface.section(np.zeros(3), Z)
    assert cut.length == pytest.approx(6.0)
    assert cut.closed
    opened = Triangulated(surface.xyz, surface.triangles[surface.normals[:, 2] < 0.9])
    assert sum(border.curve.length for border in opened.borders) == pytest.approx(2 * (1 + 2))


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: torus(AT, FLAT, 0.4, 0.5, TAU), "cross the axis"),
        (lambda: cylinder(AT, FLAT, 0.0, 1.0, TAU), "radius is 0"),
        (lambda: cone(AT, FLAT, (0.0, 0.0), 1.0, TAU), "below 0"),
        (lambda: sphere(AT, FLAT, 1.0, (0.2, 0.1), TAU), "do not rise"),
        (lambda: Plane(AT, FLAT, 0.0, 1.0), "no size"),
        (lambda: Extruded(SQUARE, np.zeros(3)), "no length"),
        (lambda: PathFrame(line([0, 0, 0], [1, 0, 0], [1, 1, 0])), "turns sharply"),
        (lambda: PathFrame(Arc((0, 0, 0), 1)), "closed"),
        (lambda: Lofted([SQUARE]), "two sections"),
        (lambda: Lofted([SQUARE, line([0, 0, 0], [1, 0, 0])]), "some are open"),
        (lambda: Filled([line([0, 0, 0], [1, 0, 0])], 1e-9), "1 curves"),
        (lambda: Filled([line([0, 0, 0], [1, 0, 0]), line([1, 0, 0], [1, 1, 0]), line([9, 1, 0], [8, 0, 0])], 1e-9), "do not meet"),
        (lambda: Triangulated(np.zeros((2, 3)), np.array([[0, 1, 2]])), "not there"),
        (lambda: Triangulated(np.zeros((2, 3)), np.zeros((0, 3), dtype=int)), "no triangle"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_in_words(make, words):
    with pytest.raises(BadValue, match=words):
        make()


def test_a_moved_surface_is_where_the_move_puts_it():
    move = turned(np.zeros(3), Z, 0.6)
    tube = SURFACES["swept"][0]
    moved = moved_surface(tube, move, "m")
    places = np.random.default_rng(6).uniform(-1, 2, (30, 3))
    np.testing.assert_allclose(moved.onto(move.places(places)), move.places(tube.onto(places)), atol=1e-9)

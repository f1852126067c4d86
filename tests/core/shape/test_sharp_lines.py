"""Sharp lines of surfaces, crossings over them, places where surfaces meet, and edges that run there."""

import math

import numpy as np
import pytest

from plodek.core.build import build
from plodek.core.build.walls import walls_of
from plodek.core.errors import BadValue
from plodek.core.shape.curves.arc import Arc
from plodek.core.shape.curves.compound import Part
from plodek.core.shape.curves.polyline import Polyline
from plodek.core.shape.curves.spline import Spline
from plodek.core.shape.curves.wing_section import section
from plodek.core.shape.frame import X, Z
from plodek.core.shape.surface_crossing import plane_section, surface_crossings
from plodek.core.shape.surfaces.analytic import Plane, cylinder, sphere
from plodek.core.shape.surfaces.meeting import onto_all
from plodek.core.shape.surfaces.spanned import Filled, Lofted
from plodek.core.shape.surfaces.swept import Extruded, PathFrame, Swept
from tests.conftest import evaluated, model_of

FLAT = np.eye(3)
SQUARE = Polyline(np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0.0]]), closed=True)
PRISM = Extruded(SQUARE, np.array([0, 0, 2.0]))


def vane(height, size, turn):
    """A section with a sharp tail, at a height, scaled and turned about its nose."""
    c, s = math.cos(turn), math.sin(turn)
    points = size * section("4412", 41, sharp=True) @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
    return Spline(points + np.array([0, 0, height]), closed=True, corner_angle=35)


TWISTED = Lofted([vane(0.0, 1.0, 0.0), vane(1.0, 0.9, 0.2), vane(2.0, 0.7, 0.5)], as_drawn=True)
BEND = Spline(np.array([[0, 0, 0], [0.1, 0, 1], [1, 0.4, 2], [2, 0, 2.0]]), closed=False, corner_angle=180)
COSTLY = {
    "lofted": TWISTED,
    "ruled": Lofted([SQUARE, vane(3.0, 1.0, 0.3)]),
    "swept": Swept(Arc((0, 0, 0), 0.3), PathFrame(BEND)),
    "filled": Filled([Part(BEND, 0.0, 0.5), Part(BEND, 0.5, 1.0), Polyline(np.array([[2, 0, 2.0], [1, 2, 1]])), Polyline(np.array([[1, 2, 1], [0, 0, 0.0]]))], 1e-9),
}  # fmt: skip


def test_the_sharp_lines_of_a_prism_are_its_edges():
    lines = PRISM.creases
    assert [line.length for line in lines] == pytest.approx([2.0] * 4)
    np.testing.assert_allclose([line.start() for line in lines], SQUARE.points, atol=1e-14)
    assert cylinder(np.zeros(3), FLAT, 1.0, 2.0, math.tau).creases == ()


def test_the_corners_of_sections_make_one_sharp_line_of_a_loft():
    """However unlike the fractions at which the sections have them."""
    (tail,) = TWISTED.creases
    for place, height in ((tail.start(), 0.0), (tail.at(np.array([0.5]))[0], None), (tail.end(), 2.0)):
        if height is not None:
            assert place[2] == pytest.approx(height)
    square = Polyline(np.array([[0, 0, 0], [3, 0, 0], [3, 1, 0], [0, 1, 0.0]]), closed=True)
    other = Polyline(np.array([[0, 0, 2], [1, 0, 2], [1, 3, 2], [0, 3, 2.0]]), closed=True)
    lines = Lofted([square, other], as_drawn=True).creases
    assert len(lines) == 4
    for line, a, b in zip(lines, square.points, other.points, strict=True):
        np.testing.assert_allclose([line.start(), line.end()], [a, b], atol=1e-14)


def test_a_crossing_has_corners_where_it_runs_over_sharp_lines():
    tilted = Plane(np.array([-4, -4, 1.0]), np.array([[1, 0, 0.1], [0, 1, 0], [-0.1, 0, 1]]) / [[1.00498756], [1], [1.00498756]], 8, 8)  # fmt: skip
    (loop,) = surface_crossings(PRISM, tilted)
    assert loop.closed
    assert len(loop.corners) == 4
    corners = loop.at(loop.corners)
    np.testing.assert_allclose(np.abs(corners[:, :2]), 1, atol=1e-13)
    side = math.hypot(2, corners[:, 2].max() - corners[:, 2].min())
    assert loop.length == pytest.approx(2 * (2 + side), rel=1e-9)
    (ring,) = surface_crossings(
        TWISTED, cylinder(np.array([0.4, -2, 0.9]), FLAT[[2, 0, 1]], 0.6, 4.0, math.tau)
    )[:1]
    assert len(ring.corners) in (1, 2)
    places = ring.at(np.linspace(0, 1, 201))
    np.testing.assert_allclose(TWISTED.onto(places), places, atol=1e-12)


@pytest.mark.parametrize("height", [0.3, 1.0, 1.7])
def test_the_section_of_a_loft_has_a_corner_on_its_sharp_line(height):
    (loop,) = plane_section(TWISTED, height * Z, Z)
    (corner,) = loop.at(loop.corners)
    tail = TWISTED.creases[0]
    assert np.linalg.norm(tail.at(tail.nearest(corner[None]))[0] - corner) < 1e-12
    ends = loop.tangent(np.array([loop.corners[0] + 1e-9, loop.corners[0] - 1e-9]) % 1.0)
    assert ends[0] @ ends[1] < -0.9  # the tail is thin: it turns nearly back


def test_sharp_lines_are_guides_and_their_lack_is_told():
    steps = [
        {"kind": "polyline", "id": "p", "name": "p", "points": [[0, 0], [1, 0], [1, 1]]},
        {"kind": "extrude-curve", "id": "e", "name": "wall", "guide": "p", "by": [0, 0, 2]},
        {"kind": "border", "id": "b", "name": "edge", "surface": "wall", "lines": "sharp lines"},
    ]
    model = model_of(steps)
    np.testing.assert_allclose(
        model.guides["edge"].at(np.array([0.0, 1.0])), [[1, 0, 0], [1, 0, 2]], atol=1e-14
    )
    tube = {"kind": "cylinder", "id": "c", "name": "tube", "radius": 1, "height": 1}
    error = evaluated([tube, steps[2] | {"surface": "tube"}]).error
    assert isinstance(error, BadValue)
    assert "no sharp lines" in str(error)


@pytest.mark.parametrize("name", COSTLY)
def test_a_table_says_what_the_formula_says(name):
    """Places to round-off, derivatives of both kinds, and with them the nearest places."""
    surface = COSTLY[name]
    table = surface._table
    assert table.exact
    uv = np.random.default_rng(3).uniform(0, 1, (4000, 2))
    size = np.ptp(surface.at(uv), axis=0).max()
    told, formula = table.jet(uv), surface._by_formula(uv)
    for mine, theirs, slack in zip(told, formula, (1e-13, 1e-9, 1e-9, 2e-5, 2e-5, 2e-3), strict=True):
        scale = np.maximum(np.abs(theirs).max(), size)
        assert np.quantile(np.abs(mine - theirs).max(axis=1), 0.99) < slack * scale
    np.testing.assert_allclose(surface.onto(told[0]), told[0], atol=1e-13 * size)


def test_places_are_put_where_surfaces_meet():
    """Against closed forms: a circle of latitude, and the two corners of two spheres and a plane."""
    ball = sphere(np.zeros(3), FLAT, 1.0, (-math.pi / 2, math.pi / 2), math.tau)
    level = Plane(np.array([-3, -3, 0.6]), FLAT, 6, 6)
    near = np.random.default_rng(0).normal(0, 1, (50, 3)) * [1, 1, 0.1] + [0, 0, 0.6]
    near = near[np.hypot(near[:, 0], near[:, 1]) > 0.3]
    for surfaces in ([ball, level], [level, ball]):
        met = onto_all(surfaces, near)
        np.testing.assert_allclose(met[:, 2], 0.6, atol=1e-14)
        np.testing.assert_allclose(np.hypot(met[:, 0], met[:, 1]), 0.8, atol=1e-14)
    other = sphere(X, FLAT, 1.0, (-math.pi / 2, math.pi / 2), math.tau)
    (corner,) = onto_all([ball, other, level], np.array([[0.6, 0.5, 0.5]]))
    np.testing.assert_allclose(corner, [0.5, math.sqrt(1 - 0.25 - 0.36), 0.6], atol=1e-14)


def test_a_place_from_which_no_common_one_is_found_stays_on_the_first_surface():
    low, high = (Plane(np.array([-3, -3, z]), FLAT, 6, 6) for z in (0.0, 1.0))
    np.testing.assert_allclose(
        onto_all([high, low], np.array([[0.2, 0.1, 0.4]])), [[0.2, 0.1, 1.0]], atol=1e-15
    )


def test_edges_between_two_surfaces_run_where_these_meet():
    """A box between two cylinders that cross: every outer side on its own, the edges on both."""

    def tube(name, along, base, radius):
        return {"kind": "cylinder", "name": name, "along": along, "base": base, "radius": radius, "height": 8}

    steps = [
        tube("z", [0, 0, 1], [0, 0, -4], 2),
        tube("x", [1, 0, 0], [-4, 0, 0], 2.2),
        {"kind": "frame", "shape": "box", "corner": [-1.2] * 3, "width": 2.4, "height": 2.4, "depth": 2.4},
        {"kind": "follow", "guide": "z", "edges": {"at": [1.2, 0, 0]}},
        {"kind": "follow", "guide": "z", "edges": {"at": [0, 1.2, 0]}},
        {"kind": "follow", "guide": "x", "edges": {"at": [0, 0, 1.2]}},
        {"kind": "count", "tier": {"all": True}, "cells": 6},
        {"kind": "cut", "by": "pieces", "pieces": 2, "tier": {"at": [0, -1.2, -1.2]}},
    ]  # fmt: skip
    model = model_of([{"id": f"s{n}", **step} for n, step in enumerate(steps)])
    grid = build.build(model).grid
    assert all(fit.misfit < 1e-12 for fit in walls_of(model, grid).fits)
    layout = model.layout
    both = [
        edge for edge, names in layout.surfaces_of.items() if not isinstance(edge, str) and len(names) == 2
    ]
    assert both
    for edge in both:
        places = model.paths[edge].at(np.linspace(0, 1, 21))
        np.testing.assert_allclose(np.hypot(places[:, 0], places[:, 1]), 2, atol=1e-13)
        np.testing.assert_allclose(np.hypot(places[:, 1], places[:, 2]), 2.2, atol=1e-13)


def test_a_slide_keeps_what_still_lies_on_its_surface():
    steps = [
        {"kind": "cylinder", "name": "t", "base": [0, 0, -2], "radius": 2, "height": 4},
        {"kind": "circle", "name": "c", "centre": [0, 0, -1], "radius": 2},
        {
            "kind": "frame",
            "shape": "box",
            "corner": [-1.4] * 2 + [-1],
            "width": 2.8,
            "height": 2.8,
            "depth": 2,
        },
        {"kind": "follow", "guide": "t", "edges": {"side": "y+"}},
        {"kind": "slide", "corner": {"at": [1.4, 1.4, -1]}, "guide": "c", "near": [1.8, 0.9, -1]},
    ]
    model = model_of([{"id": f"s{n}", **step} for n, step in enumerate(steps)])
    assert list(model.layout.lies.values()) == ["t"]
    grid = build.build(model).grid
    assert max(fit.misfit for fit in walls_of(model, grid).fits) < 1e-13


@pytest.mark.parametrize("sharp", [PRISM, TWISTED], ids=["prism", "vane"])
def test_on_a_sharp_line_the_normal_is_that_of_the_side_one_looks_from(sharp):
    """A wall that ends at a tail has its own normal there, not by chance that of the wall beyond."""
    line = sharp.creases[0]
    at = line.at(np.linspace(0.1, 0.9, 9))
    uv = sharp.nearest(at)
    for step in (0.02, -0.02):
        beside = sharp.at(np.column_stack([np.mod(step + 0 * uv[:, 0], 1.0), uv[:, 1]]))
        next_to = sharp.normal(np.column_stack([np.mod(step * 1e-4 + 0 * uv[:, 0], 1.0), uv[:, 1]]))
        assert np.allclose(sharp.normals_beside(at, beside), next_to, atol=1e-4)
        assert np.allclose(sharp.normals_beside(beside, beside), sharp.normal(sharp.nearest(beside)))
        assert np.array_equal(sharp.normals_beside(at, at), sharp.normal(uv))
